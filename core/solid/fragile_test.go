package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// A block with a thin long pin on top and a stout stub beside: the pin is told, with its
// section by plain geometry, the stub is not. A mushroom's thin neck bears its hat.
func TestFragile(t *testing.T) {
	pin := meshtest.Together(
		meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 30, Z: 15}),
		meshtest.Box(mesh.Vec{X: 4, Y: 4, Z: 14}, mesh.Vec{X: 2, Y: 2, Z: 16}),
		meshtest.Box(mesh.Vec{X: 18, Y: 18, Z: 14}, mesh.Vec{X: 8, Y: 8, Z: 8}),
	).Weld()
	got := FragileOf(pin, 5)
	require.NotEmpty(t, got)
	assert.InDelta(t, 4, got[0].SectionMM2, 0.3)
	assert.InDelta(t, 5, got[0].At.X, 0.5)
	assert.InDelta(t, 5, got[0].At.Y, 0.5)
	assert.InDelta(t, 15, got[0].ArmMM, 2.5)
	for _, f := range got {
		assert.Less(t, math.Hypot(f.At.X-5, f.At.Y-5), 8.0, "the stub is stout enough: %+v", f)
	}
	neck := meshtest.Turned([][2]float64{{0, 0}, {10, 0}, {10, 6}, {1.5, 8}, {1.5, 20}, {9, 22}, {9, 26}, {0, 26}}, 48).Weld()
	got = FragileOf(neck, 3)
	require.NotEmpty(t, got)
	assert.InEpsilon(t, math.Pi*1.5*1.5, got[0].SectionMM2, 0.05)
	assert.True(t, got[0].At.Z > 7 && got[0].At.Z < 21)
	assert.Empty(t, FragileOf(block(30, 30, 30), 5))
	// A ring hangs on no section of it: each has another way round.
	assert.Empty(t, FragileOf(meshtest.Ring(20, 1.5, 64, 16).Weld(), 5))
}
