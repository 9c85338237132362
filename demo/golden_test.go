package demo

import (
	"fmt"
	"log/slog"
	"maps"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/quote"
	"sakuji/web"
	"sakuji/web/kit"
)

// secret are what is another each time that the demo is made: the secrets of links, and names of files and jobs that are
// drawn by chance.
var secret = regexp.MustCompile(`\b[A-Z2-7]{16}(?:-\d+)?\b|\b[A-Z2-7]{26}\b|\b[0-9a-f]{64}\b|\b[0-9A-Za-z_-]{43}\b|\?[0-9a-f]{12}\b`)

// unseen is what stands on every sheet, and what nobody sees of it.
var unseen = regexp.MustCompile(`(?s)^.*<main[^>]*>|<input type="hidden"[^>]*>|<script.*?</script>`)

// golden compares a text with the one that is kept, line by line; with -update it is kept.
func golden(t *testing.T, name, text string) {
	t.Helper()
	path := filepath.Join("testdata", "golden", name)
	if *update {
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		return
	}
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	was, is := strings.Split(string(kept), "\n"), strings.Split(text, "\n")
	told := 0
	for k := range max(len(was), len(is)) {
		a, b := "(nothing)", "(nothing)"
		if k < len(was) {
			a = was[k]
		}
		if k < len(is) {
			b = is[k]
		}
		if a != b {
			if told++; told <= 10 {
				t.Errorf("%s:%d\n was %s\n is  %s", name, k+1, a, b)
			}
		}
	}
	if told > 10 {
		t.Errorf("%s: %d lines differ", name, told)
	}
}

// The demo's morning is kept, to see what a change moves: the lines and dates of all quotes, the tasks of the plan, and
// what the sheets say to the owner and to the bench. What is meant to move is kept again with -update, and looked at.
func TestTheDemoStaysAsItIs(t *testing.T) {
	d := opened(t)
	d.App.Jobs.Settle(t.Context())
	zone := func(ms int64) string {
		if ms == 0 {
			return "–"
		}
		return time.UnixMilli(ms).UTC().Format("2006-01-02 15:04")
	}
	orders, err := d.App.Orders.Orders(t.Context())
	require.NoError(t, err)
	var quotes strings.Builder
	lines := func(kind string, c quote.Item) {
		for _, l := range c.Lines {
			fmt.Fprintf(&quotes, "    %s %s | %s: %d, %.2f min\n", kind, l.Kind, l.What, l.Minor, l.Minutes)
		}
	}
	for _, o := range orders {
		sheet, err := d.App.Quotes.OrderSheet(t.Context(), o.Number)
		require.NoError(t, err)
		fmt.Fprintf(&quotes, "%s %s: %s, total %d net %d tax %d deposit %d cost %d; today %d\n", o.Number, o.Title, o.State, sheet.Price.TotalMinor,
			sheet.Price.NetMinor, sheet.Price.TaxMinor, sheet.Price.DepositMinor, sheet.Price.CostMinor, sheet.Today.TotalMinor)
		for _, it := range sheet.Items {
			fmt.Fprintf(&quotes, "  %s ×%d: %d\n", it.Title, it.Copies, it.NetMinor)
			lines("now", it.Estimate.Item)
		}
		for _, q := range sheet.Quotes {
			fmt.Fprintf(&quotes, "  quote %d: %s, total %d, wanted %s, earliest %s, sure %s\n", q.Revision, q.State, q.TotalMinor, zone(q.Document.Wanted),
				zone(q.Document.Earliest), zone(q.Document.Sure))
			for _, it := range q.Document.Items {
				lines("then", it.Cost)
			}
		}
	}
	golden(t, "quotes.txt", quotes.String())

	plan, err := d.App.Plan.Plan(t.Context(), time.Hour)
	require.NoError(t, err)
	var tasks strings.Builder
	for _, x := range plan.Tasks {
		fmt.Fprintf(&tasks, "%s – %s, waits to %s: %s %s, %s ×%d, plate %d, machine %d, person %d, %.1f min\n", zone(x.From.UnixMilli()), zone(x.To.UnixMilli()),
			zone(x.WaitTo.UnixMilli()), x.Doing, x.Stage, x.Piece.Code, x.Pieces, x.Plate, x.MachineID, x.PersonID, x.Minutes)
	}
	for _, l := range plan.Late {
		fmt.Fprintf(&tasks, "late: %s by %d s\n", l.Order.Number, l.S)
	}
	golden(t, "plan.txt", tasks.String())

	for _, name := range []string{"Ilse Karg", "Jory Tamm"} {
		require.NoError(t, d.App.Setup.SetPassword(t.Context(), name, walkPassword))
	}
	s := web.New(d.App, slog.New(slog.DiscardHandler), kit.Options{})
	defer s.Close()
	server := httptest.NewServer(s.Handler())
	defer server.Close()
	for role, name := range map[string]string{"owner": "Ilse Karg", "bench": "Jory Tamm"} {
		said := map[string]string{}
		w := signedIn(t, server.URL, name)
		w.patient = true
		w.walk(s.Handler().(chi.Routes), 3, []string{"/"}, func(_, path, kind, body string) {
			if strings.HasPrefix(kind, "text/html") {
				said[path] = textOf(t, kind, unseen.ReplaceAllString(body, ""))
			}
		})
		var all strings.Builder
		for _, path := range slices.Sorted(maps.Keys(said)) {
			fmt.Fprintf(&all, "=== %s\n", path)
			for line := range strings.Lines(said[path]) {
				if line = strings.Join(strings.Fields(line), " "); line != "" {
					all.WriteString(line + "\n")
				}
			}
		}
		text := strings.ReplaceAll(secret.ReplaceAllString(all.String(), "…"), server.URL, "http://studio")
		golden(t, role+".txt", text)
		assert.Greater(t, len(said), 50, role)
	}
}
