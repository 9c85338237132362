package solid

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Cut is a part taken in two by a plane.
type Cut struct {
	Halves     [2]*mesh.Soup // the one that the plane's normal points into first
	Measures   [2]mesh.Measures
	SectionMM2 float64
	Sockets    []Socket
}

// Why a part cannot be cut so.
var (
	ErrMisses = errors.New("the plane misses the part")
	ErrNoRoom = errors.New("the section has no room for the pegs")
)

// Split cuts a mesh where normal·p = d and caps both halves, so that a closed mesh gives
// two closed ones whose volumes add up to it, but for the sockets. Where vertices lie
// within a few millionths of the diagonal of the plane, it is moved past them, to the
// side on which it cuts less: a half with a film of matter left on it helps nobody.
// Where a mesh is too fine for that, such vertices are taken to lie on it.
func Split(m *mesh.Mesh, normal mesh.Vec, d float64, pegs Pegs) (Cut, error) {
	length := normal.Len()
	if !(length > 0) || math.IsInf(length, 0) || math.IsNaN(d) || math.IsInf(d, 0) {
		return Cut{}, fmt.Errorf("plane %g,%g,%g,%g: it has no direction", normal.X, normal.Y, normal.Z, d)
	}
	s := newSplitter(m.Sound(), normal.Mul(1/length), d/length)
	if s.below == 0 || s.above == 0 {
		return Cut{}, ErrMisses
	}
	s.share()
	s.merge()
	regions := s.regions()
	var out Cut
	if pegs.Count > 0 {
		sockets, err := s.places(regions, pegs)
		if err != nil {
			return Cut{}, err
		}
		out.Sockets = sockets
	}
	out.SectionMM2 = s.caps(regions, out.Sockets, pegs)
	shared(2, 1, func(k, _, _ int) {
		out.Halves[k] = s.half(k).Soup("stl")
		out.Measures[k] = mesh.Measure(out.Halves[k])
	})
	return out, nil
}

// splitter is a mesh being cut. Heights are over the plane; u and v lie in it.
type splitter struct {
	mesh         *mesh.Mesh
	n, u, v      mesh.Vec
	d            float64
	height       []float64
	above, below int
	vertices     []mesh.Vec // the mesh's, and those on the plane
	halves       [2][][3]int32
	onEdge       map[[2]int32]int32
	cut          []int32 // triangles that the plane goes through
	near         float64 // a vertex this near to the plane lies on it
	ends         []int32 // for each vertex on the plane, the end of its edge that lies there, or −1
	as           []int32 // what each vertex on the plane counts as, from the first of them
}

func newSplitter(m *mesh.Mesh, n mesh.Vec, d float64) *splitter {
	r := Turn(n.Mul(-1))
	s := &splitter{mesh: m, n: n, d: d, u: mesh.Vec{X: r[0], Y: r[1], Z: r[2]}, v: mesh.Vec{X: r[3], Y: r[4], Z: r[5]},
		height: make([]float64, len(m.Vertices)), vertices: append(make([]mesh.Vec, 0, len(m.Vertices)+1024), m.Vertices...), onEdge: map[[2]int32]int32{}}
	for i, v := range m.Vertices {
		s.height[i] = v.Dot(n) - d
	}
	s.near = planeClear * m.Box.Diagonal()
	if off := s.clearOff(); off != 0 {
		s.d += off
		for i := range s.height {
			s.height[i] -= off
		}
	}
	for i, t := range m.Triangles {
		up := 0
		for _, v := range t {
			if s.height[v] >= 0 {
				up++
			}
		}
		switch up {
		case 0:
			s.below++
		case 3:
			s.above++
		default:
			s.cut = append(s.cut, int32(i))
			s.below++
			s.above++
		}
	}
	return s
}

// planeClear is how near a vertex may lie to the plane, as a share of the diagonal: well
// over the distance at which corners are one.
const planeClear = 4 * mesh.WeldTolerance

