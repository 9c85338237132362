package models_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/plan"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// takenIn takes a model in as an item of an order of its own.
func takenIn(s *apptest.Studio, name string, soup *mesh.Soup, tier string) (no string, it studio.Item) {
	s.T.Helper()
	no = apptest.Enquiry(s)
	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload(name, mesh.WriteSTL(soup))}, false)
	require.NoError(s.T, err)
	require.Empty(s.T, problems)
	s.Change(no, items[0].ID, 1, tier, 1)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(s.T, err)
	return no, sheet.Items[0].Item
}

func net(s *apptest.Studio, no string) int64 {
	s.T.Helper()
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(s.T, err)
	return sheet.Price.NetMinor
}

// How a model stands flows into its price, its plates and the pieces that wait; what is on
// a plate stays as it was.
func TestAnOrientationFlowsOn(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"least": 0, "round.to": 0, "strip.tip": 0}))
	no, it := takenIn(s, "staff.stl", meshtest.Box(mesh.Vec{}, mesh.Vec{X: 9, Y: 9, Z: 110}), "raw")
	id := it.Parts[0].ModelID
	before := net(s, no)
	j := apptest.Remade(s, id, studio.JobOrient, studio.JobOptions{Process: process.Resin, Wishes: solid.Wishes{Time: 1}})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	sheet, err := s.App.Models.PrintSheet(s.Ctx, id, process.Resin, "raw", 1, 0)
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(sheet.Orientations), 5)
	require.Nil(t, sheet.Taken)
	best := sheet.Orientations[0]
	assert.InDelta(t, 9, best.Facts.HeightMM, 1, "with hours alone to mind it lies down")
	asFile := 0
	for _, st := range sheet.Orientations {
		if st.Facts.AsFile {
			asFile++
			assert.InDelta(t, 110, st.Facts.HeightMM, 1e-6)
		}
		assert.NotEmpty(t, st.Facts.Contacts, "raised, something holds it")
	}
	assert.Equal(t, 1, asFile)

	s.Accept(no)
	order, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	possible, err := s.Plan.Possible(s.Ctx, order.Order, nil, studio.OtherMachine{}, time.Minute)
	require.NoError(t, err)
	turned := slices.IndexFunc(possible.Ways, func(w plan.PossibleWay) bool { return w.Name == "Vase turned as it prints fastest" })
	require.GreaterOrEqual(t, turned, 0, "lying down, its order could be ready sooner")
	assert.True(t, possible.Ways[turned].Ready.Before(possible.Planned.Add(-time.Hour)), "%v instead of %v", possible.Ways[turned].Ready, possible.Planned)
	n, err := s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, id, process.Resin, best.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.Equal(t, before, net(s, no), "what was agreed is the price")
	today, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.NotEqual(t, before, today.Today.NetMinor, "today’s price follows: fewer hours, and more of a plate")
	got, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.InDelta(t, 110, got.Items[0].Item.Size()[2], 1e-3, "finished it is as tall as ever")

	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.InDelta(t, best.Facts.HeightMM, plate.Estimate.TallestMM, 0.01)
	lying := plate.Estimate.Minutes
	_, err = s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, id, process.Resin, 0)
	require.NoError(t, err)
	plate, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Equal(t, lying, plate.Estimate.Minutes, "on its plate it stays as it was laid")
	assert.Equal(t, before, net(s, no))

	var refusal *change.Refusal
	_, err = s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, id, process.Filament, best.ID)
	require.ErrorAs(t, err, &refusal)
	for _, o := range []studio.JobOptions{{Process: "clay"}, {Process: process.Resin}, {Process: process.Resin, Wishes: solid.Wishes{Time: -1}}} {
		_, err = s.Models.Remake(s.Ctx, s.Owner, id, studio.JobOrient, o)
		require.ErrorAs(t, err, &refusal, "%+v", o)
	}
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}

