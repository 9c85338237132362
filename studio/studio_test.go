package studio

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// house is the starting book with its first resin and filament machine.
func house() Shop {
	b := rates.Starting()
	h := Shop{Studio: Studio{Name: "T", Currency: "EUR", TaxPercent: 20, TimeZone: "Europe/Vienna"}, Book: b}
	for i, k := range b.Machines {
		h.Machines = append(h.Machines, Machine{ID: int64(i + 1), Name: k.Name, Process: k.Process, Figures: k.Figures, Active: true})
	}
	for i, k := range b.Materials {
		h.Materials = append(h.Materials, Material{ID: int64(i + 1), Name: k.Name, Process: k.Process, Figures: k.Figures, Active: true})
	}
	return h
}

func model(s *mesh.Soup) Model {
	m := Model{ID: 1, Name: "m.stl"}
	m.Measures, m.Shape = MeasureModel(s)
	return m
}

func block(x, y, z float64) Model { return model(meshtest.Box(mesh.Vec{}, mesh.Vec{X: x, Y: y, Z: z})) }

func item(m Model, process, tier string, copies int, scale float64) Item {
	return Item{ID: 1, Title: "Block", Tier: tier, Copies: copies, Scale: scale, Parts: []Part{{ID: 1, Name: "block", Copies: 1, Process: process, Model: m}}}
}

