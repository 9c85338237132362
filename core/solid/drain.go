package solid

import (
	"cmp"
	"container/heap"
	"fmt"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Bore is a hole through the wall into a cavity.
type Bore struct {
	At         mesh.Vec `json:"at"` // where it comes out
	DiameterMM float64  `json:"diameter_mm"`
	Cavity     int      `json:"cavity"`
	DepthMM    float64  `json:"depth_mm"` // through the wall
	Axis       mesh.Vec `json:"axis"`     // outward

	mouth mesh.Vec // where it goes in
}

const (
	boreTries     = 2000
	apartBores    = 2.0 // diameters between two holes at least
	plugTaper     = 0.04
	drainClearMM  = 0.1 // of a plug on every side. Source: from memory, resin 0.1–0.2
	pocketCells   = 64  // along a cavity's longest side
	leastHeldMM3  = 5.0
	leastHeldPart = 0.002 // of a cavity, below which what stays is a film on its wall
)

// bore lets the drains into the cavities and joins everything into one mesh. A part
// hangs head down from its plate, the file's z = 0 at the plate: of two holes one vents
// near the plate, the other drains the far end; one alone drains; what more there are go
// where resin would stay. Source: common practice.
func (h *Hollowed) bore(outer *mesh.Mesh, tree *mesh.Tree, wall float64, drains Drains) {
	whole, starts := h.joined(outer)
	h.Mesh = whole
	if drains.Count < 1 {
		return
	}
	d := &driller{mesh: whole, next: whole.Neighbours(), gone: make([]bool, len(whole.Triangles)), tree: mesh.NewTree(whole), outer: tree, wall: wall, radius: drains.DiameterMM / 2}
	shells, of := outer.Shells()
	for _, s := range of {
		d.sealed = append(d.sealed, shells[s].Cavity())
	}
	for i, c := range h.Cavities {
		h.drain(i, d, starts[i], starts[i]+c.faces, drains)
	}
	kept := whole.Triangles[:0]
	for i, t := range whole.Triangles {
		if i >= len(d.gone) || !d.gone[i] {
			kept = append(kept, t)
		}
	}
	whole.Triangles = kept
	h.VolumeMM3 = whole.Measure().VolumeMM3
}

// joined is the part's outside with its cavities in one mesh, and where each cavity's
// triangles begin, and the last one's end.
func (h *Hollowed) joined(outer *mesh.Mesh) (whole *mesh.Mesh, starts []int) {
	whole = &mesh.Mesh{Vertices: slices.Clone(outer.Vertices), Triangles: slices.Clone(outer.Triangles), Box: outer.Box}
	for i := range h.Cavities {
		starts = append(starts, len(whole.Triangles))
		c := h.Cavities[i].mesh
		now := map[int32]int32{}
		for _, t := range c.Triangles {
			var n [3]int32
			for k, v := range t {
				id, ok := now[v]
				if !ok {
					id = int32(len(whole.Vertices))
					now[v] = id
					whole.Vertices = append(whole.Vertices, c.Vertices[v])
				}
				n[k] = id
			}
			whole.Triangles = append(whole.Triangles, n)
		}
	}
	return whole, append(starts, len(whole.Triangles))
}

// drain bores the holes of one cavity, the triangles of whose wall are from–to, and tells what
// stays in it.
func (h *Hollowed) drain(cavity int, d *driller, from, to int, drains Drains) {
	c := &h.Cavities[cavity]
	p := newPockets(c.mesh)
	var mouths []mesh.Vec
	for k := range drains.Count {
		target, beside := c.Highest, 0.05
		switch {
		case k == 0 && drains.Count > 1:
			target = c.Lowest
		case k > 1:
			target, beside = p.deepest(mouths), 0.3
		}
		b, ok := d.try(from, to, target, beside, drains.Seen, h.Bores)
		if !ok {
			break
		}
		b.Cavity, c.Vented = cavity, true
		h.Bores, mouths = append(h.Bores, b), append(mouths, b.mouth)
	}
	if !c.Vented {
		return
	}
	c.HeldMM3, c.HeldAt = p.held(mouths), p.deepest(mouths)
	if c.HeldMM3 < max(leastHeldMM3, leastHeldPart*c.VolumeMM3) {
		c.HeldMM3 = 0
	}
}

// Warnings says what of the hollows may weep or burst later, in plain words. wanted is how
// many holes each was to get.
func (h Hollowed) Warnings(wanted int) (out []string) {
	for i, c := range h.Cavities {
		holes := 0
		for _, b := range h.Bores {
			if b.Cavity == i {
				holes++
			}
		}
		name := "The hollow"
		if len(h.Cavities) > 1 {
			name = fmt.Sprintf("Hollow %d", i+1)
		}
		size := fmt.Sprintf("of %.1f cm³", c.VolumeMM3/1000)
		switch {
		case holes == 0 && wanted > 0:
			out = append(out, fmt.Sprintf("%s %s found no place for a hole: uncured resin sealed in it bursts or weeps later. Leave it solid, or cut the part there.", name, size))
		case holes == 0:
			out = append(out, fmt.Sprintf("%s %s has no way out: uncured resin sealed in it bursts or weeps later.", name, size))
		case holes < wanted:
			out = append(out, fmt.Sprintf("%s %s has room for %d of %d holes.", name, size, holes, wanted))
		}
		if c.Islands > 0 {
			out = append(out, fmt.Sprintf("%s %s goes round %s, whose wall then hangs loose in it: nothing holds it while it prints. Leave the part solid there, or fill the old hollow first.", name, size, map[bool]string{true: "a closed hollow that was there before", false: fmt.Sprint(c.Islands) + " closed hollows that were there before"}[c.Islands == 1]))
		}
		if holes == 1 {
			out = append(out, fmt.Sprintf("%s %s has one hole: nothing lets air in while it drains.", name, size))
		}
		if holes > 0 && c.HeldMM3 > 0 {
			out = append(out, fmt.Sprintf("%s %s keeps %.1f cm³ of resin as it hangs: rinse it out, or give it another hole.", name, size, c.HeldMM3/1000))
		}
	}
	return out
}

// try bores at the best place near a target that can be bored: a millimetre in height
// counts as much as 1/beside to the side. Places that look toward Seen come last.
func (d *driller) try(from, to int, target mesh.Vec, beside float64, seen mesh.Vec, taken []Bore) (Bore, bool) {
	type place struct {
		face int
		cost float64
	}
	var places []place
	for i := from; i < to; i++ {
		if i < len(d.gone) && d.gone[i] {
			continue
		}
		p, n := d.middle(i)
		// Height counts most: what lies over the hole stays.
		cost := math.Abs(p.Z-target.Z) + beside*p.Sub(target).Len()
		if n.Mul(-1).Dot(seen) > 0.2*seen.Len() {
			cost += 1e6
		}
		places = append(places, place{i, cost})
	}
	slices.SortStableFunc(places, func(a, b place) int { return cmp.Compare(a.cost, b.cost) })
	var tried []mesh.Vec
	for _, at := range places {
		p, _ := d.middle(at.face)
		if slices.ContainsFunc(tried, func(o mesh.Vec) bool { return p.Sub(o).Len() < d.radius/3 }) { // as good as that one
			continue
		}
		q, _, ok := d.outer.NearestPoint(p, 2*d.wall)
		if !ok || slices.ContainsFunc(taken, func(b Bore) bool { return b.At.Sub(q).Len() < apartBores*2*d.radius }) {
			continue
		}
		if tried = append(tried, p); len(tried) > boreTries {
			break
		}
		if b, ok := d.drill(p, q); ok {
			return b, true
		}
	}
	return Bore{}, false
}

// middle is a face's centroid and its normal, of length 1.
func (d *driller) middle(i int) (p, n mesh.Vec) {
	t := d.mesh.Triangles[i]
	a, b, c := d.mesh.Vertices[t[0]], d.mesh.Vertices[t[1]], d.mesh.Vertices[t[2]]
	n = b.Sub(a).Cross(c.Sub(a))
	return a.Add(b).Add(c).Mul(1.0 / 3), n.Mul(1 / max(n.Len(), 1e-300))
}

// Plug is what closes a bore after washing and curing: a peg as long as the wall is
// thick, a little narrower at its inner end, standing by itself on the plate.
func (b Bore) Plug() *mesh.Mesh {
	wide := b.DiameterMM/2 - drainClearMM
	return frustum(wide*(1-plugTaper), wide, b.DepthMM)
}

// pockets is a cavity on a grid, to find where liquid stays in it.
type pockets struct {
	low    mesh.Vec
	cell   float64
	nx, ny int
	nz     int
	hollow []bool
	list   []int32
}

func newPockets(wall *mesh.Mesh) *pockets {
	turned := &mesh.Mesh{Vertices: wall.Vertices, Box: wall.Box, Triangles: make([][3]int32, len(wall.Triangles))}
	for i, t := range wall.Triangles { // as matter: facing outward
		turned.Triangles[i] = [3]int32{t[0], t[2], t[1]}
	}
	size := wall.Box.Size()
	p := &pockets{cell: max(size.X, size.Y, size.Z) / pocketCells, low: wall.Box.Min}
	p.nx, p.ny, p.nz = int(size.X/p.cell)+1, int(size.Y/p.cell)+1, int(size.Z/p.cell)+1
	c := columnsIn(turned, p.low, p.cell, p.nx, p.ny)
	p.hollow = make([]bool, p.nx*p.ny*p.nz)
	for k := range p.nx * p.ny {
		for _, s := range c.spans(k) {
			for z := max(0, int(math.Ceil(s.from.z/p.cell-0.5))); z < p.nz && (float64(z)+0.5)*p.cell < s.to.z; z++ {
				at := int32(z*p.nx*p.ny + k)
				p.hollow[at] = true
				p.list = append(p.list, at)
			}
		}
	}
	return p
}

func (p *pockets) place(i int32) mesh.Vec {
	x, y, z := int(i)%p.nx, int(i)/p.nx%p.ny, int(i)/(p.nx*p.ny)
	return p.low.Add(mesh.Vec{X: float64(x) + 0.5, Y: float64(y) + 0.5, Z: float64(z) + 0.5}.Mul(p.cell))
}

// held is how much liquid stays in the cavity as it hangs, drained at the mouths.
func (p *pockets) held(mouths []mesh.Vec) (mm3 float64) {
	for i, level := range p.levels(mouths) {
		if level < math.Inf(1) && level > p.rise(p.list[i])+0.5 {
			mm3 += p.cell * p.cell * p.cell
		}
	}
	return mm3
}

// deepest is the lowest place, as it hangs, of what stays longest.
func (p *pockets) deepest(mouths []mesh.Vec) mesh.Vec {
	at, most := p.list[0], math.Inf(-1)
	for i, level := range p.levels(mouths) {
		if deep := level - p.rise(p.list[i]); level < math.Inf(1) && deep > most {
			at, most = p.list[i], deep
		}
	}
	return p.place(at)
}

// rise is a cell's height as the part hangs, in cells: the file's z = 0 is up.
func (p *pockets) rise(i int32) float64 { return -float64(int(i) / (p.nx * p.ny)) }

// levels is, for each cell, how high liquid in it must climb on its way to a mouth; over
// the cell's own height it stays [published: Barnes, Lehman and Mulla, Priority-flood,
// 2014].
func (p *pockets) levels(mouths []mesh.Vec) []float64 {
	level := make([]float64, len(p.hollow))
	for i := range level {
		level[i] = math.Inf(1)
	}
	q := &floodQueue{level: level}
	for _, m := range mouths {
		best, near := int32(-1), math.Inf(1)
		for _, c := range p.list {
			if d := p.place(c).Sub(m).Len(); d < near {
				best, near = c, d
			}
		}
		if best >= 0 {
			level[best] = p.rise(best)
			heap.Push(q, best)
		}
	}
	layer := int32(p.nx * p.ny)
	for len(q.cells) > 0 {
		c := heap.Pop(q).(int32)
		x, y := int(c)%p.nx, int(c)/p.nx%p.ny
		for k, n := range [6]int32{c - 1, c + 1, c - int32(p.nx), c + int32(p.nx), c - layer, c + layer} {
			if k == 0 && x == 0 || k == 1 && x == p.nx-1 || k == 2 && y == 0 || k == 3 && y == p.ny-1 || n < 0 || int(n) >= len(level) {
				continue
			}
			if p.hollow[n] && math.IsInf(level[n], 1) {
				level[n] = max(level[c], p.rise(n))
				heap.Push(q, n)
			}
		}
	}
	out := make([]float64, len(p.list))
	for i, c := range p.list {
		out[i] = level[c]
	}
	return out
}

// floodQueue gives the lowest cell first.
type floodQueue struct {
	cells []int32
	level []float64
}

func (q *floodQueue) Len() int           { return len(q.cells) }
func (q *floodQueue) Less(i, j int) bool { return q.level[q.cells[i]] < q.level[q.cells[j]] }
func (q *floodQueue) Swap(i, j int)      { q.cells[i], q.cells[j] = q.cells[j], q.cells[i] }
func (q *floodQueue) Push(x any)         { q.cells = append(q.cells, x.(int32)) }
func (q *floodQueue) Pop() any {
	last := q.cells[len(q.cells)-1]
	q.cells = q.cells[:len(q.cells)-1]
	return last
}
