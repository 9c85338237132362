package plates_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/plates"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// What comes off a plate is looked at against its part: a flaw is mended at a stage of its own, after
// the cure and before the smoothing, or taken as it is where nobody sees it; both are prints that
// came through. A piece made in its place, or finished otherwise, has no flaw to mend.
func TestMendedOffThePlate(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	s.Clock.Pass(12 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.Len(t, sheet.Pieces, 3)
	assert.Contains(t, sheet.Check(sheet.Pieces[0]), "Complete, no cracks")
	out := map[int64]studio.Outcome{}
	id := func(k int) int64 { return sheet.Pieces[k].Piece.ID }
	empty := func() error {
		return s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()})
	}
	out[id(0)] = studio.Outcome{What: studio.Rework, Stage: route.Mend, Minutes: 12}
	out[id(1)], out[id(2)] = studio.Outcome{What: studio.HiddenFlaw, Cause: "a dent under the foot"}, studio.Outcome{What: studio.Good}
	apptest.Refusal(t, empty(), "say what the flaw is")
	out[id(0)] = studio.Outcome{What: studio.Rework, Cause: "the rim broke", Stage: route.Base, Minutes: 12}
	apptest.Refusal(t, empty(), "say how it is mended")
	out[id(0)] = studio.Outcome{What: studio.Rework, Cause: "the rim broke", Stage: route.Mend, Minutes: 1e9}
	apptest.Refusal(t, empty(), "in how many minutes, a day at most")
	out[id(0)] = studio.Outcome{What: studio.Rework, Cause: "the rim broke", Stage: route.Mend, Minutes: 12}
	require.NoError(t, empty())
	kinds := func(code string) (out []route.StageKind) {
		by, _ := apptest.PiecesOf(t, s, no)
		for _, st := range by[code].Stages {
			out = append(out, st.Kind)
		}
		return out
	}
	mended := sheet.Pieces[0].Piece.Code
	assert.Equal(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Mend, route.Fill}, kinds(mended)[:6])
	by, _ := apptest.PiecesOf(t, s, no)
	assert.Equal(t, "the rim broke", by[mended].Stages[4].How)
	assert.NotContains(t, kinds(sheet.Pieces[1].Piece.Code), route.Mend)
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	_, through := sheet.Plate.Teaches(s.Clock.Now())
	assert.True(t, through, "the run went through")

	// Taken back, the flaw is gone with it; and a plan of another tier keeps it.
	require.NoError(t, s.Plates.TakeBackPlate(s.Ctx, s.Owner, number))
	assert.NotContains(t, kinds(mended), route.Mend)
	require.NoError(t, empty())
	order, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, order.Items[0].ID, 3, route.Painted, 1)
	s.Accept(no)
	assert.Equal(t, route.Mend, kinds(mended)[4])
	assert.Contains(t, kinds(mended), route.Base)
	by, _ = apptest.PiecesOf(t, s, no)
	for _, st := range by[mended].Strip().Planned() {
		assert.NotEqual(t, route.Mend, st.Kind, "the next print has no flaw")
	}
	s.Finish(mended)
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	for _, c := range d.Hours {
		if c.Kind == route.Mend {
			assert.Zero(t, c.Planned, "nobody was charged for it")
			assert.Equal(t, 1, c.Repeats)
		}
	}
}

