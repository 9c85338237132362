package mesh

import "math"

// Hull returns the convex hull of the mesh's vertices, facets outward; nil when they
// all lie in one plane. Points are taken furthest first [published: Barber, Dobkin and
// Huhdanpaa, The Quickhull algorithm for convex hulls, 1996]. On which side of a face a
// point lies is worked out in whole numbers, without rounding, on a grid of half a
// million steps along the box's longest side: where points lie nearly in a plane the
// hull stays whole, and no vertex lies further outside than such a step.
func (m *Mesh) Hull() *Mesh {
	h := newHuller(m)
	if !h.first() {
		return nil
	}
	for len(h.open) > 0 {
		f := h.open[len(h.open)-1]
		h.open = h.open[:len(h.open)-1]
		if f.gone || len(f.above) == 0 {
			continue
		}
		far := f.above[0]
		for _, p := range f.above[1:] {
			if h.height(f, p) > h.height(f, far) {
				far = p
			}
		}
		h.reach(f, far)
	}
	out := &Mesh{Vertices: m.Vertices, Box: m.Box}
	for _, f := range h.faces {
		if !f.gone {
			out.Triangles = append(out.Triangles, f.corner)
		}
	}
	return out
}

// step is a place on the hull's grid.
type step [3]int64

func (a step) sub(b step) step { return step{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

func (a step) cross(b step) step {
	return step{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

func (a step) dot(b step) int64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// hullSteps is the grid's finest side that keeps every product below 2⁶³.
const hullSteps = 1 << 19

func newHuller(m *Mesh) *huller {
	h := &huller{at: make([]step, len(m.Vertices))}
	size := m.Box.Size()
	k := hullSteps / max(size.X, size.Y, size.Z, 1e-300)
	for i, v := range m.Vertices {
		d := v.Sub(m.Box.Min)
		h.at[i] = step{int64(math.Round(d.X * k)), int64(math.Round(d.Y * k)), int64(math.Round(d.Z * k))}
	}
	return h
}

// hullFace is a face, the face across each of its edges, and the points above it.
type hullFace struct {
	corner [3]int32
	next   [3]*hullFace // over the edge from corner k to corner k+1
	normal step
	above  []int32
	gone   bool
	seen   bool
}

type huller struct {
	at    []step
	faces []*hullFace
	open  []*hullFace
}

func (h *huller) face(a, b, c int32) *hullFace {
	f := &hullFace{corner: [3]int32{a, b, c}}
	f.normal = h.at[b].sub(h.at[a]).cross(h.at[c].sub(h.at[a]))
	h.faces = append(h.faces, f)
	return f
}

// height is over 0 for a point that sees the face from outside.
func (h *huller) height(f *hullFace, p int32) int64 {
	return h.at[p].sub(h.at[f.corner[0]]).dot(f.normal)
}

// share gives points to the first face that each lies above.
func (h *huller) share(points []int32, faces []*hullFace) {
	for _, p := range points {
		for _, f := range faces {
			if h.height(f, p) > 0 {
				f.above = append(f.above, p)
				break
			}
		}
	}
	for _, f := range faces {
		if len(f.above) > 0 {
			h.open = append(h.open, f)
		}
	}
}

// first lays a tetrahedron of far points.
func (h *huller) first() bool {
	if len(h.at) < 4 {
		return false
	}
	furthest := func(measure func(step) int64) (best int32) {
		most := int64(-1)
		for i, v := range h.at {
			if d := measure(v); d > most {
				most, best = d, int32(i)
			}
		}
		return best
	}
	away := func(from int32) int32 {
		return furthest(func(v step) int64 { d := v.sub(h.at[from]); return d.dot(d) })
	}
	a := away(0)
	b := away(a)
	line := h.at[b].sub(h.at[a])
	c := furthest(func(v step) int64 { // off the line, in the plane it shows most
		n := v.sub(h.at[a]).cross(line)
		return max(n[0], -n[0], n[1], -n[1], n[2], -n[2])
	})
	plane := line.cross(h.at[c].sub(h.at[a]))
	d := furthest(func(v step) int64 { n := v.sub(h.at[a]).dot(plane); return max(n, -n) })
	height := h.at[d].sub(h.at[a]).dot(plane)
	if height == 0 {
		return false
	}
	if height > 0 {
		b, c = c, b
	}
	f := []*hullFace{h.face(a, b, c), h.face(a, d, b), h.face(b, d, c), h.face(c, d, a)}
	f[0].next = [3]*hullFace{f[1], f[2], f[3]}
	f[1].next = [3]*hullFace{f[3], f[2], f[0]}
	f[2].next = [3]*hullFace{f[1], f[3], f[0]}
	f[3].next = [3]*hullFace{f[2], f[1], f[0]}
	all := make([]int32, len(h.at))
	for i := range all {
		all[i] = int32(i)
	}
	h.share(all, f)
	return true
}

// reach replaces the faces that a point sees by a cone from their rim to it.
func (h *huller) reach(from *hullFace, p int32) {
	var lost []int32
	var cone []*hullFace
	// The rim is met in order: each seen face is entered over one edge and its other
	// edges are gone through after it.
	type visit struct {
		f    *hullFace
		edge int // entered over this; −1 at first
		k    int
	}
	from.seen = true
	stack := []visit{{from, -1, 0}}
	for len(stack) > 0 {
		s := &stack[len(stack)-1]
		if s.k == 3 || s.edge >= 0 && s.k == 2 {
			s.f.gone = true
			lost = append(lost, s.f.above...)
			s.f.above = nil
			stack = stack[:len(stack)-1]
			continue
		}
		edge := s.k
		if s.edge >= 0 {
			edge = (s.edge + 1 + s.k) % 3
		}
		s.k++
		f, over := s.f, s.f.next[edge]
		if over.seen {
			continue
		}
		back := 0
		for over.next[back] != f || over.corner[back] != f.corner[(edge+1)%3] {
			back++
		}
		if h.height(over, p) > 0 {
			over.seen = true
			stack = append(stack, visit{over, back, 0})
			continue
		}
		c := h.face(f.corner[edge], f.corner[(edge+1)%3], p)
		c.next[0], over.next[back] = over, c
		if n := len(cone); n > 0 {
			cone[n-1].next[1], c.next[2] = c, cone[n-1]
		}
		cone = append(cone, c)
	}
	last := cone[len(cone)-1]
	last.next[1], cone[0].next[2] = cone[0], last
	h.share(lost, cone)
}
