package studio

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// by is a copy of a block of 60 × 60 × 40 mm printed by a profile.
func (h Shop) by(t *testing.T, p PrintProfile) process.Print {
	t.Helper()
	material, ok := h.Material(0, process.Filament)
	assert.True(t, ok)
	return h.PrintOf(Copy{Model: block(60, 60, 40), Scale: 1, Profile: p}, h.Machines[2], material)
}

func TestAProfileSetsHoursAndGrams(t *testing.T) {
	h := house()
	usual := h.by(t, PrintProfile{})
	assert.Equal(t, usual, h.by(t, PrintProfile{LayerMM: 0.2, Walls: 3, InfillPercent: 8}), "the machine’s own figures, said")
	fine := h.by(t, PrintProfile{LayerMM: 0.1})
	assert.Len(t, fine.Laid.LayerS, 2*len(usual.Laid.LayerS))
	assert.Greater(t, fine.Minutes, 1.5*usual.Minutes)
	assert.InDelta(t, usual.Laid.WallMM3, fine.Laid.WallMM3, 0.01*usual.Laid.WallMM3, "as much lies in its walls, in finer layers")
	big := h.by(t, PrintProfile{NozzleMM: 0.6})
	assert.InDelta(t, usual.Laid.WallMM3*0.65/0.45, big.Laid.WallMM3, 0.01*usual.Laid.WallMM3, "lines of 0.65 mm")
	// Four walls of 60 mm, each line 0.45 mm wide and 40 mm high.
	assert.InDelta(t, 4*240*0.45*40, h.by(t, PrintProfile{Walls: 4}).Laid.WallMM3, 1)
	solid := h.by(t, PrintProfile{InfillPercent: 100})
	assert.InDelta(t, 60*60*40, solid.Laid.MM3(), 0.01*60*60*40, "all of it is full")

	wanted := h.by(t, PrintProfile{WeightG: 100})
	assert.InDelta(t, 100, wanted.Grams, 0.5)
	heavy := h.by(t, PrintProfile{WeightG: 400})
	assert.InDelta(t, solid.Grams, heavy.Grams, 0.01, "no more than all of it")
	assert.Contains(t, heavy.Inputs, rates.Of("infill that comes to it", 100, "%", rates.Derived))
}

func TestAProfileThinsSupports(t *testing.T) {
	h := house()
	ball := model(meshtest.Turned([][2]float64{{0, 0}, {8, 1}, {16, 4}, {22, 9}, {26, 16}, {28, 24}, {28, 40}, {0, 40}}, 90))
	print := func(p PrintProfile) process.Print {
		material, _ := h.Material(0, process.Filament)
		return h.PrintOf(Copy{Model: ball, Scale: 1, Profile: p}, h.Machines[2], material)
	}
	all := print(PrintProfile{}).Laid.SupportMM3
	assert.Positive(t, all)
	assert.InDelta(t, all/2, print(PrintProfile{SupportPercent: 50}).Laid.SupportMM3, 1e-9)
	assert.Less(t, print(PrintProfile{SupportDeg: 60}).Laid.SupportMM3, all)
	assert.LessOrEqual(t, print(PrintProfile{SupportDeg: 70}).Laid.SupportMM3, print(PrintProfile{SupportDeg: 60}).Laid.SupportMM3)

	ball.Shape.LeastMM3 = nil // it is printed as it stands
	it := item(ball, process.Filament, route.Raw, 1, 1)
	before := h.Estimate(it)
	it.Parts[0].Profile.SupportDeg = 70
	after := h.Estimate(it)
	assert.Less(t, after.HandsMinutes, before.HandsMinutes, "less to strip")
	assert.Less(t, after.Grams, before.Grams)
	h.Book = h.Book.With(map[rates.Key]float64{"support.limit": 70})
	it.Parts[0].Profile = PrintProfile{}
	assert.InDelta(t, after.Grams, h.Estimate(it).Grams, 1e-9, "the studio’s own limit, where the part has none")
}