// All that waits is laid at once, each piece on one plate, as the what-if says; nothing is laid twice
// when a second tablet does the same.
func TestAllPlatesOfAMachine(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(60, route.Raw)
	s.Accept(no)
	w, err := s.Plates.WhatIf(s.Ctx, process.Resin, s.Resin, studio.PrintProfile{}, studio.OtherMachine{LikeID: s.Tarn, TimePercent: 50, Price: 480}, 0)
	require.NoError(t, err)
	require.NoError(t, w.OtherBad)
	require.Len(t, w.Ways, 2, "Tarn is the only one; and with another")
	alone, with := w.Ways[0], w.Ways[1]
	assert.Less(t, with.Minutes, alone.Minutes)
	assert.True(t, with.Ends.Before(alone.Ends))
	assert.Contains(t, w.Than(with, alone), "sooner")
	require.Len(t, w.Each, 1)
	assert.Equal(t, 59, w.Each[0].Others)
	assert.Equal(t, "Tarn", w.Each[0].Cheapest)
	numbers, left, err := s.Plates.LayWay(s.Ctx, s.Bench, process.Resin, s.Resin, studio.PrintProfile{}, s.Tarn, 0)
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Len(t, numbers, len(alone.Runs))
	seen := map[string]bool{}
	for i, n := range numbers {
		assert.Len(t, apptest.Lies(t, s, n).Pieces, len(alone.Runs[i].Laid), "as it was shown")
		for _, p := range apptest.Lies(t, s, n).Pieces {
			assert.False(t, seen[p.Piece.Code], "twice")
			seen[p.Piece.Code] = true
		}
	}
	assert.Len(t, seen, 60)
	_, _, err = s.Plates.LayWay(s.Ctx, s.Bench, process.Resin, s.Resin, studio.PrintProfile{}, 0, 0)
	apptest.Refusal(t, err, "No piece waits")
	_, err = s.Plates.WhatIf(s.Ctx, process.Filament, s.Resin, studio.PrintProfile{}, studio.OtherMachine{}, 0)
	assert.ErrorIs(t, err, store.ErrNotFound)
	for _, n := range numbers {
		require.NoError(t, s.Plates.DiscardPlate(s.Ctx, s.Bench, n))
	}
	shared, _, err := s.Plates.LayWay(s.Ctx, s.Bench, process.Resin, s.Resin, studio.PrintProfile{}, 0, 0)
	require.NoError(t, err)
	assert.Len(t, shared, len(alone.Runs))
	w, err = s.Plates.WhatIf(s.Ctx, process.Resin, s.Resin, studio.PrintProfile{}, studio.OtherMachine{LikeID: s.Fell, TimePercent: 1}, 0)
	require.NoError(t, err)
	assert.Empty(t, w.Pieces)
}

// What is due first lies on the plate that runs first, however it would pack better.
func TestDueFirstOnTheFirstPlate(t *testing.T) {
	s := apptest.New(t)
	later := s.Order(40, route.Raw)
	soon := s.Order(3, route.Raw)
	at := func(no string, days int) {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, orders.OrderForm{Title: "Vases", ClientID: sheet.Order.ClientID, Wanted: s.Clock.At.AddDate(0, 0, days).Format(time.DateOnly), Sure: true}))
	}
	at(later, 60)
	at(soon, 2)
	s.Accept(later)
	s.Accept(soon)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	codes := map[string]bool{}
	for _, p := range apptest.Lies(t, s, number).Pieces {
		codes[p.Piece.Code] = true
	}
	for _, n := range []string{"-1", "-2", "-3"} {
		assert.True(t, codes[soon+n], soon+n)
	}
}

// Filled again, a plate keeps what a person locked where it lies, and does without what was lifted
// off; a piece that is added by name comes back.
func TestFillAgainKeepsWhatPeopleDid(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(30, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	first := apptest.Lies(t, s, number)
	off, held := first.Pieces[0], first.Pieces[1]
	require.NoError(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, off.Piece.Code))
	moves := plates.Moves{Pieces: []plates.Move{{Code: held.Piece.Code, XMM: held.XMM, YMM: held.YMM, AngleDeg: held.AngleDeg, Locked: true}}}
	require.NoError(t, s.Plates.Arrange(s.Ctx, s.Bench, number, moves))
	_, err = s.Plates.FillAgain(s.Ctx, s.Bench, number)
	require.NoError(t, err)
	again := apptest.Lies(t, s, number)
	found := false
	for _, p := range again.Pieces {
		assert.NotEqual(t, off.Piece.Code, p.Piece.Code, "it was lifted off")
		if p.Piece.Code == held.Piece.Code {
			found = true
			assert.Equal(t, held.XMM, p.XMM)
			assert.True(t, p.Locked)
		}
	}
	assert.True(t, found)
	require.NoError(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, again.Pieces[0].Piece.Code))
	require.NoError(t, s.Plates.AddToPlate(s.Ctx, s.Bench, number, off.Piece.Code))
	apptest.Lies(t, s, number)
}

