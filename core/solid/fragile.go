package solid

import (
	"cmp"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Fragile is a thin section that something hangs on: where a part breaks when supports
// come off, or when it is handled.
type Fragile struct {
	At         mesh.Vec `json:"at"`
	SectionMM2 float64  `json:"section_mm2"`
	ArmMM      float64  `json:"arm_mm"`     // how far what hangs on it reaches
	BeyondMM3  float64  `json:"beyond_mm3"` // what would break off
	Weakness   float64  `json:"-"`          // arm over the section to the power of 3/2
}

// Scaled is the place in the part at k times its size.
func (f Fragile) Scaled(k float64) Fragile {
	f.At, f.SectionMM2, f.ArmMM, f.BeyondMM3 = f.At.Mul(k), f.SectionMM2*k*k, f.ArmMM*k, f.BeyondMM3*k*k*k
	f.Weakness /= k * k
	return f
}

const (
	fragileCuts   = 90   // of each direction
	fragileShare  = 0.5  // of the matter, that may hang on a section at most
	leastBeyond   = 1.0  // mm³; smaller crumbs are not told
	fragileMM2    = 60.0 // sections over this bear handling. Source: from memory
	slender       = 1.5  // times as long as it is wide. Source: from memory
	leastWeakness = 0.35 // 1/mm²: an arm of 8 mm on a pin 3 mm thick. Source: from memory
)

// FragileOf lists the weakest sections, the worst first, no two within a few millimetres.
// The part is cut into layers along thirteen directions; a region whose removal leaves
// matter hanging loose is a section that bears it [published: Tarjan, Depth-first search
// and linear graph algorithms, 1972]. A force at the far end bends it: its moment grows with the
// arm, what the section bears with its area to the power of 3/2 [published: any text on
// strength of materials; section modulus of a round bar, πd³/32].
func FragileOf(m *mesh.Mesh, most int) []Fragile {
	ways := []mesh.Vec{{X: 1}, {Y: 1}, {Z: 1}, {X: 1, Y: 1}, {X: 1, Y: -1}, {X: 1, Z: 1}, {X: 1, Z: -1}, {Y: 1, Z: 1}, {Y: 1, Z: -1}, {X: 1, Y: 1, Z: 1}, {X: 1, Y: 1, Z: -1}, {X: 1, Y: -1, Z: 1}, {X: -1, Y: 1, Z: 1}}
	found := make([][]Fragile, len(ways))
	shared(len(ways), 1, func(_, from, to int) {
		for k := from; k < to; k++ {
			found[k] = fragileAlong(m, ways[k])
		}
	})
	all := slices.Concat(found...)
	slices.SortStableFunc(all, func(a, b Fragile) int { return cmp.Compare(b.Weakness, a.Weakness) })
	var out []Fragile
	for _, f := range all {
		apart := func(o Fragile) bool { return o.At.Sub(f.At).Len() < max(3, 2*math.Sqrt(o.SectionMM2)) }
		if len(out) < most && !slices.ContainsFunc(out, apart) {
			out = append(out, f)
		}
	}
	return out
}

// LayerWeakness is the weakness of the weakest section that lies along a layer of the part
// as it stands: layers part sooner than they break across.
func LayerWeakness(m *mesh.Mesh) (most float64) {
	for _, f := range fragileAlong(m, mesh.Vec{Z: 1}) {
		most = max(most, f.Weakness)
	}
	return most
}

// node is a region of a layer, in the graph of those that touch.
type node struct {
	layer  int
	area   float64
	middle Point
	z      float64
	low    Point
	high   Point
	beside []int32
}

// mostSought bounds what is done to find which regions lie over which. Sections of a thing
// are a few hundred; in a heap of loose facets there is nothing to find.
const mostSought = 5e7

// regionsOf are the regions of all layers, each with those that it touches in the layers
// under and over it; none where there are too many to tell.
func regionsOf(s *Slicer) (nodes []node) {
	w := s.worker()
	var below Layer
	first := 0 // of the layer below
	work := mostSought
	s.sweep(0, s.count, func(i int, cut []int32) {
		if work < 0 {
			return
		}
		now := w.layer(s.Z(i), cut)
		if now.Gaps > mostEnds { // it is a heap
			work = -1
		}
		start := len(nodes)
		for r, region := range now.Regions {
			outer := now.Rings[region.Outer].Points
			low, high := ringBox(outer)
			n := node{layer: i, area: region.AreaMM2, middle: now.middle(r), z: s.Z(i), low: low, high: high}
			for b := range below.Regions {
				if work--; work < 0 {
					return
				}
				if under := &nodes[first+b]; low.X > under.high.X || under.low.X > high.X || low.Y > under.high.Y || under.low.Y > high.Y {
					continue
				}
				if now.touches(r, below.only(b), &work) {
					n.beside = append(n.beside, int32(first+b))
					nodes[first+b].beside = append(nodes[first+b].beside, int32(start+r))
				}
			}
			nodes = append(nodes, n)
		}
		below, first = now, start
	})
	if work < 0 {
		return nil
	}
	return nodes
}

func fragileAlong(m *mesh.Mesh, way mesh.Vec) (out []Fragile) {
	turn := Turn(way.Mul(-1))
	turned := Turned(m, turn)
	height := turned.Box.Size().Z
	if height <= 0 {
		return nil
	}
	thick := height / fragileCuts
	nodes := regionsOf(NewSlicer(turned, thick))
	total := 0.0
	for _, n := range nodes {
		total += n.area * thick
	}
	for _, h := range hanging(nodes) {
		n := nodes[h.on]
		if n.area > fragileMM2 || n.area <= 0 {
			continue
		}
		f := Fragile{At: TurnedBack(mesh.Vec{X: n.middle.X, Y: n.middle.Y, Z: n.z}, turn), SectionMM2: n.area}
		for _, i := range h.beyond {
			o := nodes[i]
			f.BeyondMM3 += o.area * thick
			for _, p := range [4]Point{o.low, o.high, {o.low.X, o.high.Y}, {o.high.X, o.low.Y}} {
				f.ArmMM = max(f.ArmMM, math.Hypot(math.Hypot(p.X-n.middle.X, p.Y-n.middle.Y), o.z-n.z))
			}
		}
		if f.ArmMM < slender*math.Hypot(n.high.X-n.low.X, n.high.Y-n.low.Y) {
			continue // a corner, or a stub
		}
		f.Weakness = f.ArmMM / math.Pow(n.area, 1.5)
		if f.BeyondMM3 >= leastBeyond && f.BeyondMM3 <= fragileShare*total && f.Weakness >= leastWeakness {
			out = append(out, f)
		}
	}
	return out
}

// only is a layer with one of its regions.
func (l Layer) only(r int) Layer {
	out := Layer{ZMM: l.ZMM, Origin: l.Origin, Rings: []Ring{l.Rings[l.Regions[r].Outer]}}
	for _, h := range l.Regions[r].Holes {
		out.Rings = append(out.Rings, l.Rings[h])
	}
	return out
}

// hung is a node and those that hang on it alone.
type hung struct {
	on     int32
	beyond []int32
}

// hanging finds the nodes whose removal cuts others off, each time the smaller side.
func hanging(nodes []node) (out []hung) {
	w := newWalk(nodes)
	for root := range nodes {
		if w.order[root] != 0 {
			continue
		}
		begin := int32(len(w.visit))
		cuts := w.from(int32(root))
		whole := w.visit[begin:]
		for _, c := range cuts {
			under := w.visit[c.from:c.to]
			if len(under)*2 <= len(whole) {
				out = append(out, hung{c.on, slices.Clone(under)})
				continue
			}
			var rest []int32
			for i, v := range whole {
				if k := begin + int32(i); (k < c.from || k >= c.to) && v != c.on {
					rest = append(rest, v)
				}
			}
			if len(rest) > 0 {
				out = append(out, hung{c.on, rest})
			}
		}
	}
	return out
}

// walk goes through a graph depth first and finds the nodes that others hang on. Source:
// published, R. Tarjan, Depth-first search and linear graph algorithms, 1972.
type walk struct {
	nodes      []node
	order, low []int32 // when each was met, from 1; the earliest that it or those under it lead back to
	parent     []int32
	next       []int32 // the neighbour to look at
	at         []int32 // where in visit each stands
	visit      []int32 // in the order they were met
}

// leaf is a node that visit[from:to] hang on.
type leaf struct{ on, from, to int32 }

func newWalk(nodes []node) *walk {
	n := len(nodes)
	return &walk{nodes: nodes, order: make([]int32, n), low: make([]int32, n), parent: make([]int32, n), next: make([]int32, n), at: make([]int32, n)}
}

func (w *walk) meet(v, from int32) {
	w.parent[v], w.at[v] = from, int32(len(w.visit))
	w.visit = append(w.visit, v)
	w.order[v] = int32(len(w.visit))
	w.low[v] = w.order[v]
}

// from walks what hangs together with a node.
func (w *walk) from(root int32) (cuts []leaf) {
	w.meet(root, -1)
	stack := []int32{root}
	for len(stack) > 0 {
		v := stack[len(stack)-1]
		if int(w.next[v]) < len(w.nodes[v].beside) {
			u := w.nodes[v].beside[w.next[v]]
			w.next[v]++
			if w.order[u] == 0 {
				w.meet(u, v)
				stack = append(stack, u)
			} else if u != w.parent[v] {
				w.low[v] = min(w.low[v], w.order[u])
			}
			continue
		}
		stack = stack[:len(stack)-1]
		if p := w.parent[v]; p >= 0 {
			w.low[p] = min(w.low[p], w.low[v])
			if w.low[v] >= w.order[p] { // nothing at or below v gets round p
				cuts = append(cuts, leaf{p, w.at[v], int32(len(w.visit))})
			}
		}
	}
	return cuts
}
