package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// written is a mesh as it comes back from a file: rounded, welded and measured.
func written(m *mesh.Mesh) mesh.Measures { return mesh.Measure(m.Soup("stl")) }

// halves checks that both are closed and returns their volumes.
func halves(t require.TestingT, c Cut) (above, under float64) {
	a, u := mesh.Measure(c.Halves[0]), mesh.Measure(c.Halves[1])
	require.Equal(t, [2]mesh.Measures{a, u}, c.Measures)
	require.True(t, a.Watertight, "%+v", a)
	require.True(t, u.Watertight, "%+v", u)
	require.Zero(t, a.InvertedShells+u.InvertedShells)
	return a.VolumeMM3, u.VolumeMM3
}

func TestSplitOfKnownBodies(t *testing.T) {
	box := meshtest.Box(mesh.Vec{X: 3, Y: 4, Z: 5}, mesh.Vec{X: 10, Y: 20, Z: 30}).Weld()
	c, err := Split(box, mesh.Vec{Z: 2}, 2*11, Pegs{}) // a plane's normal may have any length
	require.NoError(t, err)
	above, under := halves(t, c)
	assert.InDelta(t, 200, c.SectionMM2, 1e-4)
	assert.InDelta(t, 200*24, above, 1e-2)
	assert.InDelta(t, 200*6, under, 1e-2)
	// A torus cut along its middle plane shows an annulus; across, two discs.
	ring := meshtest.Ring(40, 15, 300, 150).Weld()
	volume := ring.Measure().VolumeMM3
	c, err = Split(ring, mesh.Vec{Z: 1}, 0.013, Pegs{})
	require.NoError(t, err)
	above, under = halves(t, c)
	assert.InEpsilon(t, math.Pi*(55*55-25*25), c.SectionMM2, 0.001)
	assert.InEpsilon(t, volume, above+under, 1e-6)
	c, err = Split(ring, mesh.Vec{X: 1}, 0.013, Pegs{})
	require.NoError(t, err)
	halves(t, c)
	assert.InEpsilon(t, 2*math.Pi*15*15, c.SectionMM2, 0.001)
	// A hollow ball shows a ring, its cavity opened into both halves.
	ball := meshtest.Together(meshtest.Turned([][2]float64{{0, 0}, {20, 0}, {20, 40}, {0, 40}}, 64), turnedIn(meshtest.Turned([][2]float64{{0, 5}, {15, 5}, {15, 35}, {0, 35}}, 64))).Weld()
	require.Equal(t, 1, ball.Measure().Cavities)
	c, err = Split(ball, mesh.Vec{Z: 1}, 20.3, Pegs{})
	require.NoError(t, err)
	above, under = halves(t, c)
	assert.InEpsilon(t, ball.Measure().VolumeMM3, above+under, 1e-6)

	_, err = Split(box, mesh.Vec{Z: 1}, 99, Pegs{})
	assert.ErrorIs(t, err, ErrMisses)
	for _, n := range []mesh.Vec{{}, {X: math.NaN()}, {X: math.Inf(1)}} {
		_, err = Split(box, n, 0, Pegs{})
		assert.Error(t, err)
	}
}

func turnedIn(s *mesh.Soup) *mesh.Soup {
	m := s.Weld()
	for i, t := range m.Triangles {
		m.Triangles[i] = [3]int32{t[0], t[2], t[1]}
	}
	return m.Soup("stl")
}

// The planes lie exactly in faces and through corners here.
func TestSplitThroughCornersAndFaces(t *testing.T) {
	two := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 10, Z: 10}), meshtest.Box(mesh.Vec{X: 20, Z: 5}, mesh.Vec{X: 10, Y: 10, Z: 10})).Weld()
	c, err := Split(two, mesh.Vec{Z: 1}, 5, Pegs{}) // the foot of the second lies in it
	require.NoError(t, err)
	above, under := halves(t, c)
	assert.InDelta(t, 1500, above, 0.05)
	assert.InDelta(t, 500, under, 0.05)
	c, err = Split(two, mesh.Vec{X: 1, Y: 1}, 10, Pegs{}) // along a diagonal, through four corners
	require.NoError(t, err)
	above, under = halves(t, c)
	assert.InDelta(t, 1500, above, 0.05)
	assert.InDelta(t, 500, under, 0.05)
}

