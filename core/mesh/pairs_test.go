package mesh

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// beam is a block of any size.
func beam(at, size Vec) *Soup {
	s := cube(1, Vec{})
	out := make([]float32, len(s.flat))
	for i := range out {
		k := i % 3
		out[i] = float32([3]float64{at.X, at.Y, at.Z}[k] + float64(s.flat[i])*[3]float64{size.X, size.Y, size.Z}[k])
	}
	return SoupOf("stl", out)
}

// Bodies that touch are told apart at the edge, whatever else of them meets there.
func TestBodiesThatTouch(t *testing.T) {
	for _, c := range []struct {
		name                    string
		soup                    *Soup
		shells, edges, buried   int
		volume                  float64
		loose, touching, tangle bool
	}{
		{"two along an edge", together(cube(10, Vec{}), cube(10, Vec{10, 10, 0})), 2, 1, 0, 2000, true, true, false},
		{"mirrored", together(inward(cube(10, Vec{})), inward(cube(10, Vec{10, 10, 0}))), 2, 1, 0, 2000, true, true, false},
		{"four around an edge, in opposite corners and above each other", together(cube(10, Vec{}), cube(10, Vec{10, 10, 0}), cube(10, Vec{0, 10, 10}), cube(10, Vec{10, 0, 10})), 4, 6, 0, 4000, true, true, false},
		{"at a corner only", together(cube(10, Vec{}), cube(10, Vec{10, 10, 10})), 2, 0, 0, 2000, true, false, false},
		{"with a wall between them", together(cube(10, Vec{}), cube(10, Vec{10, 0, 0})), 3, 5, 0, 2000, false, true, false},
		{"one within the edge of the other", together(beam(Vec{}, Vec{10, 10, 10}), beam(Vec{}, Vec{4, 4, 10})), 2, 1, 0, 1160, false, true, false},
		{"a facet too many", together(cube(10, Vec{}), SoupOf("stl", []float32{0, 0, 0, 10, 0, 0, 5, -5, 5})), 1, 1, 0, 1000, false, false, true},
	} {
		d := Diagnose(c.soup)
		m := d.Measures
		assert.Equal(t, []int{c.shells, c.edges, c.buried}, []int{m.Shells, m.NonManifoldEdges, m.BuriedShells}, c.name)
		assert.Equal(t, !c.tangle, m.Watertight, c.name)
		kinds := map[string]bool{}
		for _, f := range d.Faults {
			kinds[f.Kind] = true
		}
		assert.Equal(t, c.touching, kinds[FaultTouching], c.name)
		assert.Equal(t, c.tangle, kinds[FaultNonManifold], c.name)
		assert.Equal(t, c.loose, kinds[FaultBodies], c.name)
		if !c.tangle {
			assert.InEpsilon(t, c.volume, m.VolumeMM3, 1e-6, c.name)
		}
	}
}

// The walls that facets of one edge make are closed, whichever way the bodies stand about it.
func TestBodiesAroundOneEdge(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var soups []*Soup
		n := rapid.IntRange(2, 6).Draw(t, "bodies")
		volume := 0.0
		for i := range n { // wedges that share the edge from the origin upward
			a := tetrahedron(float64(i)*6.28/float64(n), float64(i)*6.28/float64(n)+rapid.Float64Range(0.1, 6.0/float64(n)).Draw(t, "wide"))
			soups = append(soups, a)
			volume += Measure(a).VolumeMM3
		}
		order := rapid.Permutation(soups).Draw(t, "order")
		m := Measure(together(order...))
		require.Equal(t, n, m.Shells)
		require.True(t, m.Watertight)
		require.Equal(t, 1, m.NonManifoldEdges)
		require.InEpsilon(t, volume, m.VolumeMM3, 1e-6)
		require.Zero(t, m.InvertedShells)
	})
}

// A lattice of 48 struts whose ends and sides share edges: 64 nodes are counted once, the
// figure that manifold-3d gives of it.
func TestSolidOfALattice(t *testing.T) {
	var struts []*Soup
	for i := range 4 {
		for k := range 4 {
			a, b := 10*float64(i), 10*float64(k)
			struts = append(struts, beam(Vec{a, b, 0}, Vec{2, 2, 32}), beam(Vec{a, 0, b}, Vec{2, 32, 2}), beam(Vec{0, a, b}, Vec{32, 2, 2}))
		}
	}
	s := Solid(together(struts...))
	assert.InDelta(t, 48*128-64*2*8, s.SolidMM3, max(1, s.ErrorMM3), "±%g", s.ErrorMM3)
	assert.Less(t, s.ErrorMM3, 150.0)
}

// tetrahedron is a wedge of matter between two angles about the edge from the origin upward.
func tetrahedron(from, to float64) *Soup {
	a, b := Vec{}, Vec{0, 0, 10}
	c, d := Vec{9 * math.Cos(from), 9 * math.Sin(from), 5}, Vec{9 * math.Cos(to), 9 * math.Sin(to), 5}
	var out []float32
	for _, t := range [][3]Vec{{a, b, d}, {a, c, b}, {a, d, c}, {b, c, d}} {
		for _, v := range t {
			out = append(out, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	return SoupOf("stl", out)
}
