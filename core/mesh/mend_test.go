package mesh

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// took returns how often mending did a thing.
func took(done []Done, what string) int {
	for _, d := range done {
		if d.What == what {
			return d.Count
		}
	}
	return 0
}

// less returns the soup without some of its triangles.
func less(s *Soup, gone ...int) *Soup {
	var flat []float32
	for i := range s.Len() {
		if f := s.corners(i); !slices.Contains(gone, i) {
			flat = append(flat, f[:]...)
		}
	}
	return SoupOf(s.Format, flat)
}

// turned returns the soup with some of its facets facing the other way.
func turned(s *Soup, which ...int) *Soup {
	flat := make([]float32, 0, 9*s.Len())
	for i := range s.Len() {
		f := s.corners(i)
		if slices.Contains(which, i) {
			f[3], f[4], f[5], f[6], f[7], f[8] = f[6], f[7], f[8], f[3], f[4], f[5]
		}
		flat = append(flat, f[:]...)
	}
	return SoupOf(s.Format, flat)
}

func TestMendLeavesAGoodModelAlone(t *testing.T) {
	for _, s := range []*Soup{cube(10, Vec{}), torus(12, 4, 40, 24), bunny(t), together(cube(20, Vec{}), inward(cube(10, Vec{5, 5, 5})))} {
		out, done := Mend(s)
		assert.Empty(t, done)
		assert.Equal(t, Measure(s), Measure(out))
	}
}

func TestMendOneFaultAtATime(t *testing.T) {
	ball := sphere(20, 24, Vec{})
	whole := Measure(ball)
	block := cube(10, Vec{})
	tests := []struct {
		name   string
		soup   *Soup
		what   string
		count  int
		volume float64
	}{
		{"one facet missing", less(ball, 300), FilledHoles, 1, whole.VolumeMM3},
		{"two holes of several facets", less(ball, 300, 301, 302, 900), FilledHoles, 2, whole.VolumeMM3},
		{"a whole side missing", less(block, 0, 1), FilledHoles, 1, 1000},
		{"some facets turned", turned(ball, 7, 100, 101, 500), TurnedFacets, 4, whole.VolumeMM3},
		{"inside out", inward(ball), TurnedShells, 1, whole.VolumeMM3},
		{"every facet twice", together(ball, ball), DroppedDoubles, ball.Len(), whole.VolumeMM3},
		{"a doubled facet that faces the other way", together(ball, turned(less(ball, slices.Collect(seq(1, ball.Len()))...), 0)), DroppedDoubles, 1, whole.VolumeMM3},
		{"a loose speck", together(ball, cube(0.1, Vec{40, 0, 0})), DroppedSpecks, 1, whole.VolumeMM3},
		{"a body buried", together(cube(30, Vec{}), sphere(5, 20, Vec{15, 15, 15})), RemovedBuried, 1, 27000},
		{"a body buried in one buried", together(cube(30, Vec{}), cube(20, Vec{5, 5, 5}), cube(10, Vec{10, 10, 10})), RemovedBuried, 2, 27000},
		{"facets without area", together(ball, SoupOf("stl", []float32{0, 0, 0, 1, 1, 1, 2, 2, 2})), DroppedFlat, 1, whole.VolumeMM3},
		{"two blocks with a wall of two facets between them", together(cube(10, Vec{}), cube(10, Vec{10, 0, 0})), DroppedDoubles, 4, 2000},
		{"a hollow block whose outside faces inward, beside a good one", together(inward(cube(30, Vec{})), inward(cube(20, Vec{5, 5, 5})), cube(4, Vec{50, 0, 0})), TurnedShells, 1, 27000 - 8000 + 64},
		{"a hollow block, mirrored", together(inward(cube(30, Vec{})), cube(20, Vec{5, 5, 5})), TurnedShells, 2, 27000 - 8000},
		{"a body in the hollow of a block, mirrored", together(inward(cube(30, Vec{})), cube(20, Vec{5, 5, 5}), inward(cube(10, Vec{10, 10, 10}))), TurnedShells, 3, 27000 - 8000 + 1000},
		{"a body buried, mirrored", together(inward(cube(30, Vec{})), inward(cube(20, Vec{5, 5, 5}))), RemovedBuried, 1, 27000},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			out, done := Mend(test.soup)
			assert.Equal(t, test.count, took(done, test.what), "%v", done)
			m := Measure(out)
			assert.True(t, m.Watertight)
			assert.Zero(t, m.InvertedShells+m.BuriedShells+m.Degenerate)
			assert.InEpsilon(t, test.volume, m.VolumeMM3, 0.002)
			again, more := Mend(out)
			assert.Empty(t, more, "mending twice does nothing more")
			assert.Equal(t, out.Len(), again.Len())
		})
	}
}

func seq(from, to int) func(func(int) bool) {
	return func(yield func(int) bool) {
		for i := from; i < to && yield(i); i++ {
		}
	}
}