// Pieces are put where a person wants them, all at once or none: not over one another, not off the
// bed, not once the run is on, and not from a sheet that others have changed since.
func TestArrange(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet := apptest.Lies(t, s, number)
	bed := sheet.Machine.Bed()
	a, b := sheet.Pieces[0].Piece.Code, sheet.Pieces[1].Piece.Code
	put := func(ax, ay, deg, bx, by float64) error {
		return s.Plates.Arrange(s.Ctx, s.Bench, number, plates.Moves{Pieces: []plates.Move{{Code: a, XMM: ax, YMM: ay, AngleDeg: deg}, {Code: b, XMM: bx, YMM: by}}})
	}
	m := bed.MarginMM
	require.NoError(t, put(m, m, 37.5, m+60, m+20))
	now := apptest.Lies(t, s, number)
	assert.InDelta(t, 37.5, now.Pieces[0].AngleDeg, 1e-9)
	apptest.Refusal(t, put(m, m, 0, m+1, m+1), "come too near")
	apptest.Refusal(t, put(0, 0, 0, m+60, m+20), "leaves the bed")
	apptest.Refusal(t, put(math.NaN(), 0, 0, m+60, m+20), "where it lies")
	apptest.Refusal(t, s.Plates.Arrange(s.Ctx, s.Bench, number, plates.Moves{Pieces: []plates.Move{{Code: a, XMM: m, YMM: m}, {Code: no + "-9"}}}), "neither lies on")
	assert.Equal(t, now.Pieces, apptest.Lies(t, s, number).Pieces, "nothing was moved")
	seen := now.Version()
	require.NoError(t, put(m+2, m+3, 400, m+60, m+20))
	assert.InDelta(t, 40, apptest.Lies(t, s, number).Pieces[0].AngleDeg, 1e-9)
	apptest.Refusal(t, s.Plates.Arrange(s.Ctx, s.Bench, number, plates.Moves{Version: seen, Pieces: []plates.Move{{Code: a, XMM: m, YMM: m}}}), "changed since")
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	apptest.Refusal(t, put(m, m, 0, m+60, m+20), "stays as it is")
}

