package mesh_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// What took minutes: shells in shells, many small bodies, triangles thrown about. Each is done
// well within the time that work on a file is given; the bound is wide, for busy machines.
func TestShapesThatAreMeantToTakeLong(t *testing.T) {
	many := func(n int, each func(i int) *mesh.Soup) *mesh.Soup {
		list := make([]*mesh.Soup, n)
		for i := range list {
			list[i] = each(i)
		}
		return meshtest.Together(list...)
	}
	rnd := rand.New(rand.NewPCG(1, 2))
	random := make([]float32, 9*8000)
	for k := range random {
		random[k] = 80 * rnd.Float32()
	}
	for name, s := range map[string]*mesh.Soup{
		"nested": many(200, func(i int) *mesh.Soup {
			x := float64(i) / 10
			return meshtest.Box(mesh.Vec{X: x, Y: x, Z: x}, mesh.Vec{X: 80 - 2*x, Y: 80 - 2*x, Z: 80 - 2*x})
		}),
		"tiny": many(20_000, func(i int) *mesh.Soup {
			return meshtest.Box(mesh.Vec{X: float64(i%40) * 2, Y: float64(i/40%40) * 2, Z: float64(i/1600) * 2}, mesh.Vec{X: 1, Y: 1, Z: 1})
		}),
		"random": mesh.SoupOf("stl", random),
		"equal": many(10_000, func(int) *mesh.Soup {
			return mesh.SoupOf("stl", []float32{0, 0, 0, 9, 0, 0, 0, 9, 0})
		}),
		"boxes": many(2_000, func(int) *mesh.Soup { return meshtest.Box(mesh.Vec{}, mesh.Vec{X: 9, Y: 9, Z: 9}) }),
	} {
		begin := meshtest.CPU()
		d := mesh.Diagnose(s)
		d.Mesh.Thickness()
		d.Mesh.Neighbours()
		mesh.ClayStill(640, 480).Draw(s)
		mesh.Mend(s)
		took := meshtest.CPU() - begin
		t.Log(name, took)
		assert.Less(t, took, 20*time.Second, name) // of the processors
	}
}
