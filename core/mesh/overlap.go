package mesh

import (
	"cmp"
	"math"
	"slices"
)

// Overlap is what closed shells share, which the quick diagnosis counts twice.
type Overlap struct {
	SolidMM3   float64 `json:"solid_mm3"`       // the volume with common matter counted once
	ErrorMM3   float64 `json:"solid_error_mm3"` // three standard deviations of what so many lines find
	Pairs      int     `json:"overlapping_pairs"`
	Selves     int     `json:"self_overlapping_shells"`
	Overlapped float64 `json:"overlap_mm3"` // what was counted twice

	pairs  map[[2]int32]bool // the shells that share something
	selves map[int32]bool    // those that cross themselves
}

// overlapCells is how many columns stand along the longer side of the region where
// shells overlap.
const overlapCells = 512

// leastShared is the share of the whole from which on it counts that a shell crosses itself:
// less are hair-fine folds. Of two shells the least they share may be what holds them together.
const leastShared = 1e-5

// Solid counts common matter once. Vertical lines through a grid over the plan are
// walked upward; the winding number, with every shell taken the way round that
// Measure takes it, says how often a stretch is counted [published: Jacobson, Kavan
// and Sorkine-Hornung, Robust inside-outside segmentation, 2013, for the winding
// number as the measure of inside]. What is counted more than once is taken off the
// diagnosed volume, so a model without overlaps keeps its exact figure. Shells with
// holes have no inside and are left out.
func Solid(s *Soup) Overlap { return s.Weld().Solid() }

// Solid is Solid of a welded mesh.
func (m *Mesh) Solid() Overlap {
	shells, of := m.Shells()
	return m.solid(shells, of)
}

func (m *Mesh) solid(shells []Shell, of []int32) (o Overlap) {
	o.SolidMM3 = m.measure(shells, of).VolumeMM3
	c := &columns{mesh: m, of: of, sign: make([]int8, len(shells)), shells: shells}
	any := false
	for i, s := range shells {
		switch {
		case !s.Closed() || s.Buried():
		case s.Inverted():
			c.sign[i], any = -1, true
		default: // a cavity winds −1 by itself
			c.sign[i], any = 1, true
		}
	}
	if !any {
		return o
	}
	// A coarse look at all of it finds where to look closely; boxes that meet are
	// looked at whatever it found, for a small overlap slips between coarse lines.
	coarse := c.walk(m.Box, overlapCells/2)
	region := coarse.region
	if met := c.meeting(); met.Size() != (Vec{}) {
		region = region.Union(met)
	}
	if region.Size().X <= 0 || region.Size().Y <= 0 {
		return o
	}
	fine := c.walk(region, overlapCells)
	if len(fine.pairs) == 0 && fine.volume < leastShared*o.SolidMM3 {
		return o
	}
	o.Overlapped, o.ErrorMM3 = fine.volume, 3*fine.deviation
	o.Pairs, o.Selves, o.pairs, o.selves = len(fine.pairs), len(fine.selves), fine.pairs, fine.selves
	o.SolidMM3 = max(0, o.SolidMM3-fine.volume)
	return o
}

// columns walks vertical lines through closed shells.
type columns struct {
	mesh   *Mesh
	of     []int32
	sign   []int8 // how each shell's winding counts; 0 for one that is left out
	shells []Shell
}

// meeting is the box of all places where the boxes of two shells meet, cavities and
// what they lie in aside.
func (c *columns) meeting() Box {
	var list []int
	for i := range c.shells {
		if c.sign[i] != 0 && c.shells[i].Depth == 0 {
			list = append(list, i)
		}
	}
	slices.SortFunc(list, func(a, b int) int { return cmp.Compare(c.shells[a].Box.Min.X, c.shells[b].Box.Min.X) })
	all := EmptyBox()
	for k, i := range list {
		for _, j := range list[k+1:] {
			if c.shells[j].Box.Min.X > c.shells[i].Box.Max.X {
				break
			}
			if common := c.shells[i].Box.Common(c.shells[j].Box); common.Size() != (Vec{}) {
				all = all.Union(common)
			}
		}
	}
	return all
}

