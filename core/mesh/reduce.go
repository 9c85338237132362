package mesh

import (
	"fmt"
	"math"
	"slices"
)

// Reduced is a simpler model and how far its surface lies from the first one's.
type Reduced struct {
	Soup        *Soup
	DeviationMM float64 // the furthest that was measured
}

// ReduceTo collapses edges, cheapest first, until at most the given number of
// triangles is left, by quadric error [published: Garland and Heckbert, Surface
// simplification using quadric error metrics, 1997]. Rims keep their place by planes
// through them [same, section 6]; edges of more than two triangles stay untouched, and
// no collapse may turn a facet over or make a closed surface open, so a watertight
// model stays watertight. It can stop early when nothing more may go.
func ReduceTo(s *Soup, triangles int) (Reduced, error) {
	if triangles < 4 {
		return Reduced{}, fmt.Errorf("%d triangles: no body has fewer than 4", triangles)
	}
	m := s.Weld()
	r := newReducer(m)
	r.run(triangles, math.Inf(1))
	out := r.mesh()
	return Reduced{out.Soup(s.Format), deviation(m, out, reduceProbes)}, nil
}

// ReduceWithin collapses edges as long as the measured deviation stays within a limit
// in millimetres. The quadrics' own error guides it; the result is measured, and done
// again more carefully where it goes too far.
func ReduceWithin(s *Soup, deviationMM float64) (Reduced, error) {
	if !(deviationMM > 0) {
		return Reduced{}, fmt.Errorf("a deviation of %g mm: it must be over 0", deviationMM)
	}
	m := s.Weld()
	best := Reduced{Soup: s}
	step := deviationMM / 2
	for range reduceTries {
		r := newReducer(m)
		r.run(4, step)
		out := r.mesh()
		d := deviationBoth(m, out)
		if d <= deviationMM {
			if len(out.Triangles) < best.Soup.Len() {
				best = Reduced{out.Soup(s.Format), d}
			}
			if d > 0.6*deviationMM || d == 0 {
				break
			}
			step *= 1.5
			continue
		}
		if best.DeviationMM > 0 {
			break // the last, more careful one was good
		}
		step *= max(0.2, min(0.8, 0.8*deviationMM/d))
	}
	return best, nil
}

const (
	reduceProbes = 30_000 // points of the first surface that are measured against the second
	reduceTries  = 6
	reduceShare  = 0.2  // of the edges, cheapest first, are offered in one pass
	carefulShare = 0.04 // the same of a small model, where time is no matter
	rimWeight    = 100  // of the planes that hold a rim
)

// quadric is the sum of squared distances to planes, weighted by their area: the
// upper half of a symmetric 4×4 matrix, and the weight.
type quadric struct{ xx, xy, xz, xw, yy, yz, yw, zz, zw, ww, weight float64 }

func (q *quadric) plane(n Vec, d, weight float64) {
	q.xx += weight * n.X * n.X
	q.xy += weight * n.X * n.Y
	q.xz += weight * n.X * n.Z
	q.xw += weight * n.X * d
	q.yy += weight * n.Y * n.Y
	q.yz += weight * n.Y * n.Z
	q.yw += weight * n.Y * d
	q.zz += weight * n.Z * n.Z
	q.zw += weight * n.Z * d
	q.ww += weight * d * d
	q.weight += weight
}

func (q *quadric) add(p *quadric) {
	q.xx, q.xy, q.xz, q.xw = q.xx+p.xx, q.xy+p.xy, q.xz+p.xz, q.xw+p.xw
	q.yy, q.yz, q.yw = q.yy+p.yy, q.yz+p.yz, q.yw+p.yw
	q.zz, q.zw, q.ww, q.weight = q.zz+p.zz, q.zw+p.zw, q.ww+p.ww, q.weight+p.weight
}

func (q *quadric) at(v Vec) float64 {
	return q.xx*v.X*v.X + 2*q.xy*v.X*v.Y + 2*q.xz*v.X*v.Z + 2*q.xw*v.X +
		q.yy*v.Y*v.Y + 2*q.yz*v.Y*v.Z + 2*q.yw*v.Y + q.zz*v.Z*v.Z + 2*q.zw*v.Z + q.ww
}

// best returns the point of least error; ok is false where it is not well determined.
func (q *quadric) best() (v Vec, ok bool) {
	a, b, c := q.yy*q.zz-q.yz*q.yz, q.xz*q.yz-q.xy*q.zz, q.xy*q.yz-q.xz*q.yy
	det := q.xx*a + q.xy*b + q.xz*c
	if trace := q.xx + q.yy + q.zz; det < 1e-7*trace*trace*trace {
		return v, false
	}
	d, e, f := q.xx*q.zz-q.xz*q.xz, q.xy*q.xz-q.xx*q.yz, q.xx*q.yy-q.xy*q.xy
	return Vec{-(a*q.xw + b*q.yw + c*q.zw) / det, -(b*q.xw + d*q.yw + e*q.zw) / det, -(c*q.xw + e*q.yw + f*q.zw) / det}, true
}