func TestMendClosesCracks(t *testing.T) {
	// Two halves of a ball, one of them moved by two hundredths of a millimetre.
	ball := sphere(100, 24, Vec{})
	var flat []float32
	for i := range ball.Len() {
		f := ball.corners(i)
		if _, b, c := ball.Triangle(i); max(b.Z, c.Z, float64(f[2])) > 1e-3 {
			for k := 2; k < 9; k += 3 {
				f[k] += 0.01
			}
		}
		flat = append(flat, f[:]...)
	}
	split := SoupOf("stl", flat)
	require.Positive(t, Measure(split).OpenEdges)
	out, done := Mend(split)
	assert.Positive(t, took(done, ClosedCracks))
	assert.True(t, Measure(out).Watertight)
	assert.InEpsilon(t, Measure(ball).VolumeMM3, Measure(out).VolumeMM3, 0.001)

	// A block one of whose sides is cut in four where its neighbours are whole.
	block := less(cube(10, Vec{}), 2, 3) // the top
	corner := func(x, y float64) Vec { return Vec{10 * x, 10 * y, 10} }
	top := polyhedron([]Vec{corner(0, 0), corner(0.5, 0), corner(1, 0), corner(0, 0.5), corner(0.5, 0.5), corner(1, 0.5), corner(0, 1), corner(0.5, 1), corner(1, 1)},
		[][]int{{0, 1, 4, 3}, {1, 2, 5, 4}, {3, 4, 7, 6}, {4, 5, 8, 7}})
	stepped := together(block, top)
	require.Positive(t, Measure(stepped).OpenEdges)
	out, done = Mend(stepped)
	assert.Equal(t, 4, took(done, SplitEdges))
	assert.True(t, Measure(out).Watertight)
	assert.InDelta(t, 1000, Measure(out).VolumeMM3, 1e-6)
}

func TestMendLeavesToHandsWhatIsTheirs(t *testing.T) {
	sheet := polyhedron([]Vec{{0, 0, 0}, {10, 0, 0}, {10, 10, 0}, {0, 10, 0}}, [][]int{{0, 1, 2, 3}})
	out, done := Mend(sheet)
	assert.Empty(t, done, "a sheet is not made a body of no thickness")
	assert.Equal(t, 2, out.Len())
	d := Diagnose(sheet)
	require.Len(t, d.Faults, 1)
	assert.Equal(t, FaultSheet, d.Faults[0].Kind)
	assert.True(t, d.Faults[0].Hands)

	// A tube cut along a wave that leaves its plane by a third of its width.
	var flat []float32
	const n = 48
	p := func(k int, top bool) Vec {
		a := 2 * math.Pi * float64(k%n) / n
		z := 0.0
		if top {
			z = 30 + 8*math.Sin(2*a)
		}
		return Vec{10 * math.Cos(a), 10 * math.Sin(a), z}
	}
	for k := range n {
		for _, v := range []Vec{p(k, false), p(k+1, false), p(k+1, true), p(k, false), p(k+1, true), p(k, true)} {
			flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	tube := SoupOf("stl", flat)
	out, done = Mend(tube)
	assert.Equal(t, []Done{{What: FilledHoles, Count: 1}}, done, "the flat end is closed")
	left := Diagnose(out).Faults
	require.Len(t, left, 1)
	assert.Equal(t, FaultHole, left[0].Kind)
	assert.True(t, left[0].Hands)
	assert.Contains(t, left[0].Text(), "a person must say")

	touching := together(cube(10, Vec{}), cube(10, Vec{10, 10, 0})) // along one edge
	out, done = Mend(touching)
	assert.Empty(t, done)
	assert.Equal(t, 1, Measure(out).NonManifoldEdges)
}

// Whatever facets are taken from a ball in small holes and however facets are turned,
// mending gives the ball's volume back.
func TestMendProperty(t *testing.T) {
	ball := sphere(20, 16, Vec{})
	want := Measure(ball).VolumeMM3
	rapid.Check(t, func(t *rapid.T) {
		gone := rapid.SliceOfNDistinct(rapid.IntRange(0, ball.Len()-1), 0, 8, rapid.ID[int]).Draw(t, "gone")
		flipped := rapid.SliceOfNDistinct(rapid.IntRange(0, ball.Len()-9), 0, 20, rapid.ID[int]).Draw(t, "flipped")
		holed := less(ball, gone...)
		if shells, _ := holed.Weld().Shells(); len(shells) > 1 {
			t.Skip("a facet that no other touches along an edge: nobody can tell which way it faces")
		}
		out, _ := Mend(turned(holed, flipped...))
		m := Measure(out)
		if !m.Watertight || math.Abs(m.VolumeMM3-want) > 0.02*want {
			t.Fatalf("watertight %v, %g mm³ of %g", m.Watertight, m.VolumeMM3, want)
		}
	})
}

func TestFaultsAreToldWorstFirst(t *testing.T) {
	d := Diagnose(together(less(sphere(20, 24, Vec{}), 400), cube(10, Vec{60, 0, 0}), cube(0.2, Vec{40, 0, 0}), inward(cube(8, Vec{80, 0, 0}))))
	var kinds []string
	for _, f := range d.Faults {
		kinds = append(kinds, f.Kind)
		assert.NotEqual(t, f.Kind, f.Text(), "every kind has its words")
		assert.Len(t, f.Spots, min(f.Count, maxSpots))
	}
	assert.Equal(t, []string{FaultHole, FaultInverted, FaultBodies, FaultSpeck}, kinds)
	assert.Len(t, d.Bodies, 4)
	assert.InDelta(t, 1000, d.Bodies[1].VolumeMM3, 1e-6)
	spot := d.Faults[3].Spots[0]
	assert.InDelta(t, 40.1, spot.At.X, 1e-5, "and where it is")
	assert.Equal(t, 2, d.Faults[2].Count, "the two that are not attached to the largest")
}

func TestHolesAndTheirRims(t *testing.T) {
	open := less(cube(10, Vec{}), 2, 3, 0, 1) // top and bottom
	d := Diagnose(open)
	require.Len(t, d.Faults, 1)
	assert.Equal(t, 2, d.Faults[0].Count)
	assert.InDelta(t, 40, d.Faults[0].SizeMM, 1e-9)
	// Two holes that touch in a corner are two.
	d = Diagnose(less(sphere(20, 12, Vec{}), 100, 103))
	assert.Equal(t, 2, d.Faults[0].Count)
}
