package mesh

import (
	"maps"
	"math"
)

// nestSamples is how many points of a shell must lie inside another for that one to
// enclose it: bodies that only poke into each other do not count as nested.
const nestSamples = 12

// nest counts for each closed shell how many other closed shells enclose it. A ray
// goes up from points of it; what it crosses of another shell, with sign, is that
// shell's winding about the point. Triangles are found through a grid over the
// plan, built only when some shell's box lies within another's.
//
// How often matter surrounds a place is then the sum of the windings of the shells around it,
// the outermost taken to face outward. Where all of those face inward the file was mirrored,
// and so does all that lies in them.
func (m *Mesh) nest(shells []Shell, of []int32) {
	var flat []int
	for i, s := range shells {
		switch {
		case s.flat():
			shells[i].Around, shells[i].Within = 1, 1
			flat = append(flat, i)
		case s.Closed():
			shells[i].Within = 1
		}
	}
	if len(flat) > 0 {
		house(shells, flat)
	}
	asks, inside := nestCandidates(shells)
	if len(asks) == 0 {
		return
	}
	g := newPlanGrid(m, of, inside)
	points := m.samples(shells, of, asks)
	enclosed := make(map[int]map[int32]bool, len(asks))
	for _, i := range asks {
		var around map[int32]bool
		for k, p := range points[i] {
			now := m.enclosing(g, shells, of, int32(i), p)
			if k == 0 {
				around = now
			}
			maps.DeleteFunc(around, func(s int32, _ bool) bool { return !now[s] })
			if len(around) == 0 {
				break
			}
		}
		shells[i].Depth = len(around)
		enclosed[i] = around
	}
	mirrored := true
	for _, s := range shells {
		mirrored = mirrored && (!s.Closed() || s.Depth > 0 || s.VolumeMM3 < 0)
	}
	winding := func(i int) int {
		if shells[i].Depth > 0 && (shells[i].VolumeMM3 < 0) != mirrored {
			return -1
		}
		return 1
	}
	for i, around := range enclosed {
		for s := range around {
			shells[i].Around += winding(int(s))
			if p := shells[i].Parent; p < 0 || shells[s].Depth > shells[p].Depth || shells[s].Depth == shells[p].Depth && int(s) < p {
				shells[i].Parent = int(s)
			}
		}
		shells[i].Within = shells[i].Around + winding(i)
	}
}

// house gives walls within matter to the smallest shell whose box they lie in.
func house(shells []Shell, flat []int) {
	tree := newBoxTree(len(shells), func(i int) Box { return shells[i].Box })
	for _, i := range flat {
		own, looked := shells[i].Box, 0
		tree.each(over(own.Min), func(k int32) {
			s := shells[k]
			if looked++; looked > mostMeeting || s.flat() || !s.Closed() || !s.Box.Holds(own.Min) || !s.Box.Holds(own.Max) {
				return
			}
			if p := shells[i].Parent; p < 0 || abs(s.VolumeMM3) < abs(shells[p].VolumeMM3) {
				shells[i].Parent = int(k)
			}
		})
	}
}

// enclosing returns the other shells that wind about a point.
func (m *Mesh) enclosing(g *planGrid, shells []Shell, of []int32, own int32, p Vec) map[int32]bool {
	winding := map[int32]int{}
	for _, t := range g.at(p) {
		if of[t] != own && shells[of[t]].Box.Holds(p) {
			winding[of[t]] += m.crossing(m.Triangles[t], p)
		}
	}
	around := map[int32]bool{}
	for s, w := range winding {
		if w != 0 {
			around[s] = true
		}
	}
	return around
}

// samples picks up to nestSamples corners of each shell asked about, spread over
// its triangles.
func (m *Mesh) samples(shells []Shell, of []int32, asks []int) map[int][]Vec {
	points := make(map[int][]Vec, len(asks))
	for _, i := range asks {
		points[i] = nil
	}
	seen := make([]int32, len(shells))
	for t, s := range of {
		list, asked := points[int(s)]
		if !asked {
			continue
		}
		if step := int32(max(1, shells[s].Triangles/nestSamples)); seen[s]%step == 0 && len(list) < nestSamples {
			points[int(s)] = append(list, m.Vertices[m.Triangles[t][0]])
		}
		seen[s]++
	}
	return points
}

// nestCandidates returns the shells that could lie inside another, and for every
// shell whether something could lie inside it. A plate of thousands of separate specks
// stays quick.
func nestCandidates(shells []Shell) (asks []int, holds []bool) {
	holds = make([]bool, len(shells))
	var closed []int
	for i, s := range shells {
		if s.Closed() && !s.flat() {
			closed = append(closed, i)
		}
	}
	if len(closed) < 2 {
		return nil, holds
	}
	tree := newBoxTree(len(closed), func(k int) Box { return shells[closed[k]].Box })
	for _, i := range closed {
		inner := shells[i].Box
		asked := false
		tree.each(over(inner.Min), func(k int32) {
			j := closed[k]
			outer := shells[j].Box
			if j != i && outer.Holds(inner.Min) && outer.Holds(inner.Max) {
				holds[j] = true
				asked = true
			}
		})
		if asked {
			asks = append(asks, i)
		}
	}
	return asks, holds
}

