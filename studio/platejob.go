package studio

import (
	"fmt"
	"time"

	"sakuji/core/plate"
	"sakuji/core/process"
)

// TurnDeg is in steps of how many degrees pieces are turned on a plate. Source: common practice.
const TurnDeg = 15

// PlateJob is pieces that wait, to be shared out among plates of a machine: what a run takes is its
// time and the hands that change the plate; a run of filament is no longer than may be lost; what is
// due first goes first, and each minute of lateness counts like one of run. due says when a piece
// must be off its plate, by its id.
func (h Shop) PlateJob(machine Machine, material Material, pieces []LaidPiece, due map[int64]time.Time, now time.Time) plate.Job {
	job := plate.Job{Bed: machine.Bed(), SpacingMM: h.Book.V("spacing"), StepDeg: TurnDeg, LateMin: 1}
	change := h.Book.V("plate.setup") + h.Book.V("plate.empty")
	laid := map[string]process.Laid{}
	for _, lp := range pieces {
		p := machine.OnBed(lp.Piece.Code, lp.Model, lp.Piece.Scale)
		if machine.Process == process.Filament {
			print := h.PrintOf(lp.Model, lp.Piece.Scale, lp.Piece.WallMM, machine, material)
			p.Minutes, laid[p.ID] = print.Minutes, print.Laid
			if lp.Model.How == Cut && lp.Piece.ParentID != 0 && print.Minutes >= longHalfMin {
				p.Apart = fmt.Sprint("cut ", lp.Piece.ParentID)
			}
		}
		if at := due[lp.Piece.ID]; !at.IsZero() {
			p.DueMin = max(1, at.Sub(now).Minutes())
		}
		job.Parts = append(job.Parts, p)
	}
	factor := machine.Calibration.Factor()
	if machine.Process == process.Resin {
		m, stand := process.ResinOf(machine.Figures), machine.Figures.V("raft")+machine.Figures.V("stand")
		job.RunMin = func(on []plate.Part) float64 {
			tallest := 0.0
			for _, p := range on {
				tallest = max(tallest, p.HeightMM-stand)
			}
			return change + m.Minutes(tallest)*factor
		}
		return job
	}
	m := process.FilamentOf(machine.Figures, h.Book.V("support.filament")/100)
	job.MostMin = h.Book.V("plate.hours")*60 + change
	job.RunMin = func(on []plate.Part) float64 {
		parts := make([]process.Laid, len(on))
		for i, p := range on {
			parts[i] = laid[p.ID]
		}
		return change + m.Minutes(parts...)*factor
	}
	return job
}

// longHalfMin is how long half of a thing that was cut must take that it never shares a run with
// the other, in minutes: it was cut so that no more is lost at once. Source: from memory.
const longHalfMin = 240

// Fits says why a model does not lie on the machine at a size, or nothing.
func (m Machine) Fits(model Model, scale float64) string {
	return plate.Fits(m.Bed(), m.OnBed("", model, scale), TurnDeg)
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
