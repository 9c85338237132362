package mesh

import (
	"math"
	"slices"
	"sync"
)

// Tree finds triangles along a ray or near a point: a hierarchy of boxes, each split
// where the surface area heuristic says [published: MacDonald and Booth, Heuristics
// for ray tracing using space subdivision, 1990].
type Tree struct {
	mesh  *Mesh
	nodes []treeNode
	order []int32
	faces []treeFace // in that order
}

// treeNode is a box with either its triangles or, when count is 0, two nodes: the
// next one and the one at first.
type treeNode struct {
	lo, hi       [3]float32
	first, count int32
}

// treeFace is a triangle's first corner and its two sides from there.
type treeFace struct{ a, u, v Vec }

const (
	leafFaces = 4
	splitBins = 12
)

// NewTree builds the tree of a mesh, the two halves of the first splits at the same
// time.
func NewTree(m *Mesh) *Tree {
	t := &Tree{mesh: m, order: make([]int32, len(m.Triangles))}
	boxes := make([]treeBox, len(m.Triangles))
	spread(len(m.Triangles), workers(len(m.Triangles)), func(_, from, to int) {
		for i := from; i < to; i++ {
			b := emptyTreeBox
			for _, v := range m.Triangles[i] {
				b.add(m.Vertices[v])
			}
			boxes[i], t.order[i] = b, int32(i)
		}
	})
	if len(boxes) > 0 {
		t.nodes = buildTree(boxes, t.order, 0, 3)
	}
	t.faces = make([]treeFace, len(t.order))
	for k, i := range t.order {
		c := m.Triangles[i]
		a := m.Vertices[c[0]]
		t.faces[k] = treeFace{a, m.Vertices[c[1]].Sub(a), m.Vertices[c[2]].Sub(a)}
	}
	return t
}

type treeBox struct{ lo, hi [3]float32 }

var emptyTreeBox = treeBox{
	[3]float32{math.MaxFloat32, math.MaxFloat32, math.MaxFloat32},
	[3]float32{-math.MaxFloat32, -math.MaxFloat32, -math.MaxFloat32},
}

// add grows the box, a little more than the point asks for: float32 rounds.
func (b *treeBox) add(v Vec) {
	for k, x := range [3]float64{v.X, v.Y, v.Z} {
		f := float32(x)
		b.lo[k], b.hi[k] = min(b.lo[k], math.Nextafter32(f, -math.MaxFloat32)), max(b.hi[k], math.Nextafter32(f, math.MaxFloat32))
	}
}

func (b *treeBox) join(c *treeBox) {
	for k := range 3 {
		if c.lo[k] < b.lo[k] {
			b.lo[k] = c.lo[k]
		}
		if c.hi[k] > b.hi[k] {
			b.hi[k] = c.hi[k]
		}
	}
}

func (b *treeBox) area() float32 {
	x, y, z := b.hi[0]-b.lo[0], b.hi[1]-b.lo[1], b.hi[2]-b.lo[2]
	if x < 0 {
		return 0
	}
	return x*y + y*z + z*x
}

// buildTree returns the nodes over a run of the order, which begins at place base.
// Numbers of nodes count within what is returned.
func buildTree(boxes []treeBox, order []int32, base int32, forks int) []treeNode {
	var all, middles treeBox = emptyTreeBox, emptyTreeBox
	for _, i := range order {
		b := &boxes[i]
		all.join(b)
		for k := range 3 {
			c := b.lo[k] + b.hi[k]
			middles.lo[k], middles.hi[k] = min(middles.lo[k], c), max(middles.hi[k], c)
		}
	}
	node := treeNode{lo: all.lo, hi: all.hi}
	cut := -1
	if len(order) > leafFaces {
		cut = splitOrder(boxes, order, middles)
	}
	if cut < 0 {
		node.first, node.count = base, int32(len(order))
		return []treeNode{node}
	}
	var left, right []treeNode
	build := func(into *[]treeNode, part []int32, at int32) { *into = buildTree(boxes, part, at, forks-1) }
	if forks > 0 && len(order) > 10_000 {
		var wait sync.WaitGroup
		wait.Go(func() { build(&left, order[:cut], base) })
		build(&right, order[cut:], base+int32(cut))
		wait.Wait()
	} else {
		build(&left, order[:cut], base)
		build(&right, order[cut:], base+int32(cut))
	}
	node.first = int32(len(left)) + 1
	out := make([]treeNode, 1, 1+len(left)+len(right))
	out[0] = node
	for _, n := range left {
		if n.count == 0 {
			n.first++
		}
		out = append(out, n)
	}
	for _, n := range right {
		if n.count == 0 {
			n.first += int32(len(left)) + 1
		}
		out = append(out, n)
	}
	return out
}

