package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// A cone on its tip whose side leans by less than the limit is held at the tip alone; one
// that leans more all over. A stepped cone's steps are overhangs of known area, by plain
// geometry.
func TestSupportsOfCones(t *testing.T) {
	slim := meshtest.Turned([][2]float64{{0, 0}, {10, 30}, {0, 30}}, 64).Weld()
	s := SupportsOf(slim, FilamentHolding)
	require.Len(t, s.Contacts, 0, "its tip is on the plate")
	lifted := meshtest.Together(meshtest.Turned([][2]float64{{0, 20}, {10, 50}, {0, 50}}, 64), meshtest.Box(mesh.Vec{X: 20, Y: -5}, mesh.Vec{X: 10, Y: 10, Z: 50})).Weld()
	s = SupportsOf(lifted, FilamentHolding)
	require.NotEmpty(t, s.Contacts)
	assert.True(t, s.Contacts[0].Island)
	assert.InDelta(t, 20, s.Contacts[0].LongMM, 0.3)
	wide := meshtest.Turned([][2]float64{{0, 0}, {30, 12}, {0, 12}}, 64).Weld()
	flat := SupportsOf(wide, FilamentHolding)
	assert.Greater(t, len(flat.Contacts), 20)

	// Steps of 5 mm outward: the first is a ledge that reaches as far as the spacing holds,
	// so a wider spacing holds all of it and a narrow one none.
	var profile [][2]float64
	for i := range 5 {
		r, z := 5+6*float64(i), 8*float64(i)
		profile = append(profile, [2]float64{r, z}, [2]float64{r, z + 8})
	}
	profile = append([][2]float64{{0, 0}}, append(profile, [2]float64{0, 40})...)
	steps := meshtest.Turned(profile, 96).Weld()
	require.True(t, steps.Measure().Watertight)
	o := OverhangOf(steps, 45)
	assert.InEpsilon(t, math.Pi*(29*29-5*5), o.AreaMM2, 0.02)
	room := 0.0
	for i := range 4 {
		a, b := 5+6*float64(i), 11+6*float64(i)
		room += math.Pi * (b*b - a*a) * 8 * float64(i+1)
	}
	got := SupportsOf(steps, FilamentHolding)
	assert.InEpsilon(t, room, got.RoomMM3, 0.03)
	assert.Zero(t, got.OnPart)
	// Every leaning place is held within the spacing.
	assert.GreaterOrEqual(t, float64(len(got.Contacts)), math.Pi*(29*29-5*5)/(math.Pi*25))
	assert.Empty(t, SupportsOf(steps, Holding{LimitDeg: 45, SpacingMM: 7, TipMM: 1}).Contacts, "each ledge is shorter than what holds by itself")
}

// A bridge as short as the spacing holds by itself; a long one is held in its middle.
func TestSupportsOfBridges(t *testing.T) {
	bridge := func(span float64) *mesh.Mesh {
		return meshtest.Together(
			meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 8, Z: 30}),
			meshtest.Box(mesh.Vec{X: 10 + span}, mesh.Vec{X: 10, Y: 8, Z: 30}),
			meshtest.Box(mesh.Vec{X: 5, Z: 24.3}, mesh.Vec{X: span + 10, Y: 8, Z: 5}),
		).Weld()
	}
	h := Holding{LimitDeg: 45, SpacingMM: 5, TipMM: 1}
	short := SupportsOf(bridge(6), h)
	// The feet are anchors at the plate, far below: a bridge holds by its own ends.
	long := SupportsOf(bridge(40), h)
	assert.Greater(t, len(long.Contacts), len(short.Contacts)+4)
	for _, c := range long.Contacts {
		assert.False(t, c.OnPart)
		assert.InDelta(t, 24.3, c.LongMM, 0.1)
	}
}

// A closed box, a slot and a wide arch over the part itself: the first two are out of
// reach, and which way; the third is not.
func TestSupportsOutOfReach(t *testing.T) {
	hollow := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 40, Y: 40, Z: 40}), turnedIn(meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 30, Y: 30, Z: 30}))).Weld()
	require.Equal(t, 1, hollow.Measure().Cavities)
	s := SupportsOf(hollow, FilamentHolding)
	require.Len(t, s.Out, 1)
	assert.True(t, s.Out[0].Shut)
	assert.InEpsilon(t, 30*30*30, s.Out[0].RoomMM3, 0.1)
	assert.Greater(t, s.Out[0].Pillars, 10)
	assert.InDelta(t, 20, s.Out[0].At.X, 1)
	slot := func(gap float64) Supports {
		return SupportsOf(meshtest.Together(
			meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 60, Z: 10}),
			meshtest.Box(mesh.Vec{Z: 10 + gap}, mesh.Vec{X: 60, Y: 60, Z: 10}),
			meshtest.Box(mesh.Vec{Z: 5}, mesh.Vec{X: 6, Y: 60, Z: 10 + gap}),
		).Weld(), FilamentHolding)
	}
	narrow := slot(2)
	require.NotEmpty(t, narrow.Out)
	assert.False(t, narrow.Out[0].Shut, "there is a way, but no tool fits")
	assert.InDelta(t, 2, narrow.Out[0].GapMM, 0.1)
	assert.Empty(t, slot(12).Out, "a hand gets there")
	assert.Zero(t, slot(0.6).OnPart, "so narrow a gap is bridged")
}

func TestSupportsRaised(t *testing.T) {
	b := block(20, 20, 10)
	assert.Empty(t, SupportsOf(b, FilamentHolding).Contacts, "flat on the plate nothing is held")
	s := SupportsOf(b, ResinHolding)
	assert.Greater(t, len(s.Contacts), 20, "raised, its whole foot is")
	assert.InDelta(t, float64(len(s.Contacts))*math.Pi*0.25*0.25, s.ContactMM2, 1e-9)
}

// Distances on cubes are exact: against all pairs.
func TestClearance(t *testing.T) {
	v := voxelsOf(meshtest.Ring(6, 2, 24, 12).Weld())
	v.nx, v.ny, v.nz = 9, 8, 7
	v.solid = make([]bool, 9*8*7)
	for _, i := range []int{3, 77, 301, 420} {
		v.solid[i] = true
	}
	d := v.clearance(func(i int) bool { return v.solid[i] })
	for i := range d {
		least := math.Inf(1)
		for k, s := range v.solid {
			if s {
				dx, dy, dz := i%9-k%9, i/9%8-k/9%8, i/72-k/72
				least = min(least, float64(dx*dx+dy*dy+dz*dz))
			}
		}
		require.Equal(t, float32(least), d[i], i)
	}
}
