package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

// How a version of a model came about.
const (
	Sent    = "sent"
	Revised = "revised" // the client sent it again, changed
	Mended  = "mended"
	Reduced = "reduced"
	Unit    = "unit" // taken in another unit
	Body    = "body" // one body of several
	Hollow  = "hollowed"
	Cut     = "cut" // one piece of several
	Peg     = "peg" // a plug of a drain, or a dowel of a cut
)

// Model is a mesh file as received or as made of one, with what was measured of it.
// Once saved it never changes.
type Model struct {
	ID       int64
	SHA      string
	Name     string
	DesignID int64
	FromID   int64 // the version it was made of, or that it takes the place of
	How      string
	Did      []mesh.Done
	Batch    string // of the job that made it
	Measures mesh.Measures
	Shape    ModelShape
	AsFile   *ModelShape `json:"-"` // as the file stands, where Shape is how it is printed
	Tips     int         `json:"-"` // that hold it so, at the size of the file; 0: not known
	At       time.Time
}

// UnitGuess is what unit a file without one was probably drawn in.
func (m Model) UnitGuess() (mesh.UnitGuess, bool) {
	if m.Measures.Format == "3mf" || m.How == Unit {
		return mesh.UnitGuess{}, false
	}
	return mesh.GuessUnit(m.Measures.SizeMM)
}

// UnitName writes a unit out.
func UnitName(unit string) string {
	return map[string]string{"mm": "millimetres", "cm": "centimetres", "m": "metres", "in": "inches", "ft": "feet", "micron": "microns"}[unit]
}

// HowText says how the version came about, as one maker to another.
func (m Model) HowText() string {
	return map[string]string{Sent: "as it came", Revised: "a revised file", Mended: "mended", Reduced: "reduced", Unit: "taken in another unit", Body: "one body", Hollow: "hollowed", Cut: "one piece of a cut", Peg: "a peg"}[m.How]
}

// Analysis is what takes longer than measuring.
type Analysis struct {
	Overlap mesh.Overlap    `json:"overlap"`
	Walls   mesh.Walls      `json:"walls"`
	Bodies  []AnalysisBody  `json:"bodies"` // the largest first
	Faults  []mesh.Fault    `json:"faults"` // worst first
	HullMM3 float64         `json:"hull_mm3"`
	Fragile []solid.Fragile `json:"fragile"`            // the weakest sections, the worst first
	WallsOf int             `json:"walls_of,omitempty"` // the walls are those of a mesh reduced to so many triangles

	StillSHA string `json:"-"` // a picture
	ViewSHA  string `json:"-"` // a mesh that a browser can turn
}

// AnalysisBody is a body of a model.
type AnalysisBody struct {
	Name      string     `json:"name"`
	SizeMM    [3]float64 `json:"size_mm"`
	VolumeMM3 float64    `json:"volume_mm3"`
	At        mesh.Vec   `json:"at"`
	Closed    bool       `json:"closed"`
}

// Called is the body's name, or its number.
func (b AnalysisBody) Called(i int) string {
	if b.Name != "" {
		return b.Name
	}
	return fmt.Sprintf("body %d", i+1)
}

// MaxBodies is how many bodies of a model are told apart.
const MaxBodies = 200

// ViewTriangles is the most a browser is given to turn. A larger model is reduced to
// so many for it, and its walls are measured on that.
const ViewTriangles = 200_000

// View is the mesh that the part sheet turns: the model's own, or a reduced one.
type View struct {
	Mesh   *mesh.Mesh
	BodyOf []int32 // the body of each triangle
	WallMM []float64
	KindOf []solid.FaceKind // who sees each
}