// clearOff is how far the plane must move along its normal to clear all vertices; not
// at all where they lie so close, as in a fine mesh, that it could not.
func (s *splitter) clearOff() float64 {
	clear := s.near
	var near []float64
	for _, h := range s.height {
		if math.Abs(h) < 100*clear {
			near = append(near, h)
		}
	}
	slices.Sort(near)
	i, _ := slices.BinarySearch(near, -clear)
	if i == len(near) || near[i] >= clear {
		return 0
	}
	up, down := clear, -clear // past the last of those that lie together
	for _, h := range near[i:] {
		if h > up+clear {
			break
		}
		up = max(up, h+clear)
	}
	for k := len(near) - 1; k >= 0; k-- {
		if h := near[k]; h < clear {
			if h < down-clear {
				break
			}
			down = min(down, h-clear)
		}
	}
	if up > 99*clear {
		up = math.Inf(1)
	}
	if down < -99*clear {
		down = math.Inf(-1)
	}
	if math.IsInf(up, 1) && math.IsInf(down, -1) {
		return 0
	}
	cuts := func(off float64) (n int) {
		if math.IsInf(off, 0) {
			return len(s.mesh.Triangles)
		}
		for _, t := range s.mesh.Triangles {
			over := 0
			for _, v := range t {
				if s.height[v] >= off {
					over++
				}
			}
			if over == 1 || over == 2 {
				n++
			}
		}
		return n
	}
	if a, b := cuts(up), cuts(down); a < b || a == b && up < -down {
		return up
	}
	return down
}

// crossing is the vertex where an edge passes the plane, one for both its triangles.
func (s *splitter) crossing(a, b int32) int32 {
	key := [2]int32{min(a, b), max(a, b)}
	if id, ok := s.onEdge[key]; ok {
		return id
	}
	low, high := s.height[key[0]], s.height[key[1]]
	p, q := s.mesh.Vertices[key[0]], s.mesh.Vertices[key[1]]
	id := int32(len(s.vertices))
	s.vertices = append(s.vertices, p.Add(q.Sub(p).Mul(low/(low-high))))
	end := int32(-1)
	if lower, upper := math.Abs(low), math.Abs(high); min(lower, upper) < s.near {
		if end = key[0]; upper < lower {
			end = key[1]
		}
	}
	s.ends = append(s.ends, end)
	s.onEdge[key] = id
	return id
}

// share gives each triangle, or its pieces, to the half it lies in.
func (s *splitter) share() {
	for k, n := range [2]int{s.above, s.below} {
		s.halves[k] = make([][3]int32, 0, n+len(s.cut)+4*pegSides+1024)
	}
	for _, t := range s.mesh.Triangles {
		var over [3]bool
		up := 0
		for k, v := range t {
			if over[k] = s.height[v] >= 0; over[k] {
				up++
			}
		}
		if up == 0 || up == 3 {
			half := 1 - up/3
			s.halves[half] = append(s.halves[half], t)
			continue
		}
		// One corner is alone on its side.
		k := 0
		for over[k] != (up == 1) {
			k++
		}
		a, b, c := t[k], t[(k+1)%3], t[(k+2)%3]
		p, q := s.crossing(a, b), s.crossing(a, c)
		lone := 1
		if up == 1 {
			lone = 0
		}
		s.halves[lone] = append(s.halves[lone], [3]int32{a, p, q})
		s.halves[1-lone] = append(s.halves[1-lone], [3]int32{p, b, c}, [3]int32{p, c, q})
	}
}

// merge makes vertices on the plane one that lie so near each other that a file of few
// digits could not tell them apart, and those on an edge one of whose ends lies on the
// plane that end: caps and sides then lose the same slivers.
func (s *splitter) merge() {
	first := len(s.mesh.Vertices)
	reach := 2 * mesh.WeldTolerance * s.mesh.Box.Diagonal()
	type cell struct{ x, y int64 }
	grid := map[cell][]int32{}
	s.as = make([]int32, len(s.vertices)-first)
	put := func(id int32) (as int32) { // the one already there, or itself
		p := s.flat(id)
		c := cell{int64(math.Floor(p.X / reach)), int64(math.Floor(p.Y / reach))}
		for k := range 9 {
			for _, other := range grid[cell{c.x + int64(k%3) - 1, c.y + int64(k/3) - 1}] {
				if q := s.flat(other); math.Hypot(p.X-q.X, p.Y-q.Y) <= reach {
					return other
				}
			}
		}
		grid[c] = append(grid[c], id)
		return id
	}
	for i, end := range s.ends { // ends of edges first: they keep their place
		if s.as[i] = -1; end >= 0 {
			s.as[i] = end
			put(end)
		}
	}
	for i := range s.as {
		if s.as[i] < 0 {
			s.as[i] = put(int32(first + i))
		}
	}
	for k := range s.halves {
		kept := s.halves[k][:0]
		for _, t := range s.halves[k] {
			if max(t[0], t[1], t[2]) >= int32(first) {
				if t = [3]int32{s.one(t[0]), s.one(t[1]), s.one(t[2])}; t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
					continue
				}
			}
			kept = append(kept, t)
		}
		s.halves[k] = kept
	}
}

