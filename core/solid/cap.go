package solid

import (
	"cmp"
	"math"
	"slices"
)

// flatPoint is a corner of a cap: its place in the plane and the vertex it stands for.
type flatPoint struct {
	Point
	id int32
}

// capped triangulates a region: an anticlockwise outer ring and clockwise holes. Holes
// are joined to the outside by bridges from their rightmost corners [published: Eberly,
// Triangulation by ear clipping, 2002], then ears are clipped, the ones without area
// last, so that every corner of a ring becomes one of a triangle that has area. The triangles
// run anticlockwise.
func capped(outer []flatPoint, holes [][]flatPoint, thin float64) [][3]int32 {
	ring := slices.Clone(outer)
	rightmost := func(h []flatPoint) (best int) {
		for i, p := range h {
			if p.X > h[best].X || p.X == h[best].X && p.Y < h[best].Y {
				best = i
			}
		}
		return best
	}
	holes = slices.Clone(holes)
	slices.SortStableFunc(holes, func(a, b []flatPoint) int { return cmp.Compare(b[rightmost(b)].X, a[rightmost(a)].X) })
	for _, h := range holes {
		m := rightmost(h)
		at := bridge(ring, h[m].Point)
		// … at, hole from m round to m again, at once more …
		joined := append([]flatPoint{}, ring[:at+1]...)
		joined = append(joined, h[m:]...)
		joined = append(joined, h[:m+1]...)
		ring = append(joined, ring[at:]...)
	}
	return flipped(clip(ring, thin), ring, thin)
}

// flipped gives triangles that are less than thin high the height of the one beside them: of the
// two, the diagonal is turned.
func flipped(list [][3]int32, ring []flatPoint, thin float64) [][3]int32 {
	at := make(map[int32]Point, len(ring))
	for _, p := range ring {
		at[p.id] = p.Point
	}
	area := func(t [3]int32) float64 { return turnOf(at[t[0]], at[t[1]], at[t[2]]) }
	high := func(t [3]int32) bool {
		longest := max(length2(at[t[0]], at[t[1]]), length2(at[t[1]], at[t[2]]), length2(at[t[2]], at[t[0]]))
		return area(t) > thin*math.Sqrt(longest)
	}
	beside := map[[2]int32]int{} // the triangle that has an edge, in its direction
	keep := func(i int, t [3]int32) {
		list[i] = t
		for k := range t {
			beside[[2]int32{t[k], t[(k+1)%3]}] = i
		}
	}
	for i, t := range list {
		keep(i, t)
	}
	for i, t := range list {
		if high(t) {
			continue
		}
		for k := range t { // a, b, c with the edge from c to a turned
			a, b, c := t[k], t[(k+1)%3], t[(k+2)%3]
			j, ok := beside[[2]int32{a, c}]
			if !ok || j == i {
				continue
			}
			d := list[j][0] + list[j][1] + list[j][2] - a - c
			one, other := [3]int32{a, b, d}, [3]int32{b, c, d}
			if d != b && high(one) && high(other) {
				keep(i, one)
				keep(j, other)
				break
			}
		}
	}
	return list
}

// bridge finds the corner of the ring that a hole's rightmost corner sees.
func bridge(ring []flatPoint, m Point) int {
	best, nearest := -1, math.Inf(1)
	var hit Point
	for i, a := range ring {
		b := ring[(i+1)%len(ring)]
		// The ray to the right meets edges of an anticlockwise ring that go up.
		if !(a.Y <= m.Y && b.Y >= m.Y) || a.Y == b.Y && a.X < m.X && b.X < m.X {
			continue
		}
		x := max(a.X, b.X)
		if a.Y != b.Y {
			x = a.X + (b.X-a.X)*(m.Y-a.Y)/(b.Y-a.Y)
		}
		if x >= m.X && x < nearest {
			nearest, hit = x, Point{x, m.Y}
			if best = i; b.X > a.X {
				best = (i + 1) % len(ring)
			}
		}
	}
	if best < 0 { // rounding: the nearest corner is as good as any
		for i, p := range ring {
			if d := math.Hypot(p.X-m.X, p.Y-m.Y); d < nearest {
				best, nearest = i, d
			}
		}
		return best
	}
	// A reflex corner within the triangle m, hit, best hides it: then the one nearest
	// the ray's direction is seen.
	p := ring[best].Point
	candidate, flattest, closest := best, math.Inf(1), math.Inf(1)
	for i, q := range ring {
		if i == best || q.X < m.X || q.Point == p {
			continue
		}
		if !inTriangle(q.Point, m, hit, p) {
			continue
		}
		slope, d := math.Abs(q.Y-m.Y)/max(q.X-m.X, 1e-300), math.Hypot(q.X-m.X, q.Y-m.Y)
		if slope < flattest || slope == flattest && d < closest {
			candidate, flattest, closest = i, slope, d
		}
	}
	// The ring may pass a corner twice, along an earlier bridge: take the visit from
	// which m lies inside.
	for i, q := range ring {
		if q.Point == ring[candidate].Point && opens(ring, i, m) {
			return i
		}
	}
	return candidate
}

// opens reports whether a point lies within the corner of the ring.
func opens(ring []flatPoint, i int, m Point) bool {
	a, b, c := ring[(i+len(ring)-1)%len(ring)].Point, ring[i].Point, ring[(i+1)%len(ring)].Point
	if turnOf(a, b, c) >= 0 {
		return turnOf(a, b, m) >= 0 && turnOf(b, c, m) >= 0
	}
	return turnOf(a, b, m) >= 0 || turnOf(b, c, m) >= 0
}

