package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// stood turns a part so that a direction of it points at the plate.
func stood(m *mesh.Mesh, down mesh.Vec) *mesh.Mesh { return Turned(m, Turn(down)) }

// The verdicts a practitioner gives of a cup, a bottle, an arch and a ring, each in the
// positions worth an argument. Parts hang head down: what points down here lies at the
// plate, what points up reaches toward the film. Source: common practice.
func TestCupsAsAPractitionerSeesThem(t *testing.T) {
	cup := meshtest.Turned([][2]float64{{0, 0}, {15, 0}, {15, 40}, {13, 40}, {13, 2}, {0, 2}}, 64).Weld()
	bottle := meshtest.Turned([][2]float64{{0, 0}, {15, 0}, {15, 30}, {5, 40}, {5, 50}, {3, 50}, {3, 39}, {13, 29}, {13, 2}, {0, 2}}, 64).Weld()
	ring := meshtest.Turned([][2]float64{{12, 0}, {16, 0}, {16, 8}, {12, 8}, {12, 0}}, 64).Weld()
	arch := meshtest.Together(meshtest.Box(mesh.Vec{X: -20}, mesh.Vec{X: 8, Y: 10, Z: 25}), meshtest.Box(mesh.Vec{X: 12}, mesh.Vec{X: 8, Y: 10, Z: 25}), meshtest.Box(mesh.Vec{X: -20, Z: 25}, mesh.Vec{X: 40, Y: 10, Z: 8})).Weld()
	for _, m := range []*mesh.Mesh{cup, bottle, ring} {
		require.True(t, m.Measure().Watertight)
	}
	mouthUp, mouthDown, side := mesh.Vec{Z: -1}, mesh.Vec{Z: 1}, mesh.Vec{X: 1}
	tests := []struct {
		name string
		part *mesh.Mesh
		down mesh.Vec
		flat bool
		trap bool
	}{
		{"cup, its mouth toward the film", cup, mouthUp, false, true},
		{"cup, its mouth toward the plate, on supports", cup, mouthDown, false, false},
		{"cup, its mouth flat on the plate", cup, mouthDown, true, true},
		{"cup on its side", cup, side, false, false},
		{"bottle, its neck toward the film", bottle, mouthUp, false, true},
		{"bottle, its neck toward the plate, on supports", bottle, mouthDown, false, false},
		{"bottle, its neck flat on the plate", bottle, mouthDown, true, true},
		{"bottle on its side", bottle, side, false, true}, // its belly dips below its neck
		{"arch on its feet", arch, mouthUp, true, false},
		{"arch crown first", arch, mouthDown, true, false},
		{"arch on its side", arch, mesh.Vec{Y: 1}, true, false},
		{"ring flat on the plate", ring, mouthUp, true, true},
		{"ring flat on supports", ring, mouthUp, false, false},
		{"ring on edge", ring, side, false, false},
	}
	for _, test := range tests {
		found := Cups(stood(test.part, test.down), test.flat)
		assert.Equal(t, test.trap, len(found) > 0, "%s: %+v", test.name, found)
	}
}

func TestCupsAreMeasuredAndVented(t *testing.T) {
	cup := meshtest.Turned([][2]float64{{0, 0}, {15, 0}, {15, 40}, {13, 40}, {13, 2}, {0, 2}}, 64).Weld()
	found := Cups(cup, false)
	require.Len(t, found, 1)
	c := found[0]
	assert.InEpsilon(t, math.Pi*13*13*38, c.VolumeMM3, 0.02)
	assert.InEpsilon(t, math.Pi*13*13, c.LargestMM2, 0.02)
	assert.InDelta(t, 2, c.FromMM, 0.2)
	assert.InDelta(t, 40, c.ToMM, 0.2)
	assert.InDelta(t, 0, math.Hypot(c.At.X, c.At.Y), 0.5)
	// A hole through its floor lets air in: no cup any more.
	pipe := meshtest.Turned([][2]float64{{2, 0}, {15, 0}, {15, 40}, {13, 40}, {13, 2}, {2, 2}, {2, 0}}, 64).Weld()
	assert.Empty(t, Cups(pipe, false))
	assert.Len(t, Cups(pipe, true), 1, "but not where the plate itself stops it")
	// A sealed cavity is a cup, whichever way it hangs.
	sealed := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 30, Z: 30}), turnedIn(meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 20, Y: 20, Z: 20}))).Weld()
	for _, down := range []mesh.Vec{{Z: -1}, {Z: 1}, {X: 1}, {Y: -1}} {
		found := Cups(stood(sealed, down), false)
		require.Len(t, found, 1)
		assert.InEpsilon(t, 8000, found[0].VolumeMM3, 0.03)
	}
	// Two wells that meet above the wall between them are one cup in the end.
	wells := Cups(meshtest.Together(
		meshtest.Box(mesh.Vec{}, mesh.Vec{X: 44, Y: 24, Z: 3}), meshtest.Box(mesh.Vec{Z: 3}, mesh.Vec{X: 2, Y: 24, Z: 27}), meshtest.Box(mesh.Vec{X: 42, Z: 3}, mesh.Vec{X: 2, Y: 24, Z: 27}),
		meshtest.Box(mesh.Vec{X: 2, Z: 3}, mesh.Vec{X: 40, Y: 2, Z: 27}), meshtest.Box(mesh.Vec{X: 2, Y: 22, Z: 3}, mesh.Vec{X: 40, Y: 2, Z: 27}), meshtest.Box(mesh.Vec{X: 21, Y: 2, Z: 3}, mesh.Vec{X: 2, Y: 20, Z: 10})).Weld(), false)
	require.Len(t, wells, 1)
	assert.InEpsilon(t, 40*20*27-2*20*10, wells[0].VolumeMM3, 0.04)
}
