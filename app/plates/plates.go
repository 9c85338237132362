// Package plates is what machines are given to do: plates are laid, changed, started,
// emptied piece by piece and taken back, and finished runs calibrate their machine.
package plates

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/app/pieces"
	"sakuji/app/setup"
	"sakuji/core/plate"
	"sakuji/core/rates"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where plates are.
type Room struct {
	change.Base
	packing sync.Mutex
	packs   map[[32]byte][]studio.PlannedPlate
	queue   *jobs.Queue
	liveMu  sync.Mutex
	live    map[int64]Live // by machine

	answers jobs.Answers // plans that are looked for longer than a moment
	lookMu  sync.Mutex
	looking map[string]*lookingOn // by what they are for
}

// New makes the room and registers the long work it does.
func New(base change.Base, queue *jobs.Queue) *Room {
	a := &Room{Base: base, queue: queue, live: map[int64]Live{}, looking: map[string]*lookingOn{}}
	queue.Register(studio.JobCalibrate, jobs.Kind{Run: a.calibrate, Ended: dropPrepared, After: a.letGo})
	return a
}

// PlatesSheet is what stands and waits at the machines.
type PlatesSheet struct {
	Shop    studio.Shop
	Open    []studio.Plate // laid, running or finished
	Emptied []studio.Plate
	Waiting []WaitingGroup
	Held    []studio.HeldPiece      // wait, and must not be laid yet
	Live    map[int64]*Live         // how machines stand that answer, by id
	Worn    map[int64][]studio.Worn // what wants replacing, now or soon, by machine
	Holds   map[int64]string        // machines that must not run, by id, and why
	Now     time.Time
}

// On returns the machine's open plates in a state.
func (s PlatesSheet) On(machineID int64, states ...studio.PlateState) (out []studio.Plate) {
	for _, p := range s.Open {
		if p.MachineID == machineID && slices.Contains(states, p.State) {
			out = append(out, p)
		}
	}
	return out
}

// Plates returns the sheet of plates.
func (a *Room) Plates(ctx context.Context) (s PlatesSheet, err error) {
	s.Now = a.Clock.Now()
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		if s.Open, err = tx.Plates(studio.PlateLaid, studio.PlateRunning, studio.PlateFinished); err != nil {
			return err
		}
		if s.Emptied, err = tx.EmptiedPlates(12); err != nil {
			return err
		}
		if s.Waiting, s.Held, err = Waiting(tx, s.Shop); err != nil {
			return err
		}
		s.Holds, s.Live, s.Worn = map[int64]string{}, map[int64]*Live{}, map[int64][]studio.Worn{}
		remedies, err := tx.LastRemedies()
		if err != nil {
			return err
		}
		for _, m := range s.Shop.Machines {
			if l, ok := a.Live(m.ID); ok {
				s.Live[m.ID] = &l
			}
			if s.Worn[m.ID], err = worn(tx, m); err != nil {
				return err
			}
			inRow, err := failedInRow(tx, m.ID, remedies)
			if err != nil {
				return err
			}
			if why := m.Held(inRow); why != "" {
				s.Holds[m.ID] = why
			}
		}
		return nil
	})
	return s, err
}

// LaidPiece is a piece on a plate as the drawing and the lists need it.
type LaidPiece struct {
	studio.OnPlatePiece
	Piece   studio.Piece
	Model   studio.Model
	Grams   float64
	Fragile []solid.Fragile // its weakest places, at its size
	Remake  studio.Remake   // what it takes mended or printed again, where it is about to come off
}

// fragile finds the thin places of what lies on a plate that is about to be emptied.
func (s *PlateSheet) fragile(tx *store.Tx) (err error) {
	if !studio.OneOf(s.Plate.State, studio.PlateRunning, studio.PlateFinished) {
		return nil
	}
	weak := map[[2]int64][]solid.Fragile{} // by model and size, in thousandths
	for i := range s.Pieces {
		p := s.Pieces[i].Piece
		key := [2]int64{p.ModelID, int64(math.Round(p.Scale * 1000))}
		if _, known := weak[key]; !known {
			if weak[key], err = models.Fragile(tx, p.ModelID, p.Scale); err != nil {
				return err
			}
		}
		s.Pieces[i].Fragile = weak[key]
	}
	return nil
}

