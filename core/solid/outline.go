package solid

import (
	"math"

	"sakuji/core/mesh"
)

// Point is a place on a plane, in millimetres.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// distance2 is the square of how far apart two points lie, in mm².
func (p Point) distance2(q Point) float64 {
	dx, dy := p.X-q.X, p.Y-q.Y
	return dx*dx + dy*dy
}

// Outline is a silhouette in closed rings: anticlockwise around the part, clockwise
// around holes that can be looked through. The lower left of the part's box is the
// origin.
type Outline [][]Point

// View says from where a silhouette is seen.
type View int

// The three views of an orthographic drawing.
const (
	Plan  View = iota // from above: x to the right, y up
	Front             // along y: x to the right, z up
	Side              // along −x, from the right: y to the right, z up
)

func (v View) project(p mesh.Vec) Point {
	switch v {
	case Front:
		return Point{p.X, p.Z}
	case Side:
		return Point{p.Y, p.Z}
	}
	return Point{p.X, p.Y}
}

// OutlineOf returns the silhouette without holes, for laying parts side by side.
func OutlineOf(m *mesh.Mesh, v View) Outline { return outlineOf(m, v, false) }

// SilhouetteOf returns the silhouette with the holes one can look through, for
// drawings.
func SilhouetteOf(m *mesh.Mesh, v View) Outline { return outlineOf(m, v, true) }

// outlineCells is how many cells the longer side of a silhouette is drawn with.
const outlineCells = 240

// outlineOf walks the rim of the mesh's shadow. Every cell that a triangle
// touches is filled and two more around it; the rim is walked from edge middle to
// edge middle and straightened, together by less than two cells: the rings always
// hold the whole part and exceed it by at most four cells, 1.7 % of its longer side,
// and nowhere the hull of the part, so that what bulges is exact.
func outlineOf(m *mesh.Mesh, v View, holes bool) Outline {
	low, high := v.project(m.Box.Min), v.project(m.Box.Max)
	cell := max(high.X-low.X, high.Y-low.Y) / outlineCells
	if cell <= 0 {
		return nil
	}
	const border = 3
	g := &bitmap{w: int((high.X-low.X)/cell) + 1 + 2*border, h: int((high.Y-low.Y)/cell) + 1 + 2*border}
	g.set = make([]bool, g.w*g.h)
	full := make([][2]int, g.h) // of every row, cells from..to that are set
	for _, t := range m.Triangles {
		var p [3]Point
		for k, i := range t {
			q := v.project(m.Vertices[i])
			p[k] = Point{(q.X-low.X)/cell + border, (q.Y-low.Y)/cell + border}
		}
		g.fill(p, full)
	}
	g = g.grown().grown()
	points := make([]Point, len(m.Vertices))
	for i, p := range m.Vertices {
		q := v.project(p)
		points[i] = Point{q.X - low.X, q.Y - low.Y}
	}
	hull := hullOf(points)
	var out Outline
	for _, ring := range g.rims(holes) {
		ring = straightened(ring, 1.4)
		for i := range ring {
			ring[i] = Point{(ring[i].X - border) * cell, (ring[i].Y - border) * cell}
		}
		if len(hull) > 2 {
			if within := clippedTo(ring, hull); len(within) > 2 {
				ring = within
			}
		}
		out = append(out, ring)
	}
	return out
}

// bitmap is a grid of unit cells; cell (x, y) spans x..x+1, y..y+1.
type bitmap struct {
	w, h int
	set  []bool
}

func (g *bitmap) at(x, y int) bool { return x >= 0 && y >= 0 && x < g.w && y < g.h && g.set[y*g.w+x] }

// fill sets every cell that the triangle touches: row by row, the triangle is clipped to the
// row and what is left spans the cells from its least to its greatest x. Of every row one
// stretch that is full is known, so that what lies on what is there already costs little.
func (g *bitmap) fill(p [3]Point, full [][2]int) {
	low, high := min(p[0].Y, p[1].Y, p[2].Y), max(p[0].Y, p[1].Y, p[2].Y)
	left, right := int(min(p[0].X, p[1].X, p[2].X)), int(max(p[0].X, p[1].X, p[2].X))
	for y := max(0, int(low)); y < g.h && float64(y) <= high; y++ {
		if left >= full[y][0] && right < full[y][1] {
			continue
		}
		from, to := math.Inf(1), math.Inf(-1)
		span := func(x float64) { from, to = min(from, x), max(to, x) }
		for k := range 3 {
			a, b := p[k], p[(k+1)%3]
			if a.Y >= float64(y) && a.Y <= float64(y+1) {
				span(a.X)
			}
			for _, line := range [2]float64{float64(y), float64(y + 1)} {
				if (a.Y < line) != (b.Y < line) {
					span(a.X + (b.X-a.X)*(line-a.Y)/(b.Y-a.Y))
				}
			}
		}
		first, end := max(0, int(math.Floor(from))), min(g.w, int(math.Floor(to))+1)
		for x := first; x < end; x++ {
			g.set[y*g.w+x] = true
		}
		if f := &full[y]; first <= f[1] && end >= f[0] {
			f[0], f[1] = min(f[0], first), max(f[1], end)
		} else if end-first > f[1]-f[0] {
			*f = [2]int{first, end}
		}
	}
}

