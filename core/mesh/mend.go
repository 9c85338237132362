package mesh

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Done is one kind of thing that mending did, and how often.
type Done struct {
	What  string `json:"what"`
	Count int    `json:"count"`
	Spots []Spot `json:"spots,omitempty"` // where, when that is worth flying to
}

// Text says it with its count, as one reads it.
func (d Done) Text() string {
	if d.Count == 0 { // something to know
		return d.What
	}
	if d.Count != 1 {
		return fmt.Sprintf("%d %s", d.Count, d.What)
	}
	what := d.What
	for many, one := range map[string]string{"cracks": "crack", "edges": "edge", "triangles": "triangle", "facets": "facet", "holes": "hole", "sockets": "socket", "places": "place", "specks": "speck", "shells": "shell", "bodies": "body"} {
		what = strings.Replace(what, many, one, 1)
	}
	return "1 " + what
}

// What mending can have done.
const (
	ClosedCracks     = "cracks closed"
	SplitEdges       = "edges split where a corner lay on them"
	DroppedFlat      = "degenerate triangles dropped"
	DroppedDoubles   = "doubled facets taken away"
	TurnedFacets     = "facets turned"
	FilledHoles      = "holes filled"
	DroppedSpecks    = "loose specks dropped"
	TurnedShells     = "shells turned outward"
	RemovedBuried    = "buried bodies taken out"
	crackShare       = 1e-4 // of the diagonal: corners of rims this near are one
	planeShare       = 0.15 // of a rim's span: how far from its plane a rim may lie to be filled
	smallRim         = 4    // a rim of at most so many edges is filled whatever its shape
	longestEars      = 400  // a longer rim is filled around its middle instead of by its ears
	mostMendingTurns = 8    // taking a buried body out can bury another
)

// Mend returns the soup mended, and what was done: rims that nearly touch are joined,
// triangles without area and doubles dropped, facets and shells turned the right way,
// holes that lie about in a plane filled, loose specks dropped. The outermost shells
// face outward; inside another, a shell that faces inward is a cavity and stays, one
// that faces outward is a buried body and goes. Bodies that touch along an edge and
// holes of no plane are left for hands. A clean soup comes back as it was, and what is
// watertight is never worse for it: where bodies lie flush against each other and taking
// their common wall out would open them, their walls stay.
func Mend(s *Soup) (*Soup, []Done) {
	out, done := s.mend(true)
	if len(done) == 0 {
		return out, done
	}
	before := Measure(s)
	if !before.Watertight || !before.worse(Measure(out)) {
		return out, done
	}
	if Measure(out).Watertight && (!s.Weld().consistent() || allDoubled(s, done)) {
		return out, done // its volume was not what it holds
	}
	if out, done = s.mend(false); before.worse(Measure(out)) {
		return s, nil
	}
	return out, done
}

// consistent reports whether the facets at each edge run along it as often one way as the other.
func (m *Mesh) consistent() bool {
	runs := make(map[[2]int32]int32, len(m.Triangles)*3/2)
	for _, t := range m.Triangles {
		for k := range 3 {
			if a, b := t[k], t[(k+1)%3]; a < b {
				runs[[2]int32{a, b}]++
			} else {
				runs[[2]int32{b, a}]--
			}
		}
	}
	for _, n := range runs {
		if n != 0 {
			return false
		}
	}
	return true
}

// allDoubled reports a file that holds every facet twice: it is one body, written down twice.
func allDoubled(s *Soup, done []Done) bool {
	at := slices.IndexFunc(done, func(d Done) bool { return d.What == DroppedDoubles })
	return at >= 0 && 2*done[at].Count >= s.Len()
}

// sameVolume is by how much of it a volume may change that has not. Source: from memory.
const sameVolume = 1e-6

// worse reports whether a watertight soup is open after something was done, or holds another volume.
func (m Measures) worse(after Measures) bool {
	return !after.Watertight || math.Abs(after.VolumeMM3-m.VolumeMM3) > sameVolume*m.VolumeMM3
}