// Check says what to look at when a piece comes off its plate: that it is whole, its holes are open,
// what meets is true, and its thin places still stand; and what mending one takes.
func (s PlateSheet) Check(p LaidPiece) string {
	look := []string{"complete, no cracks"}
	if p.Model.How == studio.Hollow || p.Model.Measures.Cavities > 0 {
		look = append(look, "its holes open")
	}
	if p.Model.How == studio.Cut || p.Piece.ParentID != 0 {
		look = append(look, "mating faces true, sockets clean")
	}
	if n := len(p.Fragile); n > 0 {
		look = append(look, fmt.Sprintf("%s whole, the weakest %s mm² at %s mm; mending one takes about %s min", studio.Say(n, "thin place"), rates.Number(p.Fragile[0].SectionMM2), rates.Number(p.Fragile[0].At.Z), rates.Number(s.RepairMin())))
	}
	return studio.UpperFirst(strings.Join(look, "; ")) + "."
}

// RepairMin is what mending a thin place that broke takes, in minutes.
func (s PlateSheet) RepairMin() float64 { return s.Shop.Book.V("repair.piece") }

// PlateSheet is one plate, drawn and worked out.
type PlateSheet struct {
	Shop       studio.Shop
	Plate      studio.Plate
	Machine    studio.Machine
	Material   studio.Material
	Pieces     []LaidPiece
	Estimate   studio.PlateEstimate
	Candidates []Candidate
	InRow      []string            // causes of its machine's last runs, as long as they failed
	Hold       string              // why its machine must not run; empty: it may
	Ready      []studio.ReadyCheck // what to look at before it starts
	Live       *Live               // how the machine stands, if it answers
	Lots       []studio.Lot        // that its material may be taken from, the one to use up first first
	Load       studio.LayerLoad    // of a resin plate
	Risks      []studio.Risk       // pieces that could not be printed again in time
	Again      []Again             // pieces that failed before
	Busy       *studio.Plate       // another plate runs on the machine
	MayTake    error               // why the emptying cannot be taken back; nil: it can
	Photos     []studio.Photo      // of what came off it
	Log        []studio.Entry
	Now        time.Time
}

// PlateSheet returns a plate's sheet.
func (a *Room) PlateSheet(ctx context.Context, number int) (s PlateSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s, err = a.plateSheet(tx, number); err != nil {
			return err
		}
		if err := errors.Join(s.fragile(tx), s.readiness(tx), s.risks(tx)); err != nil {
			return err
		}
		switch s.Plate.State {
		case studio.PlateLaid:
			s.Candidates, err = s.candidates(tx)
		case studio.PlateEmptied:
			s.Photos, err = tx.PhotosOn(s.Plate.ID)
		}
		return err
	})
	return s, err
}

// plateSheet is a plate with what lies on it and what its run takes; what is only looked at is left
// out.
func (a *Room) plateSheet(tx *store.Tx, number int) (s PlateSheet, err error) {
	s.Now = a.Clock.Now()
	if s.Shop, err = setup.Load(tx); err != nil {
		return s, err
	}
	if s.Plate, err = tx.Plate(number); err != nil {
		return s, err
	}
	s.Machine, _ = s.Shop.Machine(s.Plate.MachineID)
	s.Material, _ = s.Shop.Material(s.Plate.MaterialID, s.Machine.Process)
	if l, ok := a.Live(s.Machine.ID); ok {
		s.Live = &l
	}
	pieces, err := tx.PiecesOnPlate(s.Plate.ID)
	if err != nil {
		return s, err
	}
	models, err := tx.PieceModels(pieces...)
	if err != nil {
		return s, err
	}
	lots, err := tx.Lots()
	if err != nil {
		return s, err
	}
	s.Lots = studio.Usable(lots, s.Material.ID)
	s.priced(lots)
	for i, p := range pieces {
		s.Pieces = append(s.Pieces, LaidPiece{OnPlatePiece: s.Plate.Pieces[i], Piece: p, Model: models[p.ID]})
	}
	s.Machine = s.Machine.For(s.Material, studio.SharedBy(s.on()))
	s.Estimate = s.Shop.EstimatePlate(s.Machine, s.Material, s.on())
	for i := range s.Pieces {
		s.Pieces[i].Grams = s.Estimate.PieceGrams[s.Pieces[i].Piece.ID]
	}
	open, err := tx.Plates(studio.PlateRunning, studio.PlateFinished)
	if err != nil {
		return s, err
	}
	for i, p := range open {
		if p.MachineID == s.Machine.ID && p.ID != s.Plate.ID {
			s.Busy = &open[i]
		}
	}
	s.MayTake = s.Plate.MayRefill(s.Now, s.Machine, s.Busy, pieces)
	return s, nil
}

