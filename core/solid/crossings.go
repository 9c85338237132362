package solid

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// crossings are the places where the faces of two meshes cross, which lie in one here: the
// first faces are the one's, the others the other's.
type crossings struct {
	vertices  []mesh.Vec
	triangles [][3]int32
	passed    map[[3]int32]int32    // by an edge's two vertices and a face: the vertex where it passes, −1 nowhere
	along     map[int32]float64     // where on its edge such a vertex lies, from 0 to 1
	within    map[int32]Point       // and where in its face: the weights of the second corner and the third
	onEdge    map[[2]int32][]int32  // those of an edge
	lines     map[int32][]crossLine // in which a face is crossed
	left      *int
	err       error
}

// crossLine is where a face of the other body crosses a face.
type crossLine struct{ from, to, by int32 }

// union joins two meshes neither of which crosses itself.
func (j *joiner) union(a, b *mesh.Mesh) (*mesh.Mesh, error) {
	c := &crossings{vertices: slices.Concat(a.Vertices, b.Vertices), triangles: slices.Clone(a.Triangles), passed: map[[3]int32]int32{},
		along: map[int32]float64{}, within: map[int32]Point{}, left: &j.left, onEdge: map[[2]int32][]int32{}, lines: map[int32][]crossLine{}}
	for _, t := range b.Triangles {
		n := int32(len(a.Vertices))
		c.triangles = append(c.triangles, [3]int32{t[0] + n, t[1] + n, t[2] + n})
	}
	of := len(a.Triangles)
	treeA, treeB := mesh.NewTree(a), mesh.NewTree(b)
	if common := a.Box.Common(b.Box); a.Box.Meets(b.Box) {
		for i := range int32(of) {
			if box := c.box(i); box.Meets(common) {
				treeB.Meeting(box, func(k int32) { c.cross(i, k+int32(of)) })
			}
		}
	}
	if c.err != nil {
		return nil, c.err
	}
	for edge, list := range c.onEdge {
		slices.SortFunc(list, func(p, q int32) int { return cmp.Or(cmp.Compare(c.along[p], c.along[q]), cmp.Compare(p, q)) })
		c.onEdge[edge] = list
	}
	var kept [][3]int32
	for i := range int32(len(c.triangles)) {
		if !c.crossed(i) {
			continue
		}
		pieces, err := c.divide(i)
		if err != nil {
			return nil, err
		}
		kept = append(kept, pieces...)
	}
	kept = append(kept, c.whole(0, of, treeB, b.Box)...)
	kept = append(kept, c.whole(of, len(c.triangles), treeA, a.Box)...)
	out := compact(c.vertices, kept)
	if got := out.Measure(); !got.Watertight || got.InvertedShells > 0 {
		return nil, ErrTangled
	}
	return out, nil
}

func edgeOf(u, v int32) [2]int32 { return [2]int32{min(u, v), max(u, v)} }

func (c *crossings) box(face int32) mesh.Box {
	b := mesh.EmptyBox()
	for _, v := range c.triangles[face] {
		b.Add(c.vertices[v])
	}
	return b
}

// cross notes the line in which two faces cross.
func (c *crossings) cross(f, g int32) {
	if c.err != nil {
		return
	}
	var ends []int32
	for _, pair := range [2][2]int32{{f, g}, {g, f}} {
		t := c.triangles[pair[0]]
		for k := range 3 {
			if id := c.pass(edgeOf(t[k], t[(k+1)%3]), pair[1]); id >= 0 {
				ends = append(ends, id)
			}
		}
	}
	switch {
	case len(ends) == 2:
		c.lines[f] = append(c.lines[f], crossLine{ends[0], ends[1], g})
		c.lines[g] = append(c.lines[g], crossLine{ends[0], ends[1], f})
	case len(ends) != 0:
		c.err = ErrTangled
	}
}

