package plates

import (
	"context"
	"crypto/sha256"
	"fmt"
	"time"

	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Foreseen are the plates that what waits would come to, by each machine that would end it first, in the
// order in which they would run; others are machines that are not there, and might be.
func (a *Room) Foreseen(ctx context.Context, others ...studio.Machine) (out []studio.PlannedPlate, err error) {
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