// splitOrder moves what goes left to the front and says how many; −1 when nothing can
// be told apart.
func splitOrder(boxes []treeBox, order []int32, middles treeBox) int {
	axis := 0
	for k := 1; k < 3; k++ {
		if middles.hi[k]-middles.lo[k] > middles.hi[axis]-middles.lo[axis] {
			axis = k
		}
	}
	width := middles.hi[axis] - middles.lo[axis]
	if width <= 0 {
		if len(order) > 64 { // a heap of twins: halves keep the walk short
			return len(order) / 2
		}
		return -1
	}
	bin := func(i int32) int {
		return min(splitBins-1, int(splitBins*(boxes[i].lo[axis]+boxes[i].hi[axis]-middles.lo[axis])/width))
	}
	var count [splitBins]int
	box := [splitBins]treeBox{}
	for k := range box {
		box[k] = emptyTreeBox
	}
	for _, i := range order {
		k := bin(i)
		count[k]++
		box[k].join(&boxes[i])
	}
	var after [splitBins]float32
	right, n := emptyTreeBox, 0
	for k := splitBins - 1; k > 0; k-- {
		right.join(&box[k])
		n += count[k]
		after[k] = right.area() * float32(n)
	}
	best, at := float32(math.MaxFloat32), 1
	left, n := emptyTreeBox, 0
	for k := 1; k < splitBins; k++ {
		left.join(&box[k-1])
		n += count[k-1]
		if cost := left.area()*float32(n) + after[k]; n > 0 && n < len(order) && cost < best {
			best, at = cost, k
		}
	}
	front := 0
	for k, i := range order {
		if bin(i) < at {
			order[front], order[k] = i, order[front]
			front++
		}
	}
	return front
}

// Meeting calls do with the triangles whose boxes may meet a box.
func (t *Tree) Meeting(b Box, do func(triangle int32)) {
	if len(t.nodes) == 0 {
		return
	}
	low, high := [3]float64{b.Min.X, b.Min.Y, b.Min.Z}, [3]float64{b.Max.X, b.Max.Y, b.Max.Z}
	(&boxTree{t.nodes, t.order}).each(func(lo, hi *[3]float32) bool {
		for k := range 3 {
			if high[k] < float64(lo[k]) || low[k] > float64(hi[k]) {
				return false
			}
		}
		return true
	}, do)
}

// Hit is where a ray meets a triangle.
type Hit struct {
	Triangle int32
	MM       float64 // along the ray, in lengths of its direction
	Facing   float64 // the cosine between the ray and the facet's normal: over 0 when it leaves matter
}

// Ray returns the first triangle that the ray from p meets beyond a distance.
func (t *Tree) Ray(p, d Vec, beyond float64) (hit Hit, met bool) {
	hit, met, _ = t.trace(p, d, beyond)
	return hit, met
}

// trace is Ray, and says how many triangles it had to try.
func (t *Tree) trace(p, d Vec, beyond float64) (hit Hit, met bool, tried int) {
	if len(t.nodes) == 0 {
		return hit, false, 0
	}
	best := math.Inf(1)
	ox, oy, oz := float32(p.X), float32(p.Y), float32(p.Z)
	ix, iy, iz := float32(1/d.X), float32(1/d.Y), float32(1/d.Z)
	var stack [96]int32
	top := 1
	stack[0] = 0
	for top > 0 {
		top--
		at := stack[top]
		n := &t.nodes[at]
		if !n.onRay(ox, oy, oz, ix, iy, iz, float32(best)) {
			continue
		}
		if n.count == 0 {
			near, far := at+1, n.first
			if t.nodes[far].entry(ox, oy, oz, d) < t.nodes[near].entry(ox, oy, oz, d) {
				near, far = far, near
			}
			stack[top], stack[top+1] = far, near
			top += 2
			continue
		}
		tried += int(n.count)
		for k := n.first; k < n.first+n.count; k++ {
			if mm, ok := t.faces[k].meet(p, d); ok && mm > beyond && mm < best {
				best, hit.Triangle, met = mm, t.order[k], true
				f := &t.faces[k]
				normal := f.u.Cross(f.v)
				hit.Facing = normal.Dot(d) / (normal.Len() * d.Len())
			}
		}
	}
	hit.MM = best
	return hit, met, tried
}

