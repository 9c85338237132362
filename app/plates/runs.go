package plates

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// StartRun notes that a plate's run began, now (zero) or at a time that has passed.
func (a *Room) StartRun(ctx context.Context, who change.Actor, number int, started studio.Started) error {
	return a.Do(ctx, who, func(c change.Change) error {
		s, err := a.plateSheet(c.Tx, number)
		if err != nil {
			return err
		}
		if err := s.readiness(c.Tx); err != nil {
			return err
		}
		started.Held, started.Ready, started.Job = s.Hold, s.Ready, jobName(s.Plate)
		if started.Lot, err = s.lot(started.Lot.ID); err != nil {
			return err
		}
		pl, e, err := s.Plate.Start(c.Act(), s.Machine, s.pieces(), started, s.Estimate, s.Busy, s.Shop.Studio.Zone())
		if err != nil {
			return change.Refused(err)
		}
		return errors.Join(open(c, started.Lot), savePlate(c, pl, e))
	})
}

// jobName is by what a machine knows a run of a plate: the number for whoever stands before it, and a random word, for a
// number comes again after a backup does.
func jobName(pl studio.Plate) string { return fmt.Sprintf("plate-%d-%s", pl.Number, rand.Text()[:16]) }

// lot is one of those that the plate may take from; of id 0 none.
func (s PlateSheet) lot(id int64) (studio.Lot, error) {
	if id == 0 {
		return studio.Lot{}, nil
	}
	at := slices.IndexFunc(s.Lots, func(l studio.Lot) bool { return l.ID == id })
	if at < 0 {
		return studio.Lot{}, change.Refuse("That lot is used up, or of another material.")
	}
	return s.Lots[at], nil
}

// open notes that a lot was opened, with the first run that takes from it.
func open(c change.Change, l studio.Lot) error {
	if l.ID == 0 || !l.Opened.IsZero() {
		return nil
	}
	l.Opened = c.Now
	return c.SaveLot(&l)
}

// PutRight notes what was put right on a machine, or of a model, after failures: it may run again, and
// what failed before counts for less.
func (a *Room) PutRight(ctx context.Context, who change.Actor, r studio.Remedy) error {
	return a.Do(ctx, who, func(c change.Change) error {
		m, err := setup.Machine(c.Tx, r.MachineID)
		if err != nil {
			return err
		}
		if err := r.Check().Err(); err != nil {
			return change.Refused(err)
		}
		of := m.Name
		if r.ModelID != 0 {
			model, err := c.Model(r.ModelID)
			if err != nil {
				return err
			}
			of = model.Name
		}
		r.At, r.PersonID, r.Did = c.Now, c.Act().PersonID, strings.TrimSpace(r.Did)
		if err := c.AddRemedy(&r); err != nil {
			return err
		}
		return c.Note("put right", change.About{}, "%s: %s; %s", of, r.Cause, r.Did)
	})
}

// Replaced notes that a part of a machine that wears was replaced.
func (a *Room) Replaced(ctx context.Context, who change.Actor, machineID int64, what string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		m, err := setup.Machine(c.Tx, machineID)
		if err != nil {
			return err
		}
		if !slices.Contains(m.Wears(), what) {
			return change.Refuse("%s has no such part.", m.Name)
		}
		r := studio.Replacement{MachineID: m.ID, PersonID: c.Act().PersonID, What: what, At: c.Now}
		if err := c.AddReplacement(&r); err != nil {
			return err
		}
		return c.Note("replaced", change.About{}, "%s: %s", m.Name, what)
	})
}

// savePlate writes a plate with its run, and what happened to it.
func savePlate(c change.Change, pl studio.Plate, e studio.Entry) error {
	if pl.Run != nil {
		if err := c.SaveRun(pl.Run); err != nil {
			return err
		}
	}
	return errors.Join(c.SavePlate(pl), c.Log(e))
}

// FinishRun notes that a machine has stopped, with what it reports of each piece,
// if it reports at all ("good", or a cause of failure).
func (a *Room) FinishRun(ctx context.Context, who change.Actor, number int, ended time.Time, reports map[int64]string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		pl, err := c.Plate(number)
		if err != nil {
			return err
		}
		_, err = finish(c, pl, ended, reports)
		return err
	})
}

