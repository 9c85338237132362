package solid

import (
	"cmp"
	"math"
	"runtime"
	"slices"
	"sync"

	"sakuji/core/mesh"
)

// Ring is a closed line of a layer, solid on its left: anticlockwise around a region,
// clockwise around a hole in one.
type Ring struct {
	Points  []Point
	AreaMM2 float64 // signed: negative for a hole
}

// Region is a piece of a layer by itself.
type Region struct {
	Outer   int   // its ring
	Holes   []int // the rings of its holes
	AreaMM2 float64
}

// Layer is one cut through a part: closed rings, and the regions they make.
type Layer struct {
	ZMM         float64
	Origin      Point // the lower left of the part's box, from where outlines count
	Rings       []Ring
	Regions     []Region
	AreaMM2     float64
	PerimeterMM float64
	Gaps        int     // where the mesh had a hole, and the ring was closed across it
	GapMM       float64 // the longest of them
}

// Figures are what is kept of a layer when its rings are not.
type Figures struct {
	ZMM              float64 `json:"z_mm"`
	AreaMM2          float64 `json:"area_mm2"`
	LargestRegionMM2 float64 `json:"largest_region_mm2"`
	PerimeterMM      float64 `json:"perimeter_mm"`
	Regions          int     `json:"regions"`
	Holes            int     `json:"holes"`
	Islands          int     `json:"islands"` // regions that begin in mid-air
	Gaps             int     `json:"gaps,omitempty"`
	Loose            []Spot  `json:"-"` // the middles of the islands
}

// Spot is a place in the part.
type Spot struct{ X, Y, Z float64 }

// Slicer cuts a mesh into layers of one thickness. Layer i is cut at its middle, (i + ½)
// · thickness above the lowest point, as long as that is inside the part.
type Slicer struct {
	mesh    *mesh.Mesh
	next    [][3]int32 // the triangle across each side
	open    bool       // some side has none
	heights []float64  // of the vertices: asked for all the time
	layerMM float64
	count   int
	first   []int32 // the first layer of each triangle, count when there is none
	last    []int32
	start   []int32 // triangles by first layer
	order   []int32
}

// MaxLayers bounds how finely a part may be cut.
const MaxLayers = 200_000

// NewSlicer prepares a mesh. Shells count as in its diagnosis: those inside out are
// turned, buried bodies left out.
func NewSlicer(m *mesh.Mesh, layerMM float64) *Slicer {
	m = m.Sound()
	s := &Slicer{mesh: m, layerMM: layerMM}
	height := m.Box.Size().Z
	if layerMM > 0 && height > 0 {
		// The middle of layer i lies inside while (i + ½)·L < height.
		s.count = min(MaxLayers, max(0, int(math.Ceil(height/layerMM-0.5-1e-9))))
	}
	s.next = m.Neighbours()
	s.open = slices.ContainsFunc(s.next, func(n [3]int32) bool { return min(n[0], n[1], n[2]) < 0 })
	s.heights = make([]float64, len(m.Vertices))
	for i, v := range m.Vertices {
		s.heights[i] = v.Z
	}
	s.first, s.last = make([]int32, len(m.Triangles)), make([]int32, len(m.Triangles))
	s.start = make([]int32, s.count+2)
	shared(len(m.Triangles), 50_000, func(_, from, to int) {
		for i := from; i < to; i++ {
			t := &m.Triangles[i]
			a, b, c := s.heights[t[0]], s.heights[t[1]], s.heights[t[2]]
			s.first[i], s.last[i] = s.span(min(a, b, c), max(a, b, c))
		}
	})
	for _, f := range s.first {
		s.start[f+1]++
	}
	for k := range s.count + 1 {
		s.start[k+1] += s.start[k]
	}
	s.order = make([]int32, len(m.Triangles))
	fill := slices.Clone(s.start)
	for i, f := range s.first {
		s.order[fill[f]] = int32(i)
		fill[f]++
	}
	return s
}

