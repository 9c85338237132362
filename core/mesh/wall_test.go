package mesh

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Shells of known wall: a hollow ball, a hollow box, a thin plate of twelve facets.
func TestThicknessOfKnownWalls(t *testing.T) {
	ball := together(sphere(20, 60, Vec{}), inward(sphere(18, 60, Vec{}))).Weld()
	w := ball.Thickness()
	assert.InDelta(t, 2, w.ThinnestMM, 0.02)
	assert.InDelta(t, 2, w.Share50MM, 0.02)
	for i, mm := range w.VertexMM {
		// Seen from the cavity the wall ends outside, seen from outside in the cavity.
		assert.InDelta(t, 2, mm, 0.06, "vertex %d", i)
	}
	box := together(cube(30, Vec{}), inward(cube(27, Vec{1.5, 1.5, 1.5}))).Weld()
	w = box.Thickness()
	assert.InDelta(t, 1.5, w.ThinnestMM, 1e-5)
	plate := polyhedron([]Vec{{0, 0, 0}, {80, 0, 0}, {0, 50, 0}, {80, 50, 0}, {0, 0, 0.7}, {80, 0, 0.7}, {0, 50, 0.7}, {80, 50, 0.7}},
		[][]int{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}).Weld()
	w = plate.Thickness()
	assert.InDelta(t, 0.7, w.ThinnestMM, 1e-5, "a plate of two facets a side is seen too")
	assert.InDelta(t, 0.7, w.Share10MM, 1e-5)
	for _, mm := range w.VertexMM {
		assert.LessOrEqual(t, mm, 0.7*math.Sqrt(3)+1e-6)
	}
}

func TestTreeAgainstEveryTriangle(t *testing.T) {
	m := torus(12, 4, 40, 24).Weld()
	tree := NewTree(m)
	r := rand.New(rand.NewPCG(3, 1))
	hits := 0
	for range 400 {
		p := Vec{r.Float64()*40 - 20, r.Float64()*40 - 20, r.Float64()*12 - 6}
		d := Vec{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}
		want, near := math.Inf(1), math.Inf(1)
		for _, c := range m.Triangles {
			a := m.Vertices[c[0]]
			f := treeFace{a, m.Vertices[c[1]].Sub(a), m.Vertices[c[2]].Sub(a)}
			if mm, ok := f.meet(p, d); ok && mm > 1e-9 {
				want = min(want, mm)
			}
			near = min(near, f.nearest(p).Len())
		}
		hit, met := tree.Ray(p, d, 1e-9)
		assert.Equal(t, !math.IsInf(want, 1), met)
		if met {
			hits++
			assert.InDelta(t, want, hit.MM, 1e-9)
		}
		assert.InDelta(t, near, tree.Nearest(p, 1e9), 1e-9)
		// The distance to a torus is known: checked to the facets' sag.
		exact := math.Abs(math.Hypot(math.Hypot(p.X, p.Y)-12, p.Z) - 4)
		assert.InDelta(t, exact, near, 0.15)
	}
	assert.Greater(t, hits, 50)
}