// reducer works in passes: the cost of every edge, the cheapest of them in order, each
// collapsed unless one of its ends already was in this pass. The lists of faces around
// all other vertices stay whole meanwhile, with faces in them that are gone.
type reducer struct {
	at       []Vec
	quadrics []quadric
	locked   []bool // of an edge with more than two triangles
	rim      []bool
	faces    [][3]int32
	start    []int32 // faces around each vertex
	around   []int32
	touched  []int32 // the pass in which a vertex was last part of a collapse
	pass     int32
	origin   Vec     // taken off every vertex
	mark     []int32 // scratch: the last collapse that met a vertex
	turn     int32
}

func newReducer(m *Mesh) *reducer {
	r := &reducer{
		at: slices.Clone(m.Vertices), faces: slices.Clone(m.Triangles), quadrics: make([]quadric, len(m.Vertices)),
		locked: make([]bool, len(m.Vertices)), rim: make([]bool, len(m.Vertices)),
		touched: make([]int32, len(m.Vertices)), mark: make([]int32, len(m.Vertices)),
	}
	// Far from the origin the quadrics would lose their digits.
	r.origin = m.Box.Centre()
	for i := range r.at {
		r.at[i] = r.at[i].Sub(r.origin)
	}
	r.index()
	spread(len(r.at), workers(len(r.at)), func(_, from, to int) {
		for v := from; v < to; v++ {
			for _, f := range r.around[r.start[v]:r.start[v+1]] {
				n := r.normal(r.faces[f])
				if l := n.Len(); l > 0 {
					u := n.Mul(1 / l)
					r.quadrics[v].plane(u, -u.Dot(r.at[r.faces[f][0]]), l/2)
				}
			}
		}
	})
	m.edges().of(0, len(m.Vertices), func(low, high int32, same []halfEdge) {
		switch {
		case len(same) > 2:
			r.locked[low], r.locked[high] = true, true
		case len(same) == 1:
			r.rim[low], r.rim[high] = true, true
			along := r.at[high].Sub(r.at[low])
			n := along.Cross(r.normal(r.faces[same[0].triangle()]))
			if l := n.Len(); l > 0 {
				n = n.Mul(1 / l)
				for _, v := range [2]int32{low, high} {
					r.quadrics[v].plane(n, -n.Dot(r.at[low]), rimWeight*along.Dot(along))
				}
			}
		}
	})
	return r
}

func (r *reducer) normal(t [3]int32) Vec {
	return r.at[t[1]].Sub(r.at[t[0]]).Cross(r.at[t[2]].Sub(r.at[t[0]]))
}

// index lists the faces around every vertex again.
func (r *reducer) index() {
	if r.start == nil {
		r.start = make([]int32, len(r.at)+1)
	}
	clear(r.start)
	for _, t := range r.faces {
		r.start[t[0]+1]++
		r.start[t[1]+1]++
		r.start[t[2]+1]++
	}
	for v := range r.at {
		r.start[v+1] += r.start[v]
	}
	if r.around == nil {
		r.around = make([]int32, 3*len(r.faces))
	}
	// Filling moves each start to its end; afterwards they are moved back.
	for i, t := range r.faces {
		for _, v := range t {
			r.around[r.start[v]] = int32(i)
			r.start[v]++
		}
	}
	copy(r.start[1:], r.start[:len(r.start)-1])
	r.start[0] = 0
}

// collapse is an edge offered: its two ends, what it would cost.
type collapse struct {
	u, v int32
	cost float32
}

// run collapses until the target is reached, or no edge costs at most a deviation
// (the root of the mean squared distance to the planes gathered) and may go.
func (r *reducer) run(target int, deviation float64) {
	limit := float32(math.MaxFloat32)
	if !math.IsInf(deviation, 1) {
		limit = float32(deviation * deviation)
	}
	absolute := limit < math.MaxFloat32
	for len(r.faces) > target {
		r.pass++
		offers := r.offers(limit, absolute)
		if len(offers) == 0 {
			return
		}
		gone := 0
		want := len(r.faces) - target
		for _, o := range offers {
			if gone >= want {
				break
			}
			gone += r.collapse(o.u, o.v)
		}
		r.faces = slices.DeleteFunc(r.faces, func(t [3]int32) bool { return t[0] < 0 })
		r.index()
		if gone == 0 {
			return
		}
	}
}

