package app_test

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/core/route"
	"sakuji/studio"
)

// fill gives a studio years of history: orders that were closed, sixty thousand pieces with their strips, and a
// million lines of the logbook.
func fill(b *testing.B, s *apptest.Studio, from int64) {
	db, err := sql.Open("sqlite", filepath.Join(s.Dir, "sakuji.db"))
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
	} {
		_, err := db.Exec(q, from)
		require.NoError(b, err, q)
	}
}

// BenchmarkHouse times the bench of a studio with 60,000 pieces behind it and a million lines in its logbook: a stamp
// on disk, the list, a piece, and finding. Fifty tablets stamp five times a second between them. Told are medians, and
// the 99th of a hundred for the tablets.
func BenchmarkHouse(b *testing.B) {
	s := apptest.New(b)
	no := s.Order(40, route.Primed)
	s.Accept(no)
	for range 4 {
		sheet, err := s.Pieces.Bench(s.Ctx, pieces.BenchAll, "")
		require.NoError(b, err)
		if !slices.ContainsFunc(sheet.Rows, func(r pieces.BenchRow) bool { return r.State == studio.Waiting }) {
			break
		}
		s.Print()
	}
	first, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(b, err)
	fill(b, s, first.ID)
	stamp := func(k int) {
		s.Clock.Pass(time.Minute)
		for i := range 40 { // the first that is ready
			code := fmt.Sprintf("%s-%d", no, (k+i)%40+1)
			if _, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3}); err == nil {
				return
			}
		}
		s.Clock.Pass(24 * time.Hour)
	}
	n := 0
	for _, part := range []struct {
		name string
		do   func()
	}{
		{"stamp", func() { n++; stamp(n) }},
		{"list", func() {
			_, err := s.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
			require.NoError(b, err)
		}},
		{"stamp-and-list", func() {
			n++
			stamp(n)
			_, err := s.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
			require.NoError(b, err)
		}},
		{"stamp-and-piece", func() {
			n++
			stamp(n)
			_, err := s.Pieces.Piece(s.Ctx, no+"-2")
			require.NoError(b, err)
		}},
		{"stamp-and-find-piece", func() {
			n++
			stamp(n)
			_, err := s.Today.Find(s.Ctx, "901234-7")
			require.NoError(b, err)
		}},
		{"stamp-and-find-word", func() {
			n++
			stamp(n)
			_, err := s.Today.Find(s.Ctx, "collar")
			require.NoError(b, err)
		}},
	} {
		b.Run(part.name, func(b *testing.B) {
			var ms []float64
			for b.Loop() {
				start := time.Now()
				part.do()
				ms = append(ms, float64(time.Since(start).Microseconds())/1000)
			}
			slices.Sort(ms)
			b.ReportMetric(ms[len(ms)/2], "median-ms")
			b.ReportMetric(ms[len(ms)*99/100], "p99-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
	b.Run("tablets", func(b *testing.B) { // fifty of them; whoever stamps, all draw the bench anew
		const tablets, aSecond, forS = 50, 5, 8
		var took []float64
		var mu sync.Mutex
		var all sync.WaitGroup
		for k := range tablets {
			all.Go(func() {
				time.Sleep(time.Duration(k) * time.Second / aSecond % (forS * time.Second))
				start := time.Now()
				_, err := s.Pieces.Stamp(s.Ctx, s.Bench, fmt.Sprintf("%s-%d", no, k%40+1), studio.Stamp{Minutes: 3, Early: true, Note: "hard to the nail"})
				mu.Lock()
				if took = append(took, float64(time.Since(start).Microseconds())/1000); err != nil {
					b.Log(err)
				}
				mu.Unlock()
				for range tablets {
					all.Go(func() {
						_, err := s.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
						assert.NoError(b, err)
					})
				}
			})
		}
		all.Wait()
		slices.Sort(took)
		b.ReportMetric(took[len(took)/2], "median-ms")
		b.ReportMetric(took[len(took)*99/100], "p99-ms")
		b.ReportMetric(0, "ns/op")
	})
}