// pass is the vertex at which an edge passes a face, made when it is first asked for; −1
// where it does not.
func (c *crossings) pass(edge [2]int32, face int32) int32 {
	key := [3]int32{edge[0], edge[1], face}
	if id, ok := c.passed[key]; ok {
		return id
	}
	c.passed[key] = -1
	if *c.left--; *c.left < 0 {
		c.err = errTooMuch
		return -1
	}
	t := c.triangles[face]
	p, q := c.vertices[edge[0]], c.vertices[edge[1]]
	x, y, z := c.vertices[t[0]], c.vertices[t[1]], c.vertices[t[2]]
	before, after := orient(x, y, z, p), orient(x, y, z, q)
	if before == 0 || after == 0 {
		if !straight(x, y, z) {
			c.err = ErrTangled // a corner lies in the plane
		}
		return -1 // nothing passes a face without area
	}
	if (before > 0) == (after > 0) {
		return -1
	}
	var turns [3]float64
	for k := range 3 {
		u, v := t[k], t[(k+1)%3]
		if turns[k] = orient(p, q, c.vertices[min(u, v)], c.vertices[max(u, v)]); u > v {
			turns[k] = -turns[k]
		}
	}
	low, high := min(turns[0], turns[1], turns[2]), max(turns[0], turns[1], turns[2])
	if low < 0 && high > 0 {
		return -1
	}
	if low == 0 || high == 0 {
		c.err = ErrTangled // it passes along another edge
		return -1
	}
	id := int32(len(c.vertices))
	t01 := before / (before - after)
	c.vertices = append(c.vertices, p.Add(q.Sub(p).Mul(t01)))
	sum := turns[0] + turns[1] + turns[2]
	// A corner weighs as much as the turn about the side that it does not lie on.
	c.passed[key], c.along[id], c.within[id] = id, t01, Point{turns[2] / sum, turns[0] / sum}
	c.onEdge[edge] = append(c.onEdge[edge], id)
	return id
}

// crossed reports whether a face is crossed, or one of its edges passes another.
func (c *crossings) crossed(face int32) bool {
	t := c.triangles[face]
	return len(c.lines[face]) > 0 || len(c.onEdge[edgeOf(t[0], t[1])]) > 0 || len(c.onEdge[edgeOf(t[1], t[2])]) > 0 || len(c.onEdge[edgeOf(t[2], t[0])]) > 0
}

// whole are the faces from–to that nothing crosses and that lie outside the other mesh: what
// hangs together over edges that are not crossed lies on one side of it.
func (c *crossings) whole(from, to int, other *mesh.Tree, near mesh.Box) (kept [][3]int32) {
	beside := map[[2]int32][]int32{}
	for i := int32(from); i < int32(to); i++ {
		if t := c.triangles[i]; !c.crossed(i) {
			for k := range 3 {
				e := edgeOf(t[k], t[(k+1)%3])
				beside[e] = append(beside[e], i)
			}
		}
	}
	seen := make([]bool, to-from)
	for i := int32(from); i < int32(to); i++ {
		if seen[int(i)-from] || c.crossed(i) {
			continue
		}
		group := []int32{i}
		seen[int(i)-from] = true
		for k := 0; k < len(group); k++ {
			t := c.triangles[group[k]]
			for s := range 3 {
				for _, n := range beside[edgeOf(t[s], t[(s+1)%3])] {
					if !seen[int(n)-from] {
						seen[int(n)-from] = true
						group = append(group, n)
					}
				}
			}
		}
		if c.outside(group, other, near) {
			for _, g := range group {
				kept = append(kept, c.triangles[g])
			}
		}
	}
	return kept
}

// outside asks at a few faces of a group.
func (c *crossings) outside(group []int32, other *mesh.Tree, near mesh.Box) bool {
	yes, asked := 0, 0
	for k := 0; k < len(group); k += 1 + len(group)/5 {
		t := c.triangles[group[k]]
		p := c.vertices[t[0]].Add(c.vertices[t[1]]).Add(c.vertices[t[2]]).Mul(1.0 / 3)
		asked++
		if !near.Holds(p) || other.Winding(p) == 0 {
			yes++
		}
	}
	return 2*yes > asked
}

// pieceRing is a closed walk around a piece of a face, the piece on its left.
type pieceRing struct {
	ids  []int32
	area float64
	cut  bool     // whether it goes along a line,
	line [2]int32 // then the longest of those,
	by   int32    // and the face that makes it
}

// divide returns the triangles of a face that lie outside the other body.
func (c *crossings) divide(face int32) (kept [][3]int32, err error) {
	g, lines := c.laid(face)
	outer, holes := g.rings(lines)
	if len(outer) == 0 {
		return nil, ErrTangled
	}
	for k, r := range outer {
		edge := r
		for _, h := range holes[k] {
			if !edge.cut && h.cut {
				edge = h
			}
		}
		if !edge.cut {
			return nil, ErrTangled
		}
		if c.behind(face, g, edge) {
			continue
		}
		var inner [][]flatPoint
		for _, h := range holes[k] {
			inner = append(inner, g.points(h.ids))
		}
		for _, t := range capped(g.points(r.ids), inner, joinThin) {
			if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] { // else it is but an edge
				kept = append(kept, t)
			}
		}
	}
	return kept, nil
}

// The corners of a face as it is laid out, whatever its shape: a sliver is no harder.
var laidOut = [3]Point{{0, 0}, {1, 0}, {0, 1}}