func TestWhatIsFoundForAMaterialHoldsOnItsMachine(t *testing.T) {
	h := house()
	m := h.Machines[0]
	clear, _ := h.Material(0, process.Resin)
	longer := m.Figures["exposure"]
	longer.Value *= 2
	m.Tuned = map[int64]rates.Set{clear.ID: {"exposure": longer}}
	copyOf := Copy{Model: block(20, 20, 40), Scale: 1}
	assert.Greater(t, h.PrintOf(copyOf, m, clear).Minutes, h.PrintOf(copyOf, h.Machines[0], clear).Minutes)
	other := clear
	other.ID = 99
	assert.Equal(t, h.PrintOf(copyOf, h.Machines[0], other).Minutes, h.PrintOf(copyOf, m, other).Minutes)
	assert.Equal(t, 2.5, h.Machines[0].Figures.V("exposure"), "the machine’s own figures stay")
	assert.True(t, m.SameRun(clear, PrintProfile{}, PrintProfile{LayerMM: 0.03}), "as the machine has it anyway")
	assert.False(t, m.SameRun(clear, PrintProfile{}, PrintProfile{LayerMM: 0.05}))
}

func TestABadProfileIsToldByField(t *testing.T) {
	at := func(field string) string { return "parts[7]." + field }
	for field, p := range map[string]PrintProfile{"parts[7].layer": {LayerMM: 0.5, NozzleMM: 0.4}, "parts[7].support_deg": {SupportDeg: 80}, "parts[7].infill": {InfillPercent: 120}, "parts[7].weight": {InfillPercent: 10, WeightG: 5}, "parts[7].walls": {Walls: -1}} {
		bad := p.Check(process.Filament, "Bowl", at)
		if assert.Len(t, bad, 1, field) {
			assert.Equal(t, field, bad[0].Field)
		}
	}
	assert.Empty(t, PrintProfile{LayerMM: 0.3, NozzleMM: 0.6, SupportDeg: 70}.Check(process.Filament, "Bowl", at))
	assert.Len(t, PrintProfile{LayerMM: 0.3}.Check(process.Resin, "Bowl", at), 1)
	assert.Equal(t, PrintProfile{LayerMM: 0.05}, PrintProfile{LayerMM: 0.05, NozzleMM: 0.6, Walls: 4}.Of(process.Resin))
	assert.Equal(t, "0.3 mm layers, 4 walls and supports beyond 60°", PrintProfile{LayerMM: 0.3, Walls: 4, SupportDeg: 60}.Text())
}

// A limit of an orientation's search is what its price takes.
func TestAnOrientationIsSoughtByTheLimit(t *testing.T) {
	h := house()
	soup := meshtest.Together(meshtest.Box(mesh.Vec{X: 20, Y: 20}, mesh.Vec{X: 10, Y: 10, Z: 30}), meshtest.Turned([][2]float64{{0, 30}, {4, 30}, {24, 44}, {24, 50}, {0, 50}}, 60))
	none := func(float64, string) error { return nil }
	find := func(by PrintProfile) (as Orientation) {
		list, err := h.Orienting(process.Filament, process.Of(process.Filament).Wishes, by).Find(soup, none)
		assert.NoError(t, err)
		for _, o := range list {
			if o.Facts.AsFile {
				as = o
			}
		}
		return as
	}
	usual, lax := find(PrintProfile{}), find(PrintProfile{SupportDeg: 60})
	assert.Less(t, lax.Facts.SupportMM3, 0.6*usual.Facts.SupportMM3, "its cone leans by 55°")
	assert.Equal(t, 60.0, lax.Facts.SupportDeg)
	m := Model{Shape: lax.Shape}
	assert.InDelta(t, lax.Facts.SupportMM3, h.held(m, PrintProfile{SupportDeg: 60}, process.Filament).Shape.PillarMM3[process.Filament], 1e-6, "what the sheet says is what the price takes")
	fine := find(PrintProfile{LayerMM: 0.1})
	assert.Greater(t, fine.Facts.Minutes, 1.5*usual.Facts.Minutes)
}