// A hollowed version is lighter, brings its plugs along and needs no wall of its own.
func TestHollowedPart(t *testing.T) {
	s := apptest.New(t)
	no, it := takenIn(s, "block.stl", meshtest.Box(mesh.Vec{}, mesh.Vec{X: 40, Y: 40, Z: 40}), "raw")
	part := it.Parts[0]
	require.Equal(t, 2.0, part.WallMM, "by its thickness it is thought hollow from the start")
	j := apptest.Remade(s, part.ModelID, studio.JobHollow, studio.JobOptions{WallMM: 2, Holes: 2, HoleMM: 4, Seen: "front"})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	m, err := s.Models.Model(s.Ctx, j.MadeID)
	require.NoError(t, err)
	assert.Equal(t, studio.Hollow, m.How)
	assert.True(t, m.Measures.Watertight)
	assert.InEpsilon(t, 40*40*40-36*36*36, m.Measures.VolumeMM3, 0.02)
	assert.Contains(t, m.Did[0].Text(), "wall of 2 mm")
	view, err := s.Models.ModelSheet(s.Ctx, m.ID)
	require.NoError(t, err)
	require.Equal(t, "made", view.Advice[len(view.Advice)-1].Kind)
	assert.Len(t, view.Advice[len(view.Advice)-1].Spots, 2, "its holes can be flown to")
	require.NoError(t, s.Orders.UseVersion(s.Ctx, s.Owner, no, part.ID, m.ID))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	parts := sheet.Items[0].Parts
	require.Len(t, parts, 2)
	assert.Zero(t, parts[0].WallMM)
	assert.Equal(t, studio.Peg, parts[1].Model.How)
	assert.Equal(t, 2, parts[1].Copies, "a plug for each hole")
	shelf, err := s.Models.Shelf(s.Ctx, "")
	require.NoError(t, err)
	assert.Equal(t, m.ID, shelf[0].ModelID, "the shelf shows the hollow one, not its plug")

	j = apptest.Remade(s, part.ModelID, studio.JobHollow, studio.JobOptions{WallMM: 25})
	assert.Equal(t, studio.JobFailed, j.State)
	assert.Contains(t, j.Note, "thick enough")
	var refusal *change.Refusal
	for _, o := range []studio.JobOptions{{WallMM: 0}, {WallMM: 2, Holes: 2}, {WallMM: 2, Holes: -1}, {WallMM: 2, Seen: "below"}} {
		_, err = s.Models.Remake(s.Ctx, s.Owner, part.ModelID, studio.JobHollow, o)
		require.ErrorAs(t, err, &refusal, "%+v", o)
	}
}

func TestCutPartsBecomeParts(t *testing.T) {
	s := apptest.New(t)
	no, it := takenIn(s, "beam.stl", meshtest.Box(mesh.Vec{X: -30, Y: 5}, mesh.Vec{X: 90, Y: 20, Z: 20}), "raw")
	part := it.Parts[0]
	j := apptest.Remade(s, part.ModelID, studio.JobCut, studio.JobOptions{Axis: "x", At: []float64{30, 60}, Pegs: 1, PegMM: 5, ClearanceMM: 0.15})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	// Another cut of the same model, so that the pieces of each must be told apart.
	other := apptest.Remade(s, part.ModelID, studio.JobCut, studio.JobOptions{Axis: "x", At: []float64{45}})
	require.Equal(t, studio.JobDone, other.State, other.Note)
	require.NoError(t, s.Quotes.UseBodies(s.Ctx, s.Owner, no, part.ID, j.MadeID))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	volume, dowels := 0.0, 0
	for _, p := range sheet.Items[0].Parts {
		assert.True(t, p.Model.Measures.Watertight)
		if p.Model.How == studio.Peg {
			dowels += p.Copies
			continue
		}
		volume += p.Model.Measures.VolumeMM3
		assert.InDelta(t, 30, p.Model.Measures.SizeMM[0], 0.01)
	}
	assert.Equal(t, 2, dowels)
	assert.Greater(t, volume, 0.9*90*20*20)
	assert.Less(t, volume, 90.0*20*20, "less the sockets")
	j = apptest.Remade(s, part.ModelID, studio.JobCut, studio.JobOptions{Axis: "x", At: []float64{500}})
	assert.Contains(t, j.Note, "misses")
	var refusal *change.Refusal
	for _, o := range []studio.JobOptions{{Axis: "w", At: []float64{1}}, {Axis: "x"}, {Axis: "x", At: []float64{-1}}, {Axis: "x", At: []float64{1}, Pegs: 2}} {
		_, err = s.Models.Remake(s.Ctx, s.Owner, part.ModelID, studio.JobCut, o)
		require.ErrorAs(t, err, &refusal, "%+v", o)
	}
}

