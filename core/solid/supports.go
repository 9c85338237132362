package solid

import (
	"cmp"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Supports is what holds a part as it stands.
type Supports struct {
	Contacts   []Contact
	ContactMM2 float64 // of all tips
	RoomMM3    float64 // between held faces and what is below them
	Out        []OutOfReach
	OnPart     int // contacts whose pillar stands on the part itself
}

// Contact is where a pillar's tip meets the part.
type Contact struct {
	At     mesh.Vec `json:"at"`
	LongMM float64  `json:"long_mm"` // of its pillar
	Island bool     `json:"island,omitempty"`
	OnPart bool     `json:"on_part,omitempty"`
}

// OutOfReach is a place where pillars would stand that nobody can take out.
type OutOfReach struct {
	At      mesh.Vec `json:"at"`
	Shut    bool     `json:"shut"` // no way leads there at all
	RoomMM3 float64  `json:"room_mm3"`
	GapMM   float64  `json:"gap_mm"` // how high the room is
	Pillars int      `json:"pillars"`
}

// Holding says how a part is held.
type Holding struct {
	LimitDeg  float64 // from the vertical, beyond which a face must be held
	SpacingMM float64 // from tip to tip, and as far as a bridge or ledge holds by itself
	TipMM     float64 // width of a tip
	Raised    bool    // it stands clear of its plate: what faces the plate is held, too
}

// ResinHolding and FilamentHolding are usual figures. Sources: the limit common practice,
// 45–50°; spacing and tips from memory.
var (
	ResinHolding    = Holding{LimitDeg: OverhangDeg, SpacingMM: 3.5, TipMM: 0.5, Raised: true}
	FilamentHolding = Holding{LimitDeg: OverhangDeg, SpacingMM: 5, TipMM: 1.2}
)

const (
	leastGapMM  = 1.0 // a gap narrower than this is bridged and not filled. Source: common practice
	supportGrid = 240 // columns along the longer side
	islandCuts  = 400
)

// SupportsOf finds what must be held: every region that begins in mid-air, and of faces
// that lean beyond the limit so many places that none of them lies further than the
// spacing from a tip, or from matter that stands by itself. So a short ledge or bridge
// holds, and a long one is held in its middle. Pillars go straight down, to the plate or
// to the part; rooms full of pillars that no tool reaches are listed by place.
func SupportsOf(m *mesh.Mesh, h Holding) Supports {
	return NewReach(m).Supports([9]float64{1, 0, 0, 0, 1, 0, 0, 0, 1}, h)
}

// Reach is a part with the places around and in it that a hand gets to, whichever way it
// stood: by then it is off its plate.
type Reach struct {
	mesh *mesh.Mesh
	v    *voxels
	ways []access
}

// NewReach looks where a tool gets to.
func NewReach(m *mesh.Mesh) *Reach {
	v := voxelsOf(m)
	return &Reach{m, v, v.reached()}
}

// Supports is SupportsOf the part turned by a matrix. Places out of reach are told as the
// part itself stands, contacts as it is turned.
func (r *Reach) Supports(turn [9]float64, h Holding) Supports {
	m := Turned(r.mesh, turn)
	var out Supports
	size := m.Box.Size()
	if size.Z <= 0 || max(size.X, size.Y) <= 0 {
		return out
	}
	c := columnsOf(m, supportGrid)
	steep := math.Sin(h.LimitDeg * math.Pi / 180)
	type held struct {
		column int
		z      float64
		below  float64 // how far down the next matter lies, or the plate
		onPart bool
	}
	var leaning []held
	type spot struct{ x, y, z float64 }
	slope := 1 / math.Tan(h.LimitDeg*math.Pi/180)
	anchors := newSpots(h.SpacingMM, slope, 2*c.cell)
	at := func(k int, z float64) spot {
		return spot{(float64(k%c.nx) + 0.5) * c.cell, (float64(k/c.nx) + 0.5) * c.cell, z}
	}
	for k := range c.hits {
		floor, onPart := 0.0, false
		for _, s := range c.spans(k) {
			gap := s.from.z - floor
			onPlate := !onPart && s.from.z < onPlateMM
			p := at(k, s.from.z)
			switch {
			case onPlate && !h.Raised, s.from.up > -steep && !onPlate: // it stands by itself
				anchors.add(p.x, p.y, p.z)
			case onPart && gap < leastGapMM:
			default:
				leaning = append(leaning, held{k, s.from.z, gap, onPart})
				out.RoomMM3 += gap * c.cell * c.cell
			}
			floor, onPart = s.to.z, true
		}
	}
	// Where a leaning face begins at a wall that rises from below, the wall holds it.
	drop := 1.05 * c.cell * slope
	for _, x := range leaning {
		col, row := x.column%c.nx, x.column/c.nx
		for _, n := range [4][2]int{{col - 1, row}, {col + 1, row}, {col, row - 1}, {col, row + 1}} {
			if n[0] >= 0 && n[0] < c.nx && n[1] >= 0 && n[1] < c.ny && c.inside(n[1]*c.nx+n[0], x.z-drop) && c.inside(n[1]*c.nx+n[0], x.z+drop/2) {
				p := at(x.column, x.z)
				anchors.add(p.x, p.y, p.z)
				break
			}
		}
	}
	tips := newSpots(h.SpacingMM, slope, 2*c.cell)
	put := func(x held, island bool) {
		p := at(x.column, x.z)
		tips.add(p.x, p.y, p.z)
		out.Contacts = append(out.Contacts, Contact{At: c.middle(x.column, x.z), LongMM: x.below, Island: island, OnPart: x.onPart})
	}
	// Islands first: what begins there is held by nothing else.
	slicer := NewSlicer(m, max(0.02, size.Z/islandCuts))
	for i, f := range slicer.Figures() {
		loose := f.Loose
		if i == 0 && h.Raised {
			loose = slicer.Layer(0).loose(1, Layer{}) // hung on the plate by pillars alone
		}
		for _, s := range loose {
			x, y := int((s.X-c.low.X)/c.cell), int((s.Y-c.low.Y)/c.cell)
			column := min(c.nx-1, max(0, x)) + c.nx*min(c.ny-1, max(0, y))
			z := s.Z - c.low.Z
			if p := at(column, z); tips.near(p.x, p.y, p.z, h.SpacingMM/4) {
				continue
			}
			floor, onPart := 0.0, false
			for _, sp := range c.spans(column) {
				if sp.to.z < z-slicer.layerMM {
					floor, onPart = sp.to.z, true
				}
			}
			put(held{column, z, z - floor, onPart}, true)
		}
	}
	slices.SortStableFunc(leaning, func(a, b held) int { return cmp.Compare(a.z, b.z) })
	for _, x := range leaning {
		if p := at(x.column, x.z); !tips.near(p.x, p.y, p.z, h.SpacingMM) && !anchors.near(p.x, p.y, p.z, h.SpacingMM) {
			put(x, false)
		}
	}
	tip := math.Pi * h.TipMM * h.TipMM / 4
	out.ContactMM2 = float64(len(out.Contacts)) * tip
	for _, x := range out.Contacts {
		if x.OnPart {
			out.OnPart++
		}
	}
	// The rooms that pillars fill although nobody gets there.
	if !slices.ContainsFunc(leaning, func(x held) bool { return x.onPart }) && out.OnPart == 0 {
		return out
	}
	v, ways := r.v, r.ways
	room := map[int]bool{} // cubes of pillars out of reach
	gap := map[int]float64{}
	for _, x := range leaning {
		if !x.onPart {
			continue
		}
		for z := x.z - v.cell; z > x.z-x.below; z -= v.cell / 2 {
			if i := v.at(TurnedBack(c.middle(x.column, z), turn)); !v.solid[i] && ways[i] != free {
				room[i] = true
				gap[i] = max(gap[i], x.below)
			}
		}
	}
	seen := map[int]bool{}
	order := make([]int, 0, len(room))
	for i := range room {
		order = append(order, i)
	}
	slices.Sort(order)
	for _, start := range order {
		if seen[start] {
			continue
		}
		seen[start] = true
		list := []int{start}
		place := OutOfReach{Shut: ways[start] == shut}
		var middle mesh.Vec
		for k := 0; k < len(list); k++ {
			i := list[k]
			middle = middle.Add(v.middle(i))
			place.GapMM = max(place.GapMM, gap[i])
			v.beside(i, func(n int) {
				if room[n] && !seen[n] {
					seen[n] = true
					list = append(list, n)
				}
			})
		}
		place.RoomMM3 = float64(len(list)) * v.cell * v.cell * v.cell
		place.At = middle.Mul(1 / float64(len(list)))
		in := map[int]bool{}
		for _, i := range list {
			in[i] = true
		}
		for _, x := range out.Contacts {
			if x.OnPart && in[v.at(TurnedBack(x.At.Sub(mesh.Vec{Z: 1.5 * v.cell}), turn))] {
				place.Pillars++
			}
		}
		if place.RoomMM3 >= leastRoomMM3 {
			out.Out = append(out.Out, place)
		}
	}
	slices.SortStableFunc(out.Out, func(a, b OutOfReach) int { return cmp.Compare(b.RoomMM3, a.RoomMM3) })
	return out
}

const leastRoomMM3 = 4.0 // less than that is a crumb. Source: from memory

// middle is the middle of a cube.
func (v *voxels) middle(i int) mesh.Vec {
	return v.low.Add(mesh.Vec{X: float64(i%v.nx) + 0.5, Y: float64(i/v.nx%v.ny) + 0.5, Z: float64(i/(v.nx*v.ny)) + 0.5}.Mul(v.cell))
}

// spots finds places near others on one leaning face, by cubes as wide as the usual
// distance. What holds a place lies no higher than it, and no lower than a leaning face
// drops on the way: else it is of another face.
type spots struct {
	wide  float64
	slope float64 // the most that a leaning face rises for each millimetre to the side
	slack float64
	in    map[[3]int32][]mesh.Vec
}

func newSpots(wide, slope, slack float64) *spots {
	return &spots{max(wide, 0.1), slope, slack, map[[3]int32][]mesh.Vec{}}
}

func (s *spots) cube(x, y, z float64) [3]int32 {
	return [3]int32{int32(math.Floor(x / s.wide)), int32(math.Floor(y / s.wide)), int32(math.Floor(z / s.wide))}
}

func (s *spots) add(x, y, z float64) {
	k := s.cube(x, y, z)
	p := mesh.Vec{X: x, Y: y, Z: z}
	// Of many in a hair's breadth one is enough.
	if list := s.in[k]; len(list) > 0 && list[len(list)-1].Sub(p).Len() < s.wide/20 {
		return
	}
	s.in[k] = append(s.in[k], p)
}

// near reports whether one that holds a place lies within a distance of it, no longer than
// the usual one.
func (s *spots) near(x, y, z, mm float64) bool {
	k, p := s.cube(x, y, z), mesh.Vec{X: x, Y: y, Z: z}
	for i := range 27 {
		for _, q := range s.in[[3]int32{k[0] + int32(i%3) - 1, k[1] + int32(i/3%3) - 1, k[2] + int32(i/9) - 1}] {
			d := q.Sub(p)
			if d.Len() <= mm && d.Z <= s.slack && -d.Z <= s.slope*math.Hypot(d.X, d.Y)+s.slack {
				return true
			}
		}
	}
	return false
}
