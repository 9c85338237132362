package plates

import (
	"context"
	"time"

	"sakuji/app/change"
	"sakuji/core/process"
	"sakuji/store"
	"sakuji/studio"
)

// Unreachable is the state of a machine that does not answer.
const Unreachable = "unreachable"

// Live is how a machine stood when it was asked last; nothing of it is kept.
type Live struct {
	State        string
	Job          string
	Mine         bool // it runs the plate that runs on it by our book
	Layer        int
	Layers       int
	LeftMin      float64
	Temperatures map[string]float64 // °C
	Fault        string
	At           time.Time
}

// Tell notes how a machine stands.
func (a *Room) Tell(machineID int64, l Live) {
	a.liveMu.Lock()
	defer a.liveMu.Unlock()
	a.live[machineID] = l
}

// Live returns how a machine stood when it was asked last; ok is false where it has not been.
func (a *Room) Live(machineID int64) (l Live, ok bool) {
	a.liveMu.Lock()
	defer a.liveMu.Unlock()
	l, ok = a.live[machineID]
	return l, ok
}

// OnMachines are the plates whose run is on, or has ended and which want emptying, with all machines.
func (a *Room) OnMachines(ctx context.Context) (machines []studio.Machine, on []studio.Plate, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if machines, err = tx.Machines(); err != nil {
			return err
		}
		on, err = tx.Plates(studio.PlateRunning, studio.PlateFinished)
		return err
	})
	return machines, on, err
}

// Sending notes that the start of a run is about to be sent, before it is.
func (a *Room) Sending(ctx context.Context, who change.Actor, pl studio.Plate, before string) error {
	return a.ofRun(ctx, who, pl.Number, func(now studio.Plate, act studio.Act) (studio.Plate, studio.Entry, error) {
		return now.Send(act, pl.Run.Job, before)
	})
}

// Heard notes that a machine shows a run.
func (a *Room) Heard(ctx context.Context, who change.Actor, pl studio.Plate) error {
	return a.ofRun(ctx, who, pl.Number, func(now studio.Plate, act studio.Act) (studio.Plate, studio.Entry, error) {
		return now.Hear(act, pl.Run.Job)
	})
}

// Missed notes what a machine shows in the place of a run.
func (a *Room) Missed(ctx context.Context, who change.Actor, pl studio.Plate, shows string) error {
	return a.ofRun(ctx, who, pl.Number, func(now studio.Plate, act studio.Act) (studio.Plate, studio.Entry, error) {
		return now.Miss(act, pl.Run.Job, shows)
	})
}

// SayOfMissing notes what a person says of a run that its machine does not show.
func (a *Room) SayOfMissing(ctx context.Context, who change.Actor, number int, what string) error {
	return a.ofRun(ctx, who, number, func(now studio.Plate, act studio.Act) (studio.Plate, studio.Entry, error) {
		return now.SayOfMissing(act, what, jobName(now))
	})
}

// ofRun changes what is known of the run of a plate.
func (a *Room) ofRun(ctx context.Context, who change.Actor, number int, f func(studio.Plate, studio.Act) (studio.Plate, studio.Entry, error)) error {
	return a.Do(ctx, who, func(c change.Change) error {
		pl, err := c.Plate(number)
		if err != nil {
			return err
		}
		pl, e, err := f(pl, c.Act())
		if err != nil {
			return change.Refused(err)
		}
		return savePlate(c, pl, e)
	})
}

// PiecesOn are the pieces on a plate.
func (a *Room) PiecesOn(ctx context.Context, number int) (pieces []studio.Piece, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		pl, err := tx.Plate(number)
		if err == nil {
			pieces, err = tx.PiecesOnPlate(pl.ID)
		}
		return err
	})
	return pieces, err
}

// Layers is how many layers a plate has; 0 where that cannot be said.
func (a *Room) Layers(ctx context.Context, number int) int {
	s, err := a.PlateSheet(ctx, number)
	if err != nil {
		return 0
	}
	tallest := 0.0
	for _, p := range s.Pieces {
		tallest = max(tallest, p.Model.PrintHeightMM()*p.Piece.Scale)
	}
	return process.Of(s.Machine.Process).Layers(s.Machine.Figures, tallest)
}
