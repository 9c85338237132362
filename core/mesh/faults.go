package mesh

import (
	"cmp"
	"fmt"
	"slices"
)

// Kinds of fault, worst first: the order in which they are told.
const (
	FaultSheet       = "sheet"       // a surface without thickness
	FaultHole        = "hole"        // a rim
	FaultNonManifold = "nonmanifold" // an edge of more than two triangles
	FaultTouching    = "touching"    // bodies that meet along an edge
	FaultFlipped     = "flipped"     // facets that face opposite ways
	FaultInverted    = "inverted"    // a shell inside out
	FaultDoubled     = "doubled"     // facets that lie on each other
	FaultBuried      = "buried"      // a body inside another
	FaultOverlap     = "overlap"     // shells that share matter
	FaultSelf        = "selfoverlap" // a shell that crosses itself
	FaultBodies      = "bodies"      // pieces that nothing holds together
	FaultSpeck       = "speck"       // loose dirt
	FaultDegenerate  = "degenerate"  // triangles without area
)

// Fault is one kind of trouble with a model: how often, what it would do to the
// print, and where.
type Fault struct {
	Kind      string  `json:"kind"`
	Count     int     `json:"count"`
	SizeMM    float64 `json:"size_mm"`              // the largest: a rim's length, a body's diagonal
	VolumeMM3 float64 `json:"volume_mm3,omitempty"` // of an overlap: what counts twice
	Hands     bool    `json:"hands"`                // mending does not settle it: a person must
	Spots     []Spot  `json:"spots"`                // the largest first, at most maxSpots
}

// Spot is a place in the model to look at.
type Spot struct {
	At     Vec     `json:"at"`
	SizeMM float64 `json:"size_mm"`
}

const maxSpots = 40

// largerSpot orders spots by size; those of one size by place, so that the same file
// always gives the same list.
func largerSpot(a, b Spot) int {
	return cmp.Or(cmp.Compare(b.SizeMM, a.SizeMM), cmp.Compare(a.At.X, b.At.X), cmp.Compare(a.At.Y, b.At.Y), cmp.Compare(a.At.Z, b.At.Z))
}

// Diagnosis is what is wrong with a model beyond its measures.
type Diagnosis struct {
	Measures Measures
	Bodies   []Body
	Faults   []Fault
	Overlap  Overlap
	Mesh     *Mesh
}

// Diagnose measures a soup and finds the places of its faults.
func Diagnose(s *Soup) Diagnosis {
	m := s.Weld()
	shells, of := m.Shells()
	d := Diagnosis{Mesh: m, Measures: m.measure(shells, of)}
	d.Measures.Format, d.Measures.Triangles = s.Format, s.Len()
	var named bool
	if d.Bodies, named = m.namedBodies(s); !named {
		d.Bodies = m.bodies(shells, of)
	}
	d.Overlap = m.solid(shells, of)
	d.Faults = m.faults(shells, of, d.Bodies, d.loose(shells, of, named), d.Overlap)
	return d
}

// loose tells which bodies nothing holds to the largest: those that share no matter
// with it, nor with one that does. A file's own names are taken at their word.
func (d Diagnosis) loose(shells []Shell, of []int32, named bool) []bool {
	out := make([]bool, len(d.Bodies))
	if named {
		return out
	}
	held, owner := newSets(len(shells)), owners(shells)
	for p := range d.Overlap.pairs {
		held.join(int32(owner[p[0]]), int32(owner[p[1]]))
	}
	for k, b := range d.Bodies {
		if !b.Closed && b.Box.Meets(d.Bodies[0].Box) { // without an inside nobody can tell; its holes are told first
			continue
		}
		out[k] = held.root(int32(owner[of[d.Bodies[k].Triangles[0]]])) != held.root(int32(owner[of[d.Bodies[0].Triangles[0]]]))
	}
	return out
}

// noted collects faults by kind.
type noted map[string]*Fault

func (n noted) add(kind string, hands bool, at Vec, size float64) {
	f := n[kind]
	if f == nil {
		f = &Fault{Kind: kind}
		n[kind] = f
	}
	f.Count++
	f.Hands = f.Hands || hands
	f.SizeMM = max(f.SizeMM, size)
	f.Spots = append(f.Spots, Spot{at, size})
}

// box notes a fault of a whole body, as large as its box.
func (n noted) box(kind string, hands bool, b Box) { n.add(kind, hands, b.Centre(), b.Diagonal()) }

