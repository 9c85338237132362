package mesh

import (
	"slices"
	"sync"
	"sync/atomic"
)

// halfEdge is one side of a triangle, kept with the lower of its two vertices.
type halfEdge struct {
	high int32  // the higher vertex
	side uint32 // twice the triangle, and one more when the side runs from low to high
}

func (h halfEdge) triangle() int32 { return int32(h.side >> 1) }
func (h halfEdge) forward() bool   { return h.side&1 != 0 }

// edges is every triangle side, grouped by its lower vertex.
type edges struct {
	start []int32 // the first half edge of each vertex, and one more for the end
	half  []halfEdge
	mesh  *Mesh

	inward func() bool // whether matter lies on the side that facets face, as in a mirrored file
}

func (m *Mesh) edges() *edges {
	n := len(m.Vertices)
	e := &edges{start: make([]int32, n+1), half: make([]halfEdge, 3*len(m.Triangles)), mesh: m, inward: sync.OnceValue(m.inward)}
	w := workers(len(m.Triangles))
	// Each worker counts its own triangles' sides, then knows where to lay them.
	place := make([][]int32, w)
	spread(len(m.Triangles), w, func(k, from, to int) {
		count := make([]int32, n)
		for _, t := range m.Triangles[from:to] {
			count[min(t[0], t[1])]++
			count[min(t[1], t[2])]++
			count[min(t[2], t[0])]++
		}
		place[k] = count
	})
	at := int32(0)
	for v := range n {
		e.start[v] = at
		for k := range place {
			at, place[k][v] = at+place[k][v], at
		}
	}
	e.start[n] = at
	spread(len(m.Triangles), w, func(k, from, to int) {
		next := place[k]
		lay := func(u, v, triangle int32) {
			low, high, side := u, v, uint32(triangle)<<1|1
			if v < u {
				low, high, side = v, u, side-1
			}
			e.half[next[low]] = halfEdge{high, side}
			next[low]++
		}
		for i := from; i < to; i++ {
			t := m.Triangles[i]
			lay(t[0], t[1], int32(i))
			lay(t[1], t[2], int32(i))
			lay(t[2], t[0], int32(i))
		}
	})
	spread(n, w, func(_, from, to int) {
		for v := from; v < to; v++ {
			byHigh(e.half[e.start[v]:e.start[v+1]])
		}
	})
	return e
}

// inward reports whether facets enclose less than nothing, all in all.
func (m *Mesh) inward() bool {
	sum := 0.0
	for _, t := range m.Triangles {
		a := m.Vertices[m.Triangles[0][0]]
		sum += m.Vertices[t[0]].Sub(a).Dot(m.Vertices[t[1]].Sub(a).Cross(m.Vertices[t[2]].Sub(a)))
	}
	return sum < 0
}

// byHigh sorts the handful of half edges of a vertex; a hub of thousands too.
func byHigh(h []halfEdge) {
	if len(h) > 24 {
		slices.SortFunc(h, func(a, b halfEdge) int { return int(a.high) - int(b.high) })
		return
	}
	for i := 1; i < len(h); i++ {
		for k := i; k > 0 && h[k].high < h[k-1].high; k-- {
			h[k], h[k-1] = h[k-1], h[k]
		}
	}
}

// of calls do with the triangles of every edge of the vertices from..to.
func (e *edges) of(from, to int, do func(low, high int32, same []halfEdge)) {
	for v := from; v < to; v++ {
		h := e.half[e.start[v]:e.start[v+1]]
		for len(h) > 0 {
			k := 1
			for k < len(h) && h[k].high == h[0].high {
				k++
			}
			do(int32(v), h[0].high, h[:k])
			h = h[k:]
		}
	}
}

// sets is a union of sets that several goroutines may join at once: a root is
// its own parent and only ever points to a lower number [published: Anderson and
// Woll, Wait-free parallel algorithms for the union-find problem, 1991].
type sets []int32

