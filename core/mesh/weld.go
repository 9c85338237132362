package mesh

import (
	"math"
	"slices"
)

// Mesh is a welded soup: corners that are equal are one vertex. Degenerate
// triangles are counted and left out.
type Mesh struct {
	Vertices   []Vec
	Triangles  [][3]int32
	Degenerate int
	Box        Box
}

// WeldTolerance is the distance within which two corners are one vertex, as a
// share of the box's diagonal.
const WeldTolerance = 1e-6

// Weld joins equal corners. It runs in time linear in the triangles: each corner
// is looked up in a grid whose cells hold about one vertex.
func (s *Soup) Weld() *Mesh {
	m := &Mesh{Box: s.Box}
	if s.n == 0 {
		return m
	}
	w := workers(s.n)
	welders := make([]*welder, w)
	triangles := make([][3]int32, s.n)
	dropped := make([]int, w)
	share := func(k int) int { // the first takes in the others in the end
		if k == 0 {
			return s.n
		}
		return s.n / w
	}
	spread(s.n, w, func(k, from, to int) {
		wd := newWelder(m.Box, s.n, share(k))
		for i := from; i < to; i++ {
			a, b, c := s.Triangle(i)
			triangles[i] = [3]int32{wd.corner(a), wd.corner(b), wd.corner(c)}
			if b.Sub(a).Cross(c.Sub(a)) == (Vec{}) {
				triangles[i][1] = triangles[i][0]
			}
		}
		welders[k] = wd
	})
	first := welders[0]
	now := make([][]int32, w)
	for k := 1; k < w; k++ {
		now[k] = make([]int32, len(welders[k].vertices))
		for i, v := range welders[k].vertices {
			now[k][i] = first.corner(v)
		}
	}
	m.Vertices = first.vertices
	spread(s.n, w, func(k, from, to int) {
		for i := from; i < to; i++ {
			t := &triangles[i]
			if k > 0 {
				t[0], t[1], t[2] = now[k][t[0]], now[k][t[1]], now[k][t[2]]
			}
			if degenerate(*t) {
				dropped[k]++
			}
		}
	})
	for _, d := range dropped {
		m.Degenerate += d
	}
	if m.Degenerate > 0 {
		triangles = slices.DeleteFunc(triangles, degenerate)
	}
	m.Triangles = triangles
	return m
}

func degenerate(t [3]int32) bool { return t[0] == t[1] || t[1] == t[2] || t[2] == t[0] }

// welder is a hash of grid cells, each the head of a list of vertices.
type welder struct {
	origin    Vec
	perMM     float64 // cells per millimetre
	reach     float64 // weld tolerance, in cells
	tolerance float64 // squared, mm²
	vertices  []Vec
	next      []int32
	cells     []gridCell
	mask      uint64
	lately    [8]seen // triangles that follow each other share corners
	turn      int
}

// gridCell is a cell of the grid and the head of its vertices; key 0 is a free one.
type gridCell struct {
	key  uint64
	head int32
}

type seen struct {
	v  Vec
	at int32
}

func newWelder(box Box, all, share int) *welder {
	diagonal := box.Diagonal()
	perDiagonal := math.Min(1<<18, math.Max(64, math.Sqrt(float64(all))))
	slots := 1024
	for slots < share {
		slots *= 2
	}
	w := &welder{
		origin: box.Min, tolerance: math.Pow(WeldTolerance*diagonal, 2), reach: WeldTolerance * perDiagonal,
		vertices: make([]Vec, 0, share/2+16), next: make([]int32, 0, share/2+16),
		cells: make([]gridCell, slots), mask: uint64(slots - 1),
	}
	for i := range w.lately {
		w.lately[i].v.X = math.NaN() // equal to nothing
	}
	if diagonal > 0 {
		w.perMM = perDiagonal / diagonal
	}
	return w
}

// slot finds the place of a cell, or the free place where it would go.
func (w *welder) slot(cell uint64) uint64 {
	// Neighbours along x stay neighbours: meshes are walked in patches, and so is the table.
	h := (cell >> 42) + (cell>>21&(1<<21-1))*0x9e3779b97f4a7c1 + (cell&(1<<21-1))*0x5851f42d4c957f2d>>7
	for i := h & w.mask; ; i = (i + 1) & w.mask {
		if k := w.cells[i].key; k == cell || k == 0 {
			return i
		}
	}
}

func pack(x, y, z int) uint64 { return uint64(x+1)<<42 | uint64(y+1)<<21 | uint64(z+1) + 1 }

// corner returns the number of the vertex at v, remembering the last few.
func (w *welder) corner(v Vec) int32 {
	for i := range w.lately {
		if w.lately[i].v == v {
			return w.lately[i].at
		}
	}
	at := w.vertex(v)
	w.lately[w.turn&7] = seen{v, at}
	w.turn++
	return at
}

// vertex returns the number of the vertex at v, a new one if none is near.
func (w *welder) vertex(v Vec) int32 {
	fx, fy, fz := (v.X-w.origin.X)*w.perMM, (v.Y-w.origin.Y)*w.perMM, (v.Z-w.origin.Z)*w.perMM
	x, y, z := int(fx), int(fy), int(fz)
	home := w.slot(pack(x, y, z))
	if w.cells[home].key != 0 {
		if at := w.among(w.cells[home].head, v); at >= 0 {
			return at
		}
	}
	dx, dy, dz := w.side(fx-float64(x)), w.side(fy-float64(y)), w.side(fz-float64(z))
	if dx|dy|dz != 0 {
		if at := w.around(v, x, y, z, dx, dy, dz); at >= 0 {
			return at
		}
	}
	return w.insert(home, pack(x, y, z), v)
}

// side says on which side a neighbouring cell is within reach: −1, 0 or 1.
func (w *welder) side(within float64) int {
	switch {
	case within <= w.reach:
		return -1
	case within >= 1-w.reach:
		return 1
	}
	return 0
}

func (w *welder) among(head int32, v Vec) int32 {
	for at := head; at >= 0; at = w.next[at] {
		d := w.vertices[at].Sub(v)
		if d.Dot(d) <= w.tolerance {
			return at
		}
	}
	return -1
}

// around looks into the up to seven cells that v is close to.
func (w *welder) around(v Vec, x, y, z, dx, dy, dz int) int32 {
	for k := 1; k < 8; k++ {
		if k&1 != 0 && dx == 0 || k&2 != 0 && dy == 0 || k&4 != 0 && dz == 0 {
			continue
		}
		s := w.slot(pack(x+dx*(k&1), y+dy*(k>>1&1), z+dz*(k>>2)))
		if w.cells[s].key == 0 {
			continue
		}
		if at := w.among(w.cells[s].head, v); at >= 0 {
			return at
		}
	}
	return -1
}

func (w *welder) insert(slot, cell uint64, v Vec) int32 {
	at := int32(len(w.vertices))
	w.vertices = append(w.vertices, v)
	if c := &w.cells[slot]; c.key != 0 {
		w.next = append(w.next, c.head)
		c.head = at
		return at
	}
	w.next = append(w.next, -1)
	w.cells[slot] = gridCell{cell, at}
	if len(w.vertices)*4 > len(w.cells)*3 {
		w.grow()
	}
	return at
}

func (w *welder) grow() {
	old := w.cells
	w.cells = make([]gridCell, 2*len(old))
	w.mask = uint64(len(w.cells) - 1)
	for _, c := range old {
		if c.key != 0 {
			w.cells[w.slot(c.key)] = c
		}
	}
}
