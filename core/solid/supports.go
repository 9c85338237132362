package solid

import (
	"cmp"
	"maps"
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
	PillarMM  float64 // width of the pillar under it
	Raised    bool    // it stands clear of its plate: what faces the plate is held, too
}

// ResinHolding and FilamentHolding are usual figures. Sources: the limit common practice,
// 45–50°; spacing, tips and pillars from memory.
var (
	ResinHolding    = Holding{LimitDeg: OverhangDeg, SpacingMM: 3.5, TipMM: 0.5, PillarMM: 1.1, Raised: true}
	FilamentHolding = Holding{LimitDeg: OverhangDeg, SpacingMM: 5, TipMM: 1.2, PillarMM: 1.8}
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
	g := heldBy(Turned(r.mesh, turn), h)
	if g == nil {
		return Supports{}
	}
	g.out.ContactMM2 = float64(len(g.out.Contacts)) * math.Pi * h.TipMM * h.TipMM / 4
	for _, x := range g.out.Contacts {
		if x.OnPart {
			g.out.OnPart++
		}
	}
	g.out.Out = r.outOfReach(g, turn)
	return g.out
}

// Contacts are the places where a part is held as it stands.
func Contacts(m *mesh.Mesh, h Holding) []Contact {
	if g := heldBy(m, h); g != nil {
		return g.out.Contacts
	}
	return nil
}

// heldBy finds all that holds a part; nil for one that has no room.
func heldBy(m *mesh.Mesh, h Holding) *holding {
	if size := m.Box.Size(); size.Z <= 0 || max(size.X, size.Y) <= 0 {
		return nil
	}
	g := newHolding(columnsOf(m, supportGrid), h)
	g.look()
	g.holdByWalls()
	g.holdIslands(m) // first: what begins there is held by nothing else
	g.holdLeaning()
	return g
}

// PillarMM3 is the material of the pillars that hold a mesh as it stands, straight down to its
// plate or to the part, by half as fine a grid as Supports and without its islands, which
// weigh next to nothing: it is asked of every model that comes.
func PillarMM3(m *mesh.Mesh, h Holding) (mm3 float64) {
	if size := m.Box.Size(); size.Z <= 0 || max(size.X, size.Y) <= 0 {
		return 0
	}
	return h.pillarMM3(columnsOf(m, supportGrid/2))
}

// LaxPillars is what of PillarMM3 is left at each of LaxDeg, as shares of it: more than all of it
// never, however the pillars fall.
func LaxPillars(m *mesh.Mesh, h Holding, usualMM3 float64) (shares [len(LaxDeg)]float64) {
	if usualMM3 <= 0 {
		return shares
	}
	c, most := columnsOf(m, supportGrid/2), 1.0
	for k, deg := range LaxDeg {
		h.LimitDeg = deg
		most = min(most, h.pillarMM3(c)/usualMM3)
		shares[k] = most
	}
	return shares
}

// pillarMM3 weighs the pillars of a part that was cut into columns.
func (h Holding) pillarMM3(c *columns) (mm3 float64) {
	g := newHolding(c, h)
	g.look()
	if len(g.leaning) > mostLeaning { // a heap: the room under it tells
		return g.out.RoomMM3 * math.Pi * h.PillarMM * h.PillarMM / 4 / (h.SpacingMM * h.SpacingMM)
	}
	g.holdByWalls()
	g.holdLeaning()
	for _, x := range g.out.Contacts {
		mm3 += x.LongMM
	}
	return mm3 * math.Pi * h.PillarMM * h.PillarMM / 4
}

// LeastPillarMM3 is what PillarMM3 comes to in the best of a few orientations: those whose faces
// hang over the least room, by quick figures, and as the mesh stands, which is least so far.
func LeastPillarMM3(m *mesh.Mesh, h Holding, least float64) float64 {
	if size := m.Box.Size(); least == 0 || planMM2(m) > heaped*size.X*size.Y {
		return least
	}
	q := newQuick(m, h.LimitDeg)
	var ranked []Orientation
	for _, d := range append(sphere(120), q.flat()...) {
		ranked = append(ranked, q.orientation(d, mesh.Vec{}))
	}
	slices.SortStableFunc(ranked, func(a, b Orientation) int { return cmp.Compare(a.SupportMM3, b.SupportMM3) })
	var tried []mesh.Vec
	for _, o := range ranked {
		if len(tried) == leastTried || least == 0 {
			break
		}
		if slices.ContainsFunc(tried, func(d mesh.Vec) bool { return d.Dot(o.Down) > math.Cos(apartDeg*math.Pi/180) }) {
			continue
		}
		tried = append(tried, o.Down)
		least = min(least, PillarMM3(Turned(m, Turn(o.Down)), h))
	}
	return least
}