func newSets(n int) sets {
	s := sets(make([]int32, n))
	for i := range s {
		s[i] = int32(i)
	}
	return s
}

func (s sets) root(i int32) int32 {
	for {
		p := atomic.LoadInt32(&s[i])
		if p == i {
			return i
		}
		if g := atomic.LoadInt32(&s[p]); g != p {
			atomic.CompareAndSwapInt32(&s[i], p, g)
		}
		i = p
	}
}

func (s sets) join(a, b int32) {
	for {
		a, b = s.root(a), s.root(b)
		if a == b {
			return
		}
		if a < b {
			a, b = b, a
		}
		if atomic.CompareAndSwapInt32(&s[a], a, b) {
			return
		}
	}
}

// number gives each set a number, in the order of their lowest members, and says
// for each member which is its own.
func (s sets) number(w int) (of []int32, count int32) {
	of = make([]int32, len(s))
	spread(len(s), w, func(_, from, to int) {
		for i := from; i < to; i++ {
			of[i] = s.root(int32(i))
		}
	})
	for i, root := range of {
		if root == int32(i) {
			s[i] = count
			count++
		}
	}
	if count == 1 {
		clear(of)
		return of, count
	}
	spread(len(s), w, func(_, from, to int) {
		for i := from; i < to; i++ {
			of[i] = s[of[i]]
		}
	})
	return of, count
}

// Shell is a set of triangles joined over edges.
type Shell struct {
	Triangles    int
	Box          Box
	AreaMM2      float64
	VolumeMM3    float64 // signed: negative when it faces inwards
	OpenEdges    int
	NonManifold  int // where more than two facets meet and it cannot be told which go on into which
	Touching     int // where it meets another, or itself, along an edge
	FlippedEdges int // where two facets meet that face opposite ways
	Depth        int // how many closed shells enclose it; 0 for a shell that is not closed
	Parent       int // the innermost shell that encloses it, or −1
	Around       int // how often matter surrounds a place just outside it, and
	Within       int // just inside it, the outermost shell around it taken to face outward
}

// Closed reports whether the shell parts an inside from an outside.
func (s Shell) Closed() bool { return s.OpenEdges == 0 && s.NonManifold == 0 }

// flat reports a closed shell that holds nothing: a wall within matter, seen from both sides.
func (s Shell) flat() bool {
	return s.Closed() && abs(s.VolumeMM3) <= 1e-9*s.AreaMM2*s.Box.Diagonal()
}

// Cavity reports a closed shell within which there is no matter, and around it there is.
func (s Shell) Cavity() bool { return s.Closed() && s.Around != 0 && s.Within == 0 }

// Buried reports a closed body inside another: it adds nothing.
func (s Shell) Buried() bool { return s.Closed() && s.Around != 0 && s.Within != 0 }

// Inverted reports a closed shell with matter on one side that does not face away from it.
func (s Shell) Inverted() bool {
	return s.Closed() && !s.Buried() && (s.VolumeMM3 > 0) == s.Cavity() && s.VolumeMM3 != 0
}

// shellSum collects a shell while triangles and rims are walked.
type shellSum struct {
	shell   Shell
	volume6 float64 // about the mesh's first vertex
	normal  Vec     // sum of normals, twice the area long: nothing for a closed shell
	rim     Vec     // sum of the ends of open edges
	rims    int
}

func (a *shellSum) merge(b shellSum) {
	if b.shell.Triangles > 0 {
		a.shell.Box = a.shell.Box.Union(b.shell.Box)
	}
	a.shell.Triangles += b.shell.Triangles
	a.shell.AreaMM2 += b.shell.AreaMM2
	a.volume6 += b.volume6
	a.normal = a.normal.Add(b.normal)
	a.rim = a.rim.Add(b.rim)
	a.rims += b.rims
	a.shell.OpenEdges += b.shell.OpenEdges
	a.shell.NonManifold += b.shell.NonManifold
	a.shell.Touching += b.shell.Touching
	a.shell.FlippedEdges += b.shell.FlippedEdges
}