func TestHalvesAgainstManifold(t *testing.T) {
	m, want := bunnyAndReference(t)
	require.NotEmpty(t, want.Halves)
	for _, w := range want.Halves {
		c, err := Split(m, mesh.Vec{X: w.Plane[0], Y: w.Plane[1], Z: w.Plane[2]}, w.Plane[3], Pegs{})
		require.NoError(t, err)
		above, under := halves(t, c)
		assert.InEpsilon(t, w.AboveMM3, above, 1e-5, "%v", w.Plane)
		assert.InEpsilon(t, w.UnderMM3, under, 1e-5, "%v", w.Plane)
	}
}

// A fine mesh cut askew: corners come to lie within a few digits of each other.
func TestSplitOfAFineMesh(t *testing.T) {
	ring := meshtest.Ring(40, 15, 1000, 500).Weld()
	c, err := Split(ring, mesh.Vec{X: 0.3, Y: 0.2, Z: 1}, 1, Pegs{Count: 3, DiameterMM: 5, ClearanceMM: 0.15})
	require.NoError(t, err)
	halves(t, c)
	assert.Len(t, c.Sockets, 3)
}

func TestSplitProperty(t *testing.T) {
	m, _ := bunnyAndReference(t)
	volume := m.Measure().VolumeMM3
	rapid.Check(t, func(t *rapid.T) {
		g := rapid.Float64Range(-1, 1)
		n := mesh.Vec{X: g.Draw(t, "x"), Y: g.Draw(t, "y"), Z: g.Draw(t, "z")}
		if n.Len() < 0.05 {
			return
		}
		at := m.Vertices[rapid.IntRange(0, len(m.Vertices)-1).Draw(t, "through")]
		c, err := Split(m, n, n.Dot(at), Pegs{}) // through a corner, the hardest
		if err != nil {
			return
		}
		above, under := halves(t, c)
		if math.Abs(above+under-volume) > 1e-4*volume {
			t.Fatalf("%g + %g of %g", above, under, volume)
		}
	})
}

func TestPegsHaveSocketsInBothHalves(t *testing.T) {
	box := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 30, Z: 40}).Weld()
	pegs := Pegs{Count: 2, DiameterMM: 5, ClearanceMM: 0.15}
	c, err := Split(box, mesh.Vec{Z: 1}, 18, pegs)
	require.NoError(t, err)
	require.Len(t, c.Sockets, 2)
	above, under := halves(t, c)
	// A socket is a prism of 32 sides: ½·32·r²·sin(2π/32) across.
	r := 2.5 + 0.15
	across := 16 * r * r * math.Sin(2*math.Pi/32)
	depth := c.Sockets[0].DepthMM
	assert.InDelta(t, 2*5+0.15, depth, 1e-9)
	assert.InDelta(t, 60*30*22-2*across*depth, above, 0.5)
	assert.InDelta(t, 60*30*18-2*across*depth, under, 0.5)
	assert.Greater(t, c.Sockets[0].At.Sub(c.Sockets[1].At).Len(), 10.0, "they stand apart")
	dowel := written(pegs.Dowel(depth))
	assert.True(t, dowel.Watertight)
	assert.Zero(t, dowel.InvertedShells)
	assert.InDelta(t, 2*(depth-0.15), dowel.SizeMM[2], 1e-5)
	assert.Less(t, dowel.SizeMM[0], 2*r)

	// A tube of 3 mm wall has no room for pegs of 5.
	tube := meshtest.Turned([][2]float64{{10, 0}, {13, 0}, {13, 30}, {10, 30}, {10, 0}}, 48).Weld()
	_, err = Split(tube, mesh.Vec{Z: 1}, 14.9, pegs)
	assert.ErrorIs(t, err, ErrNoRoom)
	// In a thin floor a socket goes no deeper than leaves matter at its end.
	c, err = Split(box, mesh.Vec{Z: 1}, 33, Pegs{Count: 1, DiameterMM: 5})
	require.NoError(t, err)
	assert.InDelta(t, 7-pegWallMM, c.Sockets[0].DepthMM, 1e-9)
}
