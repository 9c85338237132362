package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"

	"sakuji/core/finish"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// Orientation is a way for a model to stand on its plate, for one process.
type Orientation struct {
	ID      int64
	ModelID int64
	Process string
	Facts   OrientationFacts
	Shape   ModelShape // of it orientation so, at the size of the file
	Taken   bool       // new parts stand so
	At      time.Time
}

// OrientationFacts are what a person chooses by.
type OrientationFacts struct {
	solid.Orientation
	Down     mesh.Vec           `json:"down"` // the file's direction that points at the plate
	Low      mesh.Vec           `json:"low"`  // the lower corner of its box as it stands
	AsFile   bool               `json:"as_file,omitempty"`
	Tips     int                `json:"tips"` // of supports
	Islands  int                `json:"islands"`
	TipsMM2  float64            `json:"tips_mm2"`
	Flat     *FlatOrientation   `json:"flat,omitempty"` // straight on the plate instead, where it has a foot to stand on
	Loose    int                `json:"loose"`          // bodies that nothing but supports joins to the rest
	OnPart   int                `json:"on_part"`        // tips whose pillar stands on the part
	Out      []solid.OutOfReach `json:"out"`            // where nobody takes supports out; places as the file stands
	Contacts []mesh.Vec         `json:"contacts"`
	Cups     []solid.Cup        `json:"cups"`
	Wishes   solid.Wishes       `json:"wishes"`

	SupportDeg float64 `json:"support_deg,omitempty"` // the limit by which it was looked at; 0: the usual
}

// FlatOrientation is a resin part set straight on its plate: next to no supports outside, but
// it comes off by force, and what its foot encloses is a cup. Source: common practice.
type FlatOrientation struct {
	Tips    int     `json:"tips"`
	FootMM2 float64 `json:"foot_mm2"`
	CupsMM3 float64 `json:"cups_mm3"`
}

// leastFoot is how much of its shadow a foot must be to stand on. Source: from memory.
const leastFoot = 0.25

// keptContacts is how many contacts of an orientation are kept to be shown.
const keptContacts = 600

// PrintHeightMM is how high the model stands on its plate, at the size of the file.
func (m Model) PrintHeightMM() float64 {
	if m.AsFile != nil {
		return m.Shape.Profile.HeightMM
	}
	return m.Measures.SizeMM[2]
}

// Oriented is the model as it stands on its plate.
func (m Model) Oriented(s Orientation) Model {
	if s.ID == 0 {
		return m
	}
	file := m.Shape
	m.Shape, m.AsFile, m.Tips = s.Shape, &file, s.Facts.Tips
	m.Shape.Detail, m.Shape.Faces, m.Shape.BentMM, m.Shape.Cuts = file.Detail, file.Faces, file.BentMM, file.Cuts // they do not mind how it stands
	return m
}

// PegCount is how many of a plug or dowel one copy of the part wants.
func PegCount(m Model) int {
	if m.How == Peg && len(m.Did) > 0 {
		return max(1, m.Did[0].Count)
	}
	return 1
}

// ShapeOf is a version's shape when it stands so.
func (s Orientation) ShapeOf(soup *mesh.Soup) ModelShape {
	turned := solid.Turned(solid.Whole(soup.Weld()), s.Facts.Matrix)
	out := shapeOf(turned)
	out.hold(turned, s.Process)
	return out
}

// triedDirections is how many orientations are looked at first.
const triedDirections = 500

// Orienting is all that a search for orientations goes by.
type Orienting struct {
	Process    string
	Wishes     solid.Wishes
	Figures    rates.Set  // of the machine whose hours count
	SupportDeg float64    // from the vertical, beyond which a face is held; 0: the usual
	RoomMM     [3]float64 // that it should lie in, at the size of the file; 0 where that does not matter
}

// Orienting is a search for a process by the studio's first machine of it as a profile has it, for
// the room of its largest.
func (h Shop) Orienting(processName string, w solid.Wishes, by PrintProfile) Orienting {
	by = by.Of(processName)
	first := Machine{Process: processName, Figures: h.figuresFor(processName)}
	o := Orienting{Process: processName, Wishes: w, Figures: first.For(Material{}, by).Figures, SupportDeg: h.supportDeg(by)}
	for _, m := range h.Machines {
		if room := m.Usable(); m.Active && m.Process == processName && room[0]*room[1]*room[2] > o.RoomMM[0]*o.RoomMM[1]*o.RoomMM[2] {
			o.RoomMM = room
		}
	}
	return o
}