// shared cuts 0..n into runs of at least so many, one for each processor at most, and
// works on them at the same time.
func shared(n, least int, work func(k, from, to int)) (runs int) {
	runs = max(1, min(runtime.GOMAXPROCS(0), n/least))
	var wait sync.WaitGroup
	for k := range runs {
		wait.Go(func() { work(k, n*k/runs, n*(k+1)/runs) })
	}
	wait.Wait()
	return runs
}

// Layers is how many layers there are.
func (s *Slicer) Layers() int { return s.count }

// Z is the height at which a layer is cut, as the mesh stands.
func (s *Slicer) Z(i int) float64 { return s.mesh.Box.Min.Z + (float64(i)+0.5)*s.layerMM }

// span returns the first and last layer whose plane a triangle between two heights
// meets. A corner on the plane counts as above it. The planes' own heights decide, so
// that rounding here and there cannot differ.
func (s *Slicer) span(low, high float64) (first, last int32) {
	guess := func(z float64) int { return int(math.Floor((z-s.mesh.Box.Min.Z)/s.layerMM - 0.5)) }
	f := max(0, guess(low)-1)
	for f < s.count && s.Z(f) <= low {
		f++
	}
	l := min(s.count-1, guess(high)+2)
	for l >= 0 && s.Z(l) > high {
		l--
	}
	if f > l {
		return int32(s.count), -1
	}
	return int32(f), int32(l)
}

// sweep goes through the layers from..to with the triangles that each cuts.
func (s *Slicer) sweep(from, to int, visit func(layer int, cut []int32)) {
	var active []int32
	for i := range s.first {
		if int(s.first[i]) < from && int(s.last[i]) >= from {
			active = append(active, int32(i))
		}
	}
	for layer := from; layer < to; layer++ {
		active = append(active, s.order[s.start[layer]:s.start[layer+1]]...)
		kept := active[:0]
		for _, t := range active {
			if int(s.last[t]) >= layer {
				kept = append(kept, t)
			}
		}
		active = kept
		visit(layer, active)
	}
}

// Layer cuts one layer.
func (s *Slicer) Layer(i int) (out Layer) {
	w := s.worker()
	s.sweep(i, i+1, func(layer int, cut []int32) { out = w.layer(s.Z(layer), cut) })
	return out
}

// Figures cuts every layer, on all processors, and keeps their figures. An island is a
// region that no region of the layer below touches; layer 0 has none.
func (s *Slicer) Figures() []Figures { return s.each(func(int, Layer) {}) }

// Drawn cuts all layers and keeps their rings too, from the origin of each and straightened:
// they are off by no more than a tolerance.
func (s *Slicer) Drawn(toleranceMM float64) ([]Figures, []Outline) {
	rings := make([]Outline, s.count)
	figures := s.each(func(i int, l Layer) {
		for _, r := range l.Rings {
			ring := slices.Clone(straightened(r.Points, toleranceMM))
			for k, p := range ring {
				ring[k] = Point{p.X - l.Origin.X, p.Y - l.Origin.Y}
			}
			rings[i] = append(rings[i], ring)
		}
	})
	return figures, rings
}

// each cuts all layers, several at a time, and shows each.
func (s *Slicer) each(show func(i int, l Layer)) []Figures {
	out := make([]Figures, s.count)
	shared(s.count, 8, func(_, from, to int) {
		w := s.worker()
		var below Layer
		s.sweep(max(0, from-1), to, func(i int, cut []int32) {
			now := w.layer(s.Z(i), cut)
			if i >= from {
				out[i] = now.figures()
				out[i].Loose = now.loose(i, below)
				out[i].Islands = len(out[i].Loose)
				show(i, now)
			}
			below = now
		})
	})
	return out
}

// loose returns the middles of the regions that nothing of the layer below touches.
func (l Layer) loose(number int, below Layer) (out []Spot) {
	work := mostSought / fragileCuts
	for r := range l.Regions {
		if number > 0 && !l.touches(r, below, &work) && work > 0 {
			c := l.middle(r)
			out = append(out, Spot{c.X, c.Y, l.ZMM})
		}
	}
	return out
}

