package mesh_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// halfBall is the upper or the lower half of a ball, closed by a flat face.
func halfBall(radius float64, up bool) *mesh.Soup {
	profile := [][2]float64{{0, 0}}
	for k := range 13 {
		a := float64(k) / 12 * math.Pi / 2
		profile = append(profile, [2]float64{radius * math.Cos(a), radius * math.Sin(a)})
	}
	profile[len(profile)-1][0] = 0
	s := meshtest.Turned(profile, 24)
	if up {
		return s
	}
	return moved(s, func(v mesh.Vec) mesh.Vec { return mesh.Vec{X: v.X, Y: -v.Y, Z: -v.Z} }) // turned about x
}

func moved(s *mesh.Soup, f func(mesh.Vec) mesh.Vec) *mesh.Soup {
	var flat []float32
	for i := range s.Len() {
		a, b, c := s.Triangle(i)
		for _, v := range []mesh.Vec{f(a), f(b), f(c)} {
			flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	return mesh.SoupOf("stl", flat)
}

func box(x, y, z, w, d, h float64) *mesh.Soup {
	return meshtest.Box(mesh.Vec{X: x, Y: y, Z: z}, mesh.Vec{X: w, Y: d, Z: h})
}

func neverWorse(t require.TestingT, what string, s *mesh.Soup) {
	before := mesh.Measure(s)
	require.True(t, before.Watertight, what)
	out, done := mesh.Mend(s)
	after := mesh.Measure(out)
	require.True(t, after.Watertight, "%s: %+v", what, done)
	require.InEpsilon(t, before.VolumeMM3, after.VolumeMM3, 1e-6, "%s: %+v", what, done)
}

// Bodies that lie flush against each other are watertight, and are so after mending, with the same volume.
func TestFlushBodiesStaySound(t *testing.T) {
	var dice []*mesh.Soup
	for k := range 27 {
		dice = append(dice, box(7*float64(k%3), 7*float64(k/3%3), 7*float64(k/9), 7, 7, 7))
	}
	s := meshtest.Together(dice...)
	assert.InDelta(t, 9261, mesh.Measure(s).VolumeMM3, 1e-6)
	neverWorse(t, "27 dice", s)
	neverWorse(t, "a cube on a slab", meshtest.Together(box(0, 0, 0, 40, 40, 5), box(10, 10, 5, 20, 20, 20)))
	neverWorse(t, "a cube on a slab, at its corner", meshtest.Together(box(0, 0, 0, 40, 40, 5), box(0, 0, 5, 20, 20, 20)))
	neverWorse(t, "two halves of a ball", meshtest.Together(halfBall(20, true), halfBall(20, false)))
	disc := meshtest.Turned([][2]float64{{0, 0}, {20, 0}, {20, 5}, {0, 5}}, 32)
	var pile []*mesh.Soup
	for k := range 4 {
		pile = append(pile, moved(disc, func(v mesh.Vec) mesh.Vec { return v.Add(mesh.Vec{Z: 5 * float64(k)}) }))
	}
	neverWorse(t, "a pile of discs", meshtest.Together(pile...))
}

// Over random bodies on a grid: flush, kissing at an edge or a corner, one twice, all of them turned.
func TestWhatIsWatertightIsNeverWorse(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 6).Draw(t, "bodies")
		var list []*mesh.Soup
		for range n {
			at := func(name string) float64 { return 5 * float64(rapid.IntRange(0, 3).Draw(t, name)) }
			size := func(name string) float64 { return 5 * float64(rapid.IntRange(1, 2).Draw(t, name)) }
			list = append(list, box(at("x"), at("y"), at("z"), size("w"), size("d"), size("h")))
		}
		a := rapid.Float64Range(0, 6).Draw(t, "turned by")
		s := moved(meshtest.Together(list...), func(v mesh.Vec) mesh.Vec {
			return mesh.Vec{X: v.X*math.Cos(a) - v.Y*math.Sin(a), Y: v.X*math.Sin(a) + v.Y*math.Cos(a), Z: v.Z}
		})
		if !mesh.Measure(s).Watertight {
			return
		}
		neverWorse(t, "bodies on a grid", s)
	})
}