func TestMoney(t *testing.T) {
	for text, want := range map[string]int64{"1284": 128400, "1,284.50": 128450, "1.284,50": 128450, "1284,5": 128450, "€ 12": 1200, "1 000": 100000, "0.005": 0, "0.015": 2, "1,284": 128400, "-3.10": -310} {
		got, err := ParseMoney(text, "EUR")
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, bad := range []string{"", "twelve", "1e9", "1.2.3,4,5x", "99999999999"} {
		_, err := ParseMoney(bad, "EUR")
		assert.Error(t, err, bad)
	}
	assert.Equal(t, "€ 1,234,567.89", Money{123456789, "EUR"}.String())
	assert.Equal(t, "€ −0.05", Money{-5, "EUR"}.String())
	assert.Equal(t, "¥ 1,200", Money{1200, "JPY"}.String())
	assert.Equal(t, "KWD 1.234", Money{1234, "KWD"}.String())
	assert.Equal(t, "€ 1,284", Money{128450, "EUR"}.Whole(), "half to even")
	assert.Equal(t, "€ 1,286", Money{128550, "EUR"}.Whole())
	yen, err := ParseMoney("1200", "JPY")
	require.NoError(t, err)
	assert.EqualValues(t, 1200, yen)
}

func TestHours(t *testing.T) {
	for minutes, want := range map[float64]string{0: "0 min", 25: "25 min", 60: "1 h", 347: "5 h 47", 59.6: "1 h", 3000: "2 d 2 h"} {
		assert.Equal(t, want, Hours(minutes), minutes)
	}
}

// Material goes with the cube of scale, area with the square, height with the
// first power.
func TestScaleLaws(t *testing.T) {
	m := block(20, 30, 40)
	one, two := m.Scaled(1), m.Scaled(2)
	assert.InEpsilon(t, 8*one.VolumeMM3, two.VolumeMM3, 1e-9)
	assert.InEpsilon(t, 4*one.AreaMM2, two.AreaMM2, 1e-9)
	assert.InEpsilon(t, 2*one.HeightMM, two.HeightMM, 1e-9)
	assert.InEpsilon(t, 4*one.Profile.At(10).AreaMM2, two.Profile.At(20).AreaMM2, 1e-9)
}

func TestEstimateAddsUp(t *testing.T) {
	h := house()
	m := block(20, 30, 40)
	e := h.Estimate(item(m, "resin", route.Painted, 1, 1))
	assert.Empty(t, e.Troubles)
	assert.InDelta(t, 24*1.10, e.Grams, 3, "24 cm³ of resin and a few supports")
	var sum int64
	for _, l := range e.Lines {
		sum += l.Minor
	}
	assert.Equal(t, e.CostMinor, sum)
	three := h.Estimate(item(m, "resin", route.Painted, 3, 1))
	assert.Less(t, three.CostMinor, 3*e.CostMinor, "set-up is shared, packs are opened once, hands learn")
	assert.Greater(t, three.CostMinor, e.CostMinor)
	assert.Less(t, three.HandsMinutes, 3*e.HandsMinutes)
	assert.InEpsilon(t, 3*e.Grams, three.Grams, 1e-9)
	raw := h.Estimate(item(m, "resin", route.Raw, 1, 1))
	assert.Less(t, raw.CostMinor, e.CostMinor)
	filament := h.Estimate(item(m, "filament", route.Painted, 1, 1))
	assert.Greater(t, filament.HandsMinutes, e.HandsMinutes, "filament is smoothed by hand")
	assert.Less(t, filament.Grams, e.Grams, "mostly air")
}

func TestHollowingSavesResin(t *testing.T) {
	h := house()
	it := item(block(40, 40, 40), "resin", route.Raw, 1, 1)
	solid := h.Estimate(it)
	it.Parts[0].WallMM = 2
	hollow := h.Estimate(it)
	assert.Less(t, hollow.Grams, 0.4*solid.Grams)
	found := false
	for _, l := range hollow.Lines {
		for _, f := range l.Working.Inputs {
			found = found || f.Label == "hollowed to a wall of" && f.Value == 2
		}
	}
	assert.True(t, found, "the working says so")
}

func TestPricedOnTheCheapestMachineThatFits(t *testing.T) {
	h := house()
	small, _, ok := h.MachineFor(block(30, 30, 30), 1, "resin", 0)
	require.True(t, ok)
	assert.Equal(t, "Small resin printer", small.Name)
	large, why, _ := h.MachineFor(block(30, 30, 200), 1, "resin", 0)
	assert.Equal(t, "Large resin printer", large.Name)
	assert.Empty(t, why)
	_, why, ok = h.MachineFor(block(30, 30, 300), 1, "resin", 0)
	assert.True(t, ok, "the largest stands in, so that a price can be shown")
	assert.Contains(t, why, "fits no machine")
	_, why, _ = h.MachineFor(block(240, 30, 30), 1, "resin", 0)
	assert.Contains(t, why, "on the plate")
	h.Machines = nil
	_, why, ok = h.MachineFor(block(3, 3, 3), 1, "resin", 0)
	assert.False(t, ok)
	assert.Equal(t, "no resin machine in the studio", why)
	e := h.Estimate(item(block(3, 3, 3), "resin", route.Raw, 1, 1))
	assert.NotEmpty(t, e.Troubles)
}

// Resin: the tallest part sets the time, more parts cost none. Filament: the sum.
func TestPlateEstimate(t *testing.T) {
	h := house()
	low, tall := LaidPiece{Piece{ID: 1, Scale: 1}, block(20, 20, 20)}, LaidPiece{Piece{ID: 2, Scale: 1}, block(20, 20, 50)}
	resin := func(p ...LaidPiece) PlateEstimate { return h.EstimatePlate(h.Machines[0], h.Materials[0], p) }
	assert.Equal(t, resin(low).Minutes, resin(low, low, low).Minutes)
	both := resin(low, tall)
	assert.Equal(t, resin(tall).Minutes, both.Minutes)
	assert.EqualValues(t, 2, both.TallestID)
	assert.InDelta(t, resin(low).Minutes, both.WithoutMinutes, 1e-9)
	assert.Greater(t, both.Grams, resin(tall).Grams)
	assert.InDelta(t, both.Minutes, both.Working.Result.Value, 1e-9)

	filament := func(p ...LaidPiece) PlateEstimate { return h.EstimatePlate(h.Machines[2], h.Materials[3], p) }
	heat := h.Machines[2].Figures.V("preparation")
	assert.InDelta(t, 2*(filament(low).Minutes-heat)+heat, filament(low, low).Minutes, 1e-6)
	assert.Zero(t, filament().Minutes)
	assert.InDelta(t, filament(low).Grams*0.335, filament(low).Metres, 0.05, "335 m a kilogram")
	assert.Zero(t, resin(low).Metres)
	assert.Less(t, filament(low).FailureChance, filament(low, low, low, low).FailureChance)
	assert.InDelta(t, 2*400/(220.0*220), filament(low, low).Covered, 0.003)
}

func TestOnBedCountsRaftAndStand(t *testing.T) {
	h := house()
	m := block(20, 20, 160)
	assert.InDelta(t, 166.2, h.Machines[0].OnBed("x", Copy{Model: m, Scale: 1}).HeightMM, 1e-3)
	assert.NotEmpty(t, h.Machines[0].Fits(m, 1), "165 mm would do for the part alone")
	assert.InDelta(t, 160, h.Machines[2].OnBed("x", Copy{Model: m, Scale: 1}).HeightMM, 1e-3)
}

func TestModelFaultsInPlainWords(t *testing.T) {
	box := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 10, Z: 10})
	assert.Empty(t, model(box).Faults())
	open := Model{Measures: mesh.Measures{VolumeMM3: 5, OpenEdges: 12, InvertedShells: 1, BuriedShells: 2, NonManifoldEdges: 3}}
	require.Len(t, open.Faults(), 4)
	assert.Contains(t, open.Faults()[0], "12 open edges")
	assert.Contains(t, Model{}.Faults()[0], "no volume")
}