// mend does it; where the surface is not to be changed, only facets without area go, and what is turned wrongly is turned.
func (s *Soup) mend(surface bool) (*Soup, []Done) {
	m := s.Weld()
	var done []Done
	did := func(what string, count int) {
		if count > 0 {
			done = append(done, Done{What: what, Count: count})
		}
	}
	flat := m.Degenerate
	groups := m.Groups
	m.Groups = nil // triangles move: the file's own names end here, unless nothing is done
	if surface {
		did(ClosedCracks, m.closeCracks())
		did(SplitEdges, m.splitEdges())
	}
	before := len(m.Triangles)
	m.Triangles = slices.DeleteFunc(m.Triangles, func(t [3]int32) bool { return degenerate(t) || m.normal(t) == (Vec{}) })
	did(DroppedFlat, flat+before-len(m.Triangles))
	if surface {
		did(DroppedDoubles, m.dropDoubles())
		did(TurnedFacets, m.turnFacets())
		did(FilledHoles, m.fillHoles())
		did(DroppedSpecks, m.dropSpecks())
	}
	turned, buried := m.turnShells()
	did(TurnedShells, turned)
	did(RemovedBuried, buried)
	if len(done) == 0 {
		m.Groups = groups
	}
	return m.Soup(s.Format), done
}

// closeCracks joins rim corners that nearly coincide. The two ends of one edge are
// never joined.
func (m *Mesh) closeCracks() int {
	from, to, _ := m.openEdges(m.edges())
	if len(from) == 0 {
		return 0
	}
	reach := crackShare * m.Box.Diagonal()
	neighbours := map[int32][]int32{}
	shortest := math.Inf(1)
	for k := range from {
		neighbours[from[k]] = append(neighbours[from[k]], to[k])
		neighbours[to[k]] = append(neighbours[to[k]], from[k])
		shortest = min(shortest, m.Vertices[from[k]].Sub(m.Vertices[to[k]]).Len())
	}
	reach = min(reach, shortest/2) // never more than the rim's own detail
	type cell struct{ x, y, z int32 }
	at := func(v Vec) cell {
		return cell{int32((v.X - m.Box.Min.X) / reach), int32((v.Y - m.Box.Min.Y) / reach), int32((v.Z - m.Box.Min.Z) / reach)}
	}
	grid := map[cell][]int32{}
	now := map[int32]int32{}
	for _, v := range sortedKeys(neighbours) {
		c, p := at(m.Vertices[v]), m.Vertices[v]
		near := int32(-1)
		for k := range 27 {
			for _, u := range grid[cell{c.x + int32(k%3) - 1, c.y + int32(k/3%3) - 1, c.z + int32(k/9) - 1}] {
				if near < 0 && m.Vertices[u].Sub(p).Len() <= reach && !slices.Contains(neighbours[v], u) {
					near = u
				}
			}
		}
		if near >= 0 {
			now[v] = near
			continue
		}
		grid[c] = append(grid[c], v)
	}
	if len(now) == 0 {
		return 0
	}
	for i := range m.Triangles {
		for k, v := range m.Triangles[i] {
			if u, moved := now[v]; moved {
				m.Triangles[i][k] = u
			}
		}
	}
	return len(now)
}