// AnalyseModel works out an analysis. told is called with the share done before each step
// and may stop it by an error.
// Cuts are the planes along which it was cut from a larger model.
func AnalyseModel(s *mesh.Soup, cuts []solid.Plane, told func(share float64, doing string) error) (out Analysis, v View, err error) {
	if err = told(0.05, "faults and bodies"); err != nil {
		return
	}
	d := mesh.Diagnose(s)
	out.Overlap, out.Faults = d.Overlap, d.Faults
	for _, b := range d.Bodies[:min(len(d.Bodies), MaxBodies)] {
		size := b.Box.Size()
		out.Bodies = append(out.Bodies, AnalysisBody{Name: b.Name, SizeMM: [3]float64{size.X, size.Y, size.Z}, VolumeMM3: b.VolumeMM3, At: b.Box.Centre(), Closed: b.Closed})
	}
	if err = told(0.45, "a mesh to turn"); err != nil {
		return
	}
	bodies := d.Bodies
	if v.Mesh = d.Mesh; len(v.Mesh.Triangles) > ViewTriangles {
		r, err := mesh.ReduceTo(s, ViewTriangles)
		if err != nil {
			return out, v, err
		}
		v.Mesh, bodies = mesh.Bodies(r.Soup)
		out.WallsOf = len(v.Mesh.Triangles)
	}
	v.BodyOf = make([]int32, len(v.Mesh.Triangles))
	for k, b := range bodies {
		for _, t := range b.Triangles {
			v.BodyOf[t] = int32(min(k, MaxBodies))
		}
	}
	if err = told(0.6, "who sees which face"); err != nil {
		return
	}
	_, v.KindOf = solid.FacesOf(v.Mesh, cuts)
	if err = told(0.7, "wall thickness"); err != nil {
		return
	}
	out.Walls = v.Mesh.Thickness()
	v.WallMM = out.Walls.VertexMM
	if err = told(0.85, "fragile places"); err != nil {
		return
	}
	out.Fragile = solid.FragileOf(solid.Whole(v.Mesh), mostFragile)
	if hull := v.Mesh.Hull(); hull != nil {
		out.HullMM3 = hull.Measure().VolumeMM3
	}
	return out, v, nil
}

// mostFragile is how many weak sections are listed.
const mostFragile = 8

// Mendable reports whether mending would settle something.
func (s Analysis) Mendable() bool {
	return slices.ContainsFunc(s.Faults, func(f mesh.Fault) bool {
		if f.Kind == mesh.FaultOverlap || f.Kind == mesh.FaultSelf {
			return false // they print as one: nothing is to be done
		}
		return !f.Hands || f.Kind == mesh.FaultHole && f.Count > 1
	})
}

// Licences of a design.
const (
	LicenceUnknown      = ""
	LicenceOwn          = "own"
	LicenceClient       = "client"
	LicencePersonal     = "personal"
	LicencePerCopy      = "per copy"
	LicenceSubscription = "subscription"
)

// Licences are the kinds, the unknown one first.
func Licences() []string {
	return []string{LicenceUnknown, LicenceOwn, LicenceClient, LicencePerCopy, LicenceSubscription, LicencePersonal}
}

// Design is all versions of one model, with the licence of their source.
type Design struct {
	ID       int64
	Name     string
	Licence  string
	FeeMinor int64 // for each copy, or for a month of a subscription
	Until    time.Time
	Source   string
	Got      time.Time
	Terms    string
	Rights   string // in what it shows, which the file's licence does not give
}

// LicenceName writes a licence out.
func LicenceName(licence string) string {
	switch licence {
	case LicenceOwn:
		return "our own sculpt"
	case LicenceClient:
		return "the client’s own"
	case LicencePersonal:
		return "personal use only"
	case LicencePerCopy:
		return "commercial, a fee for each copy"
	case LicenceSubscription:
		return "commercial, by subscription"
	}
	return "licence not noted yet"
}

// Stops says why prints of the design may not be sold now, or nothing.
func (d Design) Stops(now time.Time, zone *time.Location) string {
	switch {
	case d.Licence == LicencePersonal:
		return d.Name + " is licensed for personal use only: prints of it may not be sold."
	case d.Licence == LicenceSubscription && !d.Until.IsZero() && now.After(d.Until):
		return d.Name + ": its commercial subscription ended on " + d.Until.In(zone).Format("2 January 2006") + "."
	}
	return ""
}

// Marks says what about the design's licence wants an eye, without stopping anything.
func (d Design) Marks() string {
	if d.Licence == LicenceUnknown {
		return d.Name + ": its licence is not noted yet."
	}
	if rights := strings.TrimSpace(d.Rights); rights != "" {
		return d.Name + ", rights in what it shows: " + rights
	}
	return ""
}

// Marks says what a client has not allowed that somebody might think of.
func (c Client) Marks() string {
	if c.MayShow {
		return ""
	}
	return "Pictures of the work stay in the house: " + c.Name + " has not allowed them to be shown."
}

// VolumeText writes a volume: in cubic centimetres, and what is tiny in cubic
// millimetres.
func VolumeText(mm3 float64) string {
	switch {
	case mm3 >= 100:
		return rates.Number(mm3/1000) + " cm³"
	case mm3 > 0 && mm3 < 0.001:
		return "<0.001 mm³"
	}
	return rates.Number(mm3) + " mm³"
}

// Change is one line of what differs between two versions.
type Change struct{ What, Before, After string }

