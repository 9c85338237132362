package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// A box has twelve edges of a right angle, all raised; inside out, all hollow.
func TestDetailOfABox(t *testing.T) {
	box := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 30}).Weld()
	raised, hollow := DetailOf(box, allFacets).At(1)
	assert.InDelta(t, 4*(10+20+30), raised, 1e-9)
	assert.Zero(t, hollow)
	for i := range box.Triangles {
		box.Triangles[i][1], box.Triangles[i][2] = box.Triangles[i][2], box.Triangles[i][1]
	}
	raised, hollow = DetailOf(box, allFacets).At(2)
	assert.Zero(t, raised)
	assert.InDelta(t, 8*(10+20+30), hollow, 1e-9)
}

// A ring has no crease as large as it is; made so small that its tube is sharper than the
// limit, all of its turn counts, however many facets it has. Across the tube the surface
// turns by 2π, raised; around the hole it turns in by 2π on the inner half and out by 2π
// on the outer (Gauss and Bonnet: the two make each other up, weighted by radius).
func TestDetailDoesNotDependOnFacets(t *testing.T) {
	const large, tube = 20.0, 6.0
	for _, n := range []int{200, 400} {
		d := DetailOf(meshtest.Ring(large, tube, 4*n, n).Weld(), allFacets)
		raised, _ := d.At(1)
		assert.Zero(t, raised, "a tube of 6 mm is no crease")
		raised, _ = d.At(0.1) // the tube's radius is 0.6 mm now
		assert.InEpsilon(t, 4*2*math.Pi*large*0.1, raised, 0.12, n)
	}
}

func TestDetailUnknown(t *testing.T) {
	assert.False(t, Detail{}.Measured())
	raised, hollow := Detail{}.At(1)
	assert.Zero(t, raised+hollow)
	raised, _ = DetailOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 1, Y: 1, Z: 1}).Weld(), allFacets).At(0)
	assert.Zero(t, raised)
}

func allFacets(int) bool { return true }

// A wall laid inward of a block of a × b × c is a·b·c − (a−2w)(b−2w)(c−2w); the term with w²
// is the sum of its twelve edges. Of a ball it is 4πr.
func TestBent(t *testing.T) {
	box := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 30}).Weld()
	assert.InDelta(t, 4*(10+20+30), BentMM(box), 1e-6)
	assert.InEpsilon(t, 4*math.Pi*20, BentMM(dome(20, 0, -20, 96).Weld()), 0.01)
}

// dome is a ball, or a shell of one with a wall, cut off level at a height over its middle.
func dome(radius, wall, cutZ float64, steps int) *mesh.Soup {
	var profile [][2]float64
	arc := func(r float64, up bool) {
		from := math.Asin(max(-1, cutZ/r))
		for k := range steps + 1 {
			a := from + (math.Pi/2-from)*float64(k)/float64(steps)
			if !up {
				a = math.Pi/2 - (math.Pi/2-from)*float64(k)/float64(steps)
			}
			profile = append(profile, [2]float64{max(0, r*math.Cos(a)), r * math.Sin(a)})
		}
		if up {
			profile[len(profile)-1][0] = 0
		} else {
			profile[len(profile)-steps-1][0] = 0
		}
	}
	if wall > 0 {
		profile = append(profile, [2]float64{math.Sqrt((radius-wall)*(radius-wall) - cutZ*cutZ), cutZ})
	} else if -cutZ >= radius {
		profile = append(profile, [2]float64{0, -radius})
	} else {
		profile = append(profile, [2]float64{0, cutZ})
	}
	arc(radius, true)
	if -cutZ >= radius {
		profile = append(profile[:1], profile[2:]...)
	}
	if wall > 0 {
		arc(radius-wall, false)
	}
	return meshtest.Turned(profile, 2*steps)
}
