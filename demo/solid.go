// Package demo is the demo studio, Lantern & Larch in Sorrel Vale: its models, made
// here by code, its clients and orders, and three weeks of its history, lived
// through the same use cases that people use. Everything in it is invented.
package demo

import (
	"math"
	"sync"

	"sakuji/core/mesh"
)

// shape is a signed distance field, roughly: negative inside, in millimetres.
type shape func(p mesh.Vec) float64

func ball(at mesh.Vec, r float64) shape {
	return func(p mesh.Vec) float64 { return p.Sub(at).Len() - r }
}

// egg is an ellipsoid.
func egg(at, r mesh.Vec) shape {
	least := math.Min(r.X, math.Min(r.Y, r.Z))
	return func(p mesh.Vec) float64 {
		d := p.Sub(at)
		return (math.Sqrt(d.X*d.X/r.X/r.X+d.Y*d.Y/r.Y/r.Y+d.Z*d.Z/r.Z/r.Z) - 1) * least
	}
}

// limb is a cone with round ends.
func limb(a, b mesh.Vec, ra, rb float64) shape {
	ab := b.Sub(a)
	l2 := ab.Dot(ab)
	return func(p mesh.Vec) float64 {
		t := math.Max(0, math.Min(1, p.Sub(a).Dot(ab)/l2))
		return p.Sub(a.Add(ab.Mul(t))).Len() - (ra + (rb-ra)*t)
	}
}

// path is limbs in a row, all of one thickness that tapers.
func path(ra, rb float64, at ...mesh.Vec) shape {
	var parts []shape
	n := float64(len(at) - 1)
	for i := 0; i+1 < len(at); i++ {
		parts = append(parts, limb(at[i], at[i+1], ra+(rb-ra)*float64(i)/n, ra+(rb-ra)*float64(i+1)/n))
	}
	return join(0.4, parts...)
}

// block is a box with rounded edges.
func block(at, half mesh.Vec, round float64) shape {
	return func(p mesh.Vec) float64 {
		d := p.Sub(at)
		x, y, z := math.Abs(d.X)-half.X+round, math.Abs(d.Y)-half.Y+round, math.Abs(d.Z)-half.Z+round
		out := mesh.Vec{X: math.Max(x, 0), Y: math.Max(y, 0), Z: math.Max(z, 0)}.Len()
		return out + math.Min(0, math.Max(x, math.Max(y, z))) - round
	}
}

// drum is an upright cylinder from z to z+h.
func drum(at mesh.Vec, r, h float64) shape {
	return func(p mesh.Vec) float64 {
		d := math.Hypot(p.X-at.X, p.Y-at.Y) - r
		z := math.Max(at.Z-p.Z, p.Z-at.Z-h)
		return math.Min(math.Max(d, z), 0) + math.Hypot(math.Max(d, 0), math.Max(z, 0))
	}
}

// ring is a torus about an axis through at.
func ring(at, axis mesh.Vec, r, tube float64) shape {
	axis = axis.Mul(1 / axis.Len())
	return func(p mesh.Vec) float64 {
		d := p.Sub(at)
		h := d.Dot(axis)
		return math.Hypot(math.Sqrt(math.Max(0, d.Dot(d)-h*h))-r, h) - tube
	}
}

// join puts shapes together, with a fillet of about k.
func join(k float64, parts ...shape) shape {
	return func(p mesh.Vec) float64 {
		d := parts[0](p)
		for _, s := range parts[1:] {
			d = soft(d, s(p), k)
		}
		return d
	}
}

// soft is the smooth minimum of two distances (polynomial).
func soft(a, b, k float64) float64 {
	h := math.Max(k-math.Abs(a-b), 0) / k
	return math.Min(a, b) - h*h*k/4
}

func cut(s shape, away ...shape) shape {
	return func(p mesh.Vec) float64 {
		d := s(p)
		for _, a := range away {
			d = math.Max(d, -a(p))
		}
		return d
	}
}

// standing cuts a shape off below z = 0.
func orientation(s shape) shape {
	return func(p mesh.Vec) float64 { return math.Max(s(p), -p.Z) }
}

func mirrored(s shape) shape {
	return func(p mesh.Vec) float64 { p.X = math.Abs(p.X); return s(p) }
}

// carve turns a shape into triangles by marching tetrahedra over a grid: each cube
// is cut into six tetrahedra that share its diagonal, so the surface is always
// closed [published: Doi and Koide, IEICE Transactions E74, 1991]. Blocks the
// surface cannot reach are passed over.
func carve(s shape, low, high mesh.Vec, cell float64) *mesh.Soup {
	size := high.Sub(low)
	n := [3]int{int(size.X/cell) + 2, int(size.Y/cell) + 2, int(size.Z/cell) + 2}
	origin := low.Sub(mesh.Vec{X: cell / 2, Y: cell / 2, Z: cell / 2})
	const block = 8
	layers := (n[2] + block - 1) / block
	out := make([][]float32, layers)
	var wait sync.WaitGroup
	for l := range layers {
		wait.Go(func() {
			m := marcher{shape: s, origin: origin, cell: cell}
			for by := 0; by < n[1]; by += block {
				for bx := 0; bx < n[0]; bx += block {
					m.block([3]int{bx, by, l * block}, [3]int{min(bx+block, n[0]), min(by+block, n[1]), min((l+1)*block, n[2])})
				}
			}
			out[l] = m.flat
		})
	}
	wait.Wait()
	var flat []float32
	for _, o := range out {
		flat = append(flat, o...)
	}
	return mesh.SoupOf("stl", flat)
}