// Changes lists what a version changes against another: size, volume, area, bodies,
// triangles, and whether it is closed.
func Changes(before, after Model) (out []Change) {
	add := func(what, a, b string) {
		if a != b {
			out = append(out, Change{what, a, b})
		}
	}
	size := func(m mesh.Measures) string {
		return rates.Number(m.SizeMM[0]) + " × " + rates.Number(m.SizeMM[1]) + " × " + rates.Number(m.SizeMM[2]) + " mm"
	}
	closed := func(m mesh.Measures) string {
		if m.Watertight {
			return "yes"
		}
		return fmt.Sprintf("no, %d open edges", m.OpenEdges+m.NonManifoldEdges)
	}
	a, b := before.Measures, after.Measures
	add("size", size(a), size(b))
	add("volume", VolumeText(a.VolumeMM3), VolumeText(b.VolumeMM3))
	add("surface", rates.Number(a.AreaMM2/100)+" cm²", rates.Number(b.AreaMM2/100)+" cm²")
	add("bodies", fmt.Sprint(a.Shells-a.Cavities-a.BuriedShells), fmt.Sprint(b.Shells-b.Cavities-b.BuriedShells))
	add("watertight", closed(a), closed(b))
	add("triangles", fmt.Sprint(a.Triangles), fmt.Sprint(b.Triangles))
	return out
}

// Newest orders versions as they came.
func Newest(models []Model) []Model {
	out := slices.Clone(models)
	slices.SortStableFunc(out, func(a, b Model) int { return cmp.Or(b.At.Compare(a.At), cmp.Compare(b.ID, a.ID)) })
	return out
}

// ModelShape is what pricing and plates need of a mesh, at the size of the file.
type ModelShape struct {
	Profile  solid.Profile  `json:"profile"`
	Overhang solid.Overhang `json:"overhang"`
	Plan     solid.Outline  `json:"plan"` // the room it takes on a plate: no holes
	Front    solid.Outline  `json:"front"`
	Side     solid.Outline  `json:"side"`
	LowMM    [3]float64     `json:"low,omitzero"` // the least corner of its box, in its file

	PillarMM3 map[string]float64 `json:"pillars,omitempty"` // what holds it as it stands, by process
	LeastMM3  map[string]float64 `json:"least,omitempty"`   // and what would in its best orientation

	LaxPillars map[string][len(solid.LaxDeg)]float64 `json:"lax_pillars,omitempty"` // what laxer limits leave of them

	// What does not mind how it stands.
	Detail solid.Detail  `json:"detail"` // creases of what is seen
	Faces  solid.Faces   `json:"faces"`
	BentMM float64       `json:"bent"` // mean curvature over all of it
	Cuts   []solid.Plane `json:"cuts,omitempty"`
}

// MeasureModel works out all that is kept of a mesh. What bodies share counts once in its
// volume, and what of them lies in others not at all in its surface. Cuts are the planes along
// which it was cut from a larger one.
func MeasureModel(s *mesh.Soup, cuts ...solid.Plane) (mesh.Measures, ModelShape) {
	m := s.Weld()
	d := m.Measure()
	d.Format, d.Triangles = s.Format, s.Len()
	whole := solid.Whole(m)
	if whole != m {
		one := whole.Measure()
		d.VolumeMM3, d.AreaMM2 = one.VolumeMM3, one.AreaMM2
	}
	shape := shapeOf(whole)
	shape.LeastMM3 = map[string]float64{}
	for _, processName := range process.Names() {
		shape.hold(whole, processName)
		shape.LeastMM3[processName] = solid.LeastPillarMM3(whole, process.Of(processName).Holding, shape.PillarMM3[processName])
	}
	var kinds []solid.FaceKind
	shape.Faces, kinds = solid.FacesOf(whole, cuts)
	shape.Detail = solid.DetailOf(whole, func(facet int) bool { return kinds[facet] == solid.Outer })
	shape.BentMM, shape.Cuts = solid.BentMM(whole), cuts
	return d, shape
}

// AtBest is the model with the supports of its best orientation, as long as nobody has taken
// one: so it is priced. What lies on a plate is held as it lies.
func (m Model) AtBest() Model {
	if m.AsFile == nil && len(m.Shape.LeastMM3) > 0 {
		m.Shape.PillarMM3 = m.Shape.LeastMM3
	}
	return m
}