// heaped is how many times over its plan the surface of a mesh lies that is a heap of faces and
// not a thing: nobody turns it to save supports.
const heaped = 60

// leastTried is how many orientations are looked at for the least supports.
const leastTried = 4

// mostLeaning is how many places are looked at one by one when pillars are weighed.
const mostLeaning = 60_000

// holding is a part in columns while it is found out how it is held.
type holding struct {
	Holding
	*columns
	slope   float64 // the most that a leaning face rises for each millimetre to the side
	leaning []held
	anchors *spots // what stands by itself
	tips    *spots // what pillars hold
	out     Supports
}

// held is a place that something must hold.
type held struct {
	column  int
	z       float64
	belowMM float64 // how far down the next matter lies, or the plate
	onPart  bool
}

func newHolding(c *columns, h Holding) *holding {
	slope := 1 / math.Tan(h.LimitDeg*math.Pi/180)
	return &holding{Holding: h, columns: c, slope: slope, anchors: newSpots(h.SpacingMM, slope, 2*c.cell), tips: newSpots(h.SpacingMM, slope, 2*c.cell)}
}

// at is the place of a height in a column, from the lower corner of the part.
func (g *holding) at(column int, z float64) mesh.Vec {
	return mesh.Vec{X: (float64(column%g.nx) + 0.5) * g.cell, Y: (float64(column/g.nx) + 0.5) * g.cell, Z: z}
}

// look tells what leans from what stands by itself.
func (g *holding) look() {
	steep := math.Sin(g.LimitDeg * math.Pi / 180)
	for k := range g.hits {
		floor, onPart := 0.0, false
		for _, s := range g.spans(k) {
			gap := s.from.z - floor
			onPlate := !onPart && s.from.z < onPlateMM
			switch {
			case onPlate && !g.Raised, s.from.up > -steep && !onPlate: // it stands by itself
				g.anchors.add(g.at(k, s.from.z))
			case onPart && gap < leastGapMM:
			default:
				g.leaning = append(g.leaning, held{k, s.from.z, gap, onPart})
				g.out.RoomMM3 += gap * g.cell * g.cell
			}
			floor, onPart = s.to.z, true
		}
	}
}

// holdByWalls finds where a leaning face begins at a wall that rises from below: there the
// wall holds it.
func (g *holding) holdByWalls() {
	drop := 1.05 * g.cell * g.slope
	for _, x := range g.leaning {
		col, row := x.column%g.nx, x.column/g.nx
		for _, n := range [4][2]int{{col - 1, row}, {col + 1, row}, {col, row - 1}, {col, row + 1}} {
			beside := n[1]*g.nx + n[0]
			if n[0] >= 0 && n[0] < g.nx && n[1] >= 0 && n[1] < g.ny && g.inside(beside, x.z-drop) && g.inside(beside, x.z+drop/2) {
				g.anchors.add(g.at(x.column, x.z))
				break
			}
		}
	}
}

// hold puts a tip.
func (g *holding) hold(x held, island bool) {
	g.tips.add(g.at(x.column, x.z))
	g.out.Contacts = append(g.out.Contacts, Contact{At: g.middle(x.column, x.z), LongMM: x.belowMM, Island: island, OnPart: x.onPart})
}