type marcher struct {
	shape  shape
	origin mesh.Vec
	cell   float64
	flat   []float32
}

func (m *marcher) at(x, y, z int) mesh.Vec {
	return m.origin.Add(mesh.Vec{X: float64(x), Y: float64(y), Z: float64(z)}.Mul(m.cell))
}

func (m *marcher) block(from, to [3]int) {
	a, b := m.at(from[0], from[1], from[2]), m.at(to[0], to[1], to[2])
	if math.Abs(m.shape(a.Add(b).Mul(0.5))) > 1.6*b.Sub(a).Len()/2+m.cell {
		return
	}
	nx, ny, nz := to[0]-from[0]+1, to[1]-from[1]+1, to[2]-from[2]+1
	d := make([]float64, nx*ny*nz)
	for z := range nz {
		for y := range ny {
			for x := range nx {
				v := m.shape(m.at(from[0]+x, from[1]+y, from[2]+z))
				if math.Abs(v) < m.cell*0.02 { // no corner lies on the surface, so no sliver arises
					v = math.Copysign(m.cell*0.02, v)
				}
				d[(z*ny+y)*nx+x] = v
			}
		}
	}
	for z := range nz - 1 {
		for y := range ny - 1 {
			for x := range nx - 1 {
				m.cube(from, [3]int{x, y, z}, [3]int{nx, ny, nz}, d)
			}
		}
	}
}

// tetrahedra are the six that share the cube's diagonal from corner 0 to 7.
var tetrahedra = [6][4]int{{0, 1, 3, 7}, {0, 3, 2, 7}, {0, 2, 6, 7}, {0, 6, 4, 7}, {0, 4, 5, 7}, {0, 5, 1, 7}}

func (m *marcher) cube(from, c, n [3]int, d []float64) {
	var at [8]mesh.Vec
	var v [8]float64
	inside := 0
	for k := range 8 {
		x, y, z := c[0]+k&1, c[1]+k>>1&1, c[2]+k>>2
		v[k] = d[(z*n[1]+y)*n[0]+x]
		at[k] = m.at(from[0]+x, from[1]+y, from[2]+z)
		if v[k] < 0 {
			inside++
		}
	}
	if inside == 0 || inside == 8 {
		return
	}
	for _, t := range tetrahedra {
		m.tetrahedron([4]mesh.Vec{at[t[0]], at[t[1]], at[t[2]], at[t[3]]}, [4]float64{v[t[0]], v[t[1]], v[t[2]], v[t[3]]})
	}
}

func (m *marcher) tetrahedron(p [4]mesh.Vec, v [4]float64) {
	var in, out []int
	for k := range 4 {
		if v[k] < 0 {
			in = append(in, k)
		} else {
			out = append(out, k)
		}
	}
	edge := func(a, b int) mesh.Vec {
		if a > b && less(p[b], p[a]) || a < b && less(p[b], p[a]) {
			a, b = b, a // the same edge gives the same point from every side
		}
		return p[a].Add(p[b].Sub(p[a]).Mul(v[a] / (v[a] - v[b])))
	}
	switch len(in) {
	case 1:
		m.face(p[in[0]], edge(in[0], out[0]), edge(in[0], out[1]), edge(in[0], out[2]))
	case 3:
		m.faceAway(p[out[0]], edge(out[0], in[0]), edge(out[0], in[1]), edge(out[0], in[2]))
	case 2:
		a, b, c, d := edge(in[0], out[0]), edge(in[0], out[1]), edge(in[1], out[1]), edge(in[1], out[0])
		m.face(p[in[0]], a, b, c)
		m.face(p[in[0]], a, c, d)
	}
}

func less(a, b mesh.Vec) bool {
	if a.X != b.X {
		return a.X < b.X
	}
	if a.Y != b.Y {
		return a.Y < b.Y
	}
	return a.Z < b.Z
}

// face adds a triangle that looks away from an inner point, faceAway one that looks
// toward an outer point.
func (m *marcher) face(inner, a, b, c mesh.Vec) {
	if b.Sub(a).Cross(c.Sub(a)).Dot(a.Sub(inner)) < 0 {
		b, c = c, b
	}
	for _, p := range [3]mesh.Vec{a, b, c} {
		m.flat = append(m.flat, float32(p.X), float32(p.Y), float32(p.Z))
	}
}

func (m *marcher) faceAway(outer, a, b, c mesh.Vec) {
	if b.Sub(a).Cross(c.Sub(a)).Dot(outer.Sub(a)) < 0 {
		b, c = c, b
	}
	for _, p := range [3]mesh.Vec{a, b, c} {
		m.flat = append(m.flat, float32(p.X), float32(p.Y), float32(p.Z))
	}
}
