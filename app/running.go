package app

import (
	"context"
	"fmt"
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// StartRun notes that a plate's run began, now (zero) or at a time that has passed.
func (a *App) StartRun(ctx context.Context, hand Actor, number int, started time.Time, roomC *float64) error {
	return a.onLaidPlate(ctx, hand, number, func(d Change, _ studio.Shop, machine studio.Machine, pl studio.Plate) error {
		s, err := a.plateSheet(d.Tx, number, false)
		if err != nil {
			return err
		}
		if started.IsZero() {
			started = d.Now
		}
		switch {
		case len(pl.Pieces) == 0:
			return refuse("Plate %d is bare: lay a piece on it first.", number)
		case s.Busy != nil && s.Busy.State == studio.PlateRunning:
			return refuse("%s still runs plate %d. Note its end first.", machine.Name, s.Busy.Number)
		case s.Busy != nil:
			return refuse("Plate %d still stands on %s. Empty it first.", s.Busy.Number, machine.Name)
		case started.After(d.Now):
			return refuse("A run cannot have started later than now, %s.", d.Now.In(s.Shop.Studio.Zone()).Format("15:04"))
		case roomC != nil && (*roomC < -20 || *roomC > 60):
			return refuse("A room of %.0f °C is hard to believe.", *roomC)
		}
		run := studio.Run{PlateID: pl.ID, MachineID: machine.ID, Started: started, PlannedMin: s.Estimate.Minutes, PhysicsMin: s.Estimate.PhysicsMin, RoomC: roomC}
		if err := d.SaveRun(&run); err != nil {
			return err
		}
		pl.State = studio.PlateRunning
		if err := d.SavePlate(pl); err != nil {
			return err
		}
		at := d
		at.Now = started
		return at.Note("run started", About{Plate: pl.ID}, "plate %d on %s, %s", number, machine.Name, studio.Hours(run.PlannedMin))
	})
}

// FinishRun notes that a machine has stopped, with what it reports of each piece,
// if it reports at all ("good", or a cause of failure).
func (a *App) FinishRun(ctx context.Context, hand Actor, number int, ended time.Time, reports map[int64]string) error {
	return a.do(ctx, hand, func(d Change) error {
		pl, err := d.Plate(number)
		if err != nil {
			return err
		}
		if pl.State != studio.PlateRunning {
			return refuse("Plate %d is %s, not running.", number, pl.State)
		}
		if ended.IsZero() {
			ended = d.Now
		}
		if err := endOK(pl.Run, ended, d.Now); err != nil {
			return err
		}
		for i, o := range pl.Pieces {
			pl.Pieces[i].Report = reports[o.PieceID]
		}
		return d.finish(pl, ended)
	})
}

func endOK(r *studio.Run, ended, now time.Time) error {
	if ended.Before(r.Started) {
		return refuse("The run cannot have ended before it started.")
	}
	if ended.After(now) {
		return refuse("The run cannot have ended later than now.")
	}
	return nil
}

func (d Change) finish(pl studio.Plate, ended time.Time) error {
	pl.State, pl.Run.Ended = studio.PlateFinished, ended
	if err := d.SaveRun(pl.Run); err != nil {
		return err
	}
	if err := d.SavePlate(pl); err != nil {
		return err
	}
	at := d
	at.Now = ended
	return at.Note("run ended", About{Plate: pl.ID}, "plate %d, after %s", pl.Number, studio.Hours(ended.Sub(pl.Run.Started).Minutes()))
}

// Outcome is what became of a piece.
type Outcome struct {
	What  string // good, failed or scrapped
	Cause string
}

// EmptyPlate records what came off a plate, piece by piece. A failed piece waits
// again with its next attempt counted, a scrapped one does not; the material is
// booked for all. A run whose end was not noted ends now, or at the time given.
func (a *App) EmptyPlate(ctx context.Context, hand Actor, number int, outcomes map[int64]Outcome, ended time.Time, note string) error {
	return a.do(ctx, hand, func(d Change) error {
		pl, err := d.Plate(number)
		if err != nil {
			return err
		}
		if pl.State != studio.PlateRunning && pl.State != studio.PlateFinished {
			return refuse("Plate %d is %s: there is nothing to empty.", number, pl.State)
		}
		noted := pl.State == studio.PlateFinished || !ended.IsZero()
		if pl.State == studio.PlateRunning {
			if ended.IsZero() {
				ended = d.Now
			}
			if err := endOK(pl.Run, ended, d.Now); err != nil {
				return err
			}
			if err := d.finish(pl, ended); err != nil {
				return err
			}
		}
		s, err := a.plateSheet(d.Tx, number, false)
		if err != nil {
			return err
		}
		pl = s.Plate
		if err := outcomesOK(s, outcomes); err != nil {
			return err
		}
		ran := 1.0 // a run that stopped early laid down only part of its material
		if pl.Run.PlannedMin > 0 {
			ran = min(1, pl.Run.Ended.Sub(pl.Run.Started).Minutes()/pl.Run.PlannedMin)
		}
		hands := (s.Shop.Book.V("plate.empty") + s.Shop.Book.V("plate.setup"))
		hands = hands/float64(len(pl.Pieces)) + s.Shop.Book.V("plate.piece")
		count := map[string]int{}
		for i, lp := range s.Pieces {
			out := outcomes[lp.Piece.ID]
			pl.Pieces[i].Outcome, pl.Pieces[i].Cause = out.What, out.Cause
			count[out.What]++
			if err := d.takeOff(pl, lp.Piece, out, hands); err != nil {
				return err
			}
			if err := d.Book(studio.Booking{MaterialID: pl.MaterialID, RunID: pl.Run.ID, PieceID: lp.Piece.ID, Grams: lp.Grams * ran, At: d.Now}); err != nil {
				return err
			}
		}
		if err := d.Book(studio.Booking{MaterialID: pl.MaterialID, RunID: pl.Run.ID, Grams: s.Machine.Figures.V("loss"), At: d.Now}); err != nil {
			return err
		}
		pl.State, pl.Run.Emptied, pl.Run.EmptiedBy, pl.Run.Note = studio.PlateEmptied, d.Now, d.Who.ID, strings.TrimSpace(note)
		if err := d.SaveRun(pl.Run); err != nil {
			return err
		}
		if err := d.SavePlate(pl); err != nil {
			return err
		}
		// A run that went through, and whose end somebody or the machine noted, teaches.
		if noted && count[studio.Good] == len(pl.Pieces) {
			if err := d.keepTimedRun(studio.TimedRun{MachineID: s.Machine.ID, RunID: pl.Run.ID, What: fmt.Sprintf("plate %d", number),
				OursMin: pl.Run.PhysicsMin, RealMin: pl.Run.Ended.Sub(pl.Run.Started).Minutes(), At: d.Now}); err != nil {
				return err
			}
		}
		return d.Note("plate emptied", About{Plate: pl.ID}, "plate %d: %d good, %d failed, %d scrapped%s", number, count[studio.Good], count[studio.Failed], count[studio.Scrapped], studio.Dash(note))
	})
}

func outcomesOK(s PlateSheet, outcomes map[int64]Outcome) error {
	for _, lp := range s.Pieces {
		out, ok := outcomes[lp.Piece.ID]
		switch {
		case !ok || !studio.OneOf(out.What, studio.Good, studio.Failed, studio.Scrapped):
			return refuse("%s, %s: say whether it is good, failed or scrapped. Nothing was saved.", lp.Piece.Code, lp.Piece.Name)
		case out.What == studio.Failed && strings.TrimSpace(out.Cause) == "":
			return refuse("%s, %s: say why it failed; “not known” will do. Nothing was saved.", lp.Piece.Code, lp.Piece.Name)
		}
	}
	return nil
}

// takeOff moves a piece on after its run.
func (d Change) takeOff(pl studio.Plate, p studio.Piece, out Outcome, hands float64) error {
	if p.State != studio.OnPlate {
		return nil // called off while it was printing
	}
	of := About{Order: p.OrderID, Piece: p.ID, Plate: pl.ID}
	switch out.What {
	case studio.Good:
		p.State = studio.AtBench
		if now := p.Now(); now != nil && now.Kind == route.Print {
			now.Mark, now.PersonID, now.Done, now.Minutes, now.Until = route.Done, d.Who.ID, d.Now, hands, d.Now
			now.Note = fmt.Sprintf("plate %d", pl.Number)
		}
		if err := d.Note("printed", of, "%s came off plate %d", p.Code, pl.Number); err != nil {
			return err
		}
	case studio.Failed:
		p.State = studio.Waiting
		p.Attempt++
		if err := d.Note("print failed", of, "%s on plate %d: %s. It waits for attempt %d", p.Code, pl.Number, out.Cause, p.Attempt); err != nil {
			return err
		}
	case studio.Scrapped:
		p.State = studio.Scrapped
		if err := d.Note("print scrapped", of, "%s on plate %d%s", p.Code, pl.Number, studio.Dash(out.Cause)); err != nil {
			return err
		}
	}
	if err := d.SavePiece(p); err != nil {
		return err
	}
	return d.SaveStages(&p)
}

// mayTakePlate says whether an emptied plate can be taken back: for a while, and as
// long as nothing was done to its pieces since.
func mayTakePlate(s PlateSheet) error {
	if s.Plate.State != studio.PlateEmptied {
		return fmt.Errorf("plate %d is %s", s.Plate.Number, s.Plate.State)
	}
	if err := studio.MayTakeBack(s.Plate.Run.Emptied, s.Now); err != nil {
		return err
	}
	if s.Busy != nil {
		return fmt.Errorf("plate %d stands on %s by now", s.Busy.Number, s.Machine.Name)
	}
	for _, lp := range s.Pieces {
		p := lp.Piece
		moved := false
		switch lp.Outcome {
		case studio.Good:
			last := p.Last()
			moved = p.State != studio.AtBench || last == nil || last.Kind != route.Print
		case studio.Failed:
			moved = p.State != studio.Waiting
		case studio.Scrapped:
			moved = p.State != studio.Scrapped
		}
		if moved && p.State != studio.PieceOff {
			return fmt.Errorf("%s has moved on since", p.Code)
		}
	}
	return nil
}

// TakeBackPlate undoes the emptying of a plate: it stands on its machine again. The
// logbook keeps both.
func (a *App) TakeBackPlate(ctx context.Context, hand Actor, number int) error {
	return a.do(ctx, hand, func(d Change) error {
		s, err := a.plateSheet(d.Tx, number, false)
		if err != nil {
			return err
		}
		if s.MayTake != nil {
			return refused(s.MayTake)
		}
		pl := s.Plate
		for i, lp := range s.Pieces {
			p := lp.Piece
			if p.State != studio.PieceOff {
				switch lp.Outcome {
				case studio.Good:
					last := p.Last()
					*last = studio.Stage{Position: last.Position, Stage: route.Stage{Kind: last.Kind, Mark: route.Todo, Planned: last.Planned, WaitS: last.WaitS}}
				case studio.Failed:
					p.Attempt--
				}
				p.State = studio.OnPlate
				if err := d.SavePiece(p); err != nil {
					return err
				}
				if err := d.SaveStages(&p); err != nil {
					return err
				}
			}
			pl.Pieces[i].Outcome, pl.Pieces[i].Cause = "", ""
		}
		if err := d.Unbook(pl.Run.ID); err != nil {
			return err
		}
		pl.State, pl.Run.Emptied, pl.Run.EmptiedBy = studio.PlateFinished, time.Time{}, 0
		if err := d.SaveRun(pl.Run); err != nil {
			return err
		}
		if err := d.SavePlate(pl); err != nil {
			return err
		}
		return d.Note("plate taken back", About{Plate: pl.ID}, "plate %d stands on %s again", number, s.Machine.Name)
	})
}

// Running returns the plates that run, for the machines themselves.
func (a *App) Running(ctx context.Context) (h studio.Shop, plates []studio.Plate, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if h, err = shop(tx); err != nil {
			return err
		}
		plates, err = tx.Plates(studio.PlateRunning)
		return err
	})
	return h, plates, err
}
