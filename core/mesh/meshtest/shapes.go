// Package meshtest makes meshes of known measure for the tests of other rooms.
package meshtest

import (
	"math"

	"sakuji/core/mesh"
)

// Box is a block with its lower corner at a point, facets outward.
func Box(at, size mesh.Vec) *mesh.Soup { return mesh.Blocks([2]mesh.Vec{at, size}) }

// Turned is the solid of revolution of a profile of (radius, height) points from
// bottom to top; points on the axis have radius 0.
func Turned(profile [][2]float64, sides int) *mesh.Soup {
	var flat []float32
	put := func(v ...mesh.Vec) {
		for _, p := range v {
			flat = append(flat, float32(p.X), float32(p.Y), float32(p.Z))
		}
	}
	at := func(i, k int) mesh.Vec {
		if profile[i][0] == 0 {
			return mesh.Vec{Z: profile[i][1]}
		}
		a := 2 * math.Pi * float64(k%sides) / float64(sides)
		return mesh.Vec{X: profile[i][0] * math.Cos(a), Y: profile[i][0] * math.Sin(a), Z: profile[i][1]}
	}
	for i := 0; i+1 < len(profile); i++ {
		for k := range sides {
			a, b, c, d := at(i, k), at(i, k+1), at(i+1, k+1), at(i+1, k)
			if profile[i][0] > 0 {
				put(a, b, c)
			}
			if profile[i+1][0] > 0 {
				put(a, c, d)
			}
		}
	}
	return mesh.SoupOf("stl", flat)
}

// Together puts soups into one.
func Together(soups ...*mesh.Soup) *mesh.Soup {
	var flat []float32
	for _, s := range soups {
		for i := range s.Len() {
			a, b, c := s.Triangle(i)
			for _, v := range []mesh.Vec{a, b, c} {
				flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	return mesh.SoupOf("stl", flat)
}

// Ring is a torus of 2·around·across triangles that lies about z.
func Ring(radius, tube float64, around, across int) *mesh.Soup {
	at := func(i, k int) mesh.Vec {
		u, v := 2*math.Pi*float64(i%around)/float64(around), 2*math.Pi*float64(k%across)/float64(across)
		r := radius + tube*math.Cos(v)
		return mesh.Vec{X: r * math.Cos(u), Y: r * math.Sin(u), Z: tube * math.Sin(v)}
	}
	flat := make([]float32, 0, 18*around*across)
	for i := range around {
		for k := range across {
			a, b, c, d := at(i, k), at(i+1, k), at(i+1, k+1), at(i, k+1)
			for _, v := range []mesh.Vec{a, b, c, a, c, d} {
				flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	return mesh.SoupOf("stl", flat)
}