// one is what a vertex counts as.
func (s *splitter) one(id int32) int32 {
	if i := int(id) - len(s.mesh.Vertices); i >= 0 && i < len(s.as) {
		return s.as[i]
	}
	return id
}

// flat is a vertex in the plane's own coordinates.
func (s *splitter) flat(id int32) flatPoint {
	p := s.vertices[id]
	return flatPoint{Point{p.Dot(s.u), p.Dot(s.v)}, id}
}

// flatRegion is a region of the section with its rings.
type flatRegion struct {
	outer []flatPoint
	holes [][]flatPoint
}

// regions walks the section's rings, solid on the left as seen against the normal, and
// sorts holes to the regions they lie in. A ring that a hole of the mesh leaves open is
// closed across it.
func (s *splitter) regions() []flatRegion {
	next := s.lines()
	ends := make(map[int32]bool, len(next))
	for _, to := range next {
		ends[to] = true
	}
	layer := Layer{}
	var rings [][]flatPoint
	walk := func(start int32) {
		ring := s.ring(next, start)
		if len(ring) < 3 {
			return
		}
		points := make([]Point, len(ring))
		for i, p := range ring {
			points[i] = p.Point
		}
		before := len(layer.Rings)
		if layer.add(points); len(layer.Rings) > before {
			rings = append(rings, ring)
		}
	}
	for _, open := range []bool{true, false} { // open rings from their beginnings, then closed ones
		for _, id := range s.order(next) {
			if _, ok := next[id]; ok && !(open && ends[id]) {
				walk(id)
			}
		}
	}
	layer.gather()
	var out []flatRegion
	for _, r := range layer.Regions {
		f := flatRegion{outer: rings[r.Outer]}
		for _, h := range r.Holes {
			f.holes = append(f.holes, rings[h])
		}
		out = append(out, f)
	}
	return out
}

// lines returns where the plane's line over each cut triangle ends, by the vertex it begins
// at.
func (s *splitter) lines() map[int32]int32 {
	next := map[int32]int32{}
	for _, i := range s.cut {
		t := s.mesh.Triangles[i]
		var from, to int32 = -1, -1
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			switch {
			case s.height[a] >= 0 && s.height[b] < 0:
				from = s.crossing(a, b)
			case s.height[a] < 0 && s.height[b] >= 0:
				to = s.crossing(a, b)
			}
		}
		next[from] = to
	}
	return next
}

// ring takes the lines of one ring out of next, in order.
func (s *splitter) ring(next map[int32]int32, start int32) (ring []flatPoint) {
	for at, ok := start, true; ok; {
		to, more := next[at]
		delete(next, at)
		if id := s.one(at); len(ring) == 0 || id != ring[len(ring)-1].id {
			ring = append(ring, s.flat(id))
		}
		at, ok = to, more && to != start
	}
	for len(ring) > 1 && ring[0].id == ring[len(ring)-1].id {
		ring = ring[:len(ring)-1]
	}
	return ring
}

// order lists the starts of lines by their numbers, so that the same part is always cut
// the same.
func (s *splitter) order(next map[int32]int32) []int32 {
	out := make([]int32, 0, len(next))
	for id := int32(len(s.mesh.Vertices)); int(id) < len(s.vertices); id++ {
		if _, ok := next[id]; ok {
			out = append(out, id)
		}
	}
	return out
}