// Every machine is compared, the sentence names the best and the next, and a part too long
// for all of them is told in pieces.
func TestChoosingTheProcess(t *testing.T) {
	s := apptest.New(t)
	_, it := takenIn(s, "vase.stl", meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {6, 30}, {8, 40}, {0, 40}}, 48), "painted")
	sheet, err := s.App.Models.PrintSheet(s.Ctx, it.Parts[0].ModelID, process.Resin, "painted", 1, 0)
	require.NoError(t, err)
	require.Len(t, sheet.Choices, 2)
	for _, c := range sheet.Choices {
		assert.True(t, c.Fits)
		assert.Positive(t, c.Hours)
		assert.Positive(t, c.Grams)
		assert.Greater(t, c.HandsMin, c.Smooth)
		assert.Positive(t, c.Cost.Minor)
		assert.Greater(t, c.Days, c.Hours/24)
	}
	assert.LessOrEqual(t, sheet.Choices[0].Cost.Minor, sheet.Choices[1].Cost.Minor)
	assert.Contains(t, sheet.Why, "Take "+sheet.Choices[0].Machine.Name+", in ")
	assert.Contains(t, sheet.Why, "Next best is "+sheet.Choices[1].Machine.Name)
	large, err := s.App.Models.PrintSheet(s.Ctx, it.Parts[0].ModelID, process.Filament, "painted", 7, 0)
	require.NoError(t, err)
	assert.False(t, large.Choices[0].Fits)
	assert.Equal(t, 2, large.Choices[0].Pieces, "280 mm high, on a bed 250 mm high")
	assert.Contains(t, large.Why, "cut into 2")
	huge, err := s.App.Models.PrintSheet(s.Ctx, it.Parts[0].ModelID, process.Filament, "painted", 90, 0)
	require.NoError(t, err)
	assert.Contains(t, huge.Why, "No machine")
}

// A run that took longer than planned teaches its machine; one nobody timed does not.
func TestMachinesLearn(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, "raw")
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	planned := plate.Plate.Run.PlannedMin
	s.Clock.Pass(time.Duration(1.2*planned*60) * time.Second)
	require.NoError(t, s.Plates.FinishRun(s.Ctx, s.Bench, number, time.Time{}, nil))
	out := map[int64]studio.Outcome{}
	for _, p := range plate.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	tarn, _ := h.Machine(s.Tarn)
	assert.Equal(t, 1, tarn.Calibration.Count)
	assert.InEpsilon(t, 1.0466, tarn.Calibration.Factor(), 0.001, "the fourth root of 1.2")
	assert.InDelta(t, 0.2, tarn.Calibration.Off, 0.001)
	plate, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.InEpsilon(t, planned*1.0466, plate.Estimate.Minutes, 0.001, "the next such plate is thought to take longer")

	again := s.Order(1, "raw")
	s.Accept(again)
	number, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	s.Clock.Pass(30 * time.Hour)
	plate, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: map[int64]studio.Outcome{plate.Pieces[0].Piece.ID: {What: studio.Good}}}))
	h, err = s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	tarn, _ = h.Machine(s.Tarn)
	assert.Equal(t, 1, tarn.Calibration.Count, "nobody noted when it ended")
}