// readiness finds what must be looked at before a laid plate starts, and whether its machine is held.
func (s *PlateSheet) readiness(tx *store.Tx) error {
	if s.Plate.State != studio.PlateLaid {
		return nil
	}
	remedies, err := tx.LastRemedies()
	if err != nil {
		return err
	}
	if s.InRow, err = failedInRow(tx, s.Machine.ID, remedies); err != nil {
		return err
	}
	wears, err := worn(tx, s.Machine)
	if err != nil {
		return err
	}
	s.Hold, s.Ready = s.Machine.Held(s.InRow), s.Shop.Ready(s.Machine, s.Estimate.Grams, s.InRow, wears, s.Now)
	return s.again(tx)
}

// worn are the parts of a machine that want replacing, now or soon.
func worn(tx *store.Tx, m studio.Machine) (out []studio.Worn, err error) {
	for _, what := range m.Wears() {
		u, err := tx.UseSince(m.ID, what)
		if err != nil {
			return nil, err
		}
		if w := m.Worn(what, u); w.Text() != "" {
			out = append(out, w)
		}
	}
	return out, nil
}

// failedInRow are the causes of a machine's last runs, as long as they failed.
func failedInRow(tx *store.Tx, machineID int64, remedies map[int64]studio.Remedy) ([]string, error) {
	emptied, err := tx.EmptiedOn(machineID, 8)
	return studio.FailedInRow(emptied, remedies[machineID].At), err
}

// priced gives the material the price of the lot that the run takes from, or would: the book's where
// the lot has none.
func (s *PlateSheet) priced(lots []studio.Lot) {
	at := -1
	switch {
	case s.Plate.Run != nil:
		at = slices.IndexFunc(lots, func(l studio.Lot) bool { return l.ID != 0 && l.ID == s.Plate.Run.LotID })
	case len(s.Lots) > 0:
		at = slices.IndexFunc(lots, func(l studio.Lot) bool { return l.ID == s.Lots[0].ID })
	}
	if at < 0 || lots[at].PricePerKG == 0 {
		return
	}
	s.Material.Figures = maps.Clone(s.Material.Figures)
	price := s.Material.Figures["price"]
	price.Value, price.Source = lots[at].PricePerKG, rates.Logged
	s.Material.Figures["price"] = price
}

// gap is what is left of the bed.
func (s PlateSheet) gap() plate.Gap {
	return plate.NewGap(s.Machine.Bed(), s.Shop.Book.V("spacing"), studio.TurnDeg, s.Laid())
}

// on is what lies on the plate, as its estimate needs it.
func (s PlateSheet) on() (out []studio.LaidPiece) {
	for _, p := range s.Pieces {
		out = append(out, studio.LaidPiece{Piece: p.Piece, Model: p.Model})
	}
	return out
}

// Laid is what lies on the plate, as its geometry needs it.
func (s PlateSheet) Laid() (out []plate.Laid) {
	for _, p := range s.Pieces {
		out = append(out, onBed(s.Machine, p.Piece, p.Model, p.OnPlatePiece))
	}
	return out
}

// onBed is a piece where it lies.
func onBed(m studio.Machine, p studio.Piece, model studio.Model, at studio.OnPlatePiece) plate.Laid {
	return plate.Laid{Part: m.OnBed(p.Code, p.Copy(model)), Placed: plate.Placed{ID: p.Code, XMM: at.XMM, YMM: at.YMM, AngleDeg: at.AngleDeg}}
}

