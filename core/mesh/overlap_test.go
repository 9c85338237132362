package mesh

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// lens is the volume two spheres of one radius share at a distance of their middles
// [published: Weisstein, Sphere-Sphere Intersection, MathWorld, equation 18 with R = r].
func lens(r, d float64) float64 { return math.Pi * (4*r + d) * (2*r - d) * (2*r - d) / 12 }

func TestSolidOfOverlappingSpheres(t *testing.T) {
	const r = 10.0
	one := sphere(r, 200, Vec{})
	volume := Measure(one).VolumeMM3
	for _, d := range []float64{4, 10, 16, 19.5} {
		s := together(one, sphere(r, 200, Vec{d, 0, 0}))
		o := Solid(s)
		want := 2*volume - lens(r, d)
		assert.InDelta(t, want, o.SolidMM3, 0.0006*want, "middles %g mm apart", d)
		assert.Equal(t, 1, o.Pairs)
		assert.Less(t, o.ErrorMM3, 0.002*want, "and the stated error is small")
		assert.InDelta(t, 2*volume, Measure(s).VolumeMM3, 1e-3, "the quick diagnosis counts it twice")
	}
	apart := Solid(together(one, sphere(r, 200, Vec{21, 0, 0})))
	assert.Equal(t, 0, apart.Pairs)
	assert.InDelta(t, 2*volume, apart.SolidMM3, 1e-3, "what does not overlap keeps its exact volume")
	assert.Zero(t, apart.ErrorMM3)
}

func TestSolidOfOverlappingBoxes(t *testing.T) {
	a, b := cube(10, Vec{}), cube(10, Vec{7, 6, 5})
	o := Solid(together(a, b))
	assert.InDelta(t, 2000-3*4*5, o.SolidMM3, o.ErrorMM3)
	assert.Less(t, o.ErrorMM3, 4.0)
	o = Solid(together(a, b, cube(6, Vec{-3, -3, -3})))
	assert.InDelta(t, 2216-60-27, o.SolidMM3, o.ErrorMM3+1)
	assert.Equal(t, 2, o.Pairs)
	held := Solid(together(cube(100, Vec{}), cube(1, Vec{99.99, 50, 50})))
	assert.Equal(t, 1, held.Pairs, "a hundredth of a millimetre holds a body")
	assert.InDelta(t, 1e6+1-0.01, held.SolidMM3, held.ErrorMM3+1e-3)
	// Three deep: each stretch counts once however often it is covered.
	o = Solid(together(a, cube(10, Vec{5, 0, 0}), cube(10, Vec{5, 5, 0})))
	assert.InDelta(t, 1500+500, o.SolidMM3, o.ErrorMM3+1)
	assert.Equal(t, 3, o.Pairs)
}

func TestSolidMindsCavitiesAndBuriedBodies(t *testing.T) {
	hollow := together(cube(20, Vec{}), inward(cube(10, Vec{5, 5, 5})))
	assert.InDelta(t, 7000, Solid(hollow).SolidMM3, 1e-6)
	poked := together(hollow, cube(20, Vec{8, 8, 8})) // 7×7×7 of it stand in the cavity
	assert.InDelta(t, 7000+8000-(12*12*12-7*7*7), Solid(poked).SolidMM3, 30, "what stands in a cavity is not shared")
	buried := together(cube(20, Vec{}), cube(10, Vec{5, 5, 5}))
	assert.InDelta(t, 8000, Solid(buried).SolidMM3, 1e-6)
	assert.Equal(t, 0, Solid(buried).Pairs)
	inverted := together(inward(cube(10, Vec{})), inward(cube(10, Vec{5, 5, 5})))
	assert.InDelta(t, 2000-125, Solid(inverted).SolidMM3, 1, "shells inside out count as they would after mending")
}

// A bar that is bent round until it runs through its own first leg is one shell.
func TestAShellThatCrossesItself(t *testing.T) {
	var flat []float32
	put := func(v ...Vec) {
		for _, p := range v {
			flat = append(flat, float32(p.X), float32(p.Y), float32(p.Z))
		}
	}
	section := func(x, y, tilt float64) [4]Vec { // a square of 10 across the bar's way
		return [4]Vec{{x, y, 0}, {x + tilt*10, y + (1-tilt)*10, 0}, {x + tilt*10, y + (1-tilt)*10, 10}, {x, y, 10}}
	}
	// Along x, then back through itself along y: the path crosses its own first leg.
	sections := [][4]Vec{section(0, 0, 0), section(40, 0, 0), section(60, 20, 0.5), section(40, 40, 1), section(20, -20, 1)}
	for k := 0; k+1 < len(sections); k++ {
		a, b := sections[k], sections[k+1]
		for i := range 4 {
			j := (i + 1) % 4
			put(a[i], b[i], b[j], a[i], b[j], a[j])
		}
	}
	first, last := sections[0], sections[len(sections)-1]
	put(first[0], first[1], first[2], first[0], first[2], first[3], last[0], last[2], last[1], last[0], last[3], last[2])
	bar, _ := Mend(SoupOf("stl", flat))
	m := Measure(bar)
	assert.True(t, m.Watertight)
	assert.Equal(t, 1, m.Shells)
	o := Solid(bar)
	assert.Equal(t, 1, o.Selves)
	assert.Equal(t, 0, o.Pairs)
	assert.Greater(t, o.Overlapped, 500.0, "the legs share some of a cube of 10")
	assert.Less(t, o.Overlapped, 1600.0)
	d := Diagnose(bar)
	if assert.Len(t, d.Faults, 1) {
		assert.Equal(t, FaultSelf, d.Faults[0].Kind)
		assert.InDelta(t, o.Overlapped, d.Faults[0].VolumeMM3, 1e-9)
	}
}