// Seeking is what orientations are sought by.
func (o Orienting) Seeking() solid.Seeking {
	return solid.Seeking{Wishes: o.Wishes, Holding: o.holding(), RoomMM: o.RoomMM, Minutes: o.runMinutes()}
}

// holding says how the part is held.
func (o Orienting) holding() solid.Holding {
	h := process.Of(o.Process).Holding
	h.LimitDeg = max(h.LimitDeg, o.SupportDeg)
	return h
}

// Find looks for good orientations, as the file stands among them, the best first. told is
// called with the share done before each step and may stop it.
func (o Orienting) Find(s *mesh.Soup, told func(float64, string) error) ([]Orientation, error) {
	m := solid.Whole(s.Weld())
	w, by := o.Wishes, o.Seeking()
	if err := told(0.2, "trying directions"); err != nil {
		return nil, err
	}
	found := solid.Orient(m, triedDirections, by)
	as := solid.Stand(m, mesh.Vec{Z: -1}, by)
	same := slices.IndexFunc(found, func(f solid.Orientation) bool { return f.Down.Dot(as.Down) > math.Cos(math.Pi/180) })
	if same < 0 {
		same, found = len(found), append(found, as)
	} else {
		found[same] = as // exactly as it stands, not nearly
	}
	if err := told(0.3, "where a hand gets to"); err != nil {
		return nil, err
	}
	reach := solid.NewReach(m)
	bodies, each := mesh.Bodies(s)
	out := make([]Orientation, len(found))
	for i, f := range found {
		if err := told(0.4+0.55*float64(i)/float64(len(found)), fmt.Sprintf("holding it, way %d of %d", i+1, len(found))); err != nil {
			return nil, err
		}
		f.SeenMM2 = solid.SeenScars(m, f.Down, w.Seen, by.Holding.LimitDeg)
		out[i] = o.oriented(m, reach, f)
		facts := &out[i].Facts
		facts.AsFile, facts.Wishes, facts.SupportDeg, facts.Loose = i == same, w, by.Holding.LimitDeg, hovering(bodies, each, f.Matrix)
	}
	list := make([]solid.Orientation, len(out))
	for i := range out {
		list[i] = out[i].Facts.Orientation
	}
	w.Score(list)
	for i := range out {
		out[i].Facts.Score = list[i].Score
	}
	slices.SortStableFunc(out, func(a, b Orientation) int {
		if a.Facts.Fits != b.Facts.Fits {
			return map[bool]int{true: -1, false: 1}[a.Facts.Fits]
		}
		return cmp.Compare(b.Facts.Score, a.Facts.Score)
	})
	return out, nil
}

// oriented looks at a part as it stands in one orientation.
func (o Orienting) oriented(m *mesh.Mesh, reach *solid.Reach, f solid.Orientation) Orientation {
	turned := solid.Turned(m, f.Matrix)
	out := Orientation{Process: o.Process, Shape: shapeOf(turned)}
	usual, sup := f.SupportMM3, reach.Supports(f.Matrix, o.holding())
	if o.SupportDeg > solid.OverhangDeg {
		usual = solid.PillarMM3(turned, process.Of(o.Process).Holding)
	}
	out.Shape.PillarMM3 = map[string]float64{o.Process: usual} // what the sheet says is what the price takes
	out.Shape.LaxPillars = map[string][len(solid.LaxDeg)]float64{o.Process: solid.LaxPillars(turned, process.Of(o.Process).Holding, usual)}
	facts := OrientationFacts{Orientation: f, Down: f.Down, Low: turned.Box.Min, Tips: len(sup.Contacts), TipsMM2: sup.ContactMM2, OnPart: sup.OnPart, Out: sup.Out}
	for k, c := range sup.Contacts {
		if c.Island {
			facts.Islands++
		}
		if k < keptContacts {
			facts.Contacts = append(facts.Contacts, solid.TurnedBack(c.At, f.Matrix))
		}
	}
	kind := process.Of(o.Process)
	if kind.Wet {
		facts.drained(turned, f.Matrix)
		if over := out.Shape.Overhang; over.FootprintMM2 >= leastFoot*over.ShadowMM2 {
			facts.Flat = flatOf(turned, reach, f.Matrix, over.FootprintMM2)
		}
	}
	if kind.LayersPart {
		facts.Weakness = solid.LayerWeakness(turned)
	}
	out.Facts = facts
	return out
}

