package plates

import (
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"time"

	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Foreseen are the plates that what waits would come to, by each machine that would end it first, in the
// order in which they would run; others are machines that are not there, and might be.
func (a *Room) Foreseen(ctx context.Context, others ...studio.Machine) (out []studio.PlannedPlate, err error) {
	return a.foreseen(ctx, others, func(*WhatIf) error { return nil })
}

// ForeseenTurned are they with the pieces of an order that wait turned as they print fastest; turned says which
// that are, by their names: none, where they stand so already, or no other way to stand is known.
func (a *Room) ForeseenTurned(ctx context.Context, orderID int64) (out []studio.PlannedPlate, turned []string, err error) {
	out, err = a.foreseen(ctx, nil, func(w *WhatIf) error {
		return a.Store.Read(ctx, func(tx *store.Tx) error {
			for k, lp := range w.Pieces {
				if lp.Piece.OrderID != orderID {
					continue
				}
				on, model, err := fastest(tx, lp)
				if err != nil {
					return err
				}
				if on != lp.Piece.OrientationID {
					w.Pieces[k].Piece.OrientationID, w.Pieces[k].Model = on, model
					if !slices.Contains(turned, lp.Piece.Name) {
						turned = append(turned, lp.Piece.Name)
					}
				}
			}
			return nil
		})
	})
	return out, turned, err
}

// ForeseenWithout are they without the pieces of an order.
func (a *Room) ForeseenWithout(ctx context.Context, orderID int64) ([]studio.PlannedPlate, error) {
	return a.foreseen(ctx, nil, func(w *WhatIf) error {
		w.Pieces = slices.DeleteFunc(slices.Clone(w.Pieces), func(lp studio.LaidPiece) bool { return lp.Piece.OrderID == orderID })
		return nil
	})
}

// fastest is how a piece stands that it is printed fastest, of the ways that are known.
func fastest(tx *store.Tx, lp studio.LaidPiece) (id int64, m studio.Model, err error) {
	list, err := tx.Orientations(lp.Piece.ModelID, lp.Piece.Process)
	at := slices.IndexFunc(list, func(o studio.Orientation) bool {
		return o.ID == lp.Piece.OrientationID || lp.Piece.OrientationID == 0 && o.Facts.AsFile
	})
	if err != nil || at < 0 {
		return lp.Piece.OrientationID, lp.Model, err
	}
	best := at
	for k, o := range list {
		if o.Facts.Minutes < list[best].Facts.Minutes {
			best = k
		}
	}
	if best == at {
		return lp.Piece.OrientationID, lp.Model, nil
	}
	m, err = tx.ModelOriented(lp.Piece.ModelID, list[best].ID)
	return list[best].ID, m, err
}

func (a *Room) foreseen(ctx context.Context, others []studio.Machine, change func(*WhatIf) error) (out []studio.PlannedPlate, err error) {
	var groups []WaitingGroup
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err := setup.Load(tx)
		if err != nil {
			return err
		}
		groups, _, err = Waiting(tx, h)
		return err
	})
	for _, g := range groups {
		if err != nil || len(g.Machines) == 0 {
			continue
		}
		var w WhatIf
		if w, err = a.waiting(ctx, g.Process, g.Material.ID, g.Profile); err != nil {
			continue
		}
		if err = change(&w); err != nil {
			continue
		}
		w.steps, w.seed = whatIfSteps, 1
		for _, m := range others {
			if m.Process == g.Process && m.Prints(g.Material.ID) {
				w.Machines = append(w.Machines, m)
			}
		}
		out = append(out, a.packed(w)...)
	}
	return out, err
}

// packed are the plates of what waits for a material. Packing takes longest of all that a plan is made of,
// so what was packed is remembered, as long as the same waits for the same machines.
func (a *Room) packed(w WhatIf) (out []studio.PlannedPlate) {
	key := fmt.Sprint(w.Process, w.Material.ID, w.Profile, w.Now.Truncate(packedFor).Unix())
	code := map[string]int64{}
	for _, p := range w.Pieces {
		code[p.Piece.Code] = p.Piece.ID
		key += fmt.Sprint(" ", p.Piece.ID, p.Model.ID, p.Piece.OrientationID, p.Piece.Scale, p.Piece.Profile, w.queue.Due[p.Piece.ID].Unix())
	}
	for _, m := range w.Machines {
		key += fmt.Sprint(" ", m.ID, m.Figures, m.Takes, m.KeepOut, m.QuietFromMin, m.QuietToMin, int(w.free[m.ID]/packedFor.Minutes()))
	}
	sum := sha256.Sum256([]byte(key))
	a.packing.Lock()
	defer a.packing.Unlock()
	if known, ok := a.packs[sum]; ok {
		return known
	}
	for _, run := range w.way("", w.Machines).Runs {
		pl := studio.PlannedPlate{MachineID: run.Machine.ID, State: studio.PlateLaid, Minutes: run.Minutes}
		for _, l := range run.Laid {
			pl.Pieces = append(pl.Pieces, code[l.Part.ID])
		}
		out = append(out, pl)
	}
	if a.packs == nil || len(a.packs) >= mostPacks {
		a.packs = map[[32]byte][]studio.PlannedPlate{}
	}
	a.packs[sum] = out
	return out
}

// How long a packing is remembered while the same waits, and how many are.
const (
	packedFor = 30 * time.Minute
	mostPacks = 40
)

// Planned are the plates that run, stand full or are laid, as a plan takes them.
func (a *Room) Planned(tx *store.Tx) (out []studio.PlannedPlate, err error) {
	open, err := tx.Plates(studio.PlateRunning, studio.PlateFinished, studio.PlateLaid)
	if err != nil {
		return nil, err
	}
	for _, state := range []studio.PlateState{studio.PlateFinished, studio.PlateRunning, studio.PlateLaid} {
		for _, pl := range open {
			if pl.State != state {
				continue
			}
			p := studio.PlannedPlate{Number: pl.Number, MachineID: pl.MachineID, State: pl.State}
			switch state {
			case studio.PlateRunning:
				p.Minutes = pl.Run.Left(a.Clock.Now())
			case studio.PlateLaid:
				s, err := a.plateSheet(tx, pl.Number)
				if err != nil {
					return nil, err
				}
				p.Minutes = s.Estimate.Minutes
			}
			for _, o := range pl.Pieces {
				p.Pieces = append(p.Pieces, o.PieceID)
			}
			out = append(out, p)
		}
	}
	return out, nil
}
