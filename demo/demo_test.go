package demo

import (
	"context"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app"
	"sakuji/app/models"
	"sakuji/app/pieces"
	"sakuji/app/plan"
	"sakuji/app/today"
	"sakuji/core/mesh"
	"sakuji/store"
	"sakuji/studio"
)

// made is the folder of a demo, which is made once; each test opens a copy.
var made = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "sakuji-demo-test-")
	if err != nil {
		return "", err
	}
	madeIn = dir
	st, err := store.Open(context.Background(), dir)
	if err != nil {
		return "", err
	}
	st.Listen(asked.hear)
	d, err := begin(context.Background(), st)
	if err != nil {
		return "", err
	}
	return dir, d.Close()
})

func TestMain(m *testing.M) {
	code := m.Run()
	if madeIn != "" {
		os.RemoveAll(madeIn)
	}
	os.Exit(code)
}

var madeIn string

// opened is the demo on its morning.
func opened(t *testing.T) *Demo {
	t.Helper()
	from, err := made()
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(from)))
	d, err := Open(t.Context(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { d.Close() })
	return d
}

// Every model must be something a machine can make: closed, in one piece, within
// the box it was carved from, and no file of millions of triangles.
func TestModelsAreSound(t *testing.T) {
	for _, m := range allModel {
		t.Run(m.file, func(t *testing.T) {
			s, err := mesh.ReadSTL(m.carved(), mesh.Limits{})
			require.NoError(t, err)
			d := mesh.Measure(s)
			assert.True(t, d.Watertight, "%d open, %d non-manifold edges", d.OpenEdges, d.NonManifoldEdges)
			assert.Equal(t, 1, d.Shells)
			assert.Zero(t, d.InvertedShells)
			assert.Greater(t, d.VolumeMM3, 500.0)
			assert.Less(t, d.Triangles, 220_000)
			room := m.high.Sub(m.low)
			for k, limit := range [3]float64{room.X, room.Y, room.Z} {
				assert.Less(t, d.SizeMM[k], limit, "it is cut off by its box")
			}
			t.Logf("%d triangles, %.0f × %.0f × %.0f mm, %.1f cm³", d.Triangles, d.SizeMM[0], d.SizeMM[1], d.SizeMM[2], d.VolumeMM3/1000)
		})
	}
}

