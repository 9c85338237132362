package store

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestColumnsHaveTheNamesOfFields(t *testing.T) {
	for field, column := range map[string]string{"ID": "id", "WallMM": "wall_mm", "XMM": "x_mm", "StillSHA": "still_sha", "PublicURL": "public_url",
		"OrderID": "order_id", "WaitS": "wait_s", "RoomC": "room_c", "MayShow": "may_show"} {
		assert.Equal(t, column, columnOf(field))
	}
}

// Columns are found whatever their order; one without a field is an error, not a shift.
func TestRowsAreReadByName(t *testing.T) {
	type thing struct {
		Name    string
		OwnerID int64
		Grams   float64
		Ended   time.Time
		Tags    []string
		Share   *float64
	}
	s, err := Open(context.Background(), t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	read(t, s, func(tx *Tx) {
		got, err := one[thing](tx, `SELECT 1764150000000 AS ended_ms, '["a","b"]' AS tags, 2.5 AS grams, 'Heron' AS name, 7 AS owner_id, 0.5 AS share`)
		require.NoError(t, err)
		half := 0.5
		assert.Equal(t, thing{"Heron", 7, 2.5, time.UnixMilli(1764150000000).UTC(), []string{"a", "b"}, &half}, got)
		got, err = one[thing](tx, `SELECT NULL AS ended_ms, NULL AS grams, NULL AS owner_id, NULL AS share, '' AS name`)
		require.NoError(t, err)
		assert.Equal(t, thing{}, got)
		_, err = one[thing](tx, `SELECT name, 1 AS colour FROM clients UNION SELECT 'x', 2`)
		assert.ErrorContains(t, err, "store.thing has no field for the column colour")
		_, err = one[thing](tx, `SELECT NULL AS name`)
		assert.ErrorContains(t, err, "converting NULL to string")
	})
	v := thing{Name: "Heron", Tags: []string{"a"}}
	args, err := values(&v, split(`name, owner_id,
		grams, ended_ms, tags`))
	require.NoError(t, err)
	assert.Equal(t, []any{"Heron", nil, 0.0}, args[:3])
	json, err := args[4].(packed).Value()
	require.NoError(t, err)
	assert.Equal(t, `["a"]`, json)
}
