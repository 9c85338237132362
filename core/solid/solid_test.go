package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// A cone of radius 20 and height 60: its slices are circles.
func TestProfileOfACone(t *testing.T) {
	m := meshtest.Turned([][2]float64{{0, 0}, {20, 0}, {0, 60}}, 256).Weld()
	require.True(t, m.Measure().Watertight)
	p := ProfileOf(m, 120)
	for _, z := range []float64{5, 20, 40, 55} {
		r := 20 * (1 - z/60)
		assert.InDelta(t, math.Pi*r*r, p.At(z).AreaMM2, 6, "area at %v", z)
		assert.InDelta(t, 2*math.Pi*r, p.At(z).PerimeterMM, 0.2, "perimeter at %v", z)
	}
	assert.InEpsilon(t, m.Measure().VolumeMM3, p.VolumeMM3(), 1e-3)
	twice := p.Scaled(2)
	assert.InEpsilon(t, 8*p.VolumeMM3(), twice.VolumeMM3(), 1e-9)
	assert.InEpsilon(t, 2*p.At(30).PerimeterMM, twice.At(60).PerimeterMM, 1e-9)
}

// A tube shows as ring: the hole counts minus.
func TestProfileCountsHoles(t *testing.T) {
	tube := meshtest.Turned([][2]float64{{10, 0}, {15, 0}, {15, 30}, {10, 30}, {10, 0}}, 256).Weld()
	s := ProfileOf(tube, 30).At(15)
	assert.InEpsilon(t, math.Pi*(15*15-10*10), s.AreaMM2, 1e-3)
	assert.InEpsilon(t, 2*math.Pi*25, s.PerimeterMM, 1e-3)
}

// A table of four legs: what hangs is the top without the legs.
func TestOverhangOfATable(t *testing.T) {
	leg := func(x, y float64) *mesh.Soup { return meshtest.Box(mesh.Vec{X: x, Y: y}, mesh.Vec{X: 5, Y: 5, Z: 20}) }
	table := meshtest.Together(leg(0, 0), leg(45, 0), leg(0, 45), leg(45, 45),
		meshtest.Box(mesh.Vec{Z: 20}, mesh.Vec{X: 50, Y: 50, Z: 4})).Weld()
	o := OverhangOf(table, OverhangDeg)
	assert.InEpsilon(t, 50*50-4*25, o.AreaMM2, 0.02)
	assert.InEpsilon(t, (50*50-4*25)*20, o.VolumeMM3, 0.02)
	assert.InEpsilon(t, 100, o.FootprintMM2, 0.1)
	assert.InEpsilon(t, 2500, o.ShadowMM2, 0.02)
}

// A cone on its point: at 40° from the vertical it holds itself, at 50° it does not.
func TestOverhangLimit(t *testing.T) {
	cone := func(deg float64) Overhang {
		r := 30 * math.Tan(deg*math.Pi/180)
		return OverhangOf(meshtest.Turned([][2]float64{{0, 0}, {r, 30}, {0, 30}}, 128).Weld(), OverhangDeg)
	}
	assert.Zero(t, cone(40).AreaMM2)
	r := 30 * math.Tan(50*math.Pi/180)
	assert.InEpsilon(t, math.Pi*r*r, cone(50).AreaMM2, 0.02)
	assert.InEpsilon(t, math.Pi*r*r*30*2/3, cone(50).VolumeMM3, 0.03, "the room under a cone on its point is two thirds of the cylinder")
}

func TestOutlineHoldsThePart(t *testing.T) {
	m := meshtest.Together(
		meshtest.Turned([][2]float64{{0, 0}, {20, 0}, {0, 60}}, 64),
		meshtest.Box(mesh.Vec{X: 10, Y: -3}, mesh.Vec{X: 40, Y: 6, Z: 5})).Weld()
	for _, v := range []View{Plan, Front, Side} {
		o := OutlineOf(m, v)
		require.Len(t, o, 1)
		low, high := v.project(m.Box.Min), v.project(m.Box.Max)
		middle := Point{(high.X - low.X) / 2, (high.Y - low.Y) / 2}
		for _, p := range m.Vertices {
			q := v.project(p)
			q = Point{q.X - low.X, q.Y - low.Y}
			q = Point{q.X + (middle.X-q.X)*1e-9, q.Y + (middle.Y-q.Y)*1e-9} // its corners lie on the rim
			assert.True(t, inside(o[0], q), "view %d: %v lies outside", v, q)
		}
		l, h := o.Size()
		assert.InDelta(t, 0, math.Hypot(l.X, l.Y), 1e-9)
		assert.InDelta(t, high.X-low.X, h.X, 1e-9)
		assert.InDelta(t, high.Y-low.Y, h.Y, 1e-9)
		assert.Less(t, len(o[0]), 120, "straightened")
	}
	plan := OutlineOf(m, Plan)
	assert.InEpsilon(t, math.Pi*400+6*30.4, plan.AreaMM2(), 0.1)
}

// A ring seen from above can be looked through; on a plate it takes all its room.
func TestSilhouetteHasHoles(t *testing.T) {
	tube := meshtest.Turned([][2]float64{{20, 0}, {30, 0}, {30, 10}, {20, 10}, {20, 0}}, 128).Weld()
	seen, laid := SilhouetteOf(tube, Plan), OutlineOf(tube, Plan)
	require.Len(t, seen, 2)
	require.Len(t, laid, 1)
	assert.InEpsilon(t, math.Pi*(30*30-20*20), seen.AreaMM2(), 0.2, "the rim of its hole is up to four cells of 0.25 mm too narrow")
	assert.InEpsilon(t, math.Pi*30*30, laid.AreaMM2(), 0.001, "what bulges is exact")
	assert.Len(t, SilhouetteOf(tube, Front), 1)
}

func TestOutlineOfSeparateBodies(t *testing.T) {
	o := OutlineOf(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 10, Z: 10}),
		meshtest.Box(mesh.Vec{X: 30}, mesh.Vec{X: 10, Y: 10, Z: 10})).Weld(), Plan)
	assert.Len(t, o, 2)
}

func TestTurningKeepsTheShape(t *testing.T) {
	o := Outline{{{0, 0}, {30, 0}, {30, 10}, {0, 10}}}
	low, high := o.Rotated(90).Size()
	assert.Equal(t, Point{0, 0}, low)
	assert.Equal(t, Point{10, 30}, high)
	assert.Equal(t, o.AreaMM2(), o.Rotated(270).AreaMM2())
}

func inside(ring []Point, p Point) bool {
	in := false
	for i, a := range ring {
		b := ring[(i+1)%len(ring)]
		if (a.Y <= p.Y) != (b.Y <= p.Y) && p.X < a.X+(b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y) {
			in = !in
		}
	}
	return in
}
