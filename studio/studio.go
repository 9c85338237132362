// Package studio holds the nouns of a commission studio and their rules: clients,
// orders, items, parts, pieces, plates, runs and quotes. It is pure: no database,
// no clock, no network. What a thing costs or how it is laid out is asked of core.
package studio

import (
	"strings"
	"sync"
	"time"

	"sakuji/core/plate"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Studio is the studio itself.
type Studio struct {
	Name, Address, Email string
	TaxNumber            string
	Currency             string // ISO 4217
	TaxPercent           float64
	TimeZone             string // IANA name
	PublicURL            string // in links that clients open
	FirstOrder           int    // where its order numbers go on from
	Defaults             Defaults
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
	LettersOff   bool  // single-letter keys switched off
	WageMinor    int64 // an hour with its costs; 0: as the rate book has it
	Active       bool
	Crafts       []route.Craft // that they do; none: all
	Days         []int         // of the week that they work on, Sunday 0; none: those of the studio
	FromMin      int           // since midnight; both 0: the studio’s hours
	ToMin        int
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
	ID                       int64
	Name                     string
	Process                  string
	Figures                  rates.Set
	Active                   bool
	Calibration              Calibration         // machines only
	Link                     string              // where a machine answers, http://…; empty: nowhere
	KeepOut                  []plate.KeepOut     // of its bed
	LeastG                   float64             // of a material: below which it is bought
	Takes                    []int64             // materials that a machine takes, by id; none: all of its process
	QuietFromMin, QuietToMin int                 // of a machine, since midnight: when it must not run; the same: never
	Tuned                    map[int64]rates.Set // of a machine: figures that were found for a material on it, by its id
}

// Machine is a printer.
type Machine Gear

// laterFigures are those that machines set up before they were asked for do not have.
var laterFigures = []rates.FigureKey{"flow", "raft_edge", "tries"}

// Completed is the machine with the figures that were not asked for yet when it was set up, as the
// starting book has them.
func (m Machine) Completed() Machine {
	for _, k := range rates.Starting().Machines {
		if k.Process != m.Process {
			continue
		}
		later := rates.Set{}
		for _, key := range laterFigures {
			if f, asked := k.Figures[key]; asked {
				later[key] = f
			}
		}
		m.Figures = m.Figures.Filled(later)
		break
	}
	return m
}

// HourCost is what an hour of the machine costs, and how that came about.
func (m Machine) HourCost(b rates.Book) (perHour float64, inputs []rates.Figure) {
	f := m.Figures
	perHour = f.V("watts")/1000*b.V("power") + f.V("upkeep")
	if life := f.V("life"); life > 0 {
		perHour += f.V("price") / life
	}
	inputs = []rates.Figure{f["price"], f["life"], f["watts"], b.Get("power"), f["upkeep"]}
	if hours := f.V("screen_hours"); hours > 0 {
		perHour += f.V("screen") / hours
		inputs = append(inputs, f["screen"], f["screen_hours"])
	}
	return perHour, inputs
}

// Occupied is what an hour on the machine is charged for beside its cost: a scarce machine has
// a price.
func (m Machine) Occupied() rates.Figure { return m.Figures["occupied"] }

// Noticed is after how many hours a failure is noticed: when somebody looks, at once with a
// camera, or at the end, as of machines that were set up before this was asked.
func (m Machine) Noticed() rates.Figure {
	if f, ok := m.Figures["noticed"]; ok {
		return f
	}
	return rates.Of("a failure is noticed at the end of a run", rates.Greatest, "h", rates.Memory)
}

// Wear is what a share of a plate takes off the release film, and its grams off the nozzle.
func (m Machine) Wear(plates, grams float64) (cost float64, inputs []rates.Figure) {
	f := m.Figures
	if n := f.V("film_plates"); n > 0 {
		cost += plates * f.V("film") / n
		inputs = append(inputs, rates.Of("share of a plate", 100*plates, "%", rates.Derived), f["film"], f["film_plates"])
	}
	if kg := f.V("nozzle_kg"); kg > 0 {
		cost += grams / 1000 * f.V("nozzle") / kg
		inputs = append(inputs, rates.Of("filament", grams, "g", rates.Derived), f["nozzle"], f["nozzle_kg"])
	}
	return cost, inputs
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
	// Permissions, both off until given.
	MayShow  bool // pictures of the work in public
	MayShare bool // the model file shared or sold on
}
