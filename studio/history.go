package studio

import (
	"fmt"
	"math"
	"slices"
	"time"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// History is what the studio's own past says; nothing of it is there in a new studio.
type History struct {
	Logged   map[string]map[route.StageKind]finish.Logged // by process
	Practice map[int64]finish.Practice                    // by person
	Wages    map[int64]rates.Figure                       // by person, where one has a wage of their own
	Looks    map[string]Looks                             // by process
	Printed  map[int64]bool                               // models of which a print came out well
	Failed   map[[2]int64]FailedRuns                      // by machine and material
}

// Looks is how many looks there were, and how many of them sent the piece back.
type Looks struct{ Count, Back float64 }

// SentBack is how many further rounds a look is expected to ask for, beyond those of the finish
// route: what the studio's own looks have sent back, drawn toward none as if look.trust had passed.
func (h Shop) SentBack(processName string) rates.Figure {
	l := h.History.Looks[processName]
	trust := h.Book.V("look.trust")
	if l.Back == 0 || l.Count+trust <= 0 {
		return rates.Of("looks that send back", 0, "rounds", rates.Derived)
	}
	return rates.Of(fmt.Sprintf("looks that send back: %s of %s", rates.Number(l.Back), rates.Number(l.Count)), l.Back/(l.Count+trust), "rounds", rates.Logged)
}

// FailedRuns is what runs of one machine with one material came to.
type FailedRuns struct {
	Hours float64
	Fails float64 // runs that failed; one of which half the pieces failed is half a failure
}

// FailurePerHour is how often a machine's runs with a material fail, per hour: the book's
// rate, as if it had been seen for failure.trust hours, and the hours of its own on top (the
// mean of a gamma-distributed rate after Poisson counts). What the machine did with other
// materials comes first, in the same way, and takes the book's place; no hour counts twice.
func (h Shop) FailurePerHour(m Machine, material Material) rates.Figure {
	book := h.Book.Get(process.Of(m.Process).Failure)
	trust := h.Book.V("failure.trust")
	var other FailedRuns
	for key, f := range h.History.Failed {
		if key[0] == m.ID && key[1] != material.ID {
			other.Hours, other.Fails = other.Hours+f.Hours, other.Fails+f.Fails
		}
	}
	own := h.History.Failed[[2]int64{m.ID, material.ID}]
	all := FailedRuns{own.Hours + other.Hours, own.Fails + other.Fails}
	if all.Hours == 0 || trust <= 0 {
		return book
	}
	rate := (other.Fails + trust*book.Value) / (other.Hours + trust)
	rate = (own.Fails + trust*rate) / (own.Hours + trust)
	return rates.Of(fmt.Sprintf("runs of %s that fail, per hour: %s of %s h; the book says %s", m.Name, rates.Number(all.Fails), rates.Number(math.Round(all.Hours)), rates.Number(book.Value)), rate, "1/h", rates.Logged)
}

// Which stamps say how long a stage takes: those of stages done, but for the print, which a
// machine does; what took ten times the book's minutes, or a tenth, was something else than
// the stage. Source: from memory.
const (
	TeachesLeast = 0.1
	TeachesMost  = 10.0
)

// RunResult is a run that is over, and how many pieces came off how.
type RunResult struct {
	MachineID, MaterialID int64
	Started, Ended        time.Time
	PlannedMin            float64
	Outcomes              map[string]int
	Cause                 string // of its first failure
}

// hours is how long it ran; as long as planned when nobody noted its end.
func (r RunResult) hours() float64 {
	if r.Ended.IsZero() {
		return r.PlannedMin / 60
	}
	return r.Ended.Sub(r.Started).Hours()
}

// pieces is how many of its pieces failed, of how many that say something.
func (r RunResult) pieces() (bad, all int) {
	bad = r.Outcomes[Failed] + r.Outcomes[ScrappedOff]
	return bad, bad + r.Outcomes[Good] + r.Outcomes[Rework] + r.Outcomes[HiddenFlaw]
}

// mendedWeight is what a failure counts for whose cause was put right on its machine afterwards.
// Source: from memory.
const mendedWeight = 0.5

// FailedRunsOf counts failures by machine and material: a run of which half the pieces
// failed is half a failure, and one whose cause was put right afterwards half of what it was.
// Pieces that were called off say nothing.
func FailedRunsOf(runs []RunResult, remedies []Remedy) map[[2]int64]FailedRuns {
	out := map[[2]int64]FailedRuns{}
	for _, r := range runs {
		bad, all := r.pieces()
		if all == 0 || r.hours() <= 0 {
			continue
		}
		key, fails := [2]int64{r.MachineID, r.MaterialID}, float64(bad)/float64(all)
		if slices.ContainsFunc(remedies, func(m Remedy) bool { return m.MachineID == r.MachineID && m.Cause == r.Cause && m.At.After(r.Ended) }) {
			fails *= mendedWeight
		}
		f := out[key]
		out[key] = FailedRuns{f.Hours + r.hours(), f.Fails + fails}
	}
	return out
}

// RunShare is a run and how many of the pieces in it were an order's.
type RunShare struct {
	MachineID      int64
	Started, Ended time.Time
	Pieces, Ours   int
}

// MachineMinutesOf is what runs took for an order, by machine: each run's time is shared
// equally by the pieces on its plate, failed runs included.
func MachineMinutesOf(runs []RunShare) map[int64]float64 {
	out := map[int64]float64{}
	for _, r := range runs {
		if !r.Ended.IsZero() && r.Pieces > 0 {
			out[r.MachineID] += r.Ended.Sub(r.Started).Minutes() * float64(r.Ours) / float64(r.Pieces)
		}
	}
	return out
}
