package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
)

func areaOf(m *mesh.Mesh) (mm2 float64) {
	for _, t := range m.Triangles {
		mm2 += m.Vertices[t[1]].Sub(m.Vertices[t[0]]).Cross(m.Vertices[t[2]].Sub(m.Vertices[t[0]])).Len() / 2
	}
	return mm2
}

// The bound on a triangle is that of its corners, tightened by its quarters; the ball
// around a triangle is known for right, flat and even ones.
func TestBallAroundATriangle(t *testing.T) {
	o := mesh.Vec{}
	assert.InDelta(t, 25, spread2(o, mesh.Vec{X: 6}, mesh.Vec{Y: 8}), 1e-12, "a right one: half its long side")
	assert.InDelta(t, 25, spread2(o, mesh.Vec{X: 10}, mesh.Vec{X: 5, Y: 0.1}), 1e-12, "a blunt one, too")
	assert.InDelta(t, 12, spread2(o, mesh.Vec{X: 6}, mesh.Vec{X: 3, Y: math.Sqrt(27)}), 1e-9, "an even one: a third of the side's square")
}

// Triangles beside cut sides are divided so that the surface stays closed.
func TestRefineKeepsItClosed(t *testing.T) {
	for mask := 1; mask < 64; mask++ {
		m := block(10, 10, 10)
		cut := map[[2]int32]int32{}
		k := 0
		for _, f := range m.Triangles {
			for i := range 3 {
				key := [2]int32{min(f[i], f[(i+1)%3]), max(f[i], f[(i+1)%3])}
				if _, ok := cut[key]; !ok && mask>>(k%6)&1 == 1 {
					cut[key] = int32(len(m.Vertices))
					m.Vertices = append(m.Vertices, m.Vertices[key[0]].Add(m.Vertices[key[1]]).Mul(0.5))
				}
				k++
			}
		}
		before := len(m.Triangles)
		fresh := refine(m, cut)
		require.Len(t, fresh, len(m.Triangles))
		require.Equal(t, before+2*len(cut), len(m.Triangles), "two more for each side that is cut")
		got := m.Measure()
		require.True(t, got.Watertight, "mask %b", mask)
		require.InDelta(t, 1000, got.VolumeMM3, 1e-9)
	}
}