// Winding counts how often matter surrounds a place. A ray may slip through an edge or
// meet it twice, so two of three must agree; none runs in a direction that people draw in.
func (t *Tree) Winding(p Vec) int {
	a, b := t.along(p, Vec{0.5773, 0.2113, 0.7887}), t.along(p, Vec{-0.6741, 0.5237, 0.5209})
	if a == b {
		return a
	}
	c := t.along(p, Vec{0.1377, -0.8111, -0.5685})
	return a + b + c - min(a, b, c) - max(a, b, c)
}

// along counts how much more often a ray leaves matter than it enters.
func (t *Tree) along(p, d Vec) (n int) {
	if len(t.nodes) == 0 {
		return 0
	}
	ox, oy, oz := float32(p.X), float32(p.Y), float32(p.Z)
	ix, iy, iz := float32(1/d.X), float32(1/d.Y), float32(1/d.Z)
	var stack [96]int32
	for top := 1; top > 0; {
		top--
		at := stack[top]
		node := &t.nodes[at]
		if !node.onRay(ox, oy, oz, ix, iy, iz, math.MaxFloat32) {
			continue
		}
		if node.count == 0 {
			stack[top], stack[top+1] = at+1, node.first
			top += 2
			continue
		}
		for k := node.first; k < node.first+node.count; k++ {
			f := &t.faces[k]
			if mm, ok := f.meet(p, d); !ok || mm <= 0 {
				continue
			}
			if f.u.Cross(f.v).Dot(d) > 0 {
				n++
			} else {
				n--
			}
		}
	}
	return n
}

// entry is how early along d the middle of the box lies.
func (n *treeNode) entry(ox, oy, oz float32, d Vec) float64 {
	return float64(n.lo[0]+n.hi[0]-2*ox)*d.X + float64(n.lo[1]+n.hi[1]-2*oy)*d.Y + float64(n.lo[2]+n.hi[2]-2*oz)*d.Z
}

func (n *treeNode) onRay(ox, oy, oz, ix, iy, iz, far float32) bool {
	a, b := (n.lo[0]-ox)*ix, (n.hi[0]-ox)*ix
	from, to := min(a, b), max(a, b)
	a, b = (n.lo[1]-oy)*iy, (n.hi[1]-oy)*iy
	from, to = max(from, min(a, b)), min(to, max(a, b))
	a, b = (n.lo[2]-oz)*iz, (n.hi[2]-oz)*iz
	from, to = max(from, min(a, b)), min(to, max(a, b))
	// Written so that a ray that runs within a face, whose product is NaN, is kept.
	return !(to < from) && !(to < 0) && !(from > far)
}

// meet is the ray–triangle test of Möller and Trumbore [published: Fast, minimum
// storage ray/triangle intersection, 1997].
func (f *treeFace) meet(p, d Vec) (mm float64, ok bool) {
	h := d.Cross(f.v)
	det := f.u.Dot(h)
	if det == 0 {
		return 0, false
	}
	s := p.Sub(f.a)
	inv := 1 / det
	u := s.Dot(h) * inv
	if u < 0 || u > 1 {
		return 0, false
	}
	q := s.Cross(f.u)
	v := d.Dot(q) * inv
	if v < 0 || u+v > 1 {
		return 0, false
	}
	return f.v.Dot(q) * inv, true
}

// Nearest returns the distance from p to the surface, never looking further than a
// limit, which is returned when nothing is nearer.
func (t *Tree) Nearest(p Vec, limit float64) float64 {
	mm, _ := t.nearest(p, limit)
	return mm
}