func (l Layer) figures() Figures {
	f := Figures{ZMM: l.ZMM, AreaMM2: l.AreaMM2, PerimeterMM: l.PerimeterMM, Regions: len(l.Regions), Holes: 0, Gaps: l.Gaps}
	for _, r := range l.Regions {
		f.LargestRegionMM2 = max(f.LargestRegionMM2, r.AreaMM2)
		f.Holes += len(r.Holes)
	}
	return f
}

// cutter is one worker's room: the layer in which a triangle was last met.
type cutter struct {
	*Slicer
	met   []int32
	now   int32
	usual int // how long the last ring was, and a little more
}

func (s *Slicer) worker() *cutter {
	return &cutter{Slicer: s, met: make([]int32, len(s.mesh.Triangles))}
}

// crossings returns the sides of a triangle at which the plane is left downward and
// upward: along its line in the plane, solid on the left, one goes from the first to
// the second.
func (c *cutter) crossings(t int32, z float64) (down, up int) {
	tri := &c.mesh.Triangles[t]
	above := 0
	for k, v := range tri {
		if c.heights[v] >= z {
			above |= 1 << k
		}
	}
	sides := &crossed[above]
	return int(sides[0]), int(sides[1])
}

// crossed are the sides left downward and upward, by which corners lie above.
var crossed = [8][2]int8{{-1, -1}, {0, 2}, {1, 0}, {1, 2}, {2, 1}, {0, 1}, {2, 0}, {-1, -1}}

// point is where a side meets the plane, worked out from its lower-numbered end, so
// that both its triangles find the same.
func (c *cutter) point(t int32, side int, z float64) Point {
	u, v := c.mesh.Triangles[t][side], c.mesh.Triangles[t][(side+1)%3]
	if u > v {
		u, v = v, u
	}
	a, b := c.mesh.Vertices[u], c.mesh.Vertices[v]
	k := (z - a.Z) / (b.Z - a.Z)
	return Point{a.X + (b.X-a.X)*k, a.Y + (b.Y-a.Y)*k}
}

// layer walks the cut triangles from neighbour to neighbour into closed rings. Where
// the mesh has a hole a line ends; the open lines are joined end to nearest start.
func (c *cutter) layer(z float64, cut []int32) Layer {
	c.now++
	out := Layer{ZMM: z, Origin: Point{c.mesh.Box.Min.X, c.mesh.Box.Min.Y}}
	var open [][]Point
	walk := func(t int32) (line []Point, closed bool) {
		first := t
		line = make([]Point, 0, c.usual)
		defer func() { c.usual = len(line) + len(line)/8 + 8 }()
		for {
			c.met[t] = c.now
			down, up := c.crossings(t, z)
			if down < 0 || up < 0 {
				return line, false
			}
			line = append(line, c.point(t, down, z))
			after := c.next[t][up]
			if after == first && len(line) > 1 {
				return line, true
			}
			if after < 0 || c.met[after] == c.now {
				return append(line, c.point(t, up, z)), false
			}
			t = after
		}
	}
	for _, t := range cut { // lines that begin at a hole
		if !c.open {
			break
		}
		if down, up := c.crossings(t, z); down >= 0 && up >= 0 && c.next[t][down] < 0 && c.met[t] != c.now {
			line, _ := walk(t)
			open = append(open, line)
		}
	}
	for _, t := range cut {
		if c.met[t] == c.now {
			continue
		}
		if line, closed := walk(t); closed {
			out.add(line)
		} else if len(line) > 0 {
			open = append(open, line)
		}
	}
	out.close(open)
	out.gather()
	return out
}

// add keeps a ring that encloses anything.
func (l *Layer) add(points []Point) {
	if len(points) < 3 {
		return
	}
	if a := area(points); a != 0 {
		l.Rings = append(l.Rings, Ring{points, a})
	}
}

