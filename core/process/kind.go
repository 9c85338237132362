// Package process knows the processes that prints are made by, resin and filament and whatever a studio adds: what a
// print takes in hours and grams, what passes after it, what goes wrong, and how often a run fails. The formulas are those
// of the trade's practice notes; every number in them is an argument that says its unit.
package process

import (
	"fmt"
	"slices"
	"strings"

	"sakuji/core/mesh"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// Kind is a process: all that the studio asks of how a print is made. A further one is a value of this type in a file of
// its own, put on the list by Add, with its machines and materials in the rate book; Lacks says what it does not tell.
type Kind struct {
	Name        string            // as parts, machines, materials and the rate book have it
	After       []route.StageKind // what a print passes between its plate and its smoothing
	Wet         bool              // it comes off wet, is washed and cured in loads, and what is shut in it never hardens
	Hollow      bool              // it may be hollowed to a wall, and drained
	Drawn       bool              // in lines, through a nozzle: it has walls, infill and a brim, and its machines learn from prepared files
	LayersPart  bool              // it is weakest from layer to layer
	TallestSets bool              // a run takes as long as its tallest piece; else the hours of its pieces add up
	LayerMM     [2]float64        // the finest and the coarsest layer
	ClearanceMM [2]float64        // that is usual between plug and socket
	CutGapMM    float64           // and that a cut of ours gets
	Wishes      solid.Wishes      // what matters of how a part stands
	Holding     solid.Holding     // how supports hold it
	Smooth      string            // the finish route that a house begins with, by its key
	FirstPaper  int               // the P number to begin with on a bare print
	Bond        string            // the adhesive that makes two prints of it one, by its key; empty: none

	Failure   rates.Key         // runs that fail in an hour
	Support   rates.Key         // what supports fill of the room under overhangs; empty: it needs none
	LeastWall rates.Key         // the least wall that prints well
	StripArea rates.Key         // minutes of taking supports off, by the area they held
	StripTip  rates.Key         // by their tips, where those are known; empty: by the area
	MostHours rates.Key         // that are laid on one plate; empty: as many as fit
	Tunable   []rates.FigureKey // figures of a machine that may be others for a material
	Wears     []Wear
	Trial     *Trial // a test piece by which a machine is set; nil: none

	Before   string   // what to see to before a run
	AtPlate  string   // what to mind when a plate comes off
	AtStrip  string   // and when supports do
	Checks   []Check  // what is looked at, one by one, before a run
	Stripped []string // what to look at once the supports are off
	Faults   []Fault

	Print   func(j Job) Print
	Run     func(machine rates.Set) func(prints []Print) (minutes float64) // of a run of these prints
	Working func(machine rates.Set, prints []Print) rates.Working          // how that came about
	// Each is what one of n like it takes of a run, where hours add up.
	Each   func(machine rates.Set, p Print, n float64) (minutes float64, in []rates.Figure)
	Layers func(machine rates.Set, tallestMM float64) int
}

// Wear is a part of a machine that wears, and how its life is counted.
type Wear struct {
	What string
	By   string // Plates, Hours or Kilograms
	Life rates.FigureKey
}

// What wears, and by what.
const (
	Film   = "film"
	Screen = "screen"
	Nozzle = "nozzle"

	Plates    = "plates"
	Hours     = "h"
	Kilograms = "kg"
)

// Trial is a test piece by which a figure of a machine is set, in steps.
type Trial struct {
	Sets          rates.FigureKey
	Step          float64
	Piece         func() *mesh.Soup
	Walls         int     // that it is printed with; 0: as the machine does
	InfillPercent float64 // likewise
	Best          func(now rates.Set, t Tried) (float64, error)
}

// Tried is what a test piece showed: exposures with what came of each, or a wall measured at several places.
type Tried struct {
	Exposed []Exposed
	WallMM  []float64
}

// Check is something to look at before a run.
type Check struct {
	Key, Text string // %s in the text is the grams that the run takes
	Wear      string // it is asked for by what has worn
	Because   bool   // the last failure asks for it, whatever it was
	OnlyAfter string // it is asked only after this fault, or for what has worn
	Cold      bool   // only in the cold half of the year
}

// Job is one copy to be made, with all that its process goes by.
type Job struct {
	Shape             Shape
	WallMM            float64 // that it is hollowed to; 0: solid, or filled as the machine does
	WeightG           float64 // that it should have without supports; 0: as it comes
	OfRoom            float64 // share of the room under overhangs that supports fill
	Machine, Material rates.Set
}

func (j Job) volume() rates.Figure {
	return rates.Of("volume of the part", j.Shape.VolumeMM3/1000, "cm³", rates.Mesh)
}

// Print is what one copy takes: with its supports, and in a run of itself alone.
type Print struct {
	Grams    float64
	Minutes  float64
	HeightMM float64
	Inputs   []rates.Figure // of the grams
	Laid     Laid           // of what is drawn in lines
}

// tallest is the height of the tallest of prints.
func tallest(prints []Print) (mm float64) {
	for _, p := range prints {
		mm = max(mm, p.HeightMM)
	}
	return mm
}

// kinds are the processes, in the order in which they are offered.
var kinds = []Kind{resin, filament}

// byHand is how what is no print is made, and what a process that this program does not have is taken for: a folder or an
// export may name one. It takes no time on a machine, and nothing falls over it.
var byHand = func() Kind {
	k := filament
	k.Name, k.After, k.Drawn, k.LayersPart, k.Bond, k.MostHours, k.Tunable, k.Wears, k.Trial = "", nil, false, false, "", "", nil, nil, nil
	k.Print = func(j Job) Print { return Print{HeightMM: j.Shape.HeightMM} }
	k.Run = func(rates.Set) func([]Print) float64 { return func([]Print) float64 { return 0 } }
	k.Working = func(rates.Set, []Print) rates.Working {
		return rates.Working{Formula: "not known of this process", Result: rates.Of("run", 0, "min", rates.Derived)}
	}
	k.Each = func(rates.Set, Print, float64) (float64, []rates.Figure) { return 0, nil }
	k.Layers = func(rates.Set, float64) int { return 0 }
	return k
}()

// Add puts a process on the list, when the program starts, and what it brings into the starting rate book; one that
// does not tell all is a mistake in the program.
func Add(k Kind, brings rates.Book) {
	if lacks := k.Lacks(); len(lacks) > 0 || Known(k.Name) {
		panic(fmt.Sprintf("process %q: there already, or it lacks %s", k.Name, strings.Join(lacks, ", ")))
	}
	kinds = append(kinds, k)
	rates.Further(brings)
}

// Kinds lists the processes.
func Kinds() []Kind { return slices.Clone(kinds) }

// Names lists them by name.
func Names() (names []string) {
	for _, k := range kinds {
		names = append(names, k.Name)
	}
	return names
}

// Known reports whether a process is on the list.
func Known(name string) bool { return slices.Contains(Names(), name) }

// OrOf is the list in words: resin or filament.
func OrOf() string {
	names := Names()
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " or " + names[last]
}

// Of is a process by its name; of what is no print, how things are made by hand.
func Of(name string) Kind {
	for _, k := range kinds {
		if k.Name == name {
			return k
		}
	}
	return byHand
}

// Lacks says what a process does not tell.
func (k Kind) Lacks() (lacks []string) {
	for what, there := range map[string]bool{
		"Name": k.Name != "", "LayerMM": k.LayerMM[0] > 0 && k.LayerMM[1] >= k.LayerMM[0], "ClearanceMM": k.ClearanceMM[1] > 0,
		"CutGapMM": k.CutGapMM > 0,
		"Wishes":   k.Wishes != (solid.Wishes{}), "Smooth": k.Smooth != "", "FirstPaper": k.FirstPaper > 0,
		"Failure": k.Failure != "", "LeastWall": k.LeastWall != "",
		"StripArea": k.StripArea != "" || !slices.Contains(k.After, route.RemoveSupports),
		"Before":    k.Before != "", "AtPlate": k.AtPlate != "",
		"AtStrip": k.AtStrip != "" || !slices.Contains(k.After, route.RemoveSupports), "Checks": len(k.Checks) > 0,
		"Faults": len(k.Faults) > 0,
		"Print":  k.Print != nil, "Run": k.Run != nil, "Working": k.Working != nil, "Each": k.Each != nil || k.TallestSets,
		"Layers": k.Layers != nil,
		"Trial":  k.Trial == nil || k.Trial.Sets != "" && k.Trial.Step > 0 && k.Trial.Piece != nil && k.Trial.Best != nil,
	} {
		if !there {
			lacks = append(lacks, what)
		}
	}
	slices.Sort(lacks)
	return lacks
}

// Caution is what to mind at a stage of a piece.
func (k Kind) Caution(stage route.StageKind) string {
	switch stage {
	case route.Print:
		return k.AtPlate
	case route.RemoveSupports:
		return k.AtStrip
	}
	return stage.Traits().Caution
}