// offers returns the edges worth trying in this pass, cheapest first.
func (r *reducer) offers(limit float32, absolute bool) []collapse {
	w := workers(len(r.at))
	parts := make([][]collapse, w)
	spread(len(r.at), w, func(k, from, to int) {
		list := make([]collapse, 0, 3*len(r.faces)/2/w+16)
		for u := int32(from); u < int32(to); u++ {
			if r.locked[u] {
				continue
			}
			for _, f := range r.around[r.start[u]:r.start[u+1]] {
				t := r.faces[f]
				v := t[0] // the corner that follows u
				switch u {
				case t[0]:
					v = t[1]
				case t[1]:
					v = t[2]
				}
				// Each edge of two facets is met from both ends: once is enough. A rim's
				// edge is met from one.
				if r.locked[v] || v < u && !(r.rim[u] && r.rim[v]) {
					continue
				}
				q := r.quadrics[u]
				q.add(&r.quadrics[v])
				_, cost := r.target(&q, u, v)
				if absolute {
					cost /= max(q.weight, 1e-300)
				}
				if c := float32(cost); c <= limit {
					list = append(list, collapse{u, v, c})
				}
			}
		}
		parts[k] = list
	})
	var all []collapse
	for _, p := range parts {
		all = append(all, p...)
	}
	switch {
	case len(all) > 100_000:
		all = cheapest(all, reduceShare)
	case len(all) > 100:
		all = cheapest(all, carefulShare)
	}
	return inOrder(all)
}

// inOrder sorts by cost, to one part in 128: costs are never negative, so the upper
// bits of a float32 are in order as they stand.
func inOrder(all []collapse) []collapse {
	const bits = 16
	bucket := func(c collapse) uint32 { return math.Float32bits(c.cost) >> (32 - bits) }
	var at [1<<bits + 1]int32
	for _, c := range all {
		at[bucket(c)+1]++
	}
	for k := range 1 << bits {
		at[k+1] += at[k]
	}
	out := make([]collapse, len(all))
	for _, c := range all {
		out[at[bucket(c)]] = c
		at[bucket(c)]++
	}
	return out
}

// cheapest returns about the given share of the offers, told apart by a sample.
func cheapest(all []collapse, share float64) []collapse {
	sample := make([]float32, 0, 1024)
	for i := 0; i < len(all); i += max(1, len(all)/1000) {
		sample = append(sample, all[i].cost)
	}
	slices.Sort(sample)
	bar := sample[min(len(sample)-1, int(share*float64(len(sample))))]
	return slices.DeleteFunc(all, func(c collapse) bool { return c.cost > bar })
}

// target is where two vertices would become one, and the error there. A rim is not
// drawn off its line.
func (r *reducer) target(q *quadric, u, v int32) (Vec, float64) {
	a, b := r.at[u], r.at[v]
	switch {
	case r.rim[u] && !r.rim[v]:
		return a, max(0, q.at(a))
	case r.rim[v] && !r.rim[u]:
		return b, max(0, q.at(b))
	}
	if p, ok := q.best(); ok {
		// Where planes are nearly parallel the best point may lie far off.
		if span := b.Sub(a); p.Sub(a.Add(b).Mul(0.5)).Len() <= 2*span.Len() {
			return p, max(0, q.at(p))
		}
	}
	middle := a.Add(b).Mul(0.5)
	p, cost := middle, q.at(middle)
	for _, c := range [2]Vec{a, b} {
		if e := q.at(c); e < cost {
			p, cost = c, e
		}
	}
	// Among equals the shorter edge goes first, or flat ground would be eaten in strips.
	span := b.Sub(a)
	return p, max(0, cost) + 1e-12*q.weight*span.Dot(span)
}

// collapse makes u and v one vertex and returns how many faces that took away; 0 when
// it may not be.
func (r *reducer) collapse(u, v int32) (gone int) {
	if r.touched[u] == r.pass || r.touched[v] == r.pass {
		return 0
	}
	facesU, facesV := r.around[r.start[u]:r.start[u+1]], r.around[r.start[v]:r.start[v+1]]
	if !r.linked(u, v, facesU, facesV) {
		return 0
	}
	q := r.quadrics[u]
	q.add(&r.quadrics[v])
	p, _ := r.target(&q, u, v)
	if r.flips(facesU, u, v, p) || r.flips(facesV, v, u, p) {
		return 0
	}
	r.at[u], r.quadrics[u] = p, q
	r.rim[u] = r.rim[u] || r.rim[v]
	r.touched[u], r.touched[v] = r.pass, r.pass
	for _, f := range facesV {
		t := &r.faces[f]
		if t[0] < 0 {
			continue
		}
		if t[0] == u || t[1] == u || t[2] == u {
			t[0] = -1
			gone++
			continue
		}
		replace(t, v, u)
	}
	return gone
}

