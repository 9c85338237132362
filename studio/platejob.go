package studio

import (
	"fmt"
	"maps"
	"math"
	"time"

	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/rates"
)

// TurnDeg is in steps of how many degrees pieces are turned on a plate. Source: common practice.
const TurnDeg = 15

// PlateJob is pieces that wait, to be shared out among plates of a machine: what a run takes is its
// time and the hands that change the plate; a run of filament is no longer than may be lost; what is
// due first goes first, and each minute of lateness counts like one of run. due says when a piece
// must be off its plate, by its id.
func (h Shop) PlateJob(machine Machine, material Material, pieces []LaidPiece, due map[int64]time.Time, now time.Time) plate.Job {
	machine = machine.For(material, SharedBy(pieces))
	job := plate.Job{Bed: machine.Bed(), SpacingMM: h.Book.V("spacing"), StepDeg: TurnDeg, LateMin: 1, SpreadMin: spreadMin}
	change := h.ChangeMin()
	zone := h.Studio.Zone()
	job.Clear = func(beginMin, minutes float64) float64 {
		at := now.Add(time.Duration(beginMin * float64(time.Minute)))
		return machine.Clear(at, minutes-change, zone).Sub(now).Minutes()
	}
	if loud := machine.LoudMin(); !math.IsInf(loud, 1) {
		job.MostMin = loud + change
	}
	kind, prints := process.Of(machine.Process), map[string]process.Print{}
	for _, lp := range pieces {
		p := machine.OnBed(lp.Piece.Code, lp.Piece.Copy(lp.Model))
		if !kind.TallestSets {
			print := h.PrintOf(lp.Piece.Copy(lp.Model), machine, material)
			p.Minutes, prints[p.ID], p.Spread = print.Minutes, print, fmt.Sprint("item ", lp.Piece.ItemID)
			if lp.Model.How == Cut && lp.Piece.ParentID != 0 && print.Minutes >= longHalfMin {
				p.Apart = fmt.Sprint("cut ", lp.Piece.ParentID)
			}
		}
		if at := due[lp.Piece.ID]; !at.IsZero() {
			p.DueMin = max(1, at.Sub(now).Minutes())
		}
		job.Parts = append(job.Parts, p)
	}
	if kind.MostHours != "" {
		if most := h.Book.V(kind.MostHours)*60 + change; job.MostMin == 0 || most < job.MostMin {
			job.MostMin = most
		}
	}
	run, factor, lift := kind.Run(machine.Figures), machine.Calibration.Factor(), machine.LiftMM()
	if kind.TallestSets {
		job.RunMin = func(on []plate.Part) float64 {
			var tallest process.Print
			for _, p := range on {
				tallest.HeightMM = max(tallest.HeightMM, p.HeightMM-lift)
			}
			return change + run([]process.Print{tallest})*factor
		}
		return job
	}
	job.RunMin = func(on []plate.Part) float64 {
		parts := make([]process.Print, len(on))
		for i, p := range on {
			parts[i] = prints[p.ID]
		}
		return change + run(parts)*factor
	}
	return job
}

// Watch is who is there to change plates, from a moment on.
func (h Shop) Watch(now time.Time) plate.Watch {
	hours := h.Hours()
	at := func(min float64) time.Time { return now.Add(time.Duration(min * float64(time.Minute))) }
	return plate.Watch{
		There: func(min float64) float64 { return hours.There(at(min)).Sub(now).Minutes() },
		Until: func(min float64) float64 { return hours.Until(at(min)).Sub(now).Minutes() },
	}
}

// spreadMin is what it is worth, in minutes of run, that the copies of an item do not all lie on one
// plate. Source: from memory.
const spreadMin = 10

// longHalfMin is how long half of a thing that was cut must take that it never shares a run with
// the other, in minutes: it was cut so that no more is lost at once. Source: from memory.
const longHalfMin = 240

// Fits says why a model does not lie on the machine at a size, or nothing.
func (m Machine) Fits(model Model, scale float64) string {
	return plate.Fits(m.Bed(), m.OnBed("", Copy{Model: model, Scale: scale}), TurnDeg)
}

// OffBy is when a piece must be off its plate for its order's date: what comes after is done by
// hands in a third of the hours of the day, waits pass by the clock. Source: from memory.
func (p Piece) OffBy(wanted, now time.Time) time.Time {
	if wanted.IsZero() {
		return time.Time{}
	}
	after := 0.0
	for _, s := range p.Ahead(now, 0) {
		after += 3*s.HandsMin + s.WaitMin
	}
	return wanted.Add(-time.Duration(after * float64(time.Minute)))
}

// OtherMachine is one that the studio does not have: like one of its own, but for what is said.
type OtherMachine struct {
	LikeID                     int64
	TimePercent                float64 // of the time that one takes; 0: as long
	WidthMM, DepthMM, HeightMM float64 // of its bed; 0: as that one's
	Price                      float64 // in the studio's currency; 0: as that one's
}

// Check says what is wrong with what was said of it.
func (o OtherMachine) Check() (v rates.Invalid) {
	v.Need(o.TimePercent == 0 || o.TimePercent >= 5 && o.TimePercent <= 1000, "percent", "its time: between 5 and 1,000 %% of that of the one it is like")
	for _, mm := range []float64{o.WidthMM, o.DepthMM, o.HeightMM} {
		v.Need(mm == 0 || mm >= 20 && mm <= 5000, "bed", "its bed: between 20 and 5,000 mm each way")
	}
	v.Need(o.Price >= 0 && o.Price <= 1e9, "price", "its price: between 0 and 1,000,000,000")
	return v
}

// Machine is what it would be, with an id that no machine has.
func (o OtherMachine) Machine(like Machine) Machine {
	m := like
	m.ID, m.Name, m.Figures = -1, "another like "+like.Name, maps.Clone(like.Figures)
	set := func(key rates.FigureKey, value float64) {
		if f, ok := m.Figures[key]; ok && value > 0 {
			f.Value, f.Source = value, rates.Ours
			m.Figures[key] = f
		}
	}
	set("width", o.WidthMM)
	set("depth", o.DepthMM)
	set("height", o.HeightMM)
	set("price", o.Price)
	if k := o.TimePercent / 100; k > 0 && k != 1 {
		m.Name = fmt.Sprintf("one like %s in %s %% of its time", like.Name, rates.Number(o.TimePercent))
		for _, key := range []rates.FigureKey{"exposure", "bottom_exposure", "rest", "preparation", "layer_time", "retract"} { // times
			set(key, m.Figures.V(key)*k)
		}
		for _, key := range []rates.FigureKey{"lift_speed", "retract_speed", "wall_speed", "infill_speed", "travel_speed",
			"melt"} { // speeds
			set(key, m.Figures.V(key)/k)
		}
		set("accel", m.Figures.V("accel")/k/k)
	}
	return m
}
