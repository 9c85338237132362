package studio

import (
	"fmt"
	"time"

	"sakuji/core/process"
)

// Replacement is a part of a machine that was changed.
type Replacement struct {
	ID        int64
	MachineID int64
	PersonID  int64
	What      string
	At        time.Time
}

// Use is what a machine has run since a part of it was replaced.
type Use struct{ Plates, Hours, Grams float64 }

// Wears are the parts of a machine that wear.
func (m Machine) Wears() (parts []string) {
	for _, w := range process.Of(m.Process).Wears {
		parts = append(parts, w.What)
	}
	return parts
}

// Worn is how far a part has come, of what it lasts; of a part whose life the machine's figures do not
// say, lasts is 0.
type Worn struct {
	What        string
	Used, Lasts float64
	Unit        string
}

// Worn works it out.
func (m Machine) Worn(what string, u Use) Worn {
	for _, w := range process.Of(m.Process).Wears {
		if w.What == what {
			return Worn{what, map[string]float64{process.Plates: u.Plates, process.Hours: u.Hours,
				process.Kilograms: u.Grams / 1000}[w.By], m.Figures.V(w.Life), w.By}
		}
	}
	return Worn{What: what}
}

// soonWorn is from which share of its life a part is spoken of. Source: from memory.
const soonWorn = 0.9

// Text says that a part wants replacing, now or soon; empty: not yet.
func (w Worn) Text() string {
	switch {
	case w.Lasts <= 0 || w.Used < soonWorn*w.Lasts:
		return ""
	case w.Used >= w.Lasts:
		return fmt.Sprintf("The %s has done %.0f of %.0f %s: replace it.", w.What, w.Used, w.Lasts, w.Unit)
	}
	return fmt.Sprintf("The %s has done %.0f of %.0f %s.", w.What, w.Used, w.Lasts, w.Unit)
}