// hold works out the pillars that hold a part as it stands.
func (s *ModelShape) hold(m *mesh.Mesh, processName string) {
	if s.PillarMM3 == nil {
		s.PillarMM3, s.LaxPillars = map[string]float64{}, map[string][len(solid.LaxDeg)]float64{}
	}
	s.PillarMM3[processName] = solid.PillarMM3(m, process.Of(processName).Holding)
	s.LaxPillars[processName] = solid.LaxPillars(m, process.Of(processName).Holding, s.PillarMM3[processName])
}

func shapeOf(m *mesh.Mesh) ModelShape {
	return ModelShape{
		Profile:  solid.ProfileOf(m, 160),
		Overhang: solid.OverhangOf(m, solid.OverhangDeg),
		Plan:     solid.SilhouetteOf(m, solid.Plan),
		Front:    solid.SilhouetteOf(m, solid.Front),
		Side:     solid.SilhouetteOf(m, solid.Side),
		LowMM:    [3]float64{m.Box.Min.X, m.Box.Min.Y, m.Box.Min.Z},
	}
}

// Face is the silhouette that shows most of the model: from the front or the side.
func (m Model) Face() solid.Outline {
	s := m.Shape
	if m.AsFile != nil {
		s = *m.AsFile
	}
	if s.Side.AreaMM2() > 1.05*s.Front.AreaMM2() {
		return s.Side
	}
	return s.Front
}

// Faults says in plain words what is wrong with the mesh, worst first, as far as
// measuring tells; an analysis knows more.
func (m Model) Faults() (out []string) {
	d := m.Measures
	if d.VolumeMM3 <= 0 {
		out = append(out, "It encloses no volume: nothing of it can be priced or printed.")
	}
	if d.OpenEdges > 0 {
		know := "they lie in a plane, and count as closed there"
		if d.GuessMM3 > 0 {
			know = VolumeText(d.GuessMM3) + " of its volume are a guess"
		}
		out = append(out, "It has holes ("+rates.Number(float64(d.OpenEdges))+" open edges): "+know+", and the print may miss walls.")
	}
	if d.NonManifoldEdges > 0 {
		out = append(out, "More than two faces meet at "+rates.Number(float64(d.NonManifoldEdges))+" edges: bodies touch along a line.")
	}
	if d.InvertedShells > 0 {
		out = append(out, rates.Number(float64(d.InvertedShells))+" of its shells face inwards: they may print as nothing.")
	}
	if d.BuriedShells > 0 {
		out = append(out, rates.Number(float64(d.BuriedShells))+" bodies lie buried inside others; they add nothing.")
	}
	if g, needed := m.UnitGuess(); needed {
		out = append(out, "At its largest it measures "+rates.Number(g.LargestMM/g.Scale)+" mm: it was probably drawn in "+UnitName(g.Unit)+". The sheet of the model takes it so.")
	}
	return out
}

// NoInside says why a model cannot be priced from its geometry; nothing where it can.
func (m Model) NoInside() string {
	switch d := m.Measures; {
	case d.VolumeMM3 <= 0:
		return "encloses no volume: it cannot be priced from its geometry"
	case d.GuessMM3 > d.VolumeMM3/2:
		return "is a surface without an inside: what it would weigh is a guess, and so is its price. It wants a wall, or its holes closed"
	}
	return ""
}

// Scaled returns the shape of a copy printed at k times the file's size.
func (m Model) Scaled(k float64) process.Shape {
	return process.Shape{
		VolumeMM3: m.Measures.VolumeMM3 * k * k * k, AreaMM2: m.Measures.AreaMM2 * k * k, BentMM: m.Shape.BentMM * k,
		HeightMM: m.PrintHeightMM() * k, Profile: m.Shape.Profile.Scaled(k), Overhang: m.Shape.Overhang.Scaled(k),
	}
}

// Advice is one thing to know about a model, and where it shows.
type Advice struct {
	Kind  string
	Text  string
	Hands bool // a person must settle it; mending does not
	Grave bool // it costs if it is left
	Spots []mesh.Spot
}

// ManyTriangles is from how many on a model is worth reducing: printers resolve far
// less, and everything after it is slower. Source: common practice.
const ManyTriangles = 600_000

