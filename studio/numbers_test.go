package studio

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// minutesOf are the hands of a kind of stage in an estimate, by all of its parts.
func minutesOf(e Estimated, kind route.StageKind) (sum float64) {
	for _, p := range e.Job.Parts {
		for _, w := range p.Work {
			if w.Kind == kind {
				sum += w.Minutes * float64(p.Copies)
			}
		}
	}
	return sum
}

// A kit of six parts is washed, primed and packed in one session; six orders of one part each
// pay for six.
func TestAKitSharesItsSetUps(t *testing.T) {
	h := house()
	one := item(block(20, 20, 20), process.Resin, route.Painted, 1, 1)
	kit := one
	kit.Parts, kit.Apart = nil, true
	for k := range 6 {
		kit.Parts = append(kit.Parts, Part{ID: int64(k + 1), Name: fmt.Sprint("block ", k), Copies: 1, Process: process.Resin, Model: one.Parts[0].Model, ModelID: one.Parts[0].ModelID})
	}
	single, together := h.Estimate(one), h.Estimate(kit)
	for _, kind := range []route.StageKind{route.Wash, route.Cure, route.Pack, route.Clear} {
		mean := finish.SpreadOf(h.Book, kind.Traits().Spread).Mean
		saved := 6*minutesOf(single, kind) - minutesOf(together, kind)
		assert.InDelta(t, 5*h.Book.V(kind.Traits().SetUp)*mean, saved, 1e-6, "%s: five set-ups less", kind)
	}
	assert.InDelta(t, 6*minutesOf(single, route.RemoveSupports), minutesOf(together, route.RemoveSupports), 1e-6)
	// Two items of an order are washed together, too, but each has its own colours.
	second := one
	second.ID, second.Title = 2, "Other"
	both := h.EstimateAll([]Item{one, second})
	assert.Less(t, minutesOf(both[0], route.Wash), minutesOf(single, route.Wash))
	assert.InDelta(t, minutesOf(single, route.Base), minutesOf(both[0], route.Base), 1e-9)
	// What is planned at the bench is what was charged.
	var planned float64
	for _, s := range h.StagesFor(kit.Parts[2], kit, []Item{kit}) {
		planned += s.PlannedMin
	}
	assert.InDelta(t, together.HandsMinutes/6, planned, 1e-6)
}

// A long run pays its own start, a mini the share of a plate that it takes.
func TestStartsArePaidByShare(t *testing.T) {
	h := house()
	start := h.Book.V("plate.setup") + h.Book.V("plate.empty")
	mean := finish.SpreadOf(h.Book, "plate").Mean
	long := h.Estimate(item(block(180, 180, 200), process.Filament, route.Raw, 1, 1))
	require.Greater(t, long.Job.Parts[0].RunMinutes, 14*60.0)
	assert.InDelta(t, mean*(start+h.Book.V("plate.piece")), minutesOf(long, route.Print), 1e-9)
	mini := h.Estimate(item(block(12, 12, 34), process.Resin, route.Raw, 24, 1))
	assert.Less(t, minutesOf(mini, route.Print), mean*(1.3*start+24*h.Book.V("plate.piece")), "two dozen lie on about a plate")
	assert.Greater(t, minutesOf(mini, route.Print), mean*24*h.Book.V("plate.piece"))
}

// Ten pins on one plate take about as long as one file of ten: a layer waits once.
func TestPinsShareTheirLayers(t *testing.T) {
	h := house()
	pin := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 3, Y: 3, Z: 60})
	var ten []*mesh.Soup
	for k := range 10 {
		ten = append(ten, meshtest.Box(mesh.Vec{X: 9 * float64(k)}, mesh.Vec{X: 3, Y: 3, Z: 60}))
	}
	copies := h.Estimate(item(model(pin), process.Filament, route.Raw, 10, 1))
	asOne := h.Estimate(item(model(meshtest.Together(ten...)), process.Filament, route.Raw, 1, 1))
	single := h.Estimate(item(model(pin), process.Filament, route.Raw, 1, 1))
	assert.Less(t, copies.MachineMinutes, 0.25*10*single.MachineMinutes)
	assert.InEpsilon(t, asOne.MachineMinutes, copies.MachineMinutes, 1, "a file of ten is thought of with fewer hops")
}

