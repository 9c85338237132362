package studio

import (
	"fmt"
	"math"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// History is what the studio's own past says; nothing of it is there in a new studio.
type History struct {
	Logged   map[string]map[route.StageKind]finish.Logged // by process
	Practice map[int64]finish.Practice                    // by person
	Wages    map[int64]rates.Figure                       // by person, where one has a wage of their own
	Printed  map[int64]bool                               // models of which a print came out well
	Failed   map[[2]int64]FailedRuns                      // by machine and material
}

// FailedRuns is what runs of one machine with one material came to.
type FailedRuns struct {
	Hours float64
	Fails float64 // runs that failed; one of which half the pieces failed is half a failure
}

// FailurePerHour is how often a machine's runs with a material fail, per hour: the book's
// rate, as if it had been seen for failure.trust hours, and the machine's own hours on top
// (the mean of a gamma-distributed rate after Poisson counts); the machine's with all its
// materials stands between the two.
func (h Shop) FailurePerHour(m Machine, material Material) rates.Figure {
	book := h.Book.Get("failure." + m.Process)
	trust := h.Book.V("failure.trust")
	var all FailedRuns
	for key, f := range h.History.Failed {
		if key[0] == m.ID {
			all.Hours, all.Fails = all.Hours+f.Hours, all.Fails+f.Fails
		}
	}
	if all.Hours == 0 || trust <= 0 {
		return book
	}
	rate := (all.Fails + trust*book.Value) / (all.Hours + trust)
	own := h.History.Failed[[2]int64{m.ID, material.ID}]
	rate = (own.Fails + trust*rate) / (own.Hours + trust)
	return rates.Of(fmt.Sprintf("runs of %s that fail, per hour: %s of %s h; the book says %s", m.Name, rates.Number(all.Fails), rates.Number(math.Round(all.Hours)), rates.Number(book.Value)), rate, "1/h", rates.Logged)
}