func (m *Mesh) faults(shells []Shell, of []int32, bodies []Body, loose []bool, overlap Overlap) []Fault {
	found := noted{}
	m.edgeFaults(found, shells, of)
	for _, s := range shells {
		switch {
		case s.Inverted():
			found.box(FaultInverted, false, s.Box)
		case s.Buried() && !s.flat():
			found.box(FaultBuried, false, s.Box)
		}
	}
	specks := m.specks(bodies)
	for k, b := range bodies {
		switch {
		case specks[k]:
			found.box(FaultSpeck, false, b.Box)
		case loose[k]:
			found.box(FaultBodies, true, b.Box)
		}
	}
	for p := range overlap.pairs {
		found.box(FaultOverlap, false, shells[p[0]].Box.Common(shells[p[1]].Box))
	}
	for s := range overlap.selves {
		found.box(FaultSelf, false, shells[s].Box)
	}
	for _, kind := range []string{FaultOverlap, FaultSelf} {
		if f := found[kind]; f != nil {
			f.VolumeMM3 = overlap.Overlapped
		}
	}
	var out []Fault
	for _, kind := range []string{FaultSheet, FaultHole, FaultNonManifold, FaultTouching, FaultFlipped, FaultInverted, FaultDoubled, FaultBuried, FaultOverlap, FaultSelf, FaultBodies, FaultSpeck} {
		if f := found[kind]; f != nil {
			slices.SortFunc(f.Spots, largerSpot)
			f.Spots = f.Spots[:min(len(f.Spots), maxSpots)]
			out = append(out, *f)
		}
	}
	if m.Degenerate > 0 {
		out = append(out, Fault{Kind: FaultDegenerate, Count: m.Degenerate})
	}
	return out
}

// edgeFaults notes what is wrong where triangles meet: holes, edges of more than two, facets
// that face opposite ways, and doubled ones.
func (m *Mesh) edgeFaults(found noted, shells []Shell, of []int32) {
	e := m.edges()
	flat := m.sheets(shells, of)
	for _, h := range m.holes(e) {
		kind := FaultHole
		if m.ofSheets(e, h, flat, of) {
			kind = FaultSheet
		}
		found.add(kind, kind == FaultSheet || !m.fillable(h), h.At, h.LengthMM)
	}
	e.of(0, len(m.Vertices), func(low, high int32, same []halfEdge) {
		a, b := m.Vertices[low], m.Vertices[high]
		switch {
		case len(same) > 2 && e.pair(low, high, same, func(halfEdge, halfEdge) {}):
			found.add(FaultTouching, true, a.Add(b).Mul(0.5), b.Sub(a).Len())
		case len(same) > 2:
			found.add(FaultNonManifold, true, a.Add(b).Mul(0.5), b.Sub(a).Len())
		case len(same) == 2 && same[0].forward() == same[1].forward():
			found.add(FaultFlipped, false, a.Add(b).Mul(0.5), b.Sub(a).Len())
		}
	})
	m.doubled(e, func(same []int32) {
		t := m.Triangles[same[0]]
		for range same[1:] {
			found.add(FaultDoubled, false, m.middle(t), m.Vertices[t[1]].Sub(m.Vertices[t[0]]).Len())
		}
	})
}

// ofSheets reports a rim that runs along flat open shells only: the rim of a sheet and
// not of a hole.
func (m *Mesh) ofSheets(e *edges, h Hole, flat []bool, of []int32) bool {
	for k, v := range h.Rim {
		if !flat[of[m.triangleAt(e, v, h.Rim[(k+1)%len(h.Rim)])]] {
			return false
		}
	}
	return len(h.Rim) > 0
}

// triangleAt returns a triangle beside an edge.
func (m *Mesh) triangleAt(e *edges, u, v int32) int32 {
	low, high := min(u, v), max(u, v)
	for _, h := range e.half[e.start[low]:e.start[low+1]] {
		if h.high == high {
			return h.triangle()
		}
	}
	return 0
}

// sheets tells which shells are open and lie in one plane: surfaces without
// thickness, which no filling can turn into a body.
func (m *Mesh) sheets(shells []Shell, of []int32) []bool {
	flat := make([]bool, len(shells))
	some := false
	normals, anchors := make([]Vec, len(shells)), make([]Vec, len(shells))
	for i, s := range shells {
		flat[i] = s.OpenEdges > 0
		some = some || flat[i]
	}
	if !some {
		return flat
	}
	for t, s := range of {
		if n := m.normal(m.Triangles[t]); flat[s] && n.Len() > normals[s].Len() {
			normals[s], anchors[s] = n, m.Vertices[m.Triangles[t][0]]
		}
	}
	for t, s := range of {
		if !flat[s] {
			continue
		}
		n := normals[s].Mul(1 / normals[s].Len())
		for _, v := range m.Triangles[t] {
			if abs(m.Vertices[v].Sub(anchors[s]).Dot(n)) > 1e-3*shells[s].Box.Diagonal() {
				flat[s] = false
				break
			}
		}
	}
	return flat
}