// crossed is a place where a line passes a facet.
type crossed struct {
	z     float64
	shell int32
	step  int8
}

// walked is what the lines over a region show.
type walked struct {
	volume    float64
	deviation float64   // of the volume
	lengths   []float64 // counted twice on each line, times how often
	region    Box       // the plan of the lines that have something counted twice, a cell wider
	pairs     map[[2]int32]bool
	selves    map[int32]bool
}

// mostCrossings bounds what all lines of a walk meet. Ordinary things, of a few shells, stay
// far below it.
const mostCrossings = 8e6

// crossings is at most what lines over a region meet, times the area that each stands for.
func (c *columns) crossings(region Box) (mm2 float64) {
	for i, t := range c.mesh.Triangles {
		if c.sign[c.of[i]] == 0 {
			continue
		}
		b := EmptyBox()
		for _, v := range t {
			b.Add(c.mesh.Vertices[v])
		}
		if s := b.Common(Box{Vec{region.Min.X, region.Min.Y, b.Min.Z}, Vec{region.Max.X, region.Max.Y, b.Max.Z}}).Size(); s.X > 0 && s.Y > 0 {
			mm2 += s.X * s.Y
		}
	}
	return mm2
}

// walk stands cells lines along the longer side of a region's plan.
func (c *columns) walk(region Box, cells int) walked {
	size := region.Size()
	cell := max(size.X, size.Y) / float64(cells)
	if n := c.crossings(region) / (cell * cell); n > mostCrossings { // it would take for ever: coarser, and so told
		cell *= math.Sqrt(n / mostCrossings)
	}
	nx, ny := max(1, int(math.Round(size.X/cell))), max(1, int(math.Round(size.Y/cell)))
	dx, dy := size.X/float64(nx), size.Y/float64(ny)
	bands := make([]walked, workers(len(c.mesh.Triangles)))
	spread(ny, len(bands), func(k, from, to int) {
		bands[k] = c.band(region.Min, dx, dy, nx, from, to)
	})
	out := walked{region: EmptyBox(), pairs: map[[2]int32]bool{}, selves: map[int32]bool{}}
	for _, b := range bands {
		out.lengths = append(out.lengths, b.lengths...)
		out.region = out.region.Union(b.region)
		for p := range b.pairs {
			out.pairs[p] = true
		}
		for s := range b.selves {
			out.selves[s] = true
		}
	}
	// Within a cell lengths spread about as they do from one to the next: by a twelfth of the
	// square of the difference where they change evenly, by a sixth where they jump.
	spread := 0.0
	for k, mm := range out.lengths {
		out.volume += mm * dx * dy
		if (k+1)%nx > 0 {
			spread += (out.lengths[k+1] - mm) * (out.lengths[k+1] - mm) / 6
		}
		if k+nx < len(out.lengths) {
			spread += (out.lengths[k+nx] - mm) * (out.lengths[k+nx] - mm) / 6
		}
	}
	out.deviation = math.Sqrt(spread) * dx * dy
	return out
}

// stand is where in its cell, from 0 to 1 each way, a line stands: anywhere, and for the same
// cell always at the same place [published: Steele, Lea and Flood, Fast splittable
// pseudorandom number generators, 2014, for the mixing].
func stand(x, y int) (right, up float64) {
	h := uint64(x)<<32 | uint64(y)
	h = (h + 1) * 0x9e3779b97f4a7c15
	h = (h ^ h>>30) * 0xbf58476d1ce4e5b9
	h = (h ^ h>>27) * 0x94d049bb133111eb
	h ^= h >> 31
	return float64(h>>32) / (1 << 32), float64(h&math.MaxUint32) / (1 << 32)
}

