package mesh

import "slices"

// Hole is a rim: a closed walk over open edges, in the direction in which the
// triangles beside them run.
type Hole struct {
	Rim      []int32 // vertices
	LengthMM float64
	At       Vec // the middle of the rim
	SpanMM   float64
}

// openEdges returns for every open edge the vertices it runs from and to, as its
// triangle has them, and that triangle.
func (m *Mesh) openEdges(e *edges) (from, to, side []int32) {
	e.of(0, len(m.Vertices), func(low, high int32, same []halfEdge) {
		if len(same) != 1 {
			return
		}
		side = append(side, same[0].triangle())
		if same[0].forward() {
			from, to = append(from, low), append(to, high)
		} else {
			from, to = append(from, high), append(to, low)
		}
	})
	return from, to, side
}

// holes walks the open edges into closed rims. Where several fans of facets meet in
// one vertex, a hole lies between two of them: the walk goes on along another fan than
// the one it came by, the nearest. Where it comes to a vertex again it is cut into
// simple loops. Beside facets that face opposite ways a walk may not close.
func (m *Mesh) holes(e *edges) []Hole {
	r := rims{mesh: m, edges: e}
	r.from, r.to, r.side = m.openEdges(e)
	if len(r.from) == 0 {
		return nil
	}
	r.next, r.used = make(map[int32][]int32, len(r.from)), make([]bool, len(r.from))
	for k, v := range r.from {
		r.next[v] = append(r.next[v], int32(k))
	}
	var out []Hole
	for k := range r.from {
		if r.used[k] {
			continue
		}
		var walk []int32
		place := map[int32]int{}
		for edge := int32(k); edge >= 0; edge = r.leave(edge) {
			r.used[edge] = true
			if len(walk) == 0 {
				walk, place[r.from[edge]] = append(walk, r.from[edge]), 0
			}
			v := r.to[edge]
			if at, met := place[v]; met { // a loop closes here: take it off the walk
				out = append(out, m.hole(append([]int32(nil), walk[at:]...), true))
				for _, u := range walk[at+1:] {
					delete(place, u)
				}
				walk = walk[:at+1]
				continue
			}
			place[v] = len(walk)
			walk = append(walk, v)
		}
		if len(walk) > 1 { // it never closed
			out = append(out, m.hole(walk, false))
		}
	}
	return out
}

// rims is the open edges of a mesh while they are walked.
type rims struct {
	mesh           *Mesh
	edges          *edges
	from, to, side []int32           // of each open edge its vertices, in its triangle's direction, and the triangle
	next           map[int32][]int32 // edges by the vertex they leave
	used           []bool
}

// leave returns the edge to go on by at the end of one; −1 where there is none.
func (r *rims) leave(edge int32) int32 {
	v := r.to[edge]
	list := slices.DeleteFunc(r.next[v], func(k int32) bool { return r.used[k] })
	r.next[v] = list
	switch len(list) {
	case 0:
		return -1
	case 1:
		return list[0]
	}
	own := r.mesh.acrossFan(r.edges, r.side[edge], r.from[edge], v)
	at := r.mesh.Vertices
	back := at[r.from[edge]].Sub(at[v])
	best, sharpest := int32(-1), -2.0
	for _, k := range list {
		if r.to[k] == own {
			continue
		}
		out := at[r.to[k]].Sub(at[v])
		if cos := out.Dot(back) / (out.Len() * back.Len()); cos > sharpest {
			best, sharpest = k, cos
		}
	}
	return best
}

// acrossFan goes from a triangle with an open edge u–v around v over shared edges to
// the fan's other open edge, and returns where that one leads; −1 when it does not end.
func (m *Mesh) acrossFan(e *edges, t, u, v int32) int32 {
	for range 1000 {
		w := m.apex(t, u, v)
		low, high := min(v, w), max(v, w)
		other := int32(-1)
		count := 0
		for _, h := range e.half[e.start[low]:e.start[low+1]] {
			if h.high == high {
				if count++; h.triangle() != t {
					other = h.triangle()
				}
			}
		}
		switch count {
		case 1:
			return w
		case 2:
			t, u = other, w
		default:
			return -1
		}
	}
	return -1
}

// hole measures a rim. A walk that does not close has no rim to fill.
func (m *Mesh) hole(walk []int32, closed bool) (h Hole) {
	box := EmptyBox()
	for k, v := range walk {
		p := m.Vertices[v]
		box.Add(p)
		h.At = h.At.Add(p.Mul(1 / float64(len(walk))))
		if closed || k+1 < len(walk) {
			h.LengthMM += m.Vertices[walk[(k+1)%len(walk)]].Sub(p).Len()
		}
	}
	h.SpanMM = box.Diagonal()
	if closed {
		h.Rim = walk
	}
	return h
}

// apex returns the corner of a triangle that is neither of an edge's ends.
func (m *Mesh) apex(t, low, high int32) int32 {
	for _, v := range m.Triangles[t] {
		if v != low && v != high {
			return v
		}
	}
	return -1
}

// doubled calls do with every group of two or more triangles that have the same
// three corners.
func (m *Mesh) doubled(e *edges, do func(same []int32)) {
	e.of(0, len(m.Vertices), func(low, high int32, all []halfEdge) {
		if len(all) < 2 {
			return
		}
		var taken uint64
		for i := range all {
			if i < 64 && taken>>i&1 != 0 {
				continue
			}
			top := m.apex(all[i].triangle(), low, high)
			if top < high { // counted at its two lowest corners, once
				continue
			}
			same := []int32{all[i].triangle()}
			for k := i + 1; k < len(all) && k < 64; k++ {
				if m.apex(all[k].triangle(), low, high) == top {
					same, taken = append(same, all[k].triangle()), taken|1<<k
				}
			}
			if len(same) > 1 {
				do(same)
			}
		}
	})
}