// specks tells which bodies are dirt: tiny, and not touching the box of anything
// larger. What lies on or in a larger body may be detail that belongs there.
func (m *Mesh) specks(bodies []Body) []bool {
	out := make([]bool, len(bodies))
	var big []Box
	for _, b := range bodies {
		if !b.Speck(m.Box) {
			big = append(big, b.Box)
		}
	}
	if len(big) == 0 { // many small things far apart: a kit, not dirt
		return out
	}
	for k, b := range bodies {
		out[k] = b.Speck(m.Box) && !slices.ContainsFunc(big, func(c Box) bool { return c.Meets(b.Box) })
	}
	return out
}

// Name is the fault in a word or two, for lists.
func (f Fault) Name() string {
	n := map[string][2]string{
		FaultSheet: {"sheet without thickness", "sheets without thickness"}, FaultHole: {"hole", "holes"}, FaultNonManifold: {"edge of more than two faces", "edges of more than two faces"}, FaultTouching: {"edge along which bodies touch", "edges along which bodies touch"},
		FaultFlipped: {"edge between flipped facets", "edges between flipped facets"}, FaultInverted: {"shell inside out", "shells inside out"}, FaultDoubled: {"doubled facet", "doubled facets"},
		FaultBuried: {"buried body", "buried bodies"}, FaultOverlap: {"overlap", "overlaps"}, FaultSelf: {"body that crosses itself", "bodies that cross themselves"}, FaultBodies: {"loose piece", "loose pieces"}, FaultSpeck: {"speck", "specks"}, FaultDegenerate: {"flat triangle", "flat triangles"},
	}[f.Kind]
	if f.Count == 1 {
		return n[0]
	}
	return n[1]
}

// Text says in plain words what the fault would do to the print and who settles it.
func (f Fault) Text() string {
	n := func(one, many string) string {
		if f.Count == 1 {
			return "One " + one
		}
		return fmt.Sprintf("%d %s", f.Count, many)
	}
	switch f.Kind {
	case FaultSheet:
		return n("surface has", "surfaces have") + " no thickness: nothing is printed there until somebody gives it a wall."
	case FaultHole:
		end := " Mending closes those that lie about in a plane."
		if f.Count == 1 {
			end = " Mending closes it."
		}
		if f.Hands && f.Count == 1 {
			end = " It does not lie in a plane: a person must say what belongs there."
		} else if f.Hands {
			end += " Those that do not want hands."
		}
		which := ", the largest with a rim"
		if f.Count == 1 {
			which = " with a rim"
		}
		return n("hole", "holes") + which + fmt.Sprintf(" of %.3g mm: what is inside and what outside is a guess, layers may come out empty or filled.", f.SizeMM) + end
	case FaultNonManifold:
		return n("edge joins", "edges join") + " more than two faces, and which go together cannot be told: what is inside and what outside is a guess there."
	case FaultTouching:
		return n("edge is", "edges are") + " all that bodies touch along: they are measured, hollowed and printed as they are, and part there. To hold, they want a little overlap."
	case FaultFlipped:
		return n("edge lies", "edges lie") + " between facets that face opposite ways: walls vanish or fill in there. Mending turns them."
	case FaultInverted:
		return n("shell is", "shells are") + " inside out: solid becomes hollow. Mending turns it the right way."
	case FaultDoubled:
		return n("facet lies", "facets lie") + " on another of the same corners: the wall between is counted twice or not at all. Mending takes the double away."
	case FaultBuried:
		return n("body lies", "bodies lie") + " wholly inside another: it adds nothing and can leave a seam of loose lines inside. Mending takes it out."
	case FaultOverlap:
		return n("pair of bodies overlaps", "pairs of bodies overlap") + fmt.Sprintf(": they print as one, which is well; %.3g cm³ that they share count once in the solid volume and twice in the quick one.", f.VolumeMM3/1000)
	case FaultSelf:
		return n("body crosses itself", "bodies cross themselves") + fmt.Sprintf(": it prints as one, which is well; the quick volume counts %.3g cm³ twice.", f.VolumeMM3/1000)
	case FaultBodies:
		if f.Count == 1 {
			return "One piece is not attached to anything: it comes off the plate by itself. Make it a part of its own, or join it by an overlap."
		}
		return fmt.Sprintf("%d pieces are not attached to the largest: they come off the plate by themselves. Make each a part of its own, or join them by an overlap.", f.Count)
	case FaultSpeck:
		return n("loose speck", "loose specks") + fmt.Sprintf(", up to %.2g mm across: it prints as a crumb that floats in the vat. Mending drops it.", f.SizeMM)
	case FaultDegenerate:
		return n("triangle has", "triangles have") + " no area: harmless, left out of all figures. Mending drops it."
	}
	return f.Kind
}