// drained notes the cups that hold resin as the part comes up from the vat.
func (o *OrientationFacts) drained(turned *mesh.Mesh, turn [9]float64) {
	for _, c := range solid.Cups(turned, false) {
		p := solid.TurnedBack(mesh.Vec{X: c.At.X, Y: c.At.Y, Z: c.At.Z}, turn)
		c.At = solid.Spot{X: p.X, Y: p.Y, Z: p.Z}
		o.Cups = append(o.Cups, c)
		o.DrainMM3 += c.VolumeMM3
	}
}

// flatOf is what changes where the part stands straight on its plate.
func flatOf(turned *mesh.Mesh, reach *solid.Reach, turn [9]float64, footMM2 float64) *FlatOrientation {
	holding := process.Of(process.Resin).Holding
	holding.Raised = false
	flat := &FlatOrientation{Tips: len(reach.Supports(turn, holding).Contacts), FootMM2: footMM2}
	for _, c := range solid.Cups(turned, true) {
		flat.CupsMM3 += c.VolumeMM3
	}
	return flat
}

// hovering counts the bodies that do not reach the plate as the part stands so: nothing
// but supports holds them, and they fall out when those come off. Bodies whose boxes meet
// are taken to hold each other.
func hovering(m *mesh.Mesh, bodies []mesh.Body, turn [9]float64) (n int) {
	const reachMM = 0.2
	if len(bodies) < 2 {
		return 0
	}
	low := math.Inf(1)
	lows := make([]float64, len(bodies))
	for i, b := range bodies {
		lows[i] = math.Inf(1)
		for _, t := range b.Triangles {
			for _, v := range m.Triangles[t] {
				lows[i] = min(lows[i], solid.TurnedVec(m.Vertices[v], turn).Z)
			}
		}
		low = min(low, lows[i])
	}
	stands := make([]bool, len(bodies))
	for i, z := range lows {
		stands[i] = z <= low+reachMM
	}
	for again := true; again; { // who stands holds those it meets, and so on
		again = false
		for i := range bodies {
			for k := range bodies {
				if stands[i] && !stands[k] && bodies[i].Box.Meets(bodies[k].Box) {
					stands[k], again = true, true
				}
			}
		}
	}
	for _, s := range stands {
		if !s {
			n++
		}
	}
	return n
}

// StripMinutes is what taking the supports of an orientation off takes, of a copy at a scale.
func (h Shop) StripMinutes(s Orientation, scale float64) float64 {
	part := finish.Part{Process: s.Process, Tier: "raw", OverhangMM2: s.Facts.ContactMM2 * scale * scale, Tips: float64(s.Facts.Tips) * scale * scale}
	for _, w := range finish.Plan(h.Book, part) {
		if w.Kind == "strip" {
			return w.Minutes
		}
	}
	return 0
}

// figuresFor are those of the studio’s first machine of a process.
func (h Shop) figuresFor(processName string) (figures rates.Set) {
	for _, m := range h.Machines {
		if m.Process == processName && m.Active {
			return m.Figures
		}
	}
	for _, k := range rates.Starting().Machines {
		if k.Process == processName {
			return k.Figures
		}
	}
	return nil
}

// runMinutes is the run time on the machine.
func (o Orienting) runMinutes() func(p solid.Profile, supportMM3 float64) float64 {
	kind := process.Of(o.Process)
	return func(p solid.Profile, supportMM3 float64) float64 {
		return kind.Print(process.Job{Shape: process.Shape{HeightMM: p.HeightMM, Profile: p, SupportMM3: supportMM3, Held: true},
			Machine: o.Figures, Material: noMaterial}).Minutes
	}
}

// noMaterial stands in where only time counts.
var noMaterial = rates.Set{"density": {}}

