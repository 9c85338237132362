package solid

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// An hourglass is cut at its waist, though that is not its middle; a long bar across its
// length, into pieces that fit.
func cutsOf(t require.TestingT, m *mesh.Mesh, pieces int, bed [3]float64) []Cuts {
	cuts, err := SuggestCuts(context.Background(), m, pieces, bed)
	require.NoError(t, err)
	return cuts
}

func TestSuggestCuts(t *testing.T) {
	glass := meshtest.Turned([][2]float64{{0, 0}, {20, 0}, {20, 30}, {4, 44}, {20, 58}, {20, 90}, {0, 90}}, 64).Weld()
	c := cutsOf(t, glass, 2, [3]float64{})
	ended, end := context.WithCancel(context.Background())
	end()
	_, err := SuggestCuts(ended, glass, 2, [3]float64{})
	require.ErrorIs(t, err, context.Canceled)
	require.NotEmpty(t, c)
	assert.Equal(t, mesh.Vec{Z: 1}, c[0].Axis)
	require.Len(t, c[0].At, 1)
	assert.InDelta(t, 44, c[0].At[0], 0.4)
	assert.InEpsilon(t, math.Pi*16, c[0].SectionMM2[0], 0.1)
	assert.InEpsilon(t, glass.Measure().VolumeMM3, sum(c[0].Volumes), 0.01)

	bar := block(300, 20, 40)
	c = cutsOf(t, bar, 3, [3]float64{120, 120, 120})
	assert.Equal(t, mesh.Vec{X: 1}, c[0].Axis)
	assert.True(t, c[0].Fits)
	assert.InDeltaSlice(t, []float64{100, 200}, c[0].At, 3)
	assert.False(t, cutsOf(t, bar, 2, [3]float64{120, 120, 120})[0].Fits)

	pieces, dowels, err := SplitAll(bar, c[0].Axis, c[0].At, Pegs{Count: 2, DiameterMM: 5, ClearanceMM: 0.2})
	require.NoError(t, err)
	require.Len(t, pieces, 3)
	assert.Len(t, dowels, 4)
	volume, sockets := 0.0, 0.0
	for _, p := range pieces {
		m := mesh.Measure(p)
		assert.True(t, m.Watertight)
		volume += m.VolumeMM3
	}
	for _, d := range dowels {
		// A socket is as long as its dowel and two clearances, and wider by two.
		long := d.Box.Size().Z + 2*0.2
		sockets += long * 0.5 * pegSides * 2.7 * 2.7 * math.Sin(2*math.Pi/pegSides)
	}
	assert.InDelta(t, 300*20*40, volume+sockets, 1)
}

// A cap on a stalk has its thin places in the stalk; into three, no piece is left with next
// to nothing for the sake of a short seam.
func TestCutsKeepVolumesNear(t *testing.T) {
	mushroom := meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {7, 40}, {30, 42}, {28, 62}, {14, 76}, {3, 80}, {0, 80}}, 64).Weld()
	for _, c := range cutsOf(t, mushroom, 3, [3]float64{}) {
		whole := sum(c.Volumes)
		for _, v := range c.Volumes {
			assert.Greater(t, v/whole, 0.08, "%v of %v along %v", v, c.Volumes, c.Axis)
		}
	}
}