// A plate is written with its pieces in place: every piece of the 3MF read again, and all of the STL,
// lies within the bed's margin, on the bed, where the sheet says.
func TestExportOfAPlate(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(5, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet := apptest.Lies(t, s, number)
	file := func(ending string) []byte {
		var out bytes.Buffer
		require.NoError(t, s.Plates.Export(s.Ctx, s.Models, number, ending, false, &out))
		return out.Bytes()
	}
	soup, err := mesh.Read(file("3mf"), mesh.Limits{})
	require.NoError(t, err)
	require.Len(t, soup.Groups, 5)
	for i, g := range soup.Groups {
		box := soup.Part(g.From, g.To).Weld().Box
		on := sheet.Laid()[i].On()
		low, high := on.Size()
		assert.InDelta(t, 0, box.Min.Z, 1e-4)
		assert.InDelta(t, low.X, box.Min.X, 1e-3)
		assert.InDelta(t, low.Y, box.Min.Y, 1e-3)
		assert.InDelta(t, high.X, box.Max.X, 1e-3)
		assert.InDelta(t, high.Y, box.Max.Y, 1e-3)
	}
	all, err := mesh.Read(file("stl"), mesh.Limits{})
	require.NoError(t, err)
	assert.Equal(t, soup.Len(), all.Len())
	assert.InDelta(t, soup.Box.Max.X, all.Box.Max.X, 1e-3)
	list, err := csv.NewReader(bytes.NewReader(file("csv"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, list, 6)
	assert.Equal(t, no+"-1", list[1][0])
	assert.Contains(t, string(file("svg")), no+"-5")
	var with bytes.Buffer
	require.NoError(t, s.Plates.Export(s.Ctx, s.Models, number, "3mf", true, &with))
	held, err := mesh.Read(with.Bytes(), mesh.Limits{})
	require.NoError(t, err)
	require.Len(t, held.Groups, 10, "each piece with its supports as a body beside it")
	lift := sheet.Machine.LiftMM()
	for i := range 5 {
		part, props := held.Part(held.Groups[i].From, held.Groups[i].To).Weld().Box, held.Part(held.Groups[5+i].From, held.Groups[5+i].To).Weld().Box
		assert.InDelta(t, lift, part.Min.Z, 1e-4, "it hangs over its raft")
		assert.InDelta(t, 0, props.Min.Z, 1e-4, "which lies on the plate")
		assert.Less(t, math.Hypot(part.Centre().X-props.Centre().X, part.Centre().Y-props.Centre().Y), 2.0, "under it")
	}
	var out bytes.Buffer
	assert.ErrorIs(t, s.Plates.Export(s.Ctx, s.Models, number, "exe", false, &out), store.ErrNotFound)
	assert.ErrorIs(t, s.Plates.Export(s.Ctx, s.Models, 99, "stl", false, &out), store.ErrNotFound)
}

// Two runs in a row that fail hold their machine until a cause is named; what failed never runs again
// unchanged without a word; what was not looked at before a run is noted with it.
func TestFailuresHoldTheMachine(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Raw)
	s.Accept(no)
	bad := no + "-1"
	s.Print(bad)
	lay := func() plates.PlateSheet {
		number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
		require.NoError(t, err)
		return apptest.Lies(t, s, number)
	}
	second := lay()
	require.Len(t, second.Again, 1)
	assert.Equal(t, "half printed", second.Again[0].Before)
	assert.NotEmpty(t, second.Again[0].Fault.Changes)
	assert.Empty(t, second.Hold, "one failure is no reason")
	keys := func(s plates.PlateSheet) (out []string) {
		for _, c := range s.Ready {
			out = append(out, c.Key)
		}
		return out
	}
	assert.Equal(t, []string{"putright", "bed", "film", "vat", "shaken", "enough"}, keys(second), "in May no room is asked after")
	n := second.Plate.Number
	apptest.Refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, n, studio.Started{}), "say what is changed for this attempt")
	changed := map[int64]string{second.Again[0].Piece.ID: "holes bored"}
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, n, studio.Started{Changed: changed, Looked: map[string]bool{"bed": true, "film": true, "vat": true, "shaken": true}}))
	sheet := apptest.Lies(t, s, n)
	assert.Equal(t, "holes bored", sheet.Pieces[0].Changed)
	assert.Len(t, sheet.Plate.Run.Checked, 4)
	require.Len(t, sheet.Plate.Run.Skipped, 2)
	assert.Contains(t, sheet.Plate.Run.Skipped[1], "in the vat and bottle")
	s.Clock.Pass(12 * time.Hour)
	out := map[int64]studio.Outcome{sheet.Pieces[0].Piece.ID: {What: studio.Failed, Cause: "stuck to the film"}}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, n, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()}))

	third := lay()
	n = third.Plate.Number
	assert.Contains(t, third.Hold, "2 runs in a row failed (stuck to the film and half printed)")
	assert.Contains(t, keys(third), "level")
	changed = map[int64]string{third.Again[0].Piece.ID: "plate levelled"}
	apptest.Refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, n, studio.Started{Changed: changed}), "Tarn is held")
	all, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Contains(t, all.Holds[s.Tarn], "Name the cause")
	apptest.Refusal(t, s.Plates.PutRight(s.Ctx, s.Bench, studio.Remedy{MachineID: s.Tarn, Cause: "not known", Did: "hoped"}), "Name the cause")
	apptest.Refusal(t, s.Plates.PutRight(s.Ctx, s.Bench, studio.Remedy{MachineID: s.Tarn, Cause: "stuck to the film", Did: " "}), "ay what was put right")
	assert.ErrorIs(t, s.Plates.PutRight(s.Ctx, s.Bench, studio.Remedy{MachineID: 99, Cause: "stuck to the film", Did: "film changed"}), store.ErrNotFound)
	s.Clock.Pass(time.Minute)
	require.NoError(t, s.Plates.PutRight(s.Ctx, s.Bench, studio.Remedy{MachineID: s.Tarn, Cause: "stuck to the film", Did: "film changed"}))
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, n, studio.Started{Changed: changed}))
	all, err = s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, all.Holds)
}