// holdIslands holds every region that begins in mid-air.
func (g *holding) holdIslands(m *mesh.Mesh) {
	slicer := NewSlicer(m, max(0.02, m.Box.Size().Z/islandCuts))
	for i, f := range slicer.Figures() {
		loose := f.Loose
		if i == 0 && g.Raised {
			loose = slicer.Layer(0).loose(1, Layer{}) // hung on the plate by pillars alone
		}
		for _, s := range loose {
			x, y := int((s.X-g.low.X)/g.cell), int((s.Y-g.low.Y)/g.cell)
			column := min(g.nx-1, max(0, x)) + g.nx*min(g.ny-1, max(0, y))
			z := s.Z - g.low.Z
			if g.tips.near(g.at(column, z), g.SpacingMM/4) {
				continue
			}
			floor, onPart := 0.0, false
			for _, sp := range g.spans(column) {
				if sp.to.z < z-slicer.layerMM {
					floor, onPart = sp.to.z, true
				}
			}
			g.hold(held{column, z, z - floor, onPart}, true)
		}
	}
}

// holdLeaning holds the faces that lean, from below, wherever nothing near does.
func (g *holding) holdLeaning() {
	slices.SortStableFunc(g.leaning, func(a, b held) int { return cmp.Compare(a.z, b.z) })
	for _, x := range g.leaning {
		if p := g.at(x.column, x.z); !g.tips.near(p, g.SpacingMM) && !g.anchors.near(p, g.SpacingMM) {
			g.hold(x, false)
		}
	}
}

// outOfReach lists the rooms that pillars fill although nobody gets there, the largest
// first.
func (r *Reach) outOfReach(g *holding, turn [9]float64) (out []OutOfReach) {
	if g.out.OnPart == 0 && !slices.ContainsFunc(g.leaning, func(x held) bool { return x.onPart }) {
		return nil
	}
	v := r.v
	gapMM := map[int]float64{} // of the cubes of pillars out of reach
	for _, x := range g.leaning {
		if !x.onPart {
			continue
		}
		for z := x.z - v.cell; z > x.z-x.belowMM; z -= v.cell / 2 {
			if i := v.at(TurnedBack(g.middle(x.column, z), turn)); !v.solid[i] && r.ways[i] != free {
				gapMM[i] = max(gapMM[i], x.belowMM)
			}
		}
	}
	pillars := map[int]int{} // by the cube below their tip
	for _, x := range g.out.Contacts {
		if x.OnPart {
			pillars[v.at(TurnedBack(x.At.Sub(mesh.Vec{Z: 1.5 * v.cell}), turn))]++
		}
	}
	seen := map[int]bool{}
	for _, start := range slices.Sorted(maps.Keys(gapMM)) {
		if seen[start] {
			continue
		}
		if place := r.roomFrom(start, gapMM, pillars, seen); place.RoomMM3 >= leastRoomMM3 {
			out = append(out, place)
		}
	}
	slices.SortStableFunc(out, func(a, b OutOfReach) int { return cmp.Compare(b.RoomMM3, a.RoomMM3) })
	return out
}

// roomFrom follows one room of pillars from one of its cubes to all that hang together.
func (r *Reach) roomFrom(start int, gapMM map[int]float64, pillars map[int]int, seen map[int]bool) OutOfReach {
	v := r.v
	place := OutOfReach{Shut: r.ways[start] == shut}
	var middle mesh.Vec
	seen[start] = true
	list := []int{start}
	for k := 0; k < len(list); k++ {
		i := list[k]
		middle = middle.Add(v.middle(i))
		place.GapMM = max(place.GapMM, gapMM[i])
		place.Pillars += pillars[i]
		v.beside(i, func(n int) {
			if _, room := gapMM[n]; room && !seen[n] {
				seen[n] = true
				list = append(list, n)
			}
		})
	}
	place.RoomMM3 = float64(len(list)) * v.cell * v.cell * v.cell
	place.At = middle.Mul(1 / float64(len(list)))
	return place
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

func (s *spots) cube(p mesh.Vec) [3]int32 {
	return [3]int32{int32(math.Floor(p.X / s.wide)), int32(math.Floor(p.Y / s.wide)), int32(math.Floor(p.Z / s.wide))}
}

func (s *spots) add(p mesh.Vec) {
	k := s.cube(p)
	// Of many in a hair's breadth one is enough.
	if list := s.in[k]; len(list) > 0 && list[len(list)-1].Sub(p).Len() < s.wide/20 {
		return
	}
	s.in[k] = append(s.in[k], p)
}

// near reports whether one that holds a place lies within a distance of it, no longer than
// the usual one.
func (s *spots) near(p mesh.Vec, mm float64) bool {
	k := s.cube(p)
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