// Shells returns every shell and, for each triangle, the number of its shell.
// The volume of a shell with holes is taken with each hole closed by a fan from
// the middle of the rims, which is exact for a flat rim.
func (m *Mesh) Shells() (shells []Shell, of []int32) {
	if len(m.Triangles) == 0 {
		return nil, nil
	}
	e := m.edges()
	joined := newSets(len(m.Triangles))
	w := workers(len(m.Triangles))
	odd := make([][]oddEdge, w)
	spread(len(m.Vertices), w, func(k, from, to int) {
		e.of(from, to, func(low, high int32, same []halfEdge) {
			even := e.pair(low, high, same, func(a, b halfEdge) { joined.join(a.triangle(), b.triangle()) })
			if even && len(same) == 2 {
				return
			}
			odd[k] = append(odd[k], oddEdge{low, high, same, even})
			for _, h := range same[1:] {
				if !even {
					joined.join(same[0].triangle(), h.triangle())
				}
			}
		})
	})
	of, count := joined.number(w)
	if count > 50_000 {
		w = 1 // thousands of specks: one set of sums is enough memory
	}
	sums := make([][]shellSum, w)
	spread(len(m.Triangles), w, func(k, from, to int) { sums[k] = m.sum(of, int(count), from, to) })
	for _, list := range odd {
		for _, o := range list {
			m.rim(o, &sums[0][of[o.same[0].triangle()]])
		}
	}
	shells = make([]Shell, count)
	origin := m.Vertices[m.Triangles[0][0]]
	for i := range shells {
		all := sums[0][i]
		for _, more := range sums[1:] {
			all.merge(more[i])
		}
		if all.rims > 0 {
			about := all.rim.Mul(1 / float64(all.rims)).Sub(origin)
			all.volume6 -= about.Dot(all.normal)
		}
		all.shell.VolumeMM3, all.shell.Parent = all.volume6/6, -1
		shells[i] = all.shell
	}
	m.nest(shells, of)
	return shells, of
}

func (m *Mesh) sum(of []int32, count, from, to int) []shellSum {
	sums := make([]shellSum, count)
	for i := range sums {
		sums[i].shell.Box = EmptyBox()
	}
	origin := m.Vertices[m.Triangles[0][0]]
	for i := from; i < to; i++ {
		t := m.Triangles[i]
		a, b, c := m.Vertices[t[0]].Sub(origin), m.Vertices[t[1]].Sub(origin), m.Vertices[t[2]].Sub(origin)
		n := b.Sub(a).Cross(c.Sub(a))
		s := &sums[of[i]]
		s.shell.Triangles++
		s.shell.AreaMM2 += n.Len() / 2
		s.volume6 += a.Dot(n)
		s.normal = s.normal.Add(n)
		s.shell.Box.Add(a)
		s.shell.Box.Add(b)
		s.shell.Box.Add(c)
	}
	for i := range sums {
		sums[i].shell.Box.Min = sums[i].shell.Box.Min.Add(origin)
		sums[i].shell.Box.Max = sums[i].shell.Box.Max.Add(origin)
	}
	return sums
}

// oddEdge is an edge that is not where two facets meet that face the same way.
type oddEdge struct {
	low, high int32
	same      []halfEdge
	even      bool // whether it is known which facets go on into which
}

func (m *Mesh) rim(o oddEdge, s *shellSum) {
	switch {
	case len(o.same) == 1:
		s.shell.OpenEdges++
		s.rim = s.rim.Add(m.Vertices[o.low]).Add(m.Vertices[o.high])
		s.rims += 2
	case o.even:
		s.shell.Touching++
	case len(o.same) > 2:
		s.shell.NonManifold++
	default:
		s.shell.FlippedEdges++
	}
}