// Choice is one machine for a part, with what it would take.
type Choice struct {
	Machine  Machine
	Material Material
	Fits     bool
	Why      string // it does not
	Pieces   int    // into how many it must be cut to fit; 1 when it fits, 0 when that does not help
	Hours    float64
	Grams    float64
	HandsMin float64 // of all stages at the tier
	Smooth   float64 // of them, minutes of sanding, filling and priming
	Odds     float64 // of a failed run
	Cost     Money
	Days     float64 // run, hands at eight hours a day, and waits
	Stations []string
}

// Station is a place every print passes, with its room.
type Station struct {
	Name string
	Key  string
	Wet  bool // resin only
}

// Stations are those whose room the rate book tells.
func Stations() []Station {
	return []Station{{route.WashingTank, "wash", true}, {route.CureStation, "cure", true}, {route.SprayBooth, "booth", false}}
}

// Fits says how a piece passes the station of a stage that it is too big for; empty: it fits.
func (h Shop) Fits(kind route.StageKind, m Model, p Piece) string {
	station := kind.Traits().Station
	size := m.Measures.SizeMM
	for k := range size {
		size[k] *= p.Scale
	}
	if station == "" || !OneOf(station, h.tooSmall(size, p.Process, route.Painted)...) {
		return ""
	}
	if station == route.SprayBooth {
		return "It is too big for the spray booth: outside, in dry and calm weather, or with the booth’s sides off."
	}
	return "It is too big for the " + station + ": in two turns, turned end for end."
}

// tooSmall says at which stations a box does not fit, in plain words.
func (h Shop) tooSmall(size [3]float64, processName, tier string) (out []string) {
	box := slices.Sorted(slices.Values(size[:]))
	for _, s := range Stations() {
		if s.Wet && !process.Of(processName).Wet || !s.Wet && !route.Smoothed(tier) {
			continue
		}
		room := []float64{h.Book.V(rates.K("station", s.Key, "width")), h.Book.V(rates.K("station", s.Key, "depth")),
			h.Book.V(rates.K("station", s.Key, "height"))}
		slices.Sort(room)
		if room[0] > 0 && (box[0] > room[0] || box[1] > room[1] || box[2] > room[2]) {
			out = append(out, s.Name)
		}
	}
	return out
}

// Choose compares every machine of the studio for a part at an item's scale and tier, the
// one to take first, and says why in a sentence.
func (h Shop) Choose(p Part, it Item, stood func(processName string) Model) (list []Choice, why string) {
	for _, m := range h.Machines {
		if !m.Active {
			continue
		}
		material, ok := h.Material(p.MaterialID, m.Process)
		if !ok {
			continue
		}
		part, one := p, it
		part.Process, part.MaterialID, part.Model = m.Process, material.ID, stood(m.Process)
		if m.Process != p.Process {
			part.Profile = PrintProfile{}
		}
		if !process.Of(m.Process).Hollow {
			part.WallMM = 0
		}
		one.Copies, part.Copies = 1, 1
		c := Choice{Machine: m, Material: material, Pieces: 1}
		reason := m.Fits(part.Model, it.Scale)
		c.Fits, c.Why = reason == "", reason
		if !c.Fits {
			c.Pieces = piecesToFit(m, part.Model, it.Scale)
		}
		q := h.costOf(part, one, m, material, nil)
		pr := h.PrintOf(part.CopyAt(it.Scale), m, material)
		c.Hours, c.Grams = pr.Minutes/60, pr.Grams
		wait := 0.0
		for _, w := range q.Work {
			c.HandsMin += w.Minutes
			wait += float64(w.WaitS) / 3600
			if OneOf(string(w.Kind), "sand", "fill", "prime") {
				c.Smooth += w.Minutes
			}
		}
		c.Odds = process.FailureChance(q.FailurePerHour.Value, pr.Minutes)
		c.Cost = h.Studio.Money(quote.Build(h.Book, []quote.Job{{Parts: []quote.Part{q}, Copies: 1}}, Digits(h.Studio.Currency))[0].CostMinor)
		c.Days = c.Hours/24 + c.HandsMin/60/8 + wait/24
		size := part.Model.Measures.SizeMM
		for k := range size {
			size[k] *= it.Scale
		}
		c.Stations = h.tooSmall(size, m.Process, it.Tier)
		list = append(list, c)
	}
	slices.SortStableFunc(list, func(a, b Choice) int {
		return cmp.Or(cmp.Compare(a.trouble(), b.trouble()), cmp.Compare(a.Cost.Minor, b.Cost.Minor))
	})
	return list, recommend(list)
}