// planGrid lists triangles by the cells of the plan they touch.
type planGrid struct {
	box   Box
	cells int
	perX  float64
	perY  float64
	start []int32
	list  []int32
}

func newPlanGrid(m *Mesh, of []int32, holds []bool) *planGrid {
	g := &planGrid{box: m.Box}
	n := 0
	for i := range m.Triangles {
		if holds[of[i]] {
			n++
		}
	}
	g.cells = max(1, min(1024, int(math.Sqrt(float64(n)))))
	size := m.Box.Size()
	if size.X > 0 {
		g.perX = float64(g.cells) / size.X
	}
	if size.Y > 0 {
		g.perY = float64(g.cells) / size.Y
	}
	// Triangles that span the whole plan would each fill every cell: coarser then.
	for g.cells > 1 && g.touched(m, of, holds) > 16*n+1024 {
		g.cells, g.perX, g.perY = g.cells/2, g.perX/2, g.perY/2
	}
	each := func(do func(cell int, t int32)) {
		for i, t := range m.Triangles {
			if !holds[of[i]] {
				continue
			}
			x0, y0, x1, y1 := g.span(m, t)
			for y := y0; y <= y1; y++ {
				for x := x0; x <= x1; x++ {
					do(y*g.cells+x, int32(i))
				}
			}
		}
	}
	g.start = make([]int32, g.cells*g.cells+1)
	each(func(c int, _ int32) { g.start[c+1]++ })
	for c := range g.cells * g.cells {
		g.start[c+1] += g.start[c]
	}
	g.list = make([]int32, g.start[len(g.start)-1])
	fill := append([]int32(nil), g.start...)
	each(func(c int, t int32) {
		g.list[fill[c]] = t
		fill[c]++
	})
	return g
}

// span returns the cells of the triangle's box, both ends included.
func (g *planGrid) span(m *Mesh, t [3]int32) (x0, y0, x1, y1 int) {
	b := EmptyBox()
	for _, v := range t {
		b.Add(m.Vertices[v])
	}
	x0, y0 = g.cell(b.Min)
	x1, y1 = g.cell(b.Max)
	return
}

// touched counts the entries the list would have.
func (g *planGrid) touched(m *Mesh, of []int32, holds []bool) (n int) {
	for i, t := range m.Triangles {
		if holds[of[i]] {
			x0, y0, x1, y1 := g.span(m, t)
			n += (x1 - x0 + 1) * (y1 - y0 + 1)
		}
	}
	return n
}

func (g *planGrid) cell(v Vec) (x, y int) {
	clamp := func(f float64) int { return max(0, min(g.cells-1, int(f))) }
	return clamp((v.X - g.box.Min.X) * g.perX), clamp((v.Y - g.box.Min.Y) * g.perY)
}

func (g *planGrid) at(v Vec) []int32 {
	x, y := g.cell(v)
	c := y*g.cells + x
	return g.list[g.start[c]:g.start[c+1]]
}

// crossing is +1 or −1 where the ray from p straight up passes the triangle, 0
// where it misses.
func (m *Mesh) crossing(t [3]int32, p Vec) int {
	if w, z := m.passing(t, p); z > p.Z {
		return w
	}
	return 0
}

// passing is +1 or −1 where the vertical line through p passes the triangle, from
// inside or into it as one goes up, and at what height; 0 where it misses. An edge
// belongs to the triangle on one side of it only: its lower end in y is in, its upper
// end out, and the side is computed from the edge's ends in a fixed order, so
// triangles that share an edge agree to the bit.
func (m *Mesh) passing(t [3]int32, p Vec) (winding int, z float64) {
	v := [3]Vec{m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]}
	for k := range 3 {
		a, b := v[k], v[(k+1)%3]
		if (a.Y <= p.Y) == (b.Y <= p.Y) {
			continue
		}
		sign := 1
		if a.Y > b.Y || a.Y == b.Y && a.X > b.X {
			a, b, sign = b, a, -1
		}
		if (b.X-a.X)*(p.Y-a.Y)-(p.X-a.X)*(b.Y-a.Y) < 0 {
			continue // the edge passes on the left of p
		}
		winding += sign
	}
	if winding == 0 {
		return 0, 0
	}
	n := v[1].Sub(v[0]).Cross(v[2].Sub(v[0]))
	if n.Z == 0 {
		return 0, 0
	}
	return winding, v[0].Z - (n.X*(p.X-v[0].X)+n.Y*(p.Y-v[0].Y))/n.Z
}