// The demo's morning shows a studio in full swing on every sheet.
func TestTheMorning(t *testing.T) {
	d := opened(t)
	ctx := t.Context()
	assert.True(t, d.App.Clock.Now().Equal(Morning()))

	sheet, err := d.App.Today.Today(ctx)
	require.NoError(t, err)
	tones := map[string]int{}
	text := ""
	for _, task := range sheet.Tasks {
		tones[task.Tone]++
		text += task.Title + "\n"
	}
	for _, tone := range []string{today.ToneLate, today.ToneReady, today.ToneMachine} {
		assert.Positive(t, tones[tone], tone)
	}
	for _, want := range []string{"Empty Tarn", "cannot be ready in time", "has accepted: Heron Postmaster", "asks: Can the frame", "waits for a price: A beekeeper snail", "owes the deposit"} {
		assert.Contains(t, text, want)
	}
	assert.Len(t, sheet.Machines, 4)
	assert.NotEmpty(t, sheet.Night)
	theShelf(t, d.App)
	late := 0
	for _, p := range sheet.Promises {
		if p.Late {
			late++
		}
	}
	assert.Equal(t, 1, late, "one promise is at risk, the others hold")
	planned, err := d.App.Plan.Plan(ctx, time.Minute)
	require.NoError(t, err)
	assert.Empty(t, planned.Faults())
	assert.Empty(t, planned.NoTime)
	assert.Equal(t, "Wed 17:10", planned.AgreedOn().In(planned.Shop.Studio.Zone()).Format("Mon 15:04"))
	differences := planned.Differences()
	require.NotEmpty(t, differences, "the night has changed the plan of the evening")
	assert.True(t, slices.ContainsFunc(differences, func(d plan.Difference) bool {
		return strings.Contains(d.Title+" "+d.Told, "Heron Postmaster with satchel is new, ready")
	}), "%+v", differences)
	places, err := d.App.Pieces.Places(ctx)
	require.NoError(t, err)
	for _, at := range places {
		assert.NotEmpty(t, at.Pieces, at.Name)
	}

	plates, err := d.App.Plates.Plates(ctx)
	require.NoError(t, err)
	failed, running := 0, 0
	for _, p := range plates.Emptied {
		for _, o := range p.Pieces {
			if o.Outcome == studio.Failed {
				failed++
				assert.NotEmpty(t, o.Cause)
			}
		}
	}
	for _, p := range plates.Open {
		if p.State == studio.PlateRunning {
			running++
		}
	}
	assert.GreaterOrEqual(t, failed, 3, "a studio has failures behind it")
	assert.Positive(t, running)
	assert.NotEmpty(t, plates.Waiting)

	states := map[studio.OrderState]int{}
	orders, err := d.App.Orders.Orders(ctx)
	require.NoError(t, err)
	for _, o := range orders {
		states[o.State]++
		s, err := d.App.Delivery.Delivery(ctx, o.Number)
		require.NoError(t, err)
		if o.State == studio.Closed {
			assert.Positive(t, s.Actual, "logged hours")
			assert.NotEmpty(t, s.Used)
		}
	}
	for _, state := range []studio.OrderState{studio.Enquiry, studio.Quoted, studio.Accepted, studio.Declined, studio.Closed} {
		assert.Positive(t, states[state], state)
	}
	bench, err := d.App.Pieces.Bench(ctx, pieces.BenchAll, "")
	require.NoError(t, err)
	assert.Positive(t, bench.Count[pieces.BenchReady])
	assert.Positive(t, bench.Count[pieces.BenchWaiting])
	kinds := map[studio.PieceKind]bool{}
	for _, o := range orders {
		s, err := d.App.Quotes.OrderSheet(ctx, o.Number)
		require.NoError(t, err)
		for _, p := range s.Pieces {
			kinds[p.Kind] = true
		}
	}
	assert.Len(t, kinds, 13, "every kind of piece is there: %v", kinds)
	repeats := 0
	for _, r := range bench.Rows {
		repeats += r.Repeat
	}
	assert.Positive(t, repeats, "some look has sent a piece back")
	faults, err := d.App.Store.Check(ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}

// Time that passes lets runs finish and waits end.
func TestTimePasses(t *testing.T) {
	d := opened(t)
	running := func() (n int) {
		s, err := d.App.Plates.Plates(t.Context())
		require.NoError(t, err)
		for _, p := range s.Open {
			if p.State == studio.PlateRunning {
				n++
			}
		}
		return n
	}
	waits := func() (n int) { // for time to pass, not for other pieces
		b, err := d.App.Pieces.Bench(t.Context(), pieces.BenchWaiting, "")
		require.NoError(t, err)
		for _, r := range b.Rows {
			if r.Wait {
				n++
			}
		}
		return n
	}
	require.Positive(t, running())
	require.Positive(t, waits())
	before := d.App.Clock.Now()
	require.NoError(t, d.Pass(t.Context(), time.Hour))
	assert.Equal(t, time.Hour, d.App.Clock.Now().Sub(before))
	for range 60 {
		moved, err := d.ToNext(t.Context())
		require.NoError(t, err)
		if !moved {
			break
		}
	}
	assert.Zero(t, running())
	assert.Zero(t, waits())
	moved, err := d.ToNext(t.Context())
	require.NoError(t, err)
	assert.False(t, moved, "nothing is left that ends by itself")
}

func TestClock(t *testing.T) {
	c := &Clock{}
	c.Set(Morning())
	assert.Equal(t, Morning(), c.Now())
	c.Set(Morning().Add(-time.Hour))
	assert.Equal(t, Morning(), c.Now(), "never back")
	c.Start()
	c.Set(Morning().Add(time.Hour))
	assert.WithinDuration(t, Morning().Add(time.Hour), c.Now(), time.Second)
	time.Sleep(5 * time.Millisecond)
	assert.True(t, c.Now().After(Morning().Add(time.Hour)), "it runs")
}

// theShelf shows what clients send: a scan in metres with every fault, a kit in one
// file that may not be sold, a frame sent twice.
func theShelf(t *testing.T, a *app.App) {
	ctx := t.Context()
	one := func(letters string) models.ModelSheet {
		list, err := a.Models.Shelf(ctx, letters)
		require.NoError(t, err)
		require.Len(t, list, 1, letters)
		v, err := a.Models.ModelSheet(ctx, list[0].ModelID)
		require.NoError(t, err)
		return v
	}
	toad := one("toad")
	guess, needed := toad.Model.UnitGuess()
	require.True(t, needed)
	assert.Equal(t, "m", guess.Unit)
	assert.InDelta(t, 66, guess.LargestMM, 3)
	soup, err := mesh.Read(scan(), mesh.Limits{})
	require.NoError(t, err)
	kinds := map[string]int{}
	for _, f := range mesh.Diagnose(soup).Faults {
		kinds[f.Kind] = f.Count
	}
	for _, kind := range []string{mesh.FaultHole, mesh.FaultFlipped, mesh.FaultSpeck} {
		assert.Positive(t, kinds[kind], kind)
	}
	mended, _ := mesh.Mend(soup)
	assert.True(t, mesh.Measure(mended).Watertight, "and mending settles all of it")

	acorns := one("acorn-tea-set")
	assert.Equal(t, "3mf", acorns.Model.Measures.Format)
	assert.Contains(t, acorns.Stops, "personal use only")
	kit, err := mesh.Read(teaSet(), mesh.Limits{})
	require.NoError(t, err)
	_, bodies := mesh.Bodies(kit)
	var names []string
	for _, b := range bodies {
		names = append(names, b.Name)
		assert.True(t, b.Closed)
	}
	assert.ElementsMatch(t, []string{"acorn cup", "acorn lid", "leaf spoon"}, names)

	loom := one("cloud-loom")
	assert.Equal(t, studio.Revised, loom.Model.How)
	assert.NotEmpty(t, loom.Versions[0].Changes)
	uses, err := a.Quotes.UsePrices(t.Context(), loom)
	require.NoError(t, err)
	assert.True(t, uses[0].Priced, "what the new frame would cost stands beside the old")
}