// NearestPoint returns the point of the surface nearest to p, and how far it is; false
// when nothing is nearer than the limit.
func (t *Tree) NearestPoint(p Vec, limit float64) (q Vec, mm float64, ok bool) {
	mm, face := t.nearest(p, limit)
	if face < 0 {
		return q, limit, false
	}
	return p.Add(t.faces[face].nearest(p)), mm, true
}

// nearest also says which face it was, −1 for none.
func (t *Tree) nearest(p Vec, limit float64) (mm float64, face int32) {
	face = -1
	if len(t.nodes) == 0 {
		return limit, face
	}
	best := limit * limit
	type waiting struct {
		at int32
		d2 float64
	}
	var room [96]waiting
	stack := append(room[:0], waiting{0, t.nodes[0].distance2(p)})
	for len(stack) > 0 {
		w := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if w.d2 >= best {
			continue
		}
		n := &t.nodes[w.at]
		if n.count > 0 {
			for k := n.first; k < n.first+n.count; k++ {
				if q := t.faces[k].nearest(p); q.Dot(q) < best {
					best, face = q.Dot(q), k
				}
			}
			continue
		}
		a, b := waiting{w.at + 1, t.nodes[w.at+1].distance2(p)}, waiting{n.first, t.nodes[n.first].distance2(p)}
		if a.d2 < b.d2 {
			a, b = b, a
		}
		stack = append(stack, a, b)
	}
	return math.Sqrt(best), face
}

func (n *treeNode) distance2(p Vec) (sum float64) {
	for k, x := range [3]float64{p.X, p.Y, p.Z} {
		if d := float64(n.lo[k]) - x; d > 0 {
			sum += d * d
		} else if d := x - float64(n.hi[k]); d > 0 {
			sum += d * d
		}
	}
	return sum
}

// nearest is the way from p to the nearest point of the triangle [published: Ericson,
// Real-Time Collision Detection, 2005, section 5.1.5].
func (f *treeFace) nearest(p Vec) Vec {
	pa := f.a.Sub(p)
	d1, d2 := -f.u.Dot(pa), -f.v.Dot(pa)
	if d1 <= 0 && d2 <= 0 {
		return pa
	}
	pb := pa.Add(f.u)
	d3, d4 := -f.u.Dot(pb), -f.v.Dot(pb)
	if d3 >= 0 && d4 <= d3 {
		return pb
	}
	pc := pa.Add(f.v)
	d5, d6 := -f.u.Dot(pc), -f.v.Dot(pc)
	if d6 >= 0 && d5 <= d6 {
		return pc
	}
	vc, vb, va := d1*d4-d3*d2, d5*d2-d1*d6, d3*d6-d5*d4
	switch {
	case vc <= 0 && d1 >= 0 && d3 <= 0:
		return pa.Add(f.u.Mul(d1 / (d1 - d3)))
	case vb <= 0 && d2 >= 0 && d6 <= 0:
		return pa.Add(f.v.Mul(d2 / (d2 - d6)))
	case va <= 0 && d4 >= d3 && d5 >= d6:
		w := (d4 - d3) / ((d4 - d3) + (d5 - d6))
		return pb.Add(f.v.Sub(f.u).Mul(w))
	}
	sum := 1 / (va + vb + vc)
	return pa.Add(f.u.Mul(vb * sum)).Add(f.v.Mul(vc * sum))
}

// quantiles returns the values under which the given shares of the weight lie.
func quantiles(values, weights []float64, shares ...float64) []float64 {
	order := make([]int, len(values))
	sum := 0.0
	for i := range order {
		order[i] = i
		sum += weights[i]
	}
	slices.SortFunc(order, func(a, b int) int {
		switch {
		case values[a] < values[b]:
			return -1
		case values[a] > values[b]:
			return 1
		}
		return 0
	})
	out := make([]float64, len(shares))
	at, below := 0, 0.0
	for k, share := range shares {
		for at < len(order)-1 && below+weights[order[at]] < share*sum {
			below += weights[order[at]]
			at++
		}
		if len(order) > 0 {
			out[k] = values[order[at]]
		}
	}
	return out
}