// finish ends the run of a plate, now (zero) or at a time that has passed.
func finish(c change.Change, pl studio.Plate, ended time.Time, reports map[int64]string) (studio.Plate, error) {
	if ended.IsZero() {
		ended = c.Now
	}
	pl, e, err := pl.Finish(c.Act(), ended, reports)
	if err != nil {
		return pl, change.Refused(err)
	}
	return pl, savePlate(c, pl, e)
}

// Emptied is what a person says when they empty a plate.
type Emptied struct {
	Outcomes map[int64]studio.Outcome // by piece
	Ended    time.Time                // when the run ended, if that was not noted; zero: now
	Note     string
	Sure     bool             // a run far too short for good prints is meant
	Photos   map[int64]string // by piece, as they were kept
}

// addPhotos notes the photographs of what came off a plate.
func (a *Room) addPhotos(c change.Change, pl studio.Plate, photos map[int64]string) error {
	for _, id := range slices.Sorted(maps.Keys(photos)) {
		if !pl.Holds(id) {
			continue
		}
		at := slices.IndexFunc(pl.Pieces, func(o studio.OnPlatePiece) bool { return o.PieceID == id })
		if err := a.NotePhoto(c, studio.Photo{PieceID: id, PlateID: pl.ID, SHA: photos[id], Text: pl.Pieces[at].Cause, Stage: route.Print}); err != nil {
			return err
		}
	}
	return nil
}

// EmptyPlate records what came off a plate, piece by piece: a failed piece waits again
// with its next attempt counted, a scrapped one does not; the material is booked for all.
// A run that went through, and whose end somebody or the machine noted, teaches.
func (a *Room) EmptyPlate(ctx context.Context, who change.Actor, number int, said Emptied) error {
	return a.Do(ctx, who, func(c change.Change) error {
		pl, err := c.Plate(number)
		if err != nil {
			return err
		}
		noted := pl.State == studio.PlateFinished || !said.Ended.IsZero()
		if pl.State == studio.PlateRunning {
			if pl, err = finish(c, pl, said.Ended, nil); err != nil {
				return err
			}
		}
		s, err := a.plateSheet(c.Tx, number)
		if err != nil {
			return err
		}
		pl, e, err := s.Plate.Empty(c.Act(), s.pieces(), said.Outcomes, said.Note, said.Sure)
		if err != nil {
			return change.Refused(err)
		}
		if err := a.comeOff(c, s, pl, said.Outcomes); err != nil {
			return err
		}
		if err := errors.Join(savePlate(c, pl, e), a.addPhotos(c, pl, said.Photos)); err != nil {
			return err
		}
		if t, ok := pl.Teaches(c.Now); ok && noted {
			return c.AddTimedRun(t)
		}
		return nil
	})
}

// comeOff moves the pieces of an emptied plate on and books what they took.
func (a *Room) comeOff(c change.Change, s PlateSheet, pl studio.Plate, outcomes map[int64]studio.Outcome) error {
	hands, ran := s.Shop.PlateHandsMin(len(pl.Pieces)), pl.Run.Share()
	for _, lp := range s.Pieces {
		p, e, err := lp.Piece.ComeOff(c.Act(), pl, outcomes[lp.Piece.ID], hands)
		if err != nil {
			return change.Refused(err)
		}
		if err := errors.Join(c.SavePiece(p), c.SaveStages(&p), c.Log(e)); err != nil {
			return err
		}
		if err := c.Book(studio.Booking{MaterialID: pl.MaterialID, RunID: pl.Run.ID, PieceID: p.ID, LotID: pl.Run.LotID, Grams: lp.Grams * ran, At: c.Now}); err != nil {
			return err
		}
	}
	return c.Book(studio.Booking{MaterialID: pl.MaterialID, RunID: pl.Run.ID, LotID: pl.Run.LotID, Grams: s.Machine.Figures.V("loss"), At: c.Now})
}