// What a cut is said to save is what the price then falls by.
func TestACutSavesWhatIsPromised(t *testing.T) {
	h := house()
	for i := range h.Machines {
		h.Machines[i].Figures = h.Machines[i].Figures.Filled(nil)
		h.Machines[i].Figures["noticed"] = rates.Of("noticed", 1000, "h", rates.Ours)
	}
	h.Book = h.Book.With(map[rates.Key]float64{"failure.filament": 0.06, "seam.piece": 1, "seam.length": 1})
	it := item(block(200, 200, 235), process.Filament, route.Raw, 1, 1)
	e := h.Estimate(it)
	require.NotEmpty(t, e.Savings)
	s := e.Savings[0]
	require.Greater(t, s.CutInto, 1)
	then := h.Estimate(it.cut(0, s.CutInto))
	assert.Contains(t, s.Text, h.Studio.Money(e.CostMinor-then.CostMinor).String())
	curve, best := h.Cuts(it, 0, h.Machines[2], 1)
	require.Equal(t, process.Filament, h.Machines[2].Process)
	assert.InDelta(t, float64(e.CostMinor)/100, curve[0].Cost, 0.01, "the sheet of its prints says the same")
	assert.InDelta(t, float64(then.CostMinor)/100, curve[s.CutInto-1].Cost, 0.01)
	assert.LessOrEqual(t, curve[best].Cost, curve[s.CutInto-1].Cost)
}

// Dowels are printed and washed, and that is all; they are no seams either.
func TestDowelsAreNotPainted(t *testing.T) {
	h := house()
	bare := item(block(30, 30, 40), process.Resin, route.Painted, 1, 1)
	bare.Parts = append(bare.Parts, Part{ID: 2, Name: "other half", Copies: 1, Process: process.Resin, Model: block(30, 30, 40)})
	pegged := bare
	dowel := block(4, 4, 20)
	dowel.ID, dowel.How = 9, Peg
	pegged.Parts = append(pegged.Parts[:2:2], Part{ID: 3, Name: "dowel", ModelID: 9, Copies: 2, Process: process.Resin, Model: dowel})
	without, with := h.Estimate(bare), h.Estimate(pegged)
	for _, w := range with.Job.Parts[2].Work {
		assert.Contains(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Pack}, w.Kind)
	}
	assert.Equal(t, without.Job.Seam.Seams, with.Job.Seam.Seams)
	assert.Less(t, with.HandsMinutes-without.HandsMinutes, 15.0)
	said := pegged.Parts[2]
	said.Model.How, said.Hidden = "", true
	assert.True(t, said.Unseen())
}

// pot is a shell of a ball, open below.
func pot(radius, wall float64) *mesh.Soup {
	var profile [][2]float64
	for _, r := range []float64{radius, radius - wall} {
		for k := range 41 {
			a := math.Pi * (float64(k)/40*0.7 - 0.2)
			if r < radius {
				a = math.Pi * (0.5 - float64(k)/40*0.7)
			}
			profile = append(profile, [2]float64{max(0, r*math.Cos(a)), r * math.Sin(a)})
		}
	}
	profile[40][0], profile[41][0] = 0, 0
	return meshtest.Turned(append(profile, profile[0]), 80)
}

// A helmet pays for its outside; worn, its rim is broken; its inside adds what is asked for.
func TestAHelmetPaysForItsOutside(t *testing.T) {
	h := house()
	m := model(pot(115, 3))
	require.True(t, m.Measures.Watertight)
	require.Greater(t, m.Shape.Faces.InnerMM2, 0.8*m.Shape.Faces.OuterMM2)
	it := item(m, process.Filament, route.Painted, 1, 1)
	hands := func(change func(*Item)) float64 {
		one := it
		one.Parts = []Part{it.Parts[0]}
		change(&one)
		return h.Estimate(one).HandsMinutes
	}
	plain := hands(func(*Item) {})
	both := hands(func(i *Item) { i.Parts[0].Model.Shape.Faces = solid.Faces{} })
	assert.Less(t, plain, 0.65*both, "not told apart, all of it is finished")
	worn := hands(func(i *Item) { i.Rule.By = ByHead })
	assert.Greater(t, worn, plain)
	primed := hands(func(i *Item) { i.Parts[0].Inside = finish.InsidePrimed })
	painted := hands(func(i *Item) { i.Parts[0].Inside = finish.InsidePainted })
	assert.Greater(t, primed, worn)
	assert.Greater(t, painted, primed)
	assert.InDelta(t, both, painted, 0.1*both, "all of it but the rim it stands on")
	fast := hands(func(i *Item) { i.Standard = finish.Fast })
	assert.Less(t, fast, plain)
}

// The thirteenth piece begins another session: where the sheet shows what each costs, it says
// why that rose.
func TestTheThirteenthPiece(t *testing.T) {
	h := house()
	note := func(copies int) string {
		return h.Estimate(item(block(15, 15, 20), process.Resin, route.Painted, copies, 1)).Note
	}
	assert.Empty(t, note(12))
	assert.Contains(t, note(13), "1 piece beyond 12 begins another session")
	assert.Empty(t, note(24))
}