// Advice lists what matters about a model, most first. The analysis is nil until it is done.
func (h Shop) Advice(m Model, analysis *Analysis) (out []Advice) {
	if m.Measures.VolumeMM3 <= 0 {
		out = append(out, Advice{Kind: "empty", Text: "It encloses no volume: nothing of it can be priced or printed until its surface is closed.", Grave: true, Hands: true})
	}
	guess, unitInDoubt := m.UnitGuess()
	if unitInDoubt {
		out = append(out, Advice{Kind: "unit", Grave: true, Hands: true,
			Text: fmt.Sprintf("At its largest it measures %s mm. It was probably drawn in %s; that makes %s mm.", rates.Number(guess.LargestMM/guess.Scale), UnitName(guess.Unit), rates.Number(guess.LargestMM))})
	}
	for _, d := range m.Did {
		if len(d.Spots) > 0 {
			out = append(out, Advice{Kind: "made", Text: d.Text() + ".", Spots: d.Spots})
		}
	}
	if analysis == nil {
		for _, f := range m.Faults() {
			out = append(out, Advice{Kind: "measured", Text: f, Grave: true})
		}
		return out
	}
	mild := map[string]bool{mesh.FaultOverlap: true, mesh.FaultSelf: true, mesh.FaultDegenerate: true, mesh.FaultBuried: true}
	for _, f := range analysis.Faults {
		out = append(out, Advice{Kind: f.Kind, Text: f.Text(), Hands: f.Hands, Grave: !mild[f.Kind], Spots: f.Spots})
	}
	if !unitInDoubt {
		out = append(out, h.thinWalls(m, analysis.Walls)...)
	}
	if n := m.Measures.Cavities; n > 0 {
		hollows := map[bool]string{true: "hollow", false: "hollows"}[n == 1]
		out = append(out, Advice{Kind: "sealed", Grave: true, Hands: true, Text: fmt.Sprintf("%d closed %s in it: printed in resin, what is not cured stays inside and bursts or weeps later. Bore it, or fill it.", n, hollows)})
	}
	if len(analysis.Fragile) > 0 {
		f := analysis.Fragile[0]
		a := Advice{Kind: "fragile", Text: fmt.Sprintf("Thin places that something hangs on: the weakest has a section of %.2g mm² and bears %.0f mm. Mind them when supports come off.", f.SectionMM2, f.ArmMM)}
		for _, f := range analysis.Fragile {
			a.Spots = append(a.Spots, mesh.Spot{At: f.At, SizeMM: math.Sqrt(f.SectionMM2)})
		}
		out = append(out, a)
	}
	if m.Measures.Triangles > ManyTriangles {
		out = append(out, Advice{Kind: "many", Text: fmt.Sprintf("%s triangles are more than a print can show. Reduced, everything after it is quicker.", rates.Number(float64(m.Measures.Triangles)))})
	}
	slices.SortStableFunc(out, func(a, b Advice) int {
		switch {
		case a.Grave == b.Grave:
			return 0
		case a.Grave:
			return -1
		}
		return 1
	})
	return out
}

// thinWalls advises where walls are thinner than a process wants.
func (h Shop) thinWalls(m Model, w mesh.Walls) []Advice {
	if w.FacetsSeen == 0 {
		return nil
	}
	if m.How == Hollow { // its wall was made so; what is thinner are hair-fine folds in the hollow
		w.ThinnestMM = w.Share1MM
	}
	var thin []string
	finest := math.Inf(1)
	for _, kind := range process.Kinds() {
		least := h.Book.V(kind.LeastWall)
		finest = min(finest, least)
		if w.ThinnestMM < least {
			thin = append(thin, fmt.Sprintf("%s wants %s mm", kind.Name, rates.Number(least)))
		}
	}
	if len(thin) == 0 {
		return nil
	}
	return []Advice{{Kind: "thin", Grave: w.Share1MM < finest, Hands: true, Spots: []mesh.Spot{{At: w.ThinnestAt, SizeMM: w.ThinnestMM}},
		Text: fmt.Sprintf("Its thinnest wall is %.2g mm: %s. A hundredth of its surface has less than %.2g mm behind it.", w.ThinnestMM, strings.Join(thin, ", "), w.Share1MM)}}
}

// LeastWalls are the least walls that print well, by process, in mm.
func (h Shop) LeastWalls() map[string]float64 {
	least := map[string]float64{}
	for _, kind := range process.Kinds() {
		least[kind.Name] = h.Book.V(kind.LeastWall)
	}
	return least
}

// Ills says in a few words what is wrong with a model, the worst first; nothing when nothing
// is that a print would show.
func Ills(faults []mesh.Fault) string {
	var out []string
	for _, f := range faults {
		if f.Kind != mesh.FaultOverlap && f.Kind != mesh.FaultSelf && f.Kind != mesh.FaultDegenerate {
			out = append(out, fmt.Sprintf("%d %s", f.Count, f.Name()))
		}
	}
	return strings.Join(out, ", ")
}