// laid lays a face out with the lines in it, and says which face makes each.
func (c *crossings) laid(face int32) (g *planar, lines map[[2]int32]int32) {
	t := c.triangles[face]
	g = &planar{at: map[int32]Point{}, beside: map[int32][]int32{}}
	var border []int32
	for k := range 3 {
		u, v, p, q := t[k], t[(k+1)%3], laidOut[k], laidOut[(k+1)%3]
		border, g.at[u] = append(border, u), p
		points := slices.Clone(c.onEdge[edgeOf(u, v)])
		if u > v {
			slices.Reverse(points)
		}
		for _, id := range points {
			w := c.along[id]
			if u > v {
				w = 1 - w
			}
			g.at[id] = Point{p.X + (q.X-p.X)*w, p.Y + (q.Y-p.Y)*w}
		}
		border = append(border, points...)
	}
	for k, id := range border {
		g.edge(id, border[(k+1)%len(border)])
	}
	lines = map[[2]int32]int32{}
	for _, l := range c.lines[face] {
		for _, id := range [2]int32{l.from, l.to} {
			if _, ok := g.at[id]; !ok {
				g.at[id] = c.within[id]
			}
		}
		g.edge(l.from, l.to)
		lines[[2]int32{l.from, l.to}], lines[[2]int32{l.to, l.from}] = l.by, l.by
	}
	return g, lines
}

// behind reports whether a piece of a face lies within the other body. The face that makes a
// line parts the corners as it parts the pieces: the furthest on the left of the line tells on
// which side of it the piece lies.
func (c *crossings) behind(face int32, g *planar, edge pieceRing) bool {
	p, q := g.at[edge.line[0]], g.at[edge.line[1]]
	left := 0
	for i := range laidOut {
		if turnOf(p, q, laidOut[i]) > turnOf(p, q, laidOut[left]) {
			left = i
		}
	}
	by := c.triangles[edge.by]
	return orient(c.vertices[by[0]], c.vertices[by[1]], c.vertices[by[2]], c.vertices[c.triangles[face][left]]) > 0
}

// planar is a face with the lines in it.
type planar struct {
	at     map[int32]Point
	beside map[int32][]int32
}

func (g *planar) edge(u, v int32) {
	g.beside[u], g.beside[v] = append(g.beside[u], v), append(g.beside[v], u)
}

func (g *planar) points(ids []int32) (out []flatPoint) {
	for _, id := range ids {
		out = append(out, flatPoint{g.at[id], id})
	}
	return out
}

// rings walks around all pieces: their outer rings, and for each those of its holes.
func (g *planar) rings(lines map[[2]int32]int32) (outer []pieceRing, holes [][]pieceRing) {
	for u, list := range g.beside {
		p := g.at[u]
		angle := func(v int32) float64 { q := g.at[v]; return math.Atan2(q.Y-p.Y, q.X-p.X) }
		slices.SortFunc(list, func(a, b int32) int { return cmp.Compare(angle(a), angle(b)) })
	}
	walked := map[[2]int32]bool{}
	var inner []pieceRing
	for _, u := range slices.Sorted(maps.Keys(g.beside)) {
		for _, v := range g.beside[u] {
			if walked[[2]int32{u, v}] {
				continue
			}
			r := pieceRing{}
			for a, b := u, v; !walked[[2]int32{a, b}]; {
				walked[[2]int32{a, b}] = true
				r.ids = append(r.ids, a)
				if by, ok := lines[[2]int32{a, b}]; ok && (!r.cut || length2(g.at[a], g.at[b]) > length2(g.at[r.line[0]], g.at[r.line[1]])) {
					r.by, r.line, r.cut = by, [2]int32{a, b}, true
				}
				list := g.beside[b]
				k := slices.Index(list, a)
				a, b = b, list[(k+len(list)-1)%len(list)] // the next clockwise from where it came
			}
			var ring []Point
			for _, id := range r.ids {
				ring = append(ring, g.at[id])
			}
			if r.area = area(ring); r.area > 0 {
				outer = append(outer, r)
			} else {
				inner = append(inner, r)
			}
		}
	}
	holes = make([][]pieceRing, len(outer))
	for _, h := range inner {
		best := -1
		for k, r := range outer {
			if -h.area < r.area && !slices.Contains(r.ids, h.ids[0]) && (best < 0 || r.area < outer[best].area) && g.holds(r, h.ids[0]) {
				best = k
			}
		}
		if best >= 0 { // else it is the face's own border, seen from without
			holes[best] = append(holes[best], h)
		}
	}
	return outer, holes
}

func (g *planar) holds(r pieceRing, id int32) bool {
	var ring []Point
	for _, i := range r.ids {
		ring = append(ring, g.at[i])
	}
	return Ring{Points: ring}.holds(g.at[id])
}
