package surface

import (
	"cmp"
	"errors"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Point is a place on a pattern, in mm.
type Point struct{ X, Y float64 }

// Pattern is a piece of a region laid out flat, true to length as far as its shape lets it be.
type Pattern struct {
	Loops          [][]Point // closed; the outer edge first, then what it leaves out
	AreaMM2        float64   // on the surface
	FlatMM2        float64
	StretchPercent float64 // the edge's, nineteen parts of twenty are within it
}

// Why a piece cannot be laid out flat.
var (
	ErrClosed = errors.New("it has no edge: mark a part of it only")
	ErrRound  = errors.New("it goes around and into itself: mark it in parts")
	ErrLarge  = errors.New("it is too large to be laid flat at once: mark it in parts")
	ErrFolds  = errors.New("it folds over itself when it is laid flat: mark it in parts")
)

// Flatten lays the pieces of a region out flat, the largest first, each as rigidly as possible [published: Sorkine and
// Alexa, As-rigid-as-possible surface modeling, 2007; Liu et al., A local/global approach to mesh parameterization,
// 2008], from where its edge lies on a circle [published: Tutte, How to draw a graph, 1963].
func (s *Surface) Flatten(in []bool) (out []Pattern, err error) {
	for _, piece := range s.pieces(in) {
		p, err := s.flat(piece)
		if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

// sheet is a piece being laid out.
type sheet struct {
	at     []mesh.Vec // of its corners, on the surface
	tri    [][3]int32
	loops  [][]int32 // its edges; the longest first
	uv     []Point
	around float64    // the length of the outer edge, in mm
	flat   [][3]Point // each triangle as it lies flat by itself
	cot    [][3]float64
	join   [][]link // of each corner to those beside it, weighed
}

// link is a corner beside another one.
type link struct {
	to     int32
	weight float64
}

// mostTurned is what share of a piece may be slivers that turn over when it is laid flat. Source: from memory.
const mostTurned = 0.002

// MostFacets is how many facets a piece has at the most that is laid flat.
const MostFacets = 40_000

func (s *Surface) flat(piece []int32) (p Pattern, err error) {
	if len(piece) > MostFacets {
		return p, ErrLarge
	}
	sh := s.sheet(piece)
	switch {
	case len(sh.loops) == 0:
		return p, ErrClosed
	case sh.round():
		return p, ErrRound
	}
	sh.tutte()
	sh.shapes()
	sh.rigid()
	turned := 0.0 // of it, what lies with its back up
	for i, t := range sh.tri {
		flat := twice(sh.uv[t[0]], sh.uv[t[1]], sh.uv[t[2]]) / 2
		if flat <= 0 {
			turned += s.area[piece[i]]
		}
		p.AreaMM2, p.FlatMM2 = p.AreaMM2+s.area[piece[i]], p.FlatMM2+flat
	}
	if turned > mostTurned*p.AreaMM2 {
		return p, ErrFolds
	}
	var stretch []float64
	for _, loop := range sh.loops {
		points := make([]Point, len(loop))
		for k, v := range loop {
			w := loop[(k+1)%len(loop)]
			points[k] = sh.uv[v]
			if long := sh.at[v].Sub(sh.at[w]).Len(); long > 0 {
				stretch = append(stretch, 100*math.Abs(length(sh.uv[v], sh.uv[w])/long-1))
			}
		}
		p.Loops = append(p.Loops, toothless(points, func(a, b Point) Point { return Point{a.X + b.X, a.Y + b.Y} }, func(a Point, k float64) Point { return Point{k * a.X, k * a.Y} }, length))
	}
	slices.Sort(stretch)
	p.StretchPercent = stretch[len(stretch)*19/20]
	return p, nil
}

// sheet takes a piece out of the surface. A corner in which it only touches itself becomes several.
func (s *Surface) sheet(piece []int32) *sheet {
	local := make(map[int32]int32, len(piece))
	for i, t := range piece {
		local[t] = int32(i)
	}
	same := newSets(3 * len(piece)) // corners that are one
	for i, t := range piece {
		for k, to := range s.next[t] {
			j, here := local[to]
			if to < 0 || !here {
				continue
			}
			a, b := s.m.Triangles[t][k], s.m.Triangles[t][(k+1)%3]
			for q, v := range s.m.Triangles[to] {
				if v == a {
					same.join(3*i+k, 3*int(j)+q)
				}
				if v == b {
					same.join(3*i+(k+1)%3, 3*int(j)+q)
				}
			}
		}
	}
	sh := &sheet{tri: make([][3]int32, len(piece))}
	named := map[int]int32{}
	follows := map[int32]int32{} // along the edge
	for i, t := range piece {
		for k, v := range s.m.Triangles[t] {
			root := same.of(3*i + k)
			at, ok := named[root]
			if !ok {
				at = int32(len(sh.at))
				named[root] = at
				sh.at = append(sh.at, s.m.Vertices[v])
			}
			sh.tri[i][k] = at
		}
	}
	for i, t := range piece {
		for k, to := range s.next[t] {
			if _, here := local[to]; to < 0 || !here {
				follows[sh.tri[i][k]] = sh.tri[i][(k+1)%3]
			}
		}
	}
	sh.loops = loopsOf(follows, sh.at)
	return sh
}

// loopsOf follows the edges of a piece around, the longest first.
func loopsOf(follows map[int32]int32, at []mesh.Vec) (loops [][]int32) {
	starts := make([]int32, 0, len(follows))
	for v := range follows {
		starts = append(starts, v)
	}
	slices.Sort(starts)
	seen := map[int32]bool{}
	for _, from := range starts {
		if seen[from] {
			continue
		}
		var loop []int32
		for v := from; !seen[v]; v = follows[v] {
			seen[v] = true
			loop = append(loop, v)
		}
		loops = append(loops, loop)
	}
	long := func(loop []int32) (sum float64) {
		for k, v := range loop {
			sum += at[v].Sub(at[loop[(k+1)%len(loop)]]).Len()
		}
		return sum
	}
	slices.SortStableFunc(loops, func(a, b []int32) int {
		if long(a) > long(b) {
			return -1
		}
		return 1
	})
	return loops
}

// round reports whether a piece has a handle: Euler's number of a disk with holes is 2 − its edges.
func (sh *sheet) round() bool {
	type side struct{ a, b int32 }
	sides := map[side]bool{}
	for _, t := range sh.tri {
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			sides[side{min(a, b), max(a, b)}] = true
		}
	}
	return len(sh.at)-len(sides)+len(sh.tri) != 2-len(sh.loops)
}

// tutte lays the outer edge on a circle, and every other corner in the middle of those beside it; what is left out is
// spanned by a corner of its own.
func (sh *sheet) tutte() {
	n := len(sh.at) + len(sh.loops) - 1
	beside := make([][]link, n)
	add := func(a, b int32) {
		beside[a] = append(beside[a], link{b, 1})
		beside[b] = append(beside[b], link{a, 1})
	}
	type side struct{ a, b int32 }
	seen := map[side]bool{}
	for _, t := range sh.tri {
		for k := range 3 {
			a, b := min(t[k], t[(k+1)%3]), max(t[k], t[(k+1)%3])
			if !seen[side{a, b}] {
				seen[side{a, b}] = true
				add(a, b)
			}
		}
	}
	for h, loop := range sh.loops[1:] {
		for _, v := range loop {
			add(int32(len(sh.at)+h), v)
		}
	}
	outer, around := sh.loops[0], 0.0
	for k, v := range outer {
		around += sh.at[v].Sub(sh.at[outer[(k+1)%len(outer)]]).Len()
	}
	uv, held, gone := make([]Point, n), make([]bool, n), 0.0
	for k, v := range outer {
		angle := 2 * math.Pi * gone / max(around, 1e-12)
		uv[v], held[v] = Point{around / (2 * math.Pi) * math.Cos(angle), around / (2 * math.Pi) * math.Sin(angle)}, true
		gone += sh.at[v].Sub(sh.at[outer[(k+1)%len(outer)]]).Len()
	}
	newSolver(beside, held).solve(uv, make([]Point, n))
	sh.uv, sh.around = uv[:len(sh.at)], around
}

// shapes lays each triangle flat by itself, and weighs its sides by the cotangents of the angles over against them.
func (sh *sheet) shapes() {
	sh.flat, sh.cot, sh.join = make([][3]Point, len(sh.tri)), make([][3]float64, len(sh.tri)), make([][]link, len(sh.at))
	sums := make([]map[int32]float64, len(sh.at))
	for i, t := range sh.tri {
		a, b, c := sh.at[t[0]], sh.at[t[1]], sh.at[t[2]]
		ab, ac := b.Sub(a), c.Sub(a)
		long := ab.Len()
		if long == 0 {
			continue
		}
		x := ac.Dot(ab) / long
		sh.flat[i] = [3]Point{{}, {long, 0}, {x, ab.Cross(ac).Len() / long}}
		for k := range 3 {
			p, q, r := sh.flat[i][k], sh.flat[i][(k+1)%3], sh.flat[i][(k+2)%3]
			area := twice(r, p, q)
			cot := 0.0
			if area > 1e-12 {
				cot = ((p.X-r.X)*(q.X-r.X) + (p.Y-r.Y)*(q.Y-r.Y)) / area
			}
			sh.cot[i][k] = min(50, max(0.02, cot)) // slivers and blunt angles pull, too, and no side pushes
			for _, pair := range [2][2]int32{{t[k], t[(k+1)%3]}, {t[(k+1)%3], t[k]}} {
				if sums[pair[0]] == nil {
					sums[pair[0]] = map[int32]float64{}
				}
				sums[pair[0]][pair[1]] += sh.cot[i][k]
			}
		}
	}
	for v, beside := range sums {
		for to, w := range beside {
			sh.join[v] = append(sh.join[v], link{to, w})
		}
		slices.SortFunc(sh.join[v], func(a, b link) int { return int(a.to) - int(b.to) })
	}
}

// How often the triangles are turned and put together again at the most, and when that is near enough.
const (
	mostTurns = 400
	near      = 2e-6 // of the edge's length
)

// rigid turns each triangle as it lies best, and puts all together again, until nothing moves.
func (sh *sheet) rigid() {
	held := make([]bool, len(sh.at))
	held[sh.loops[0][0]] = true
	together := newSolver(sh.join, held)
	for range mostTurns {
		pull := make([]Point, len(sh.at))
		for i, t := range sh.tri {
			var c, s float64
			for k := range 3 {
				e, d := minus(sh.flat[i][(k+1)%3], sh.flat[i][k]), minus(sh.uv[t[(k+1)%3]], sh.uv[t[k]])
				c, s = c+sh.cot[i][k]*(e.X*d.X+e.Y*d.Y), s+sh.cot[i][k]*(e.X*d.Y-e.Y*d.X)
			}
			long := math.Hypot(c, s)
			if long == 0 {
				continue
			}
			c, s = c/long, s/long
			for k := range 3 {
				e := minus(sh.flat[i][k], sh.flat[i][(k+1)%3])
				w := sh.cot[i][k]
				d := Point{w * (c*e.X - s*e.Y), w * (s*e.X + c*e.Y)}
				pull[t[k]].X, pull[t[k]].Y = pull[t[k]].X+d.X, pull[t[k]].Y+d.Y
				pull[t[(k+1)%3]].X, pull[t[(k+1)%3]].Y = pull[t[(k+1)%3]].X-d.X, pull[t[(k+1)%3]].Y-d.Y
			}
		}
		before := slices.Clone(sh.uv)
		together.solve(sh.uv, pull)
		moved := 0.0
		for v := range before {
			moved = max(moved, length(before[v], sh.uv[v]))
		}
		if moved < near*sh.around {
			return
		}
	}
}

func minus(a, b Point) Point { return Point{a.X - b.X, a.Y - b.Y} }

func length(a, b Point) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }

// twice is twice the area of a triangle, more than zero where it runs to the left.
func twice(a, b, c Point) float64 { return (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X) }

// Mirror is the pattern for the other side.
func (p Pattern) Mirror() Pattern {
	out := p.moved(func(q Point) Point { return Point{-q.X, q.Y} })
	for _, loop := range out.Loops {
		slices.Reverse(loop) // it runs to the left around its area, still
	}
	return out
}

// Laid turns a pattern so that it takes the lowest box, which lies along a side of its hull, with the lower left corner at
// zero; it says how large that is.
func (p Pattern) Laid() (out Pattern, wide, high float64) {
	round := hull(p.Loops[0])
	best, c, s := math.Inf(1), 1.0, 0.0
	var low, top Point
	for k, a := range round {
		b := round[(k+1)%len(round)]
		long := length(a, b)
		if long == 0 {
			continue
		}
		cos, sin := (b.X-a.X)/long, -(b.Y-a.Y)/long
		lo, hi := Point{math.Inf(1), math.Inf(1)}, Point{math.Inf(-1), math.Inf(-1)}
		for _, q := range round {
			x, y := cos*q.X-sin*q.Y, sin*q.X+cos*q.Y
			lo, hi = Point{min(lo.X, x), min(lo.Y, y)}, Point{max(hi.X, x), max(hi.Y, y)}
		}
		if hi.Y-lo.Y < best {
			best, c, s, low, top = hi.Y-lo.Y, cos, sin, lo, hi
		}
	}
	out = p.moved(func(q Point) Point { return Point{c*q.X - s*q.Y - low.X, s*q.X + c*q.Y - low.Y} })
	return out, top.X - low.X, top.Y - low.Y
}

// hull is the convex hull of points. [published: Andrew, Another efficient algorithm for convex hulls in two dimensions,
// 1979]
func hull(points []Point) (out []Point) {
	sorted := slices.Clone(points)
	slices.SortFunc(sorted, func(a, b Point) int { return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Y, b.Y)) })
	for _, order := range [2]bool{false, true} {
		from := len(out)
		for _, p := range sorted {
			for len(out) >= from+2 && twice(out[len(out)-2], out[len(out)-1], p) <= 0 {
				out = out[:len(out)-1]
			}
			out = append(out, p)
		}
		if out = out[:len(out)-1]; !order {
			slices.Reverse(sorted)
		}
	}
	return out
}

// sets joins things into sets.
type sets []int32

func newSets(n int) sets {
	s := make(sets, n)
	for i := range s {
		s[i] = int32(i)
	}
	return s
}

func (s sets) of(i int) int {
	for int(s[i]) != i {
		s[i] = s[s[i]]
		i = int(s[i])
	}
	return i
}

func (s sets) join(i, j int) {
	if a, b := s.of(i), s.of(j); a != b {
		s[max(a, b)] = int32(min(a, b))
	}
}

// Scaled is a pattern at another size.
func (p Pattern) Scaled(k float64) Pattern {
	out := p.moved(func(q Point) Point { return Point{k * q.X, k * q.Y} })
	out.AreaMM2, out.FlatMM2 = p.AreaMM2*k*k, p.FlatMM2*k*k
	return out
}

// moved is a pattern whose points are elsewhere.
func (p Pattern) moved(to func(Point) Point) Pattern {
	out := p
	out.Loops = make([][]Point, len(p.Loops))
	for i, loop := range p.Loops {
		for _, q := range loop {
			out.Loops[i] = append(out.Loops[i], to(q))
		}
	}
	return out
}
