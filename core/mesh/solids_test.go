package mesh

import (
	"math"
	"strconv"
)

// Shapes with known measures, for the tests of this room.

// polyhedron triangulates faces given by corner numbers, fanning each.
func polyhedron(corners []Vec, faces [][]int) *Soup {
	var flat []float32
	put := func(v Vec) { flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z)) }
	for _, f := range faces {
		for k := 1; k+1 < len(f); k++ {
			put(corners[f[0]])
			put(corners[f[k]])
			put(corners[f[k+1]])
		}
	}
	return SoupOf("stl", flat)
}

func cube(side float64, at Vec) *Soup {
	var corners []Vec
	for k := range 8 {
		corners = append(corners, at.Add(Vec{float64(k & 1), float64(k >> 1 & 1), float64(k >> 2)}.Mul(side)))
	}
	return polyhedron(corners, [][]int{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}})
}

// torus lies around z: its tube runs along a circle of radius ring.
func torus(ring, tube float64, nu, nv int) *Soup {
	p := func(i, k int) Vec {
		u, v := 2*math.Pi*float64(i%nu)/float64(nu), 2*math.Pi*float64(k%nv)/float64(nv)
		r := ring + tube*math.Cos(v)
		return Vec{r * math.Cos(u), r * math.Sin(u), tube * math.Sin(v)}
	}
	var flat []float32
	for i := range nu {
		for k := range nv {
			a, b, c, d := p(i, k), p(i+1, k), p(i+1, k+1), p(i, k+1)
			for _, v := range []Vec{a, b, c, a, c, d} {
				flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	return SoupOf("stl", flat)
}

func sphere(radius float64, n int, at Vec) *Soup {
	p := func(i, k int) Vec {
		u, v := 2*math.Pi*float64(i%(2*n))/float64(2*n), math.Pi*float64(k)/float64(n)
		if k == 0 || k == n {
			return at.Add(Vec{0, 0, -radius * math.Cos(v)})
		}
		return at.Add(Vec{radius * math.Sin(v) * math.Cos(u), radius * math.Sin(v) * math.Sin(u), -radius * math.Cos(v)})
	}
	var flat []float32
	for i := range 2 * n {
		for k := range n {
			a, b, c, d := p(i, k), p(i+1, k), p(i+1, k+1), p(i, k+1)
			tris := []Vec{a, b, c, a, c, d}
			if k == 0 {
				tris = []Vec{a, c, d}
			} else if k == n-1 {
				tris = []Vec{a, b, c}
			}
			for _, v := range tris {
				flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	return SoupOf("stl", flat)
}

func inward(s *Soup) *Soup {
	flat := make([]float32, 0, 9*s.Len())
	for i := range s.Len() {
		c := s.corners(i)
		flat = append(flat, c[0], c[1], c[2], c[6], c[7], c[8], c[3], c[4], c[5])
	}
	return SoupOf(s.Format, flat)
}

func together(soups ...*Soup) *Soup {
	var flat []float32
	for _, s := range soups {
		for i := range s.Len() {
			c := s.corners(i)
			flat = append(flat, c[:]...)
		}
	}
	return SoupOf("stl", flat)
}

func num(f float32) string { return strconv.FormatFloat(float64(f), 'g', -1, 32) }
