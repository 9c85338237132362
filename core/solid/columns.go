package solid

import (
	"cmp"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// columns are vertical lines through a part, one through the middle of each cell of a
// grid over its plan, and the places where they pass its surface, from below.
type columns struct {
	low    mesh.Vec // the lower corner of the grid, from where all counts
	cell   float64
	nx, ny int
	hits   [][]hit
}

// hit is a place where a column passes the surface.
type hit struct {
	z    float64 // over the grid's lower corner
	up   float64 // how far its face looks up: 1 straight up, −1 straight down
	face int32
}

// mostHits bounds what all columns pass of a part's surface, and with it memory and time: a
// part whose surface lies over itself a hundred times is looked at by fewer columns.
const mostHits = 8e6

// columnsOf stands about so many columns along the longer side of the part.
func columnsOf(m *mesh.Mesh, along int) *columns {
	size := m.Box.Size()
	cell := max(size.X, size.Y) / float64(along)
	if cell <= 0 {
		return &columns{low: m.Box.Min}
	}
	if n := planMM2(m) / (cell * cell); n > mostHits {
		cell *= math.Sqrt(n / mostHits)
	}
	return columnsIn(m, m.Box.Min, cell, int(size.X/cell)+1, int(size.Y/cell)+1)
}

// planMM2 is the area of all faces as they are seen from above, those that lie under others
// included, each taken as the rectangle around it.
func planMM2(m *mesh.Mesh) (sum float64) {
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		sum += (max(a.X, b.X, c.X) - min(a.X, b.X, c.X)) * (max(a.Y, b.Y, c.Y) - min(a.Y, b.Y, c.Y))
	}
	return sum
}

// columnsIn stands nx × ny columns from a corner on.
func columnsIn(m *mesh.Mesh, low mesh.Vec, cell float64, nx, ny int) *columns {
	c := &columns{low: low, cell: cell, nx: nx, ny: ny, hits: make([][]hit, nx*ny)}
	shared(ny, 8, func(_, from, to int) { c.stand(m, from, to) })
	return c
}

// stand finds the hits of some rows.
func (c *columns) stand(m *mesh.Mesh, from, to int) {
	first := func(v float64) int { return int(math.Ceil(v/c.cell - 0.5)) }
	for i, t := range m.Triangles {
		a, b, d := m.Vertices[t[0]].Sub(c.low), m.Vertices[t[1]].Sub(c.low), m.Vertices[t[2]].Sub(c.low)
		y, lastY := max(from, first(min(a.Y, b.Y, d.Y))), max(a.Y, b.Y, d.Y)
		if y >= to || (float64(y)+0.5)*c.cell > lastY {
			continue
		}
		normal := b.Sub(a).Cross(d.Sub(a))
		if normal.Z == 0 {
			continue
		}
		up := normal.Z / normal.Len()
		lastX := max(a.X, b.X, d.X)
		for ; y < to && (float64(y)+0.5)*c.cell <= lastY; y++ {
			for x := max(0, first(min(a.X, b.X, d.X))); x < c.nx && (float64(x)+0.5)*c.cell <= lastX; x++ {
				px, py := (float64(x)+0.5)*c.cell, (float64(y)+0.5)*c.cell
				if covers(a, b, d, px, py) {
					z := a.Z - (normal.X*(px-a.X)+normal.Y*(py-a.Y))/normal.Z
					c.hits[y*c.nx+x] = append(c.hits[y*c.nx+x], hit{z, up, int32(i)})
				}
			}
		}
	}
	for k := from * c.nx; k < to*c.nx; k++ {
		slices.SortFunc(c.hits[k], func(p, q hit) int { return cmp.Compare(p.z, q.z) })
	}
}

// covers reports whether (x, y) lies in the triangle's plan. Edges count by a
// half-open rule, so that neighbours never both cover a point.
func covers(a, b, c mesh.Vec, x, y float64) bool {
	in := false
	for _, e := range [3][2]mesh.Vec{{a, b}, {b, c}, {c, a}} {
		p, q := e[0], e[1]
		if p.Y > q.Y || p.Y == q.Y && p.X > q.X {
			p, q = q, p
		}
		if (p.Y <= y) != (q.Y <= y) && (q.X-p.X)*(y-p.Y) > (x-p.X)*(q.Y-p.Y) {
			in = !in
		}
	}
	return in
}

// span is a stretch of a column within matter, between two hits.
type span struct{ from, to hit }

// spans are the stretches of a column that lie within matter, from below; shells that
// overlap count as one.
func (c *columns) spans(column int) (out []span) {
	winding := 0
	var from hit
	for _, h := range c.hits[column] {
		switch {
		case h.up < 0:
			if winding++; winding == 1 {
				from = h
			}
		case winding > 0:
			if winding--; winding == 0 {
				out = append(out, span{from, h})
			}
		}
	}
	return out
}

// inside reports whether a height of a column lies within matter.
func (c *columns) inside(column int, z float64) bool {
	winding := 0
	for _, h := range c.hits[column] {
		if h.z > z {
			break
		}
		if h.up < 0 {
			winding++
		} else {
			winding--
		}
	}
	return winding > 0
}

// middle is the place on a column at a height over the grid's lower corner.
func (c *columns) middle(column int, z float64) mesh.Vec {
	return c.low.Add(mesh.Vec{X: (float64(column%c.nx) + 0.5) * c.cell, Y: (float64(column/c.nx) + 0.5) * c.cell, Z: z})
}
