// Package surface marks parts of a mesh's surface, as paint and masks want them: grown from a place up to the edges, or
// dabbed on, on the other side, too; measured; and laid out flat as patterns to cut from tape.
package surface

import (
	"maps"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Mark is one touch on a surface. Marks follow each other; a later one may take away what an earlier one has.
type Mark struct {
	At       mesh.Vec `json:"at"`
	RadiusMM float64  `json:"radius_mm,omitempty"` // a dab so wide along the surface; 0: all up to the edges around it
	EdgeDeg  float64  `json:"edge_deg,omitempty"`  // facets that meet in a larger angle have an edge between them
	Away     bool     `json:"away,omitempty"`      // it takes away
}

// UsualEdgeDeg is the angle from which two facets have an edge between them where nobody says otherwise. Source: from
// memory.
const UsualEdgeDeg = 25

// Surface is a mesh made ready to be marked.
type Surface struct {
	m      *mesh.Mesh
	next   [][3]int32
	normal []mesh.Vec // of each triangle, of length 1; zero where it has no area
	area   []float64  // mm²
}

// Of makes a mesh ready.
func Of(m *mesh.Mesh) *Surface {
	s := &Surface{m: m, next: m.Neighbours(), normal: make([]mesh.Vec, len(m.Triangles)), area: make([]float64, len(m.Triangles))}
	for i, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		n := b.Sub(a).Cross(c.Sub(a))
		if long := n.Len(); long > 0 {
			s.normal[i], s.area[i] = n.Mul(1/long), long/2
		}
	}
	return s
}

// Region is the triangles that marks have, in the order of the marks.
func (s *Surface) Region(marks []Mark) []bool {
	in := make([]bool, len(s.m.Triangles))
	for _, k := range marks {
		for _, t := range s.touched(k) {
			in[t] = !k.Away
		}
	}
	return in
}

// touched are the triangles of one mark.
func (s *Surface) touched(k Mark) []int32 {
	from := s.nearest(k.At)
	if from < 0 {
		return nil
	}
	smooth := math.Cos(edgeOf(k) * math.Pi / 180)
	return s.flood(from, func(at, to int32) bool {
		if k.RadiusMM > 0 {
			return s.middle(to).Sub(k.At).Len() <= k.RadiusMM
		}
		return s.area[at] == 0 || s.area[to] == 0 || s.normal[at].Dot(s.normal[to]) >= smooth
	})
}

func edgeOf(k Mark) float64 {
	if k.EdgeDeg > 0 {
		return k.EdgeDeg
	}
	return UsualEdgeDeg
}

// flood goes from triangle to triangle as far as it may.
func (s *Surface) flood(from int32, may func(at, to int32) bool) []int32 {
	seen := map[int32]bool{from: true}
	out := []int32{from}
	for i := 0; i < len(out); i++ {
		for _, to := range s.next[out[i]] {
			if to >= 0 && !seen[to] && may(out[i], to) {
				seen[to] = true
				out = append(out, to)
			}
		}
	}
	return out
}

// nearest is the triangle that a point lies on, or nearest to; −1: there is none.
func (s *Surface) nearest(p mesh.Vec) int32 {
	best, at := math.Inf(1), int32(-1)
	for i, t := range s.m.Triangles {
		if s.area[i] == 0 {
			continue
		}
		if d := distance2(p, s.m.Vertices[t[0]], s.m.Vertices[t[1]], s.m.Vertices[t[2]]); d < best {
			best, at = d, int32(i)
		}
	}
	return at
}

// distance2 is the square of the distance of a point from a triangle. [published: Ericson, Real-Time Collision Detection,
// 2005, 5.1.5]
func distance2(p, a, b, c mesh.Vec) float64 {
	ab, ac, ap := b.Sub(a), c.Sub(a), p.Sub(a)
	to := func(q mesh.Vec) float64 { d := p.Sub(q); return d.Dot(d) }
	d1, d2 := ab.Dot(ap), ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return to(a)
	}
	bp := p.Sub(b)
	d3, d4 := ab.Dot(bp), ac.Dot(bp)
	if d3 >= 0 && d4 <= d3 {
		return to(b)
	}
	if vc := d1*d4 - d3*d2; vc <= 0 && d1 >= 0 && d3 <= 0 {
		return to(a.Add(ab.Mul(d1 / (d1 - d3))))
	}
	cp := p.Sub(c)
	d5, d6 := ab.Dot(cp), ac.Dot(cp)
	if d6 >= 0 && d5 <= d6 {
		return to(c)
	}
	if vb := d5*d2 - d1*d6; vb <= 0 && d2 >= 0 && d6 <= 0 {
		return to(a.Add(ac.Mul(d2 / (d2 - d6))))
	}
	if va := d3*d6 - d5*d4; va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		return to(b.Add(c.Sub(b).Mul((d4 - d3) / (d4 - d3 + d5 - d6))))
	}
	n := ab.Cross(ac)
	d := ap.Dot(n)
	return d * d / n.Dot(n)
}