// grown returns the bitmap with every neighbour of a set cell set too.
func (g *bitmap) grown() *bitmap {
	out := &bitmap{w: g.w, h: g.h, set: make([]bool, len(g.set))}
	for y := range g.h {
		for x := range g.w {
			for dy := -1; dy <= 1 && !out.set[y*g.w+x]; dy++ {
				for dx := -1; dx <= 1; dx++ {
					out.set[y*g.w+x] = out.set[y*g.w+x] || g.at(x+dx, y+dy)
				}
			}
		}
	}
	return out
}

// rims walks the borders of the set cells: outer ones anticlockwise and, where asked
// for, those of holes clockwise.
func (g *bitmap) rims(holes bool) (rings [][]Point) {
	seen := make([]bool, len(g.set)) // cells whose lower edge was walked
	for y := range g.h {
		for x := range g.w {
			if !g.at(x, y) || g.at(x, y-1) || seen[y*g.w+x] {
				continue
			}
			if ring := g.walk(x, y, seen); holes || area(ring) > 0 {
				rings = append(rings, ring)
			}
		}
	}
	return rings
}

// walk follows a border with set cells on the left, starting along the lower edge
// of cell (x, y), and keeps the middle of every edge. Where cells meet at a corner only, it
// turns right: diagonal neighbours count as one region.
func (g *bitmap) walk(x, y int, seen []bool) (ring []Point) {
	px, py, dx, dy := x, y, 1, 0
	for {
		if dx == 1 {
			seen[py*g.w+px] = true
		}
		ring = append(ring, Point{float64(px) + float64(dx)/2, float64(py) + float64(dy)/2})
		px, py = px+dx, py+dy
		// The cells ahead: left and right of the line onward.
		left := g.at(px+(dx-dy-1)/2, py+(dx+dy-1)/2)
		right := g.at(px+(dx+dy-1)/2, py+(dy-dx-1)/2)
		switch {
		case right:
			dx, dy = dy, -dx
		case !left:
			dx, dy = -dy, dx
		}
		if px == x && py == y && dx == 1 && dy == 0 {
			return ring
		}
	}
}

func area(ring []Point) (sum float64) {
	for i, p := range ring {
		q := ring[(i+1)%len(ring)]
		sum += (p.X*q.Y - q.X*p.Y) / 2
	}
	return sum
}

// straightened leaves out corners as long as the line stays within tolerance
// [published: Douglas and Peucker, Cartographica 10, 1973].
func straightened(ring []Point, tolerance float64) []Point {
	if len(ring) < 4 {
		return ring
	}
	far := 0
	for i, p := range ring {
		if math.Hypot(p.X-ring[0].X, p.Y-ring[0].Y) > math.Hypot(ring[far].X-ring[0].X, ring[far].Y-ring[0].Y) {
			far = i
		}
	}
	closed := append(append([]Point{}, ring...), ring[0])
	out := append(keep(closed[:far+1], tolerance), keep(closed[far:], tolerance)...)
	return out
}

// keep returns the corners of an open line without its last.
func keep(line []Point, tolerance float64) []Point {
	first, last := line[0], line[len(line)-1]
	length := math.Hypot(last.X-first.X, last.Y-first.Y)
	worst, at := 0.0, 0
	for i, p := range line[1 : len(line)-1] {
		d := math.Abs((last.X-first.X)*(p.Y-first.Y)-(p.X-first.X)*(last.Y-first.Y)) / max(length, 1e-12)
		if d > worst {
			worst, at = d, i+1
		}
	}
	if worst <= tolerance {
		return []Point{first}
	}
	return append(keep(line[:at+1], tolerance), keep(line[at:], tolerance)...)
}

// Size returns the width and height of the outline's box, from the origin of the
// drawing, not of the plane.
func (o Outline) Size() (low, high Point) {
	low, high = Point{math.Inf(1), math.Inf(1)}, Point{math.Inf(-1), math.Inf(-1)}
	for _, ring := range o {
		for _, p := range ring {
			low = Point{min(low.X, p.X), min(low.Y, p.Y)}
			high = Point{max(high.X, p.X), max(high.Y, p.Y)}
		}
	}
	return low, high
}

// AreaMM2 is the area within the rings, holes taken off.
func (o Outline) AreaMM2() (sum float64) {
	for _, ring := range o {
		sum += area(ring)
	}
	return sum
}

// Filled is the outline without the holes that can be looked through.
func (o Outline) Filled() (out Outline) {
	for _, ring := range o {
		if area(ring) > 0 {
			out = append(out, ring)
		}
	}
	return out
}

// Each returns the outline with every point replaced.
func (o Outline) Each(change func(Point) Point) Outline {
	out := make(Outline, len(o))
	for i, ring := range o {
		out[i] = make([]Point, len(ring))
		for k, p := range ring {
			out[i][k] = change(p)
		}
	}
	return out
}

// Rotated returns the outline of the part turned anticlockwise by degrees, moved so that its
// box's lower left is the origin. Quarter turns are exact.
func (o Outline) Rotated(deg float64) Outline {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	if quarters := deg / 90; quarters == math.Trunc(quarters) {
		sin, cos = math.Round(sin), math.Round(cos)
	}
	out := o.Each(func(p Point) Point { return Point{p.X*cos - p.Y*sin, p.X*sin + p.Y*cos} })
	low, _ := out.Size()
	return out.Each(func(p Point) Point { return Point{p.X - low.X, p.Y - low.Y} })
}

// Scaled returns the outline at k times its size.
func (o Outline) Scaled(k float64) Outline {
	return o.Each(func(p Point) Point { return Point{p.X * k, p.Y * k} })
}
