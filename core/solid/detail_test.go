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
	raised, hollow := DetailOf(box).At(1)
	assert.InDelta(t, 4*(10+20+30), raised, 1e-9)
	assert.Zero(t, hollow)
	for i := range box.Triangles {
		box.Triangles[i][1], box.Triangles[i][2] = box.Triangles[i][2], box.Triangles[i][1]
	}
	raised, hollow = DetailOf(box).At(2)
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
		d := DetailOf(meshtest.Ring(large, tube, 4*n, n).Weld())
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
	raised, _ = DetailOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 1, Y: 1, Z: 1}).Weld()).At(0)
	assert.Zero(t, raised)
}