// onLaidPlate runs a change on a plate that has not started.
func (a *Room) onLaidPlate(ctx context.Context, who change.Actor, number int, f func(change.Change, studio.Shop, studio.Machine, studio.Plate) error) error {
	return a.Do(ctx, who, func(d change.Change) error {
		pl, err := d.Plate(number)
		if err != nil {
			return err
		}
		if err := pl.MayChange(); err != nil {
			return change.Refused(err)
		}
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		machine, _ := h.Machine(pl.MachineID)
		return f(d, h, machine, pl)
	})
}

// AddToPlate lays one more waiting piece on a plate.
func (a *Room) AddToPlate(ctx context.Context, who change.Actor, number int, code string) error {
	return a.onLaidPlate(ctx, who, number, func(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate) error {
		left, err := fillPlate(d, h, machine, pl, []string{code})
		if err != nil {
			return err
		}
		if len(left) > 0 {
			return change.Refuse("%s does not go on plate %d: %s.", code, number, left[0].Reason)
		}
		return d.Note("laid on a plate", change.About{Plate: pl.ID}, "%s on plate %d", code, number)
	})
}

// AddSpare prints another copy of a piece beside it, in case it fails.
func (a *Room) AddSpare(ctx context.Context, who change.Actor, number int, code string) error {
	return a.onLaidPlate(ctx, who, number, func(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate) error {
		spare, err := pieces.AddSpare(d, code)
		if err != nil {
			return err
		}
		left, err := fillPlate(d, h, machine, pl, []string{spare.Code})
		if err != nil {
			return err
		}
		if len(left) > 0 {
			return change.Refuse("A spare of %s does not go on plate %d: %s.", code, number, left[0].Reason)
		}
		return d.Note("laid on a plate", change.About{Plate: pl.ID}, "%s, a spare of %s, on plate %d", spare.Code, code, number)
	})
}

// LiftOff takes a piece off a plate; it waits again.
func (a *Room) LiftOff(ctx context.Context, who change.Actor, number int, code string) error {
	return a.onLaidPlate(ctx, who, number, func(d change.Change, _ studio.Shop, _ studio.Machine, pl studio.Plate) error {
		p, err := d.Piece(code)
		if err != nil {
			return err
		}
		pl, p, e, err := pl.Lift(d.Act(), p)
		if err != nil {
			return change.Refused(err)
		}
		return errors.Join(d.SavePlate(pl.KeepOff(p.ID)), d.SavePiece(p), d.Log(e))
	})
}

// FillAgain lays the plate again with what waits: what a person locked stays where it is, and what
// was lifted off stays off.
func (a *Room) FillAgain(ctx context.Context, who change.Actor, number int) (left []plate.Left, err error) {
	err = a.onLaidPlate(ctx, who, number, func(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate) error {
		if pl, err = clear(d, pl, false); err != nil {
			return err
		}
		if left, err = fillPlate(d, h, machine, pl, nil); err != nil {
			return err
		}
		return d.Note("plate laid again", change.About{Plate: pl.ID}, "plate %d", number)
	})
	return left, err
}

// clear lifts everything off a plate, or all but what is locked; it waits again.
func clear(d change.Change, pl studio.Plate, locked bool) (studio.Plate, error) {
	for _, o := range pl.Pieces {
		if o.Locked && !locked {
			continue
		}
		p, err := d.PieceByID(o.PieceID)
		if err != nil {
			return pl, err
		}
		if pl, p, _, err = pl.Lift(d.Act(), p); err != nil {
			return pl, change.Refused(err)
		}
		if err := d.SavePiece(p); err != nil {
			return pl, err
		}
	}
	return pl, d.SavePlate(pl)
}

// DiscardPlate gives a layout up before it starts.
func (a *Room) DiscardPlate(ctx context.Context, who change.Actor, number int) error {
	return a.onLaidPlate(ctx, who, number, func(d change.Change, _ studio.Shop, _ studio.Machine, pl studio.Plate) error {
		pl, err := clear(d, pl, true)
		if err != nil {
			return err
		}
		pl, e, err := pl.Discard(d.Act())
		if err != nil {
			return change.Refused(err)
		}
		return savePlate(d, pl, e)
	})
}
