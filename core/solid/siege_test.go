package solid

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// welded is the mesh of a soup.
func welded(s *mesh.Soup) *mesh.Mesh {
	m, _ := mesh.Bodies(s)
	return m
}

// What took minutes: bodies that lie in one place, and facets that belong to none.
func TestFragilePlacesOfHeaps(t *testing.T) {
	loose, boxes := make([]*mesh.Soup, 4000), make([]*mesh.Soup, 3000)
	rnd := rand.New(rand.NewPCG(3, 4))
	for i := range loose {
		var f [9]float32
		for k := range f {
			f[k] = 30 * rnd.Float32()
		}
		loose[i] = mesh.SoupOf("stl", f[:])
	}
	for i := range boxes {
		boxes[i] = meshtest.Box(mesh.Vec{}, mesh.Vec{X: 9, Y: 9, Z: 9})
	}
	for name, s := range map[string]*mesh.Soup{"loose": meshtest.Together(loose...), "boxes": meshtest.Together(boxes...)} {
		begin := meshtest.CPU()
		assert.Empty(t, FragileOf(welded(s), 8), name)
		took := meshtest.CPU() - begin
		t.Log(name, took)
		assert.Less(t, took, 20*time.Second, name) // of the processors
	}
}

// A large triangle laid many times over is drawn once, and small ones beside it are all there.
func TestOutlineOfManyTrianglesInOnePlace(t *testing.T) {
	plate := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 100, Y: 60, Z: 1})
	many := []*mesh.Soup{meshtest.Box(mesh.Vec{X: 130, Y: 20}, mesh.Vec{X: 20, Y: 20, Z: 1})}
	for range 200 {
		many = append(many, plate)
	}
	rings := OutlineOf(welded(meshtest.Together(many...)), Plan)
	total := 0.0
	for _, r := range rings {
		total += area(r)
	}
	assert.Len(t, rings, 2)
	assert.InEpsilon(t, 100*60+20*20, total, 0.12)
}

// Rings that are sought in order of x cross where every side is tried against every other.
func TestCrossingRings(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 6))
	star := func() (ring []Point) {
		at := Point{10 * rnd.Float64(), 10 * rnd.Float64()}
		n := 3 + rnd.IntN(30)
		for k := range n {
			r, a := 0.2+3*rnd.Float64(), 2*math.Pi*float64(k)/float64(n)
			ring = append(ring, Point{at.X + r*math.Cos(a), at.Y + r*math.Sin(a)})
		}
		return ring
	}
	turn := func(p, q, r Point) float64 { return (q.X-p.X)*(r.Y-p.Y) - (r.X-p.X)*(q.Y-p.Y) }
	met := 0
	for range 2000 {
		a, b := star(), star()
		want := false
		for i, p := range a {
			for k, u := range b {
				q, v := a[(i+1)%len(a)], b[(k+1)%len(b)]
				want = want || turn(p, q, u)*turn(p, q, v) < 0 && turn(u, v, p)*turn(u, v, q) < 0
			}
		}
		work := math.Inf(1)
		assert.Equal(t, want, crosses(a, b, &work))
		if want {
			met++
		}
	}
	assert.Greater(t, met, 400)
	assert.Less(t, met, 1600)
}