func (s *Surface) middle(t int32) mesh.Vec {
	c := s.m.Triangles[t]
	return s.m.Vertices[c[0]].Add(s.m.Vertices[c[1]]).Add(s.m.Vertices[c[2]]).Mul(1.0 / 3)
}

// Measured is a region in figures.
type Measured struct {
	AreaMM2   float64
	EdgeMM    float64 // all around it, and around what it leaves out
	Pieces    int     // that do not hang together
	Triangles int
}

// Measure measures a region.
func (s *Surface) Measure(in []bool) (out Measured) {
	follows := map[int32][]int32{} // along the edge
	for t := range s.m.Triangles {
		if !in[t] {
			continue
		}
		out.Triangles++
		out.AreaMM2 += s.area[t]
		for k, to := range s.next[t] {
			if to < 0 || !in[to] {
				c := s.m.Triangles[t]
				follows[c[k]] = append(follows[c[k]], c[(k+1)%3])
			}
		}
	}
	for _, from := range slices.Sorted(maps.Keys(follows)) {
		for len(follows[from]) > 0 {
			var loop []mesh.Vec
			for v := from; len(follows[v]) > 0; {
				loop = append(loop, s.m.Vertices[v])
				next := follows[v][0]
				follows[v] = follows[v][1:]
				v = next
			}
			loop = toothless(loop, mesh.Vec.Add, mesh.Vec.Mul, func(a, b mesh.Vec) float64 { return a.Sub(b).Len() })
			for k, v := range loop {
				out.EdgeMM += v.Sub(loop[(k+1)%len(loop)]).Len()
			}
		}
	}
	out.Pieces = len(s.pieces(in))
	return out
}

// A dab ends along facets, in teeth that no knife follows: sides shorter than this are smoothed so often. Source: from
// memory.
const (
	toothMM   = 1.5
	smoothing = 3
)

// toothless takes the teeth of short sides from a closed line; long sides, and the corners between them, stay.
func toothless[P any](loop []P, add func(a, b P) P, times func(a P, k float64) P, apart func(a, b P) float64) []P {
	n := len(loop)
	if n < 4 {
		return loop
	}
	for range smoothing {
		out := slices.Clone(loop)
		for k, p := range loop {
			a, b := loop[(k+n-1)%n], loop[(k+1)%n]
			if apart(a, p) < toothMM && apart(p, b) < toothMM {
				out[k] = add(times(p, 0.5), add(times(a, 0.25), times(b, 0.25)))
			}
		}
		loop = out
	}
	return loop
}

// pieces are the parts of a region that hang together, the largest first.
func (s *Surface) pieces(in []bool) (out [][]int32) {
	seen := make([]bool, len(in))
	for t := range in {
		if !in[t] || seen[t] {
			continue
		}
		piece := s.flood(int32(t), func(_, to int32) bool { return in[to] })
		for _, x := range piece {
			seen[x] = true
		}
		out = append(out, piece)
	}
	slices.SortStableFunc(out, func(a, b []int32) int { return len(b) - len(a) })
	return out
}

// Mirrored are marks on the other side of a model: mirrored at the plane through the middle of its box, across an axis,
// 0 x, 1 y, 2 z.
func (s *Surface) Mirrored(marks []Mark, axis int) []Mark {
	middle := s.m.Box.Centre()
	out := slices.Clone(marks)
	for i := range out {
		p := &out[i].At
		switch axis {
		case 0:
			p.X = 2*middle.X - p.X
		case 1:
			p.Y = 2*middle.Y - p.Y
		default:
			p.Z = 2*middle.Z - p.Z
		}
	}
	return out
}