// TakeBackPlate undoes the emptying of a plate: it stands on its machine again. The
// logbook keeps both.
func (a *Room) TakeBackPlate(ctx context.Context, who change.Actor, number int) error {
	return a.Do(ctx, who, func(c change.Change) error {
		s, err := a.plateSheet(c.Tx, number)
		if err != nil {
			return err
		}
		pl, e, err := s.Plate.Refill(c.Act(), s.Machine, s.Busy, s.pieces())
		if err != nil {
			return change.Refused(err)
		}
		for _, lp := range s.Pieces {
			p := lp.Piece.GoBackOn(lp.Outcome)
			if err := errors.Join(c.SavePiece(p), c.SaveStages(&p)); err != nil {
				return err
			}
		}
		return errors.Join(c.Unbook(pl.Run.ID), c.DropPhotosOn(pl.ID), savePlate(c, pl, e))
	})
}

// pieces are those on the plate.
func (s PlateSheet) pieces() (out []studio.Piece) {
	for _, lp := range s.Pieces {
		out = append(out, lp.Piece)
	}
	return out
}

// Running returns the plates that run, for the machines themselves.
func (a *Room) Running(ctx context.Context) (h studio.Shop, plates []studio.Plate, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if h, err = setup.Load(tx); err != nil {
			return err
		}
		plates, err = tx.Plates(studio.PlateRunning)
		return err
	})
	return h, plates, err
}

// Again is a piece that failed before, on a plate that is to start.
type Again struct {
	Piece   studio.Piece
	Before  string // why it failed last
	Changed string // for this attempt, if somebody said so already
	Fault   process.Fault
}

// again finds the pieces of a plate that failed before, and why.
func (s *PlateSheet) again(tx *store.Tx) error {
	for _, lp := range s.Pieces {
		if lp.Piece.Attempt < 2 {
			continue
		}
		before, err := tx.LastFailure(lp.Piece.ID)
		if err != nil {
			return err
		}
		s.Again = append(s.Again, Again{lp.Piece, before, lp.Changed, process.FaultOf(before)})
	}
	return nil
}

// Ends is when the plate's run ends: as noted, as it should, or if it were started now.
func (s PlateSheet) Ends() time.Time {
	switch {
	case s.Plate.Run == nil:
		return s.Now.Add(time.Duration(s.Estimate.Minutes * float64(time.Minute)))
	case s.Plate.Run.Ended.IsZero():
		return s.Plate.Run.Due()
	}
	return s.Plate.Run.Ended
}

// wanted is by when a piece must be off its plate for its order; the orders are asked for once.
func wanted(tx *store.Tx, known map[int64]time.Time, p studio.Piece, now time.Time) (time.Time, error) {
	if _, is := known[p.OrderID]; !is {
		o, err := tx.OrderByID(p.OrderID)
		if err != nil {
			return time.Time{}, err
		}
		known[o.ID] = o.Wanted
	}
	return p.OffBy(known[p.OrderID], now), nil
}

// risks finds what a run that is to start, or is on, puts at stake; and of what is about to come off
// what it takes mended or printed again.
func (s *PlateSheet) risks(tx *store.Tx) error {
	if !studio.OneOf(s.Plate.State, studio.PlateLaid, studio.PlateRunning, studio.PlateFinished) {
		return nil
	}
	if process.Of(s.Machine.Process).Wet {
		s.Load = studio.PlateLoad(s.on())
	}
	known := map[int64]time.Time{}
	gap := sync.OnceValue(s.gap)
	for i, lp := range s.on() {
		off, err := wanted(tx, known, lp.Piece, s.Now)
		if err != nil {
			return err
		}
		if s.Plate.State == studio.PlateFinished {
			s.Pieces[i].Remake = s.Shop.MendOrReprint(lp, s.Machine, s.Material, off, s.Now)
			continue
		}
		r, is := s.Shop.Irreplaceable(lp, s.Machine, s.Material, off, s.Ends())
		if !is || lp.Piece.Kind == studio.KindSpare {
			continue
		}
		for _, o := range s.Pieces {
			if o.Piece.Kind == studio.KindSpare && o.Piece.FromID == lp.Piece.ID {
				r.Has = o.Piece.Code
			}
		}
		if s.Plate.State == studio.PlateLaid && r.Has == "" {
			c := s.candidate(gap(), lp)
			r.Spare, r.SpareMin, r.SpareGrams = c.Fits, c.AddMinutes, c.AddGrams
		}
		s.Risks = append(s.Risks, r)
	}
	return nil
}