// A prepared file of the same part teaches; one of something else is refused.
func TestPreparedFilesTeach(t *testing.T) {
	s := apptest.New(t)
	_, it := takenIn(s, "vase.stl", meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {6, 30}, {8, 40}, {0, 40}}, 48), "raw")
	id := it.Parts[0].ModelID
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	fell, _ := h.Machine(s.Fell)
	pla, _ := h.Material(s.PLA, process.Filament)
	m, err := s.Models.Model(s.Ctx, id)
	require.NoError(t, err)
	ours := h.PrintOf(studio.Copy{Model: m, Scale: 1}, fell, pla).Minutes
	// Lines of 100 mm at 10 mm/s: ten seconds each and a little for speeding up.
	program := func(minutes float64) []byte {
		var b strings.Builder
		b.WriteString("G90\nM83\nG1 Z0.2 F600\n")
		for i := range int(minutes * 60 / 10.01) {
			fmt.Fprintf(&b, "G1 X%d E4 F600\n", 100*((i+1)%2))
		}
		return []byte(b.String())
	}
	teach := func(machine int64, name string, data []byte) studio.Job {
		kept, err := s.Models.KeepUpload(apptest.Upload(name, data))
		require.NoError(t, err)
		batch, err := s.App.Plates.Calibrate(s.Ctx, s.Owner, plates.Prepared{ModelID: id, MachineID: machine, Scale: 1}, kept)
		require.NoError(t, err)
		list, err := s.Jobs.Await(s.Ctx, batch, time.Minute)
		require.NoError(t, err)
		_, err = s.Store.File(kept.SHA)
		require.ErrorIs(t, err, store.ErrNotFound, "the file is needed no longer")
		return list[0]
	}
	j := teach(s.Fell, "vase.gcode", program(1.3*ours-fell.Figures.V("preparation")))
	assert.Equal(t, studio.JobDone, j.State)
	assert.Regexp(t, `^The file takes .*, ours was `+studio.Hours(ours)+`: (29|30|31) % off\. .* has learned from it\.$`, j.Note)
	h, err = s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	fell, _ = h.Machine(s.Fell)
	assert.Equal(t, 1, fell.Calibration.Count)
	assert.Greater(t, h.PrintOf(studio.Copy{Model: m, Scale: 1}, fell, pla).Minutes, 1.05*ours)
	for name, data := range map[string][]byte{"long.gcode": program(9 * ours), "empty.gcode": []byte("; nothing\n"), "bad.gcode": []byte("G1 Xabc\n")} {
		j := teach(s.Fell, name, data)
		assert.Equal(t, studio.JobFailed, j.State, name)
		assert.Regexp(t, `^`+name+` .*Nothing was learned\.$`, j.Note)
	}
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
	var refusal *change.Refusal
	_, err = s.App.Plates.Calibrate(s.Ctx, s.Owner, plates.Prepared{ModelID: id, MachineID: s.Tarn, Scale: 1}, models.Kept{SHA: strings.Repeat("a", 64)})
	require.ErrorAs(t, err, &refusal)
}

// Thin places of a model stand on the card of each of its prints, at its size; layers are
// cut as it stands.
func TestThinPlacesAndLayersFollow(t *testing.T) {
	s := apptest.New(t)
	pin := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 24, Y: 24, Z: 8}), meshtest.Box(mesh.Vec{X: 11, Y: 11, Z: 7}, mesh.Vec{X: 2, Y: 2, Z: 21}))
	no, it := takenIn(s, "spike.stl", pin, "raw")
	s.Change(no, it.ID, 1, "raw", 1.5)
	s.Jobs.Settle(s.Ctx)
	s.Accept(no)
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	require.NotEmpty(t, p.Fragile)
	assert.InEpsilon(t, 4*1.5*1.5, p.Fragile[0].SectionMM2, 0.1)
	assert.InDelta(t, 12*1.5, p.Fragile[0].At.X, 1)
	id := it.Parts[0].ModelID
	l, err := s.Models.Layers(s.Ctx, id, 0.5, time.Minute)
	require.NoError(t, err)
	assert.Len(t, l.Figures, 56)
	assert.False(t, l.Turned)
	apptest.Remade(s, id, studio.JobOrient, studio.JobOptions{Process: process.Resin, Wishes: solid.Wishes{Time: 1}})
	sheet, err := s.App.Models.PrintSheet(s.Ctx, id, process.Resin, "raw", 1, 0)
	require.NoError(t, err)
	_, err = s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, id, process.Resin, sheet.Orientations[0].ID)
	require.NoError(t, err)
	l, err = s.Models.Layers(s.Ctx, id, 0.5, time.Minute)
	require.NoError(t, err)
	assert.True(t, l.Turned)
	assert.InDelta(t, sheet.Orientations[0].Facts.HeightMM/0.5, len(l.Figures), 1)
}

