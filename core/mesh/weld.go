package mesh

import (
	"errors"
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
	Groups     []Group // as the soup's, counted in these triangles
}

// WeldTolerance is the distance within which two corners are one vertex, as a
// share of the box's diagonal.
const WeldTolerance = 1e-6

// Weld joins equal corners. It runs in time linear in the triangles: each corner
// is looked up in a grid whose cells hold about one vertex.
func (s *Soup) Weld() *Mesh {
	m, _ := weld(s.Box, s.n, s.Groups, func(from, to int, _ []byte) (*Soup, error) { return s.window(from, to), nil })
	return m
}

// stretch is how many triangles are looked at in one go.
const stretch = 8192

// weld joins the corners of n triangles within a box, which window gives in stretches;
// it may lay them into the bytes it is handed, room for stretch binary records.
func weld(box Box, n int, groups []Group, window func(from, to int, room []byte) (*Soup, error)) (*Mesh, error) {
	m := &Mesh{Box: box}
	if n == 0 {
		return m, nil
	}
	w := workers(n)
	welders := make([]*welder, w)
	triangles := make([][3]int32, n)
	dropped, faults := make([]int, w), make([]error, w)
	spread(n, w, func(k, from, to int) {
		room := n / w
		if k == 0 { // it takes all the others' vertices
			room = n
		}
		welders[k] = newWelder(m.Box, n, n/w, room)
		faults[k] = welders[k].corners(triangles, from, to, window)
	})
	if err := errors.Join(faults...); err != nil {
		return nil, err
	}
	first := welders[0]
	now := make([][]int32, w)
	for k := 1; k < w; k++ {
		now[k] = first.take(welders[k], k == w-1)
	}
	m.Vertices = first.vertices
	spread(n, w, func(k, from, to int) {
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
	m.Groups = groups
	if m.Degenerate > 0 {
		m.Groups = without(groups, triangles)
		triangles = slices.DeleteFunc(triangles, degenerate)
	}
	m.Triangles = triangles
	return m, nil
}

// corners fills triangles from–to with the vertices of their corners.
func (wd *welder) corners(triangles [][3]int32, from, to int, window func(from, to int, room []byte) (*Soup, error)) error {
	buffer := make([]byte, stretch*stlRecord)
	for ; from < to; from += stretch {
		part, err := window(from, min(from+stretch, to), buffer)
		if err != nil {
			return err
		}
		for i := range part.n {
			f := part.corners(i)
			a, b, c := wd.corner(f[0], f[1], f[2]), wd.corner(f[3], f[4], f[5]), wd.corner(f[6], f[7], f[8])
			if flatCorners(&f) {
				b = a
			}
			triangles[from+i] = [3]int32{a, b, c}
		}
	}
	return nil
}

// without counts groups again as if the degenerate triangles were gone.
func without(groups []Group, triangles [][3]int32) []Group {
	out := slices.Clone(groups)
	at := 0
	for k, g := range groups {
		out[k].From = at
		for _, t := range triangles[g.From:g.To] {
			if !degenerate(t) {
				at++
			}
		}
		out[k].To = at
	}
	return out
}

// Soup returns the mesh's triangles as a soup of the given format.
func (m *Mesh) Soup(format string) *Soup {
	flat := make([]float32, 9*len(m.Triangles))
	spread(len(m.Triangles), workers(len(m.Triangles)), func(_, from, to int) {
		for i := from; i < to; i++ {
			for k, v := range m.Triangles[i] {
				p := m.Vertices[v]
				flat[9*i+3*k], flat[9*i+3*k+1], flat[9*i+3*k+2] = float32(p.X), float32(p.Y), float32(p.Z)
			}
		}
	})
	s := SoupOf(format, flat)
	s.Groups = m.Groups
	return s
}

// normal returns the normal of a triangle, twice its area long.
func (m *Mesh) normal(t [3]int32) Vec {
	a := m.Vertices[t[0]]
	return m.Vertices[t[1]].Sub(a).Cross(m.Vertices[t[2]].Sub(a))
}

// take adds the vertices of another welder that w does not have, and returns their
// numbers. Nothing is looked for after the last one.
func (w *welder) take(other *welder, last bool) (now []int32) {
	now = make([]int32, len(other.vertices))
	spread(len(now), workers(len(now)), func(_, from, to int) {
		for i := from; i < to; i++ {
			now[i], _, _ = w.find(other.vertices[i])
		}
	})
	for i, at := range now {
		switch {
		case at >= 0:
		case last: // its own welder has told them apart
			now[i] = int32(len(w.vertices))
			w.vertices = append(w.vertices, other.vertices[i])
		default:
			now[i] = w.vertex(other.vertices[i])
		}
	}
	return now
}

// flatCorners reports a triangle of no area at all.
func flatCorners(f *[9]float32) bool {
	ux, uy, uz := float64(f[3])-float64(f[0]), float64(f[4])-float64(f[1]), float64(f[5])-float64(f[2])
	vx, vy, vz := float64(f[6])-float64(f[0]), float64(f[7])-float64(f[1]), float64(f[8])-float64(f[2])
	return uy*vz == uz*vy && uz*vx == ux*vz && ux*vy == uy*vx
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
	lately    []seen // a corner met a short while ago is found here, without the grid
}

// gridCell is the head of the vertices of one cell of the grid, numbered from 1; 0
// is a free place. The tag is what is kept of the cell's own place: two cells of
// one tag share a list, which costs a comparison and nothing else.
type gridCell struct {
	tag  uint32
	head int32
}

// seen is a corner and its vertex, numbered from 1.
type seen struct {
	x, y, z float32
	at      int32
}

// latelyBits is the size of that memory: it fits a processor's second-level cache.
const latelyBits = 13

func newWelder(box Box, all, share, room int) *welder {
	diagonal := box.Diagonal()
	perDiagonal := math.Min(1<<18, math.Max(64, math.Sqrt(float64(all))))
	slots := 1024
	for slots < share {
		slots *= 2
	}
	w := &welder{
		origin: box.Min, tolerance: math.Pow(WeldTolerance*diagonal, 2), reach: WeldTolerance * perDiagonal,
		vertices: make([]Vec, 0, room/2+16), next: make([]int32, 0, share/2+16),
		cells: make([]gridCell, slots), mask: uint64(slots - 1), lately: make([]seen, 1<<latelyBits),
	}
	if diagonal > 0 {
		w.perMM = perDiagonal / diagonal
	}
	return w
}

// slot finds the place of a cell, or the free place where it would go, and its tag.
func (w *welder) slot(x, y, z int) (at uint64, tag uint32) {
	// Four neighbours along x share a line of memory; all others scatter.
	h := uint64(x>>2)*0x9e3779b97f4a7c15 ^ uint64(y)*0xd6e8feb86659fd93 ^ uint64(z)*0xa0761d6478bd642f
	h ^= h >> 32
	tag = uint32(h>>32)<<2 | uint32(x&3)
	for i := (h<<2 | uint64(x&3)) & w.mask; ; i = (i + 1) & w.mask {
		if c := w.cells[i]; c.head == 0 || c.tag == tag {
			return i, tag
		}
	}
}

// corner returns the number of the vertex at a point. Meshes are written in
// patches, so most corners were met a short while ago.
func (w *welder) corner(x, y, z float32) int32 {
	h := math.Float32bits(x)*0x9e3779b1 ^ math.Float32bits(y)*0x85ebca77 ^ math.Float32bits(z)*0xc2b2ae3d
	s := &w.lately[h*0x27d4eb2f>>(32-latelyBits)]
	if s.x == x && s.y == y && s.z == z && s.at != 0 {
		return s.at - 1
	}
	at := w.vertex(Vec{float64(x), float64(y), float64(z)})
	*s = seen{x, y, z, at + 1}
	return at
}

// vertex returns the number of the vertex at v, a new one if none is near.
func (w *welder) vertex(v Vec) int32 {
	at, home, tag := w.find(v)
	if at < 0 {
		at = w.insert(home, tag, v)
	}
	return at
}

// find returns the number of the vertex near v, or −1 and the place where it would go.
func (w *welder) find(v Vec) (at int32, home uint64, tag uint32) {
	fx, fy, fz := w.cell(v)
	x, y, z := int(fx), int(fy), int(fz)
	home, tag = w.slot(x, y, z)
	if at := w.among(w.cells[home].head, v); at >= 0 {
		return at, home, tag
	}
	dx, dy, dz := w.side(fx-float64(x)), w.side(fy-float64(y)), w.side(fz-float64(z))
	if dx|dy|dz == 0 {
		return -1, home, tag
	}
	return w.around(v, x, y, z, dx, dy, dz), home, tag
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

// among looks through a list of vertices, whose numbers count from 1.
func (w *welder) among(head int32, v Vec) int32 {
	for at := head; at > 0; at = w.next[at-1] {
		d := w.vertices[at-1].Sub(v)
		if d.Dot(d) <= w.tolerance {
			return at - 1
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
		s, _ := w.slot(x+dx*(k&1), y+dy*(k>>1&1), z+dz*(k>>2))
		if at := w.among(w.cells[s].head, v); at >= 0 {
			return at
		}
	}
	return -1
}

func (w *welder) insert(slot uint64, tag uint32, v Vec) int32 {
	at := int32(len(w.vertices))
	w.vertices = append(w.vertices, v)
	w.next = append(w.next, w.cells[slot].head)
	w.cells[slot] = gridCell{tag, at + 1}
	if len(w.vertices)*4 > len(w.cells)*3 {
		w.grow()
	}
	return at
}

// grow doubles the grid's table and lays every list again.
func (w *welder) grow() {
	w.cells = make([]gridCell, 2*len(w.cells))
	w.mask = uint64(len(w.cells) - 1)
	for i, v := range w.vertices {
		x, y, z := w.cell(v)
		s, tag := w.slot(int(x), int(y), int(z))
		w.next[i] = w.cells[s].head
		w.cells[s] = gridCell{tag, int32(i) + 1}
	}
}

// cell is the place of a point in the grid; its whole parts name the cell.
func (w *welder) cell(v Vec) (x, y, z float64) {
	return (v.X - w.origin.X) * w.perMM, (v.Y - w.origin.Y) * w.perMM, (v.Z - w.origin.Z) * w.perMM
}