// mostEnds is among how many open lines the nearest is looked for: a thing has a few, and of
// a cloud of loose facets nothing makes rings that mean anything.
const mostEnds = 100

// close joins open lines, the shortest gap first, until all are rings.
func (l *Layer) close(open [][]Point) {
	for len(open) > 0 {
		line := open[len(open)-1]
		open = open[:len(open)-1]
		for {
			end := line[len(line)-1]
			best, nearest := -1, end.distance2(line[0])
			for k := max(0, len(open)-mostEnds); k < len(open); k++ {
				if d := end.distance2(open[k][0]); d < nearest {
					best, nearest = k, d
				}
			}
			if nearest > 0 {
				l.Gaps++
				l.GapMM = max(l.GapMM, math.Sqrt(nearest))
			}
			if best < 0 {
				break
			}
			line = append(line, open[best]...)
			open = slices.Delete(open, best, best+1)
		}
		l.add(line)
	}
}

// gather makes regions of rings: each hole belongs to the smallest ring around it.
func (l *Layer) gather() {
	var holes []int
	for k, r := range l.Rings {
		l.AreaMM2 += r.AreaMM2
		for i, p := range r.Points {
			q := r.Points[(i+1)%len(r.Points)]
			dx, dy := q.X-p.X, q.Y-p.Y
			l.PerimeterMM += math.Sqrt(dx*dx + dy*dy)
		}
		if r.AreaMM2 > 0 {
			l.Regions = append(l.Regions, Region{Outer: k, AreaMM2: r.AreaMM2})
		} else {
			holes = append(holes, k)
		}
	}
	l.AreaMM2 = max(0, l.AreaMM2)
	slices.SortStableFunc(l.Regions, func(a, b Region) int { return cmp.Compare(a.AreaMM2, b.AreaMM2) })
	for _, h := range holes {
		for r := range l.Regions { // the smallest first
			if len(l.Regions) == 1 || l.Rings[l.Regions[r].Outer].holds(l.Rings[h].Points[0]) {
				l.Regions[r].Holes = append(l.Regions[r].Holes, h)
				l.Regions[r].AreaMM2 += l.Rings[h].AreaMM2
				break
			}
		}
	}
	slices.SortStableFunc(l.Regions, func(a, b Region) int { return cmp.Compare(b.AreaMM2, a.AreaMM2) })
}

// holds reports whether a point lies within the ring. An edge's lower end counts, its
// upper does not.
func (r Ring) holds(p Point) bool {
	in := false
	for i, a := range r.Points {
		b := r.Points[(i+1)%len(r.Points)]
		if (a.Y <= p.Y) != (b.Y <= p.Y) && p.X < a.X+(b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y) {
			in = !in
		}
	}
	return in
}

// Holds reports whether a point lies in the layer's solid.
func (l Layer) Holds(p Point) bool {
	winding := 0
	for _, r := range l.Rings {
		if r.holds(p) {
			if r.AreaMM2 > 0 {
				winding++
			} else {
				winding--
			}
		}
	}
	return winding > 0
}

// within reports whether a point lies in one region.
func (l Layer) within(r int, p Point) bool {
	if !l.Rings[l.Regions[r].Outer].holds(p) {
		return false
	}
	return !slices.ContainsFunc(l.Regions[r].Holes, func(h int) bool { return l.Rings[h].holds(p) })
}

// touching is what a look at two regions takes, however small they are, in corners.
const touching = 300

