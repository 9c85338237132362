package demo

import (
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// queries are those that were asked, each with values it was asked with.
type queries struct {
	mu  sync.Mutex
	all map[string][]any
}

// asked are the queries of the demo's years and of the walks through it.
var asked = &queries{all: map[string][]any{}}

func (q *queries) hear(query string, args []any) {
	q.mu.Lock()
	defer q.mu.Unlock()
	if _, ok := q.all[query]; !ok {
		q.all[query] = slices.Clone(args)
	}
}

// small are the tables that do not grow with the work: a studio has so many people, machines and bottles at once, and one plan.
// All others grow with every order.
var small = []string{"people", "machines", "materials", "studio", "rate_book", "ticks", "places", "absences", "calendars", "baths", "tunings",
	"programs", "devices", "fine_days", "jobs", "designs", "past", "plan_agreed", "plan_moves"}

// whole are the queries that read a table which grows from end to end, and why they may: a query is known by a part of it.
var whole = map[string]string{
	"+s.done_ms < ?":                                              "the sums of the past, made once and carried on from there",
	"FROM coats ORDER BY id DESC LIMIT":                           "the newest, from the end",
	"FROM flaws f CROSS JOIN pieces":                              "what went wrong is rarer than the pieces of a model may be",
	"FROM orders o JOIN clients c ON c.id = o.client_id ORDER BY": "the list of orders, found once for each change of it",
	"FROM pieces WHERE parent_id IS NULL AND beside = 0":          "the same",
	"FROM payments GROUP BY order_id":                             "the same",
	"FROM clients ORDER BY":                                       "a list of the studio's own: hundreds",
	"FROM recipes ORDER BY":                                       "the same",
	"FROM swatches ORDER BY":                                      "the same",
	"FROM lots ORDER BY":                                          "the same",
	"FROM remedies ORDER BY":                                      "the same",
	"FROM timed_runs ORDER BY":                                    "the same",
}

var (
	scans  = regexp.MustCompile(`^SCAN (\w+)(?: USING (?:COVERING )?INDEX (\w+))?`)
	tables = regexp.MustCompile(`(?i)\b(?:FROM|JOIN|UPDATE|INTO|,)\s+"?([a-z_]+)"?(?:\s+(?:AS\s+)?([a-z_]+))?`)
)

// scanNothing looks at how the database answers each query: none reads a table that grows from end to end, but those that say why.
func (q *queries) scanNothing(t *testing.T, d *Demo) {
	t.Helper()
	db, _ := d.App.Store.Sessions()
	partial := map[string]bool{}
	rows, err := db.Query(`SELECT name FROM sqlite_master WHERE type = 'index' AND sql LIKE '% WHERE %'`)
	require.NoError(t, err)
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		partial[name] = true
	}
	require.NoError(t, rows.Close())
	looked, known, needed := 0, slices.Sorted(maps.Keys(whole)), map[string]bool{}
	for _, query := range slices.Sorted(maps.Keys(q.all)) {
		words := strings.Join(strings.Fields(query), " ")
		plan, err := db.Query("EXPLAIN QUERY PLAN "+query, q.all[query]...)
		if err != nil {
			assert.NoError(t, err, query)
			continue
		}
		looked++
		for plan.Next() {
			var id, parent, unused int
			var detail string
			require.NoError(t, plan.Scan(&id, &parent, &unused, &detail))
			m := scans.FindStringSubmatch(detail)
			if m == nil || partial[m[2]] || strings.Contains(detail, "VALUES CLAUSE") {
				continue
			}
			table := m[1]
			for _, as := range tables.FindAllStringSubmatch(query, -1) {
				if as[2] == table {
					table = as[1]
				}
			}
			if slices.Contains(small, table) || strings.Contains(query, "LIMIT") && m[2] != "" {
				continue // through an index, and to a limit
			}
			if why := slices.IndexFunc(known, func(part string) bool { return strings.Contains(words, part) }); why >= 0 {
				needed[known[why]] = true
				continue
			}
			t.Errorf("%s of %s: %s", detail, table, words)
		}
		require.NoError(t, plan.Close())
	}
	t.Logf("%d queries", looked)
	assert.Greater(t, looked, 200)
	for _, part := range known {
		assert.True(t, needed[part], "nothing reads all any more of: %s", part)
	}
}
