// Package device stands in for the outside: here, printers that run by the clock
// and fail by seed, for the demo and for tests. A real studio notes starts and ends
// by hand; nothing in app knows the difference.
package device

import (
	"context"
	"math"
	"math/rand/v2"
	"time"

	"sakuji/app"
	"sakuji/app/change"
	"sakuji/core/process"
	"sakuji/studio"
)

// Printers is every machine of a studio, simulated.
type Printers struct {
	Seed uint64
}

// Outcome is how a run goes.
type Outcome struct {
	Ended   time.Time
	Reports map[int64]string // by piece: good, or a cause of failure
}

// stops is the share of failures that end a run; the others cost one piece.
// Source: from memory.
const stops = 0.3

var causes = map[string][2][]string{ // what stops a run, what costs a piece
	process.Resin:    {{"stuck to the film", "power cut"}, {"supports too few", "half printed", "wrong settings"}},
	process.Filament: {{"came off the bed", "clogged nozzle"}, {"layers shifted", "wrong settings"}},
}

// Run works out how a run goes, from its seed alone: the same run always goes the
// same way. Failures come at a constant rate per hour.
func (p Printers) Run(number int, processName string, run studio.Run, pieces []studio.OnPlatePiece, failuresPerHour float64) Outcome {
	r := rand.New(rand.NewPCG(p.Seed, uint64(number)))
	out := Outcome{Ended: run.Due(), Reports: map[int64]string{}}
	for _, o := range pieces {
		out.Reports[o.PieceID] = studio.Good
	}
	if failuresPerHour <= 0 || len(pieces) == 0 {
		return out
	}
	failsAfterH := -math.Log(1-r.Float64()) / failuresPerHour
	if failsAfterH*60 >= run.PlannedMin {
		return out
	}
	c := causes[processName]
	if r.Float64() < stops {
		out.Ended = run.Started.Add(time.Duration(failsAfterH * float64(time.Hour)))
		cause := c[0][r.IntN(len(c[0]))]
		for id := range out.Reports {
			out.Reports[id] = cause
		}
		return out
	}
	out.Reports[pieces[r.IntN(len(pieces))].PieceID] = c[1][r.IntN(len(c[1]))]
	return out
}

// of is how the run of a plate goes; own is false for a machine that answers and tells that itself.
func (p Printers) of(h studio.Shop, pl studio.Plate) (m studio.Machine, out Outcome, own bool) {
	m, _ = h.Machine(pl.MachineID)
	if m.Link != "" {
		return m, out, false
	}
	return m, p.Run(pl.Number, m.Process, *pl.Run, pl.Pieces, h.Book.V(process.Of(m.Process).Failure)), true
}

// Drive lets every run that has ended by now report so.
func (p Printers) Drive(ctx context.Context, a *app.App) error {
	h, plates, err := a.Plates.Running(ctx)
	if err != nil {
		return err
	}
	now := a.Clock.Now()
	for _, pl := range plates {
		m, out, own := p.of(h, pl)
		if !own || out.Ended.After(now) {
			continue
		}
		if err := a.Plates.FinishRun(ctx, change.Actor{Name: m.Name}, pl.Number, out.Ended, out.Reports); err != nil {
			return err
		}
	}
	return nil
}

// Next is when the next run ends, stopped ones included.
func (p Printers) Next(ctx context.Context, a *app.App) (at time.Time, ok bool, err error) {
	h, plates, err := a.Plates.Running(ctx)
	for _, pl := range plates {
		if _, out, own := p.of(h, pl); own && (!ok || out.Ended.Before(at)) {
			at, ok = out.Ended, true
		}
	}
	return at, ok, err
}