// trouble counts what stands against a choice before its price does.
func (c Choice) trouble() int {
	n := len(c.Stations)
	switch {
	case c.Pieces == 0:
		n += 100
	case !c.Fits:
		n += 10 * c.Pieces
	}
	return n
}

// recommend says which to take, why, and what comes next.
func recommend(list []Choice) string {
	if len(list) == 0 {
		return "There is no machine in the studio."
	}
	best := list[0]
	if best.Pieces == 0 {
		return "No machine of the studio takes it, in one or cut: make it smaller."
	}
	s := "Take " + best.Machine.Name + ", in " + best.Machine.Process
	if !best.Fits {
		s += fmt.Sprintf(", cut into %d", best.Pieces)
	}
	if len(list) == 1 {
		return s + ": it is the only machine."
	}
	next := list[1]
	var reasons []string
	switch {
	case next.Pieces == 0 || best.Fits && !next.Fits:
		reasons = append(reasons, "it fits there in one")
	case len(best.Stations) < len(next.Stations):
		reasons = append(reasons, "it fits every station")
	}
	if d := next.Cost.Minor - best.Cost.Minor; d > 0 {
		reasons = append(reasons, fmt.Sprintf("it costs %s less", Money{d, best.Cost.Currency}))
	}
	if d := next.HandsMin - best.HandsMin; d > 1 {
		reasons = append(reasons, "it saves "+HandsText(d)+" of hands")
	}
	if len(reasons) == 0 {
		reasons = append(reasons, "nothing speaks for another")
	}
	s += ": " + joinAnd(reasons) + ". Next best is " + next.Machine.Name
	switch {
	case next.Hours < best.Hours-0.1:
		s += fmt.Sprintf(", %s sooner off the machine", Hours(60*(best.Hours-next.Hours)))
	case next.Cost.Minor > best.Cost.Minor:
		s += fmt.Sprintf(" at %s", next.Cost)
	}
	return s + "."
}

// piecesToFit is into how many pieces a model must be cut across one axis so that each
// lies on the bed some way round; 0 when that does not help.
func piecesToFit(m Machine, model Model, scale float64) int {
	bed := m.Usable()
	room := slices.Sorted(slices.Values(bed[:]))
	for n := 2; n <= process.MostParts; n++ {
		for axis := range 3 {
			size := model.Measures.SizeMM
			for k := range size {
				size[k] *= scale
			}
			size[axis] *= pieceSlack / float64(n)
			box := slices.Sorted(slices.Values(size[:]))
			if box[0] <= room[0] && box[1] <= room[1] && box[2] <= room[2] {
				return n
			}
		}
	}
	return 0
}

// pieceSlack is how much longer than an equal share the longest piece of a cut may be.
const pieceSlack = 1.15

// Usable is the room in which a part may lie on a machine: margins, raft and stand off.
func (m Machine) Usable() [3]float64 {
	b := m.Bed()
	return [3]float64{b.WidthMM - 2*b.MarginMM, b.DepthMM - 2*b.MarginMM, b.HeightMM - m.LiftMM()}
}

// Splitting is what cutting a part's print depends on, on a machine.
func (h Shop) Splitting(m Machine, part quote.Part, seamMM float64) process.Splitting {
	material := 0.0
	if part.RunMinutes > 0 {
		material = part.MaterialGrams / 1000 * part.PricePerKG.Value / part.RunMinutes
	}
	return process.Splitting{
		Minutes: part.RunMinutes, FailurePerHour: part.FailurePerHour.Value, NoticedHours: part.Noticed.Value, MaterialPerMin: material,
		SetUpMinutes:   h.ChangeMin(),
		SeamMinutes:    h.Book.V("seam.piece") + pegsOfCut*h.Book.V("seam.pegs") + h.Book.V("seam.length")*seamMM/100,
		MachinePerHour: part.MachinePerHour + part.OccupiedPerHr.Value, HandsPerHour: h.Book.V("wage"),
	}
}