// A flat sheet has an outline and an area, but nothing to print.
func TestASheetWithoutVolumeIsNotPriced(t *testing.T) {
	sheet := model(mesh.SoupOf("stl", []float32{0, 0, 0, 30, 0, 0, 30, 20, 0, 0, 0, 0, 30, 20, 0, 0, 20, 0}))
	e := house().Estimate(item(sheet, "resin", route.Raw, 1, 1))
	require.NotEmpty(t, e.Troubles)
	assert.Contains(t, e.Troubles[0], "encloses no volume")

	// A surface with hardly an inside is not priced as if it were full.
	strip := block(20, 20, 20)
	strip.Measures.GuessMM3, strip.Measures.OpenEdges = 5000, 240
	e = house().Estimate(item(strip, "resin", route.Raw, 1, 1))
	assert.Contains(t, fmt.Sprint(e.Troubles), "a surface without an inside")
	assert.Contains(t, strip.Faults()[0], "of its volume are a guess")
}

func TestItemCheck(t *testing.T) {
	good := item(block(1, 1, 1), "resin", route.Raw, 1, 1)
	require.NoError(t, good.Check())
	for says, change := range map[string]func(*Item){
		"needs a name":             func(i *Item) { i.Title = " " },
		"copies: between 1":        func(i *Item) { i.Copies = 0 },
		"scale: between":           func(i *Item) { i.Scale = 1000 },
		"wall of block: between 0": func(i *Item) { i.Parts[0].WallMM = -1 },
		"copies of block":          func(i *Item) { i.Parts[0].Copies = 1001 },
	} {
		bad := good
		bad.Parts = []Part{good.Parts[0]}
		change(&bad)
		assert.ErrorContains(t, bad.Check(), says)
	}
	assert.Equal(t, 12, Item{Copies: 3, Parts: []Part{{Copies: 1}, {Copies: 3}}}.Pieces())
}

func TestNumbersAndCodes(t *testing.T) {
	assert.Equal(t, "0001", NextNumber(0, 0))
	assert.Equal(t, "10000", NextNumber(9999, 1))
	assert.Equal(t, "0398", NextNumber(0, 398), "a studio goes on from its own numbers")
	assert.Equal(t, "0412-1", NextCode("0412", nil))
	assert.Equal(t, "0412-11", NextCode("0412", []string{"0412-2", "0412-10", "0413-40", "junk"}))
	assert.Equal(t, "L&L", Initials("Lantern & Larch"))
	assert.Equal(t, "IK", Initials("ilse  karg"))
	assert.Equal(t, "ÖB", Initials("östen Berg"))
}

var noon = time.Date(2026, 5, 14, 12, 0, 0, 0, time.UTC)

func TestQuoteEnds(t *testing.T) {
	q := Quote{State: QuoteSent, ValidUntil: noon}
	require.NoError(t, q.MayAnswer(noon.Add(-time.Minute)))
	assert.ErrorContains(t, q.MayAnswer(noon.Add(time.Minute)), "passed")
	for state, says := range map[QuoteState]string{QuoteReplaced: "newer", QuoteWithdrawn: "withdrawn"} {
		assert.ErrorContains(t, Quote{State: state, ValidUntil: noon}.MayAnswer(noon), says)
	}
	accepted := Quote{State: QuoteAccepted, ValidUntil: noon}
	assert.Empty(t, accepted.Ended(noon.AddDate(1, 0, 0)), "an accepted quote stays to be read")
	assert.ErrorContains(t, accepted.MayAnswer(noon), "already accepted")
}

func TestOrderMayChange(t *testing.T) {
	for state, may := range map[OrderState]bool{Enquiry: true, Quoted: true, Accepted: true, Declined: false, Cancelled: false, Delivered: false, Closed: false} {
		o := Order{Number: "0001", State: state}
		assert.Equal(t, may, o.MayChange() == nil, state)
		assert.Equal(t, may, o.MayCancel() == nil, state)
	}
}

func stages(kinds ...route.StageKind) (out StageList) {
	for i, k := range kinds {
		out = append(out, Stage{Position: i, Stage: route.Stage{Kind: k, Mark: route.Todo, PlannedMin: 10, WaitS: 3600}})
	}
	return out
}

