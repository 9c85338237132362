package studio

import (
	"fmt"
	"time"

	"sakuji/core/process"
)

// What wears on machines.
const (
	Film   = "film"
	Screen = "screen"
	Nozzle = "nozzle"
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
func (m Machine) Wears() []string {
	if m.Process == process.Resin {
		return []string{Film, Screen}
	}
	return []string{Nozzle}
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
	f := m.Figures
	switch what {
	case Film:
		return Worn{what, u.Plates, f.V("film_plates"), "plates"}
	case Screen:
		return Worn{what, u.Hours, f.V("screen_hours"), "h"}
	}
	return Worn{what, u.Grams / 1000, f.V("nozzle_kg"), "kg"}
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