// band walks the rows from..to.
func (c *columns) band(origin Vec, dx, dy float64, nx, from, to int) walked {
	lines := make([][]crossed, nx*(to-from))
	m := c.mesh
	for i, t := range m.Triangles {
		shell := c.of[i]
		if c.sign[shell] == 0 {
			continue
		}
		p, q, r := m.Vertices[t[0]].Sub(origin), m.Vertices[t[1]].Sub(origin), m.Vertices[t[2]].Sub(origin)
		first := func(v, d float64) int { return max(0, int(v/d)) }
		y := max(from, first(min(p.Y, q.Y, r.Y), dy))
		highY, lowX, highX := max(p.Y, q.Y, r.Y), min(p.X, q.X, r.X), max(p.X, q.X, r.X)
		for ; y < to && float64(y)*dy <= highY; y++ {
			for x := first(lowX, dx); x < nx && float64(x)*dx <= highX; x++ {
				right, up := stand(x, y)
				at := Vec{(float64(x)+right)*dx + origin.X, (float64(y)+up)*dy + origin.Y, math.Inf(-1)}
				if w, z := m.passing(t, at); w != 0 {
					k := (y-from)*nx + x
					lines[k] = append(lines[k], crossed{z, shell, int8(-w) * c.sign[shell]})
				}
			}
		}
	}
	out := walked{lengths: make([]float64, len(lines)), region: EmptyBox(), pairs: map[[2]int32]bool{}, selves: map[int32]bool{}}
	w := &within{winding: map[int32]int{}, paired: map[int32]uint64{}}
	for k, line := range lines {
		length := c.twice(line, w, &out)
		if length == 0 {
			continue
		}
		out.lengths[k] = length
		x, y := float64(k%nx), float64(from+k/nx)
		out.region.Add(origin.Add(Vec{(x - 1) * dx, (y - 1) * dy, 0}))
		out.region.Add(origin.Add(Vec{(x + 2) * dx, (y + 2) * dy, 0}))
	}
	return out
}

// within is what a line lies in while it is gone up.
type within struct {
	winding map[int32]int
	shells  []int32          // entered and not left
	fresh   []int32          // entered since the last stretch that is counted more than once
	mark    uint64           // of the shells together
	paired  map[int32]uint64 // by shell: together with which others it has been noted
}

// cross goes in or out of a shell.
func (w *within) cross(x crossed) {
	was := w.winding[x.shell]
	now := was + int(x.step)
	w.winding[x.shell] = now
	switch {
	case was <= 0 && now > 0:
		w.shells = append(w.shells, x.shell)
	case was > 0 && now <= 0:
		at := slices.Index(w.shells, x.shell)
		w.shells = slices.Delete(w.shells, at, at+1)
	case now <= was:
		return
	}
	if (was > 0) != (now > 0) {
		w.mark ^= (uint64(x.shell) + 1) * 0x9e3779b97f4a7c15
	}
	if now > was {
		w.fresh = append(w.fresh, x.shell)
	}
}

// note notes the shells that lie in one another, and in themselves, of those that were
// entered lately: the others are noted already.
func (w *within) note(out *walked) {
	for _, s := range w.fresh {
		n := w.winding[s]
		if n > 1 {
			out.selves[s] = true
		}
		if n <= 0 || w.paired[s] == w.mark {
			continue
		}
		w.paired[s] = w.mark
		for _, o := range w.shells {
			if o != s {
				out.pairs[[2]int32{min(s, o), max(s, o)}] = true
			}
		}
	}
	w.fresh = w.fresh[:0]
}

// twice goes up a line and returns the length counted more than once, as often as it
// is counted beyond the first.
func (c *columns) twice(line []crossed, w *within, out *walked) (length float64) {
	if len(line) < 4 {
		return 0
	}
	slices.SortFunc(line, func(a, b crossed) int { return cmp.Compare(a.z, b.z) })
	clear(w.winding)
	w.shells, w.fresh, w.mark = w.shells[:0], w.fresh[:0], 0
	sum := 0
	for k, x := range line {
		w.cross(x)
		sum += int(x.step)
		if sum < 2 || k+1 == len(line) || line[k+1].z <= x.z {
			continue
		}
		length += float64(sum-1) * (line[k+1].z - x.z)
		w.note(out)
	}
	return length
}
