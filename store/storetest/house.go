// Package storetest fills data folders for benchmarks.
package storetest

import (
	"database/sql"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Fill gives the studio in a folder years of history, made after a piece: orders that were closed, sixty thousand pieces
// with their strips and their paint, and a million lines of the logbook.
func Fill(b testing.TB, dir string, from int64) {
	b.Helper()
	db, err := sql.Open("sqlite", filepath.Join(dir, "sakuji.db"))
	require.NoError(b, err)
	defer db.Close()
	columns := func(table string, but ...string) (out string) {
		rows, err := db.Query(`SELECT name FROM pragma_table_info(?)`, table)
		require.NoError(b, err)
		defer rows.Close()
		for rows.Next() {
			var name string
			require.NoError(b, rows.Scan(&name))
			if !slices.Contains(but, name) {
				out += ", t." + name
			}
		}
		return out
	}
	orders, of, stages := columns("orders", "id", "number", "state", "title"), columns("pieces", "id", "code", "order_id", "state", "name"), columns("stages", "id", "piece_id", "note", "done_ms", "until_ms", "mark", "person_id", "minutes")
	plain := func(list string) string { return strings.ReplaceAll(list, "t.", "") }
	for _, q := range []string{
		`INSERT INTO orders (number, state, title` + plain(orders) + `) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 3000) SELECT printf('9%05d', i), 'closed', 'Set of old snails ' || i` + orders + ` FROM n, orders t WHERE t.id = (SELECT order_id FROM pieces WHERE id = ?1)`,
		`INSERT INTO pieces (code, order_id, state, name` + plain(of) + `) WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < 59999) SELECT printf('9%05d-%d', i / 20 + 1, i % 20 + 1), (SELECT id FROM orders WHERE number = printf('9%05d', i / 20 + 1)), 'done', 'Old snail, shell ' || (i % 7)` + of + ` FROM n, pieces t WHERE t.id = ?1`,
		`INSERT INTO stages (piece_id, done_ms, mark, person_id, minutes, note` + plain(stages) + `) SELECT p.id, 1600000000000 + p.id * 1000000, 'done', 1, t.planned_min * (0.7 + (p.id % 7) / 10.0), CASE WHEN p.id % 40 = 0 THEN 'collar came loose, glued again' ELSE '' END` + stages + ` FROM pieces p, stages t WHERE t.piece_id = ?1 AND p.code LIKE '9_____-%'`,
		`INSERT INTO logbook (at_ms, person_id, who, event, text, order_id, piece_id, plate_id) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000) SELECT 1600000000000 + i * 60000, NULL, 'IK', 'stamped', 'sand, 14 min', NULL, NULL, NULL FROM n WHERE ?1 > 0`,
		`INSERT INTO recipes (number, version, name, medium, paints, tool, coats, at_ms) SELECT 900 + value, 1, 'old colour ' || value, 'acrylic', '[]', 'brush', 2, 1600000000000 FROM (WITH RECURSIVE n(value) AS (SELECT 1 UNION ALL SELECT value + 1 FROM n WHERE value < 40) SELECT value FROM n) WHERE ?1 > 0`,
		`INSERT INTO coats (piece_id, position, recipe_id, region, coats, at_ms) SELECT p.id, 9, 1 + (p.id + k.value) % 40, CASE k.value WHEN 1 THEN 'shell' ELSE 'wing ' || (p.id % 3) END, 2, 1600000000000 FROM pieces p, (SELECT 1 AS value UNION ALL SELECT 2) k WHERE p.code LIKE '9_____-%' AND ?1 > 0`,
	} {
		_, err := db.Exec(q, from)
		require.NoError(b, err, q)
	}
}
