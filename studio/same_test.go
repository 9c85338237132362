package studio

import (
	"encoding/json"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/quote"
)

// studios are fields that are the studio's own once the client has said yes, and move a price before.
const studios = "how the studio makes it"

// moves are fields that may change without the work or the price of an item, and why.
var moves = map[string]string{
	"OrderID": "where it stands", "Position": "where it stands", "Rule": "how its size was found",
	"Fees": "worked out of its models’ licences", "Option": "taken, it is one no more",
	"Part.OrientationID": studios, "Part.MachineID": studios, "Part.Waived": studios,
	"Part.ID": "where it stands", "Part.ItemID": "where it stands", "Part.Name": "what it is called", "Part.Model": "told by its id",
}

// What was agreed holds as long as nothing is changed that changes work or price: every field of an item counts, but for
// those that say why not; a new one counts from its first day.
func TestWhatChangesAnItem(t *testing.T) {
	was := Item{ID: 3, Title: "Heron", Tier: "painted", Copies: 2, Scale: 1,
		Parts: []Part{{ID: 7, ModelID: 4, Copies: 1, Process: "resin", WallMM: 2}}}
	was.Extras = []quote.Extra{{Kind: quote.Base, What: "base"}}
	was.Features = finish.Features{Eyes: 2}
	text, err := json.Marshal(was)
	require.NoError(t, err)
	var frozen Item
	require.NoError(t, json.Unmarshal(text, &frozen))
	assert.True(t, was.Same(frozen), "as it was frozen")

	seen := 0
	each := func(prefix string, of func(*Item) reflect.Value) {
		for k := range of(&was).NumField() {
			now := was
			now.Parts, now.Extras = append([]Part(nil), was.Parts...), append([]quote.Extra(nil), was.Extras...)
			field, name := of(&now).Field(k), prefix+of(&now).Type().Field(k).Name
			if name == "Parts" || name == "ItemOptions" {
				continue
			}
			other(field)
			why, free := moves[name]
			assert.Equal(t, free, now.Same(was), name)
			assert.Equal(t, free && why != studios, now.SameWork(was), name)
			seen++
		}
	}
	each("", func(i *Item) reflect.Value { return reflect.ValueOf(i).Elem() })
	each("", func(i *Item) reflect.Value { return reflect.ValueOf(&i.ItemOptions).Elem() })
	each("Part.", func(i *Item) reflect.Value { return reflect.ValueOf(&i.Parts[0]).Elem() })
	assert.Greater(t, seen, 35)

	worn := was
	worn.Rule.By = ByHead
	assert.False(t, worn.Same(was), "what is worn is glued otherwise")
	two := was
	two.Parts = append([]Part{{ID: 9, ModelID: 2, Copies: 1, Process: "resin"}}, was.Parts...)
	turned := two
	turned.Parts = []Part{two.Parts[1], two.Parts[0]}
	assert.True(t, turned.Same(two), "whatever the order of its parts")
	assert.False(t, two.Same(was))
}

// other gives a value another one.
func other(v reflect.Value) {
	switch v.Kind() {
	case reflect.String:
		v.SetString(v.String() + "other")
	case reflect.Int, reflect.Int64:
		v.SetInt(v.Int() + 3)
	case reflect.Float64:
		v.SetFloat(v.Float() + 1.5)
	case reflect.Bool:
		v.SetBool(!v.Bool())
	case reflect.Slice:
		v.Set(reflect.Append(v, reflect.Zero(v.Type().Elem())))
	case reflect.Struct:
		other(v.Field(0))
	default:
		panic("no other value of a " + v.Kind().String())
	}
}