// What one piece still has before it: its run, hands and waits, one after the
// other; a wait that runs counts with what is left of it.
func TestAhead(t *testing.T) {
	sum := func(p Piece, runMin float64) (hands, waits float64) {
		for _, s := range p.Ahead(noon, runMin) {
			hands, waits = hands+s.HandsMin, waits+s.WaitMin
		}
		return hands, waits
	}
	p := Piece{State: Waiting, Stages: stages(route.Print, route.Wash, route.Pack)}
	hands, waits := sum(p, 300)
	assert.Equal(t, 30.0, hands)
	assert.Equal(t, 300.0+180, waits)
	p.Stages[0].Mark, p.Stages[1].Mark = route.Done, route.Done
	p.Stages[1].Until = noon.Add(25 * time.Minute)
	hands, waits = sum(p, 300)
	assert.Equal(t, 10.0, hands)
	assert.Equal(t, 25.0+60, waits)
	p.Stages[2].Mark = route.Done
	p.Stages[2].Until = noon
	assert.Empty(t, p.Ahead(noon, 300))
	assert.Nil(t, p.Now())
}

// resinRoute are the stages of a resin print when nothing special is asked.
func resinRoute(tier string) []route.StageKind {
	smooth := []route.StageKind{route.Sand, route.Fill, route.Prime, route.Look}
	return route.Course{After: process.Of(process.Resin).After, Tier: tier, Smooth: smooth}.Stages()
}

func TestRetierKeepsWhatIsStamped(t *testing.T) {
	old := stages(route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Pack)
	for i := range 3 {
		old[i].Mark, old[i].Initials = route.Done, "IK"
	}
	got := Retier(old, stages(resinRoute(route.Painted)...))
	var kinds []route.StageKind
	for i, s := range got {
		kinds = append(kinds, s.Kind)
		assert.Equal(t, i, s.Position)
		assert.Equal(t, i < 3, s.Mark == route.Done)
	}
	assert.Equal(t, resinRoute(route.Painted), kinds)
	assert.Equal(t, "IK", got[2].Initials)

	for i := range old {
		old[i].Mark = route.Done
	}
	assert.Equal(t, []Stage(old), Retier(old, stages(resinRoute(route.Raw)...)), "nothing new, nothing to do")
	got = Retier(old, stages(resinRoute(route.Primed)...))
	assert.Equal(t, route.Pack, got[len(got)-1].Kind)
	assert.Equal(t, route.Todo, got[len(got)-1].Mark, "packed once more after it was primed")
	assert.Len(t, got, 5+5)

	sent := stages(route.Print, route.Look)
	sent[0].Mark, sent[1].Mark = route.Done, route.SentBack
	got = Retier(sent, stages(route.Print, route.Look, route.Pack))
	assert.Len(t, got, 4, "a look that was sent back must be passed again")
}

func TestRunsAndTakingBack(t *testing.T) {
	r := Run{Started: noon, PlannedMin: 90}
	assert.Equal(t, noon.Add(90*time.Minute), r.Due())
	assert.InDelta(t, 60, r.Left(noon.Add(30*time.Minute)), 1e-9)
	assert.Zero(t, r.Left(noon.Add(2*time.Hour)))
	r.Ended = noon.Add(10 * time.Minute)
	assert.Zero(t, r.Left(noon))
	require.NoError(t, MayTakeBack(noon, noon.Add(TakeBack)))
	assert.ErrorContains(t, MayTakeBack(noon, noon.Add(TakeBack+time.Second)), "30 minutes")
}

func TestEntriesOfMoney(t *testing.T) {
	for event, of := range map[string]bool{"payment arrived": true, "quote sent": true, "deposit arrived": true, "rates changed": true, "stamped": false, "plate laid": false} {
		assert.Equal(t, of, Entry{Event: event}.OfMoney(), event)
	}
}

func TestHourCostByHand(t *testing.T) {
	m := Machine{Figures: rates.Set{"price": {Value: 400}, "life": {Value: 4000}, "watts": {Value: 100}, "upkeep": {Value: 0.2}}}
	perHour, inputs := m.HourCost(rates.Starting())
	assert.InDelta(t, 0.1+0.1*0.32+0.2, perHour, 1e-9)
	assert.Len(t, inputs, 5)
}

func TestDetail(t *testing.T) {
	h := house()
	it := item(block(20, 30, 40), "resin", route.Raw, 1, 2)
	assert.Equal(t, "Grey standard resin, 40 × 60 × 80 mm", h.Detail(it))
	it.Parts = append(it.Parts, Part{Name: "b", Process: "filament", Copies: 1, Model: block(100, 1, 1)})
	assert.Equal(t, "2 parts, Grey standard resin and PLA, matt grey, 200 × 60 × 80 mm", h.Detail(it))
	assert.Contains(t, quote.Kinds(), quote.Overhead)
}