// touches reports whether some region of another layer lies over or under a region: a
// corner of one in the other, or lines that cross. A few corners of either are asked
// first: nearly always one of them tells; what it takes to try all is
// taken off work, and nothing is found when that is spent.
func (l Layer) touches(r int, other Layer, work *float64) bool {
	outer := l.Rings[l.Regions[r].Outer].Points
	low, high := ringBox(outer)
	var near [][]Point
	for _, ring := range other.Rings {
		if a, b := ringBox(ring.Points); a.X <= high.X && b.X >= low.X && a.Y <= high.Y && b.Y >= low.Y {
			near = append(near, ring.Points)
		}
	}
	if len(near) == 0 {
		return false
	}
	for _, corners := range []int{1, 4} {
		for _, ring := range near {
			*work -= touching + float64(min(corners, len(outer))*len(ring)+min(corners, len(ring))*len(outer))
		}
		if *work < 0 {
			return false
		}
		if slices.ContainsFunc(some(outer, corners), other.Holds) {
			return true
		}
		for _, ring := range near {
			if slices.ContainsFunc(some(ring, corners), func(p Point) bool { return l.within(r, p) }) {
				return true
			}
		}
	}
	return slices.ContainsFunc(near, func(ring []Point) bool { return crosses(outer, ring, work) })
}

// some returns about n of the points, evenly spread, or all.
func some(points []Point, n int) []Point {
	if n >= len(points) {
		return points
	}
	out := make([]Point, n)
	for i := range out {
		out[i] = points[i*len(points)/n]
	}
	return out
}

func ringBox(points []Point) (low, high Point) {
	low, high = points[0], points[0]
	for _, p := range points[1:] {
		low, high = Point{min(low.X, p.X), min(low.Y, p.Y)}, Point{max(high.X, p.X), max(high.Y, p.Y)}
	}
	return low, high
}

// side is one of a ring's, with its reach in x.
type side struct {
	p, q      Point
	low, high float64
}

// sidesIn are the sides of a ring that reach into a box, by where they begin in x.
func sidesIn(ring []Point, low, high Point) (out []side) {
	for i, p := range ring {
		q := ring[(i+1)%len(ring)]
		s := side{p, q, min(p.X, q.X), max(p.X, q.X)}
		if s.low <= high.X && s.high >= low.X && min(p.Y, q.Y) <= high.Y && max(p.Y, q.Y) >= low.Y {
			out = append(out, s)
		}
	}
	slices.SortFunc(out, func(a, b side) int { return cmp.Compare(a.low, b.low) })
	return out
}

// crosses reports whether two rings have a point of their lines in common. A side is
// compared with those that begin no further left than the widest reaches; the pairs are taken
// off work, and nothing is found when that is spent.
func crosses(a, b []Point, work *float64) bool {
	if *work -= touching + 20*float64(len(a)+len(b)); *work < 0 { // to sort them
		return false
	}
	lowA, highA := ringBox(a)
	lowB, highB := ringBox(b)
	of, with := sidesIn(a, lowB, highB), sidesIn(b, lowA, highA)
	widest := 0.0
	for _, s := range with {
		widest = max(widest, s.high-s.low)
	}
	turn := func(p, q, r Point) float64 { return (q.X-p.X)*(r.Y-p.Y) - (r.X-p.X)*(q.Y-p.Y) }
	for _, s := range of {
		first, _ := slices.BinarySearchFunc(with, s.low-widest, func(o side, x float64) int { return cmp.Compare(o.low, x) })
		for _, o := range with[first:] {
			if o.low > s.high {
				break
			}
			if *work--; *work < 0 {
				return false
			}
			if o.high >= s.low && max(s.p.Y, s.q.Y) >= min(o.p.Y, o.q.Y) && max(o.p.Y, o.q.Y) >= min(s.p.Y, s.q.Y) &&
				turn(s.p, s.q, o.p)*turn(s.p, s.q, o.q) <= 0 && turn(o.p, o.q, s.p)*turn(o.p, o.q, s.q) <= 0 {
				return true
			}
		}
	}
	return false
}

// middle returns the centroid of a region's outer ring.
func (l Layer) middle(r int) (c Point) {
	points := l.Rings[l.Regions[r].Outer].Points
	for _, p := range points {
		c.X += p.X / float64(len(points))
		c.Y += p.Y / float64(len(points))
	}
	return c
}