// A skin thickens the part: envelope and fits say so.
func TestASkinThickens(t *testing.T) {
	h := house()
	it := item(block(40, 40, 60), process.Filament, route.Primed, 1, 1)
	it.FinishRoute = "clay"
	require.Len(t, h.Thickens(it, it.Parts[0], true), 1)
	assert.Contains(t, h.Thickens(it, it.Parts[0], true)[0], "46 × 46 × 66 mm")
	assert.Contains(t, h.Thickens(it, it.Parts[0], true)[0], "Leave 6 mm")
	it.FinishRoute = "putty"
	assert.Empty(t, h.Thickens(it, it.Parts[0], true))
}

// Files that fool: mirrored, so that all faces inward; open; one body in the hollow of another;
// two that overlap; of no area. None loses its outside, none counts it twice.
func TestFacesOfFilesThatFool(t *testing.T) {
	flipped := func(s *mesh.Soup) *mesh.Soup {
		m := s.Weld()
		for i, c := range m.Triangles {
			m.Triangles[i] = [3]int32{c[0], c[2], c[1]}
		}
		return m.Soup("stl")
	}
	box := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 40, Z: 50})
	outer := 2*(30*50+40*50.0) + 30*40
	faces := func(s *mesh.Soup) solid.Faces { _, shape := MeasureModel(s); return shape.Faces }
	for name, s := range map[string]*mesh.Soup{
		"mirrored":             flipped(box),
		"a hollow":             meshtest.Together(box, flipped(meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 20, Y: 30, Z: 40}))),
		"a hollow, mirrored":   flipped(meshtest.Together(box, flipped(meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 20, Y: 30, Z: 40})))),
		"a body in the hollow": meshtest.Together(box, flipped(meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 20, Y: 30, Z: 40})), meshtest.Box(mesh.Vec{X: 9, Y: 9, Z: 9}, mesh.Vec{X: 5, Y: 5, Z: 5})),
		"overlapping":          meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 40, Z: 30}), meshtest.Box(mesh.Vec{Z: 20}, mesh.Vec{X: 30, Y: 40, Z: 30})),
	} {
		f := faces(s)
		assert.InEpsilon(t, outer, f.OuterMM2, 0.01, name)
		assert.InEpsilon(t, 30*40, f.UnderMM2, 0.01, name)
	}
	var open []float32
	for i := range box.Len() - 2 {
		a, b, c := box.Triangle(i)
		for _, v := range []mesh.Vec{a, b, c} {
			open = append(open, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	f := faces(mesh.SoupOf("stl", open))
	assert.InDelta(t, 5*30*40, f.OuterMM2+f.InnerMM2+f.UnderMM2, 4000)
	assert.True(t, f.Known())
	assert.NotPanics(t, func() { faces(mesh.SoupOf("stl", []float32{0, 0, 0, 1, 1, 1, 2, 2, 2})) })
	assert.NotPanics(t, func() { faces(mesh.SoupOf("stl", []float32{0, 0, 0, 9, 0, 0, 0, 9, 0})) })
}

// A table that stands on its leg is quoted with the supports of lying on its top, until somebody
// says how it stands; on a plate it is held as it lies there.
func TestSupportsOfTheBestOrientation(t *testing.T) {
	h := house()
	table := model(meshtest.Together(meshtest.Box(mesh.Vec{X: 40, Y: 40}, mesh.Vec{X: 10, Y: 10, Z: 60}), meshtest.Box(mesh.Vec{Z: 60}, mesh.Vec{X: 90, Y: 90, Z: 4})))
	stands, best := table.Shape.PillarMM3[process.Filament], table.Shape.LeastMM3[process.Filament]
	cells := (90*90 - 100) / (5 * 5.0) // a pillar on so much at the least
	assert.Greater(t, stands, 0.4*cells*60*math.Pi*1.8*1.8/4)
	assert.Less(t, best, 0.02*stands)
	machine := h.Machines[2]
	material, _ := h.Material(0, process.Filament)
	as, at := h.PrintOf(Copy{Model: table, Scale: 1}, machine, material), h.PrintOf(Copy{Model: table.AtBest(), Scale: 1}, machine, material)
	assert.InDelta(t, process.Grams(stands-best, material.Figures.V("density")), as.Grams-at.Grams, 1e-6)
	quoted := h.Estimate(item(table, process.Filament, route.Raw, 1, 1))
	assert.InDelta(t, at.Grams, quoted.Grams, 1e-6)
	taken := table.Oriented(Orientation{ID: 1, Process: process.Filament, Shape: ModelShape{PillarMM3: map[string]float64{process.Filament: 777}}})
	assert.Equal(t, 777.0, taken.AtBest().Shape.PillarMM3[process.Filament])
}