// caps closes both halves along the section, with sockets let in, and returns the
// section's area.
func (s *splitter) caps(regions []flatRegion, sockets []Socket, pegs Pegs) (mm2 float64) {
	for _, r := range regions {
		holes := r.holes
		mm2 += flatArea(r.outer)
		for _, h := range r.holes {
			mm2 += flatArea(h)
		}
		for _, k := range sockets {
			if c := (Point{k.At.Dot(s.u), k.At.Dot(s.v)}); holdsFlat(r, c) {
				holes = append(holes[:len(holes):len(holes)], s.socket(k, pegs.DiameterMM/2+pegs.ClearanceMM))
			}
		}
		for _, t := range capped(r.outer, holes, 8*mesh.WeldTolerance*s.mesh.Box.Diagonal()) {
			if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
				continue // along a bridge
			}
			s.halves[1] = append(s.halves[1], t) // seen from above the lower half's cap
			s.halves[0] = append(s.halves[0], [3]int32{t[0], t[2], t[1]})
		}
	}
	return mm2
}

func flatArea(ring []flatPoint) (sum float64) {
	for i, p := range ring {
		q := ring[(i+1)%len(ring)]
		sum += (p.X*q.Y - q.X*p.Y) / 2
	}
	return sum
}

func holdsFlat(r flatRegion, p Point) bool {
	in := func(ring []flatPoint) bool {
		points := make([]Point, len(ring))
		for i, q := range ring {
			points[i] = q.Point
		}
		return Ring{Points: points}.holds(p)
	}
	if !in(r.outer) {
		return false
	}
	for _, h := range r.holes {
		if in(h) {
			return false
		}
	}
	return true
}

// swapFlat turns the long side of triangles along the cut that would have no area in a
// file's digits: such a one is left out when the file is read, and its three sides would
// gape. With its neighbour across the long side it makes two that have area.
func (s *splitter) swapFlat(half [][3]int32) {
	first := int32(len(s.mesh.Vertices))
	rounded := func(id int32) mesh.Vec {
		v := s.vertices[id]
		return mesh.Vec{X: float64(float32(v.X)), Y: float64(float32(v.Y)), Z: float64(float32(v.Z))}
	}
	flat := func(t [3]int32) bool {
		a := rounded(t[0])
		return rounded(t[1]).Sub(a).Cross(rounded(t[2]).Sub(a)) == mesh.Vec{}
	}
	beside := map[[2]int32]int{} // the triangle that has a side, in its direction
	var thin []int
	for i, t := range half {
		if max(t[0], t[1], t[2]) < first {
			continue
		}
		for k := range 3 {
			beside[[2]int32{t[k], t[(k+1)%3]}] = i
		}
		if flat(t) {
			thin = append(thin, i)
		}
	}
	for _, i := range thin {
		t, long, k := half[i], -1.0, 0
		for side := range 3 {
			if l := rounded(t[side]).Sub(rounded(t[(side+1)%3])).Len(); l > long {
				long, k = l, side
			}
		}
		u, v, w := t[k], t[(k+1)%3], t[(k+2)%3]
		n, ok := beside[[2]int32{v, u}]
		if !ok {
			continue
		}
		d := int32(-1)
		for _, x := range half[n] {
			if x != u && x != v {
				d = x
			}
		}
		one, other := [3]int32{u, d, w}, [3]int32{d, v, w}
		if d == w || flat(one) || flat(other) {
			continue
		}
		half[i], half[n] = one, other
		for at, t := range map[int][3]int32{i: one, n: other} {
			for k := range 3 {
				beside[[2]int32{t[k], t[(k+1)%3]}] = at
			}
		}
	}
}

// half is one side's triangles with the vertices they use.
func (s *splitter) half(k int) *mesh.Mesh {
	s.swapFlat(s.halves[k])
	out := &mesh.Mesh{Triangles: make([][3]int32, 0, len(s.halves[k])), Box: mesh.EmptyBox()}
	now := make([]int32, len(s.vertices))
	for _, t := range s.halves[k] {
		var n [3]int32
		for i, v := range t {
			if now[v] == 0 {
				out.Vertices = append(out.Vertices, s.vertices[v])
				out.Box.Add(s.vertices[v])
				now[v] = int32(len(out.Vertices))
			}
			n[i] = now[v] - 1
		}
		out.Triangles = append(out.Triangles, n)
	}
	return out
}