// A program prepared of a filament plate stands beside the estimate and teaches the machine; grams far
// from ours ask whether it is hollow, and teach nothing; a resin plate has none.
func TestProgramOfAPlate(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	it := sheet.Items[0]
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, orders.ItemForm{Title: it.Title, Tier: it.Tier, Copies: 2, Scale: 1,
		Parts: map[int64]orders.PartForm{it.Parts[0].ID: {Process: process.Filament, MaterialID: s.PLA, Copies: 1}}}))
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Fell, s.PLA, studio.PrintProfile{})
	require.NoError(t, err)
	plan := apptest.Lies(t, s, number)
	read := func(name string, minutes, grams float64) studio.Job {
		n := int((minutes - plan.Machine.Figures.V("preparation")) * 60 / 10.01) // lines of 100 mm at 10 mm/s
		feed := grams / (math.Pi * 1.75 * 1.75 / 4 * plan.Material.Figures.V("density") / 1000) / float64(n)
		var b bytes.Buffer
		b.WriteString("G90\nM83\nG1 Z0.2 F600\n")
		for i := range n {
			fmt.Fprintf(&b, "G1 X%d E%f F600\n", 100*((i+1)%2), feed)
		}
		kept, err := s.Models.KeepUpload(apptest.Upload(name, b.Bytes()))
		require.NoError(t, err)
		batch, err := s.Plates.Calibrate(s.Ctx, s.Bench, plates.Prepared{Plate: number}, kept)
		require.NoError(t, err)
		list, err := s.Jobs.Await(s.Ctx, batch, time.Minute)
		require.NoError(t, err)
		return list[0]
	}
	j := read("two-vases.gcode", 1.2*plan.Estimate.Minutes, 1.05*plan.Estimate.Grams)
	require.Equal(t, studio.JobDone, j.State, j.Note)
	assert.Contains(t, j.Note, "20 % more")
	assert.Contains(t, j.Note, "has learned from it")
	now := apptest.Lies(t, s, number)
	assert.Equal(t, "two-vases.gcode", now.Plate.Program.Name)
	assert.InEpsilon(t, 1.05*plan.Estimate.Grams, now.Plate.Program.Grams, 0.02)
	assert.Equal(t, 1, now.Machine.Calibration.Count)
	j = read("solid.gcode", now.Estimate.Minutes, 1.4*plan.Estimate.Grams)
	assert.NotContains(t, j.Note, "has learned")
	now = apptest.Lies(t, s, number)
	_, far := now.Plate.Program.Beside(now.Estimate)
	assert.True(t, far)
	assert.Equal(t, 1, now.Machine.Calibration.Count)
	require.NoError(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, now.Pieces[0].Piece.Code))
	assert.Empty(t, apptest.Lies(t, s, number).Plate.Program.Name, "it was of other pieces")
	kept, err := s.Models.KeepUpload(apptest.Upload("x.gcode", []byte("G1 X1\n")))
	require.NoError(t, err)
	_, err = s.Plates.Calibrate(s.Ctx, s.Bench, plates.Prepared{Plate: 99}, kept)
	assert.ErrorIs(t, err, store.ErrNotFound)
}