func sortedKeys[V any](m map[int32]V) []int32 {
	keys := make([]int32, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// splitEdges cuts a triangle in two where a rim's corner lies on its open edge, so
// that the edges on either side of a crack are the same ones.
func (m *Mesh) splitEdges() (count int) {
	reach := crackShare * m.Box.Diagonal()
	for range mostMendingTurns {
		e := m.edges()
		from, to, _ := m.openEdges(e)
		if len(from) == 0 || len(from) > 200_000 {
			return count
		}
		corners := append(slices.Clone(from), to...)
		slices.Sort(corners)
		corners = slices.Compact(corners)
		tree := newBoxTree(len(corners), func(i int) Box { return Box{m.Vertices[corners[i]], m.Vertices[corners[i]]} })
		split := 0
		busy := map[int32]bool{}
		for k := range from {
			a, b := m.Vertices[from[k]], m.Vertices[to[k]]
			t := m.triangleAt(e, from[k], to[k])
			if busy[t] {
				continue
			}
			v := m.cornerOn(a, b, from[k], to[k], corners, tree, reach)
			if v < 0 || v == m.apex(t, from[k], to[k]) {
				continue
			}
			busy[t] = true
			split++
			second := m.Triangles[t]
			replace(&m.Triangles[t], to[k], v)
			replace(&second, from[k], v)
			m.Triangles = append(m.Triangles, second)
		}
		if split == 0 {
			break
		}
		count += split
	}
	return count
}

func replace(t *[3]int32, old, now int32) {
	for k := range t {
		if t[k] == old {
			t[k] = now
		}
	}
}

// cornerOn returns the rim corner that lies within an edge, nearest its start, or −1.
func (m *Mesh) cornerOn(a, b Vec, from, to int32, corners []int32, tree *boxTree, reach float64) int32 {
	along := b.Sub(a)
	length := along.Len()
	if length <= 2*reach {
		return -1
	}
	best, nearest := int32(-1), length-reach
	tree.each(nearLine(a, b, reach), func(i int32) {
		v := corners[i]
		if v == from || v == to {
			return
		}
		d := m.Vertices[v].Sub(a)
		at := d.Dot(along) / length
		if at > reach && (at < nearest || at == nearest && v < best) && d.Sub(along.Mul(at/length)).Len() <= reach {
			best, nearest = v, at
		}
	})
	return best
}

// dropDoubles takes facets away that lie on another with the same corners. One stays
// where the surface needs it: of a group whose edges each have one more neighbour one
// is kept; a group that closes nothing, or only fills a wall between two closed
// bodies, goes.
func (m *Mesh) dropDoubles() (count int) {
	e := m.edges()
	drop := map[int32]bool{}
	m.doubled(e, func(same []int32) {
		keep := same[:1]
		others := m.othersAt(e, same)
		if others == 0 || others == 2 {
			keep = nil
		}
		for _, t := range same[len(keep):] {
			drop[t] = true
		}
	})
	if len(drop) == 0 {
		return 0
	}
	at := int32(-1)
	m.Triangles = slices.DeleteFunc(m.Triangles, func([3]int32) bool {
		at++
		return drop[at]
	})
	return len(drop)
}

// othersAt returns the most common number of other facets, doubles among them counted
// once, at the three edges of a group of doubles.
func (m *Mesh) othersAt(e *edges, same []int32) int {
	t := m.Triangles[same[0]]
	count := [4]int{}
	for k := range 3 {
		low, high := min(t[k], t[(k+1)%3]), max(t[k], t[(k+1)%3])
		apexes := map[int32]bool{}
		for _, h := range e.half[e.start[low]:e.start[low+1]] {
			if h.high == high {
				apexes[m.apex(h.triangle(), low, high)] = true
			}
		}
		count[min(3, len(apexes)-1)]++
	}
	best := 0
	for k := range count {
		if count[k] > count[best] {
			best = k
		}
	}
	return best
}

// turnFacets makes neighbours face the same way, going from facet to facet over edges
// of exactly two; of each patch the smaller area is turned.
func (m *Mesh) turnFacets() (count int) {
	e := m.edges()
	start, list := m.neighbours(e)
	turn := make([]int8, len(m.Triangles)) // 0 not met, 1 as it is, −1 turned
	var patch []int32
	for seed := range m.Triangles {
		if turn[seed] != 0 {
			continue
		}
		patch = append(patch[:0], int32(seed))
		turn[seed] = 1
		area := [2]float64{}
		for k := 0; k < len(patch); k++ {
			t := patch[k]
			if a := m.normal(m.Triangles[t]).Len(); turn[t] > 0 {
				area[0] += a
			} else {
				area[1] += a
			}
			for _, n := range list[start[t]:start[t+1]] {
				if u := n.triangle; turn[u] == 0 {
					turn[u] = turn[t] * n.agrees
					patch = append(patch, u)
				}
			}
		}
		if area[1] > area[0] {
			for _, t := range patch {
				turn[t] = -turn[t]
			}
		}
	}
	for t := range m.Triangles {
		if turn[t] < 0 {
			m.turn(t)
			count++
		}
	}
	return count
}

func (m *Mesh) turn(t int) {
	m.Triangles[t][1], m.Triangles[t][2] = m.Triangles[t][2], m.Triangles[t][1]
}

// neighbour is a triangle across an edge; agrees is 1 when both face the same way.
type neighbour struct {
	triangle int32
	agrees   int8
}

// neighbours lists for each triangle those across its edges of exactly two.
func (m *Mesh) neighbours(e *edges) (start []int32, list []neighbour) {
	start = make([]int32, len(m.Triangles)+1)
	e.of(0, len(m.Vertices), func(_, _ int32, same []halfEdge) {
		if len(same) == 2 {
			start[same[0].triangle()+1]++
			start[same[1].triangle()+1]++
		}
	})
	for t := range m.Triangles {
		start[t+1] += start[t]
	}
	list = make([]neighbour, start[len(m.Triangles)])
	fill := slices.Clone(start)
	e.of(0, len(m.Vertices), func(_, _ int32, same []halfEdge) {
		if len(same) != 2 {
			return
		}
		agrees := int8(1)
		if same[0].forward() == same[1].forward() {
			agrees = -1
		}
		for k := range 2 {
			t := same[k].triangle()
			list[fill[t]] = neighbour{same[1-k].triangle(), agrees}
			fill[t]++
		}
	})
	return start, list
}

// fillHoles closes every rim that lies about in a plane.
func (m *Mesh) fillHoles() (count int) {
	e := m.edges()
	holes := m.holes(e)
	if len(holes) == 0 {
		return 0
	}
	shells, of := m.Shells()
	flat := m.sheets(shells, of)
	for _, h := range holes {
		if !m.fillable(h) || m.ofSheets(e, h, flat, of) {
			continue
		}
		m.fill(h)
		count++
	}
	return count
}

// fillable reports a rim that mending fills: short, or about in a plane.
func (m *Mesh) fillable(h Hole) bool {
	if len(h.Rim) < 3 {
		return false
	}
	if len(h.Rim) <= smallRim {
		return true
	}
	normal := m.rimNormal(h)
	length := normal.Len()
	if length == 0 {
		return false
	}
	for _, v := range h.Rim {
		if abs(m.Vertices[v].Sub(h.At).Dot(normal))/length > planeShare*h.SpanMM {
			return false
		}
	}
	return true
}

// rimNormal is the normal of the plane a rim lies in, by Newell's method.
func (m *Mesh) rimNormal(h Hole) (normal Vec) {
	for k, v := range h.Rim {
		a, b := m.Vertices[v].Sub(h.At), m.Vertices[h.Rim[(k+1)%len(h.Rim)]].Sub(h.At)
		normal = normal.Add(a.Cross(b))
	}
	return normal
}

// fill adds the triangles that close a rim. They run against it, so that they face
// as their neighbours do.
func (m *Mesh) fill(h Hole) {
	face := make([]int, len(h.Rim))
	for k, v := range h.Rim {
		face[len(face)-1-k] = int(v)
	}
	ears := 32 * len(face) * len(face)
	if len(face) <= longestEars {
		if triangles := triangulate(m.Vertices, face, &ears); ears > 0 {
			for _, t := range triangles {
				m.Triangles = append(m.Triangles, [3]int32{int32(t[0]), int32(t[1]), int32(t[2])})
			}
			return
		}
	}
	middle := int32(len(m.Vertices))
	m.Vertices = append(m.Vertices, h.At)
	for k, v := range h.Rim {
		m.Triangles = append(m.Triangles, [3]int32{h.Rim[(k+1)%len(h.Rim)], v, middle})
	}
}

// dropSpecks takes away loose bodies too small to be anything.
func (m *Mesh) dropSpecks() (count int) {
	shells, of := m.Shells()
	if len(shells) < 2 {
		return 0
	}
	bodies := m.bodies(shells, of)
	gone := make([]bool, len(m.Triangles))
	for k, speck := range m.specks(bodies) {
		if speck {
			count++
			for _, t := range bodies[k].Triangles {
				gone[t] = true
			}
		}
	}
	m.drop(gone, count)
	return count
}

func (m *Mesh) drop(gone []bool, some int) {
	if some == 0 {
		return
	}
	at := -1
	m.Triangles = slices.DeleteFunc(m.Triangles, func([3]int32) bool {
		at++
		return gone[at]
	})
}

// turnShells turns shells that should face outward and takes buried bodies out, until
// there is nothing of either.
func (m *Mesh) turnShells() (turned, buried int) {
	for range mostMendingTurns {
		shells, of := m.Shells()
		inverted, covered := 0, 0
		gone := make([]bool, len(m.Triangles))
		for t, s := range of {
			switch {
			case shells[s].Inverted():
				m.turn(t)
			case shells[s].Buried():
				gone[t] = true
			}
		}
		for _, s := range shells {
			switch {
			case s.Inverted():
				inverted++
			case s.Buried():
				covered++
			}
		}
		m.drop(gone, covered)
		turned, buried = turned+inverted, buried+covered
		if inverted+covered == 0 {
			break
		}
	}
	return turned, buried
}