// linked checks the link condition: the only neighbours that the two ends share are
// the far corners of the faces between them [published: Dey, Edelsbrunner, Guha and
// Nekhayev, Topology preserving edge contraction, 1999].
func (r *reducer) linked(u, v int32, facesU, facesV []int32) bool {
	r.turn += 2
	near := 0
	between, rims := 0, 0
	for _, f := range facesU {
		if r.faces[f][0] < 0 {
			continue
		}
		holds := false
		for _, n := range r.faces[f] {
			holds = holds || n == v
			if n != u && r.mark[n] < r.turn {
				r.mark[n] = r.turn
				near++
			}
		}
		if holds {
			between++
		}
	}
	shared := 0
	for _, f := range facesV {
		if r.faces[f][0] < 0 {
			continue
		}
		for _, n := range r.faces[f] {
			if n == v || n == u {
				continue
			}
			switch r.mark[n] {
			case r.turn: // a neighbour of u, too
				shared++
				r.mark[n] = r.turn + 1
			case r.turn + 1:
			default:
				r.mark[n] = r.turn + 1
				near++
			}
		}
	}
	if r.rim[u] && r.rim[v] {
		rims = 1 // a rim's own edge has one face; one across the surface would pinch it
	}
	if shared != between || between == 0 || between > 2 || rims == 1 && between != 1 {
		return false
	}
	return near > 4 || rims == 1 || r.rim[u] || r.rim[v] // three neighbours and v: a tetrahedron stays
}

// flips reports a face around u, other than those with v, that would turn by more
// than about 80°, lose its area or become a sliver.
func (r *reducer) flips(faces []int32, u, v int32, p Vec) bool {
	for _, f := range faces {
		t := r.faces[f]
		if t[0] < 0 {
			continue
		}
		k := 0
		switch u {
		case t[1]:
			k = 1
		case t[2]:
			k = 2
		}
		n1, n2 := t[(k+1)%3], t[(k+2)%3]
		if n1 == v || n2 == v {
			continue
		}
		a, b := r.at[n1], r.at[n2]
		side := b.Sub(a)
		before, after := a.Sub(r.at[u]).Cross(side), a.Sub(p).Cross(side)
		dot := before.Dot(after)
		if dot <= 0 || dot*dot < 0.03*before.Dot(before)*after.Dot(after) {
			return true
		}
		longest := max(side.Dot(side), a.Sub(p).Dot(a.Sub(p)), b.Sub(p).Dot(b.Sub(p)))
		if after.Dot(after) < 1e-6*longest*longest {
			return true
		}
	}
	return false
}

// mesh returns what is left, each vertex that is used once.
func (r *reducer) mesh() *Mesh {
	out := &Mesh{Triangles: make([][3]int32, len(r.faces)), Box: EmptyBox()}
	now := make([]int32, len(r.at))
	for i, t := range r.faces {
		for k, v := range t {
			if now[v] == 0 {
				out.Vertices = append(out.Vertices, r.at[v].Add(r.origin))
				now[v] = int32(len(out.Vertices))
			}
			out.Triangles[i][k] = now[v] - 1
		}
	}
	for _, v := range out.Vertices {
		out.Box.Add(v)
	}
	return out
}

// deviation returns the greatest distance found from up to so many vertices of the
// first surface to the second.
func deviation(first, second *Mesh, probes int) float64 {
	step := max(1, len(first.Vertices)/probes)
	return furthest(second, (len(first.Vertices)+step-1)/step, func(i int) Vec { return first.Vertices[i*step] })
}

// deviationBoth is deviation from every vertex, and from the second's vertices and
// facet middles back to the first.
func deviationBoth(first, second *Mesh) float64 {
	return max(deviation(first, second, len(first.Vertices)), furthest(first, len(second.Vertices)+len(second.Triangles), func(i int) Vec {
		if i < len(second.Vertices) {
			return second.Vertices[i]
		}
		return second.middle(second.Triangles[i-len(second.Vertices)])
	}))
}

// furthest returns the greatest distance from n points to a surface.
func furthest(to *Mesh, n int, at func(i int) Vec) float64 {
	tree, far := NewTree(to), max(to.Box.Diagonal(), 1e-9)
	worst := make([]float64, workers(20*n))
	spread(n, len(worst), func(k, from, up int) {
		for i := from; i < up; i++ {
			worst[k] = max(worst[k], tree.Nearest(at(i), far))
		}
	})
	return slices.Max(worst)
}
