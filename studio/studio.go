// Package studio holds the nouns of a commission studio and their rules: clients,
// orders, items, parts, pieces, plates, runs and quotes. It is pure: no database,
// no clock, no network. What a thing costs or how it is laid out is asked of core.
package studio

import (
	"strings"
	"sync"
	"time"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

// Studio is the house itself.
type Studio struct {
	Name, Address, Email string
	TaxNumber            string
	Currency             string // ISO 4217
	TaxPercent           float64
	TimeZone             string // IANA name
	PublicURL            string // in links that clients open
	FirstOrder           int    // where its order numbers go on from
}

// zones remembers time zones by name: reading one takes a file.
var zones sync.Map

// Zone is where the studio's clock hangs.
func (s Studio) Zone() *time.Location {
	if loc, ok := zones.Load(s.TimeZone); ok {
		return loc.(*time.Location)
	}
	loc, err := time.LoadLocation(s.TimeZone)
	if err != nil {
		return time.UTC
	}
	zones.Store(s.TimeZone, loc)
	return loc
}

// Money makes an amount in the studio's currency.
func (s Studio) Money(minor int64) Money { return Money{minor, s.Currency} }

// Roles of people.
const (
	Owner = "owner"
	Bench = "bench"
)

// Person works in the studio.
type Person struct {
	ID           int64
	Name         string
	Initials     string
	Role         string
	PasswordHash string
	LettersOff   bool // single-letter keys switched off
	Active       bool
}

// Initials proposes initials from a name.
func Initials(name string) string {
	var out []rune
	for _, word := range strings.Fields(name) {
		out = append(out, []rune(strings.ToUpper(word))[0])
	}
	if len(out) > 3 {
		out = out[:3]
	}
	return string(out)
}

// Gear is what the studio works with: a machine or a material and its figures.
type Gear struct {
	ID      int64
	Name    string
	Process string
	Figures rates.Set
	Active  bool
}

// Machine is a printer.
type Machine Gear

// HourCost is what an hour of the machine costs, and how that came about.
func (m Machine) HourCost(b rates.Book) (perHour float64, inputs []rates.Figure) {
	f := m.Figures
	perHour = f.V("watts")/1000*b.V("power") + f.V("upkeep")
	if life := f.V("life"); life > 0 {
		perHour += f.V("price") / life
	}
	return perHour, []rates.Figure{f["price"], f["life"], f["watts"], b.Get("power"), f["upkeep"]}
}

// Material is a resin or a filament.
type Material Gear

// Client orders things.
type Client struct {
	ID      int64
	Name    string
	Email   string
	Phone   string
	Address string
	Note    string
}

// Model is a mesh file as received, with what was measured of it.
type Model struct {
	ID       int64
	SHA      string
	Name     string
	Measures mesh.Measures
	Shape    ModelShape
	At       time.Time
}

// ModelShape is what pricing and plates need of a mesh, at the size of the file.
type ModelShape struct {
	Profile  solid.Profile  `json:"profile"`
	Overhang solid.Overhang `json:"overhang"`
	Plan     solid.Outline  `json:"plan"` // the room it takes on a plate: no holes
	Front    solid.Outline  `json:"front"`
	Side     solid.Outline  `json:"side"`
}

// MeasureModel works out all that is kept of a mesh.
func MeasureModel(s *mesh.Soup) (mesh.Measures, ModelShape) {
	m := s.Weld()
	d := m.Measure()
	d.Format, d.Triangles = s.Format, s.Len()
	return d, ModelShape{
		Profile:  solid.ProfileOf(m, 160),
		Overhang: solid.OverhangOf(m, solid.OverhangDeg),
		Plan:     solid.OutlineOf(m, solid.Plan),
		Front:    solid.SilhouetteOf(m, solid.Front),
		Side:     solid.SilhouetteOf(m, solid.Side),
	}
}

// Face is the silhouette that shows most of the model: from the front or the side.
func (m Model) Face() solid.Outline {
	if m.Shape.Side.AreaMM2() > 1.05*m.Shape.Front.AreaMM2() {
		return m.Shape.Side
	}
	return m.Shape.Front
}

// Faults says in plain words what is wrong with the mesh, worst first.
func (m Model) Faults() (out []string) {
	d := m.Measures
	if d.VolumeMM3 <= 0 {
		out = append(out, "It encloses no volume: nothing of it can be priced or printed.")
	}
	if d.OpenEdges > 0 {
		out = append(out, "It has holes ("+rates.Number(float64(d.OpenEdges))+" open edges): the volume is a guess and the print may miss walls.")
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
	return out
}

// Scaled returns the shape of a copy printed at k times the file's size.
func (m Model) Scaled(k float64) process.Shape {
	return process.Shape{
		VolumeMM3: m.Measures.VolumeMM3 * k * k * k, AreaMM2: m.Measures.AreaMM2 * k * k,
		HeightMM: m.Measures.SizeMM[2] * k, Profile: m.Shape.Profile.Scaled(k), Overhang: m.Shape.Overhang.Scaled(k),
	}
}