// A version made of one that stands some way stands so, too, and drains as it hangs.
func TestVersionsStandAsTheyDid(t *testing.T) {
	s := apptest.New(t)
	no, it := takenIn(s, "block.stl", meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 30, Z: 60}), "raw")
	part := it.Parts[0]
	apptest.Remade(s, part.ModelID, studio.JobOrient, studio.JobOptions{Process: process.Resin, Wishes: solid.Wishes{Time: 1}})
	sheet, err := s.App.Models.PrintSheet(s.Ctx, part.ModelID, process.Resin, "raw", 1, 0)
	require.NoError(t, err)
	lying := sheet.Orientations[0]
	require.InDelta(t, 30, lying.Facts.HeightMM, 1)
	_, err = s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, part.ModelID, process.Resin, lying.ID)
	require.NoError(t, err)
	j := apptest.Remade(s, part.ModelID, studio.JobHollow, studio.JobOptions{WallMM: 2, Holes: 2, HoleMM: 4})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	require.NoError(t, s.Orders.UseVersion(s.Ctx, s.Owner, no, part.ID, j.MadeID))
	order, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	got := order.Items[0].Parts[0]
	assert.InDelta(t, lying.Facts.HeightMM, got.Model.PrintHeightMM(), 0.01)
	assert.InDelta(t, 60, got.Model.Measures.SizeMM[2], 0.01, "the file itself stands as it came")
	solidHeight := lying.Shape.Profile.VolumeMM3()
	assert.Less(t, got.Model.Shape.Profile.VolumeMM3(), 0.5*solidHeight, "its layers are those of the hollow one")
}

// An orientation that was taken, given up and worked out again answers by what it is, not by
// a number that something else had before.
func TestAnOrientationTakenAnew(t *testing.T) {
	s := apptest.New(t)
	no, it := takenIn(s, "staff.stl", meshtest.Box(mesh.Vec{}, mesh.Vec{X: 9, Y: 30, Z: 88}), "raw")
	id := it.Parts[0].ModelID
	s.Accept(no)
	tallest := func() float64 {
		number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
		require.NoError(t, err)
		plate, err := s.Plates.PlateSheet(s.Ctx, number)
		require.NoError(t, err)
		require.NoError(t, s.Plates.DiscardPlate(s.Ctx, s.Bench, number))
		return plate.Estimate.TallestMM
	}
	seen := map[int64]bool{}
	for _, w := range []solid.Wishes{{Time: 1}, {Scar: 1}, {Time: 1}} {
		j := apptest.Remade(s, id, studio.JobOrient, studio.JobOptions{Process: process.Resin, Wishes: w})
		require.Equal(t, studio.JobDone, j.State, j.Note)
		sheet, err := s.App.Models.PrintSheet(s.Ctx, id, process.Resin, "raw", 1, 0)
		require.NoError(t, err)
		for _, o := range sheet.Orientations {
			if sheet.Taken == nil || o.ID != sheet.Taken.ID {
				assert.False(t, seen[o.ID], "ids are never used again")
			}
			seen[o.ID] = true
		}
		for _, o := range []studio.Orientation{sheet.Orientations[len(sheet.Orientations)-1], sheet.Orientations[0]} {
			_, err = s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, id, process.Resin, o.ID)
			require.NoError(t, err)
			assert.InDelta(t, o.Facts.HeightMM, tallest(), 0.01, "the plate follows the one that was taken")
		}
		_, err = s.App.Pieces.ChooseOrientation(s.Ctx, s.Owner, id, process.Resin, 0)
		require.NoError(t, err)
		assert.InDelta(t, 88, tallest(), 1e-3)
	}
}