// turnOf is twice the area of a triangle, over 0 when it runs anticlockwise.
func turnOf(a, b, c Point) float64 { return (b.X-a.X)*(c.Y-a.Y) - (c.X-a.X)*(b.Y-a.Y) }

func inTriangle(p, a, b, c Point) bool {
	u, v, w := turnOf(a, b, p), turnOf(b, c, p), turnOf(c, a, p)
	return u >= 0 && v >= 0 && w >= 0 || u <= 0 && v <= 0 && w <= 0
}

// clip cuts the ears off a ring that may touch itself along bridges. Ears less than
// thin high are left for as long as there are others: in a file of few digits they would
// have no area.
func clip(ring []flatPoint, thin float64) (out [][3]int32) {
	n := len(ring)
	if n < 3 {
		return nil
	}
	prev, next := make([]int, n), make([]int, n)
	for i := range n {
		prev[i], next[i] = (i+n-1)%n, (i+1)%n
	}
	turn := func(i int) float64 { return turnOf(ring[prev[i]].Point, ring[i].Point, ring[next[i]].Point) }
	// Only corners that bend inward, or not at all, can lie in an ear.
	inward := func(i int) bool {
		return turn(i) <= thin*math.Sqrt(length2(ring[prev[i]].Point, ring[next[i]].Point))
	}
	reflex := make([]bool, n)
	for i := range n {
		reflex[i] = inward(i)
	}
	near := newCornerGrid(ring, reflex)
	ear := func(i int, high float64) bool {
		a, b, c := ring[prev[i]].Point, ring[i].Point, ring[next[i]].Point
		t := turn(i)
		if longest := max(length2(a, c), length2(a, b), length2(b, c)); t <= 0 || t*t < high*high*longest {
			return false
		}
		// What lies on its sides but for rounding counts as in it: cut off there, it would be left
		// without area.
		ab, bc, ca := -high*math.Sqrt(length2(a, b)), -high*math.Sqrt(length2(b, c)), -high*math.Sqrt(length2(a, c))
		return !near.any(min(a.X, b.X, c.X), min(a.Y, b.Y, c.Y), max(a.X, b.X, c.X), max(a.Y, b.Y, c.Y), func(k int32) bool {
			q := ring[k].Point
			return reflex[k] && q != a && q != b && q != c && turnOf(a, b, q) >= ab && turnOf(b, c, q) >= bc && turnOf(c, a, q) >= ca
		})
	}
	left, at, tried, high := n, 0, 0, thin
	for left > 3 {
		if !ear(at, high) && tried < left {
			at, tried = next[at], tried+1
			continue
		}
		if tried == left && high > 0 { // none so high is left
			high, tried = 0, 0
			continue
		}
		// Where no ear is left, for rounding's sake, the corner is cut off all the same.
		out = append(out, [3]int32{ring[prev[at]].id, ring[at].id, ring[next[at]].id})
		p, q := prev[at], next[at]
		next[p], prev[q] = q, p
		reflex[at] = false // it is gone
		reflex[p], reflex[q] = reflex[p] && inward(p), reflex[q] && inward(q)
		left, tried, high = left-1, 0, thin
		at = next[q] // not the same corner again: fans make slivers
	}
	return append(out, [3]int32{ring[prev[at]].id, ring[at].id, ring[next[at]].id})
}

func length2(a, b Point) float64 { return (b.X-a.X)*(b.X-a.X) + (b.Y-a.Y)*(b.Y-a.Y) }

// cornerGrid finds the corners of a ring that bend inward, by squares of the plane. A
// corner that bends outward once never bends inward again while ears are clipped.
type cornerGrid struct {
	low   Point
	perMM float64
	side  int
	start []int32
	list  []int32
}

func newCornerGrid(ring []flatPoint, wanted []bool) *cornerGrid {
	low, high := flatBox(ring)
	g := &cornerGrid{low: low, side: max(1, int(math.Sqrt(float64(len(ring)))))}
	if w := max(high.X-low.X, high.Y-low.Y); w > 0 {
		g.perMM = float64(g.side) / w
	}
	g.start = make([]int32, g.side*g.side+1)
	each := func(do func(square int, i int32)) {
		for i, p := range ring {
			if wanted[i] {
				do(g.at(p.Y-low.Y)*g.side+g.at(p.X-low.X), int32(i))
			}
		}
	}
	each(func(square int, _ int32) { g.start[square+1]++ })
	for k := range g.side * g.side {
		g.start[k+1] += g.start[k]
	}
	g.list = make([]int32, g.start[len(g.start)-1])
	fill := slices.Clone(g.start)
	each(func(square int, i int32) {
		g.list[fill[square]] = i
		fill[square]++
	})
	return g
}

func (g *cornerGrid) at(mm float64) int { return max(0, min(g.side-1, int(mm*g.perMM))) }

// any reports whether a corner in the squares of a box is one.
func (g *cornerGrid) any(x0, y0, x1, y1 float64, is func(int32) bool) bool {
	for y := g.at(y0 - g.low.Y); y <= g.at(y1-g.low.Y); y++ {
		row := y * g.side
		from, to := g.start[row+g.at(x0-g.low.X)], g.start[row+g.at(x1-g.low.X)+1]
		if slices.ContainsFunc(g.list[from:to], is) {
			return true
		}
	}
	return false
}
