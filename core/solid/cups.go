package solid

import (
	"cmp"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Cup is hollow space that solid walls enclose and that is closed toward the plate: while
// it is built it sucks on the film, and it keeps resin.
type Cup struct {
	FromMM     float64 `json:"from_mm"` // heights above the plate's side of the part
	ToMM       float64 `json:"to_mm"`
	VolumeMM3  float64 `json:"volume_mm3"`
	LargestMM2 float64 `json:"largest_mm2"` // the widest it is
	At         Spot    `json:"at"`          // in the middle of where it begins
}

// What a cup has at least to be told. Source: from memory; a dimple drains by itself.
const (
	leastCupMM3 = 20.0
	leastCupMM  = 1.0
)

const (
	cupCells  = 200 // along the longer side of the plan
	cupLayers = 400
)

// Cups finds the cups of a part that hangs head down from its plate: layer by layer, away
// from the plate, the space that walls enclose is open when it lies over open space, and
// closed when it lies over solid alone, or over the plate itself where the part lies flat
// on it. Space that reaches the outside sideways is open. Looked at on a grid of two
// hundred cells along the longer side and in at most four hundred layers. Source of the
// rule: common practice.
func Cups(m *mesh.Mesh, flatOnPlate bool) []Cup {
	size := m.Box.Size()
	cell := max(size.X, size.Y) / cupCells
	if cell <= 0 || size.Z <= 0 {
		return nil
	}
	layer := max(0.02, size.Z/cupLayers)
	s := NewSlicer(m, layer)
	g := &cupGrid{w: int(size.X/cell) + 3, h: int(size.Y/cell) + 3, cell: cell, low: Point{m.Box.Min.X - cell, m.Box.Min.Y - cell}}
	g.now, g.below = make([]int32, g.w*g.h), make([]int32, g.w*g.h)
	w := s.worker()
	s.sweep(0, s.count, func(i int, cut []int32) {
		g.now, g.below = g.below, g.now
		g.fill(w.layer(s.Z(i), cut))
		g.spaces(i, flatOnPlate, (float64(i)+0.5)*layer, layer)
	})
	var out []Cup
	for i := range g.cups {
		if c := g.cups[i]; g.root(int32(i)) == int32(i) && c.VolumeMM3 >= leastCupMM3 && c.ToMM-c.FromMM >= leastCupMM {
			out = append(out, c)
		}
	}
	slices.SortStableFunc(out, func(a, b Cup) int { return cmp.Compare(b.VolumeMM3, a.VolumeMM3) })
	return out
}

// cupGrid is the layer being looked at and the one below it. A cell is solid, open, or
// holds the number of its cup, counted from firstCup.
type cupGrid struct {
	w, h       int
	cell       float64
	low        Point
	now, below []int32
	cups       []Cup
	joined     []int32 // cups that turned out to be one
	queue      []int32
}

const (
	unknown  = 0
	solid    = 1
	openCell = 2
	firstCup = 3
)

// fill marks the cells whose middles lie in the layer's solid.
func (g *cupGrid) fill(l Layer) {
	clear(g.now)
	rows := make([][]crossX, g.h)
	for _, r := range l.Rings {
		for i, a := range r.Points {
			b := r.Points[(i+1)%len(r.Points)]
			step := int8(1)
			if a.Y > b.Y {
				a, b, step = b, a, -1
			}
			first := max(0, int(math.Ceil((a.Y-g.low.Y)/g.cell-0.5)))
			for y := first; y < g.h; y++ {
				middle := g.low.Y + (float64(y)+0.5)*g.cell
				if middle > b.Y || middle <= a.Y {
					if middle > b.Y {
						break
					}
					continue
				}
				rows[y] = append(rows[y], crossX{a.X + (b.X-a.X)*(middle-a.Y)/(b.Y-a.Y), step})
			}
		}
	}
	for y, row := range rows {
		slices.SortFunc(row, func(a, b crossX) int { return cmp.Compare(a.x, b.x) })
		winding := 0
		for i, c := range row {
			winding += int(c.step)
			if winding == 0 || i+1 == len(row) {
				continue
			}
			from, to := int(math.Ceil((c.x-g.low.X)/g.cell-0.5)), int(math.Floor((row[i+1].x-g.low.X)/g.cell-0.5))
			for x := max(0, from); x <= min(g.w-1, to); x++ {
				g.now[y*g.w+x] = solid
			}
		}
	}
}

// crossX is where a row passes a ring.
type crossX struct {
	x    float64
	step int8
}

// spaces goes over the layer's connected space, from the outside in.
func (g *cupGrid) spaces(layer int, flatOnPlate bool, z, thick float64) {
	g.flood(0, openCell) // the border is outside
	for start, state := range g.now {
		if state != unknown {
			continue
		}
		cells := g.flood(int32(start), -1)
		open, cup := layer == 0 && !flatOnPlate, int32(-1)
		if layer > 0 {
			for _, c := range cells {
				switch b := g.below[c]; {
				case b == openCell:
					open = true
				case b >= firstCup:
					if r := g.root(b - firstCup); cup < 0 {
						cup = r
					} else if r != cup {
						cup = g.join(cup, r)
					}
				}
			}
		}
		if open {
			g.mark(cells, openCell)
			continue
		}
		if cup < 0 {
			cup = int32(len(g.cups))
			g.cups = append(g.cups, Cup{FromMM: z - thick/2, At: g.middle(cells, z)})
			g.joined = append(g.joined, cup)
		}
		g.mark(cells, firstCup+cup)
		c := &g.cups[cup]
		area := float64(len(cells)) * g.cell * g.cell
		c.ToMM, c.VolumeMM3, c.LargestMM2 = z+thick/2, c.VolumeMM3+area*thick, max(c.LargestMM2, area)
	}
}

func (g *cupGrid) mark(cells []int32, state int32) {
	for _, c := range cells {
		g.now[c] = state
	}
}

func (g *cupGrid) root(c int32) int32 {
	for g.joined[c] != c {
		c = g.joined[c]
	}
	return c
}

// join makes two cups one: they met above the wall between them.
func (g *cupGrid) join(a, b int32) int32 {
	a, b = min(a, b), max(a, b)
	g.joined[b] = a
	x, y := &g.cups[a], g.cups[b]
	x.VolumeMM3 += y.VolumeMM3
	x.FromMM = min(x.FromMM, y.FromMM)
	x.LargestMM2 = max(x.LargestMM2, y.LargestMM2)
	return a
}

// flood marks the unknown cells connected to one and returns them.
func (g *cupGrid) flood(start, state int32) []int32 {
	g.queue = append(g.queue[:0], start)
	g.now[start] = state
	for k := 0; k < len(g.queue); k++ {
		c := g.queue[k]
		x := int(c) % g.w
		for _, n := range [4]int32{c - 1, c + 1, c - int32(g.w), c + int32(g.w)} {
			if n < 0 || int(n) >= len(g.now) || n == c-1 && x == 0 || n == c+1 && x == g.w-1 || g.now[n] != unknown {
				continue
			}
			g.now[n] = state
			g.queue = append(g.queue, n)
		}
	}
	return g.queue
}

// middle is the cell nearest the middle of a space, as the part's own place.
func (g *cupGrid) middle(cells []int32, z float64) Spot {
	var cx, cy float64
	for _, c := range cells {
		cx, cy = cx+float64(int(c)%g.w)/float64(len(cells)), cy+float64(int(c)/g.w)/float64(len(cells))
	}
	best, nearest := cells[0], math.Inf(1)
	for _, c := range cells {
		if d := math.Hypot(float64(int(c)%g.w)-cx, float64(int(c)/g.w)-cy); d < nearest {
			best, nearest = c, d
		}
	}
	return Spot{g.low.X + (float64(int(best)%g.w)+0.5)*g.cell, g.low.Y + (float64(int(best)/g.w)+0.5)*g.cell, z}
}