// What is priced in pieces is held back until it is cut into as many: then its pieces, dowels and
// assembly are made at once, at the price that was agreed. Cut into another number it is a change.
func TestPricedInPiecesIsCarriedOut(t *testing.T) {
	for _, c := range []struct {
		at   []float64
		same bool
	}{{[]float64{30, 60}, true}, {[]float64{45}, false}} {
		s := apptest.New(t)
		no, it := takenIn(s, "beam.stl", meshtest.Box(mesh.Vec{X: -30, Y: 5}, mesh.Vec{X: 90, Y: 20, Z: 20}), route.Primed)
		part := it.Parts[0]
		form := orders.ItemForm{Title: "Beam", Tier: route.Primed, Copies: 2, Scale: 1, Parts: map[int64]orders.PartForm{part.ID: {Process: part.Process, Copies: 1, CutInto: 3}}}
		require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, form))
		agreed := s.Accept(no)
		plates, err := s.Plates.Plates(s.Ctx)
		require.NoError(t, err)
		assert.Empty(t, plates.Waiting)
		require.Len(t, plates.Held, 2)
		assert.Contains(t, plates.Held[0].Why, "priced in 3 pieces and still one: cut it")

		j := apptest.Remade(s, part.ModelID, studio.JobCut, studio.JobOptions{Axis: "x", At: c.at, Pegs: 1, PegMM: 5, ClearanceMM: 0.15})
		require.Equal(t, studio.JobDone, j.State, j.Note)
		require.NoError(t, s.Quotes.UseBodies(s.Ctx, s.Owner, no, part.ID, j.MadeID))
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		assert.Equal(t, !c.same, sheet.Changed())
		kinds := map[studio.PieceKind]int{}
		for _, p := range sheet.Pieces {
			if p.Live() {
				kinds[p.Kind]++
			}
		}
		if !c.same {
			assert.Equal(t, map[studio.PieceKind]int{studio.KindPrint: 2}, kinds, "nothing is made of it before the client’s yes")
			continue
		}
		assert.Equal(t, agreed.TotalMinor, sheet.Price.TotalMinor, "the price is kept")
		assert.Equal(t, map[studio.PieceKind]int{studio.KindAssembly: 2, studio.KindPrint: 2 * (3 + 2)}, kinds, "three pieces and two dowels each")
		plates, err = s.Plates.Plates(s.Ctx)
		require.NoError(t, err)
		assert.Empty(t, plates.Held)
		require.NotEmpty(t, plates.Waiting)
	}
}

// Cut between the quote and the yes, it is the pieces that are made.
func TestCutBeforeTheYes(t *testing.T) {
	s := apptest.New(t)
	no, it := takenIn(s, "beam.stl", meshtest.Box(mesh.Vec{X: -30, Y: 5}, mesh.Vec{X: 90, Y: 20, Z: 20}), route.Primed)
	part := it.Parts[0]
	form := orders.ItemForm{Title: "Beam", Tier: route.Primed, Copies: 1, Scale: 1, Parts: map[int64]orders.PartForm{part.ID: {Process: part.Process, Copies: 1, CutInto: 2}}}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, form))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	j := apptest.Remade(s, part.ModelID, studio.JobCut, studio.JobOptions{Axis: "x", At: []float64{45}, Pegs: 1, PegMM: 5, ClearanceMM: 0.15})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	require.NoError(t, s.Quotes.UseBodies(s.Ctx, s.Owner, no, part.ID, j.MadeID))
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "Odile", Agreed: true}))
	by, codes := apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 1+2+1)
	for _, p := range by {
		if p.Kind == studio.KindPrint {
			assert.NotEqual(t, part.ModelID, p.ModelID, p.Code)
		}
	}
}
