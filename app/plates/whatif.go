package plates

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/plate"
	"sakuji/store"
	"sakuji/studio"
)

// WhatIf is how what waits for a material could be printed: by each machine alone, by all of them
// side by side, and with another one.
type WhatIf struct {
	Shop     studio.Shop
	Process  string
	Material studio.Material
	Profile  studio.PrintProfile
	Pieces   []studio.LaidPiece
	Machines []studio.Machine // of the process, in use
	Ways     []Way
	Other    studio.OtherMachine
	OtherBad error
	Each     []Placing
	Now      time.Time
	LookedOn *LookedOn // longer than a moment; nil: not

	steps int    // of search for each plate
	seed  uint64 // of its die
	queue queued
	laid  []PlateSheet      // plates that are laid, of every machine
	free  map[int64]float64 // from when each machine may start, in minutes from now
}

// Way is one of them.
type Way struct {
	Name      string
	Machines  []studio.Machine
	Runs      []WayRun
	Left      []plate.Left
	Minutes   float64   // of all runs, changes included
	Ends      time.Time // of the last run, with somebody there at each change
	CostMinor int64
	Late      int  // pieces that are off their plate after they should be
	Owned     bool // of machines that are there
	With      bool // all of them and another
}

// WayRun is a plate of it.
type WayRun struct {
	Machine   studio.Machine
	Begins    time.Time
	Ends      time.Time
	Minutes   float64
	TallestMM float64
	Laid      []plate.Laid
	Grams     float64
}

// Placing is where one waiting piece fits in best: a gap on a plate that is laid, and the machine
// that it is cheapest on alone.
type Placing struct {
	Piece     studio.Piece
	Others    int // more like it
	Plate     int // that has a gap for it; 0: none
	AddMin    float64
	AddGrams  float64
	Cheapest  string
	CostMinor int64
	Minutes   float64
}

// How long each plate of a way is searched for, and among how many pieces: it is asked for while
// somebody waits.
const (
	whatIfSteps = 6
	whatIfLook  = 60
)

// WhatIf works them out for a material and a profile; other is asked for where its LikeID is set. It
// takes a moment, or goes on looking for so many seconds.
func (a *Room) WhatIf(ctx context.Context, processName string, materialID int64, by studio.PrintProfile, other studio.OtherMachine, seconds int) (w WhatIf, err error) {
	w, err = a.waiting(ctx, processName, materialID, by)
	w.Other = other
	if err != nil || len(w.Pieces) == 0 {
		return w, err
	}
	w.each()
	if seconds > 0 {
		return w, a.lookOn(ctx, &w, seconds)
	}
	w.ways(whatIfSteps, 1)
	return w, nil
}

// ways works out each way by so many steps of search, by a seed.
func (w *WhatIf) ways(steps int, seed uint64) {
	w.steps, w.seed, w.Ways = steps, seed, nil
	for _, m := range w.Machines {
		w.Ways = append(w.Ways, w.way(m.Name+" alone", []studio.Machine{m}))
	}
	if len(w.Machines) > 1 {
		all := w.way("all side by side", w.Machines)
		if slices.ContainsFunc(all.Runs, func(r WayRun) bool { return r.Machine.ID != all.Runs[0].Machine.ID }) { // one of them alone does no worse
			w.Ways = append(w.Ways, all)
		}
	}
	w.another()
}

// waiting finds what waits for a material, the machines that could print it, and from when each may.
func (a *Room) waiting(ctx context.Context, processName string, materialID int64, by studio.PrintProfile) (w WhatIf, err error) {
	w = WhatIf{Process: processName, Profile: by.Shared(), Now: a.Clock.Now()}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if w.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		var ok bool
		if w.Material, ok = w.Shop.Material(materialID, processName); !ok || w.Material.ID != materialID {
			return store.ErrNotFound
		}
		for _, m := range w.Shop.Machines {
			if m.Process == processName && m.Active && m.Prints(materialID) {
				w.Machines = append(w.Machines, m)
			}
		}
		if len(w.Machines) == 0 {
			return nil
		}
		w.queue = queued{Shop: w.Shop, Machine: w.Machines[0], Material: w.Material, Profile: w.Profile}
		if err := w.queue.load(tx, w.Now, nil); err != nil {
			return err
		}
		w.Pieces = w.queue.Pieces
		w.free, w.laid, err = a.free(tx)
		return err
	})
	return w, err
}

// another adds the way with one more machine, if one was asked for.
func (w *WhatIf) another() {
	if w.Other.LikeID == 0 {
		return
	}
	invalid := w.Other.Check()
	at := slices.IndexFunc(w.Machines, func(m studio.Machine) bool { return m.ID == w.Other.LikeID })
	invalid.Need(at >= 0, "like", "choose a machine that it is like")
	if w.OtherBad = invalid.Err(); w.OtherBad != nil {
		return
	}
	m := w.Other.Machine(w.Machines[at])
	way := w.way("with "+m.Name, append(slices.Clone(w.Machines), m))
	way.Owned, way.With = false, true
	w.Ways = append(w.Ways, way)
}

// free finds from when each machine may start another plate, in minutes from now, by what runs and is
// laid; and the plates that are laid.
func (a *Room) free(tx *store.Tx) (min map[int64]float64, laid []PlateSheet, err error) {
	open, err := tx.Plates(studio.PlateRunning, studio.PlateLaid)
	if err != nil {
		return nil, nil, err
	}
	min = map[int64]float64{}
	for _, pl := range open {
		if pl.Run != nil {
			min[pl.MachineID] += pl.Run.Left(a.Clock.Now())
			continue
		}
		s, err := a.plateSheet(tx, pl.Number)
		if err != nil {
			return nil, nil, err
		}
		laid = append(laid, s)
		min[pl.MachineID] += s.Estimate.Minutes
	}
	return min, laid, nil
}

// way shares what waits among machines.
func (w WhatIf) way(name string, machines []studio.Machine) Way {
	out := Way{Name: name, Machines: machines, Owned: true}
	fleet := plate.Fleet{Steps: w.steps, Look: whatIfLook, Watch: w.Shop.Watch(w.Now)}
	for _, m := range machines {
		job := w.Shop.PlateJob(m, w.Material, w.Pieces, w.queue.Due, w.Now)
		job.Die = die(m, w.seed)
		fleet.Jobs, fleet.FreeMin = append(fleet.Jobs, job), append(fleet.FreeMin, w.free[m.ID])
	}
	shared := fleet.Share()
	out.Left, out.Minutes = shared.Left, shared.Minutes
	at := func(min float64) time.Time { return w.Now.Add(time.Duration(min * float64(time.Minute))) }
	out.Ends = at(shared.EndsMin)
	for _, r := range shared.Runs {
		m := machines[r.Job]
		run := WayRun{Machine: m, Begins: at(r.BeginMin), Ends: at(r.EndsMin), Minutes: r.Plate.Minutes}
		var on []studio.LaidPiece
		for _, p := range r.Plate.Placed {
			k := slices.IndexFunc(w.Pieces, func(lp studio.LaidPiece) bool { return lp.Piece.Code == p.ID })
			on = append(on, w.Pieces[k])
			run.Laid = append(run.Laid, plate.Laid{Part: fleet.Jobs[r.Job].Parts[k], Placed: p})
			if by := w.queue.Due[w.Pieces[k].Piece.ID]; !by.IsZero() && run.Ends.After(by) {
				out.Late++
			}
		}
		e := w.Shop.EstimatePlate(m, w.Material, on)
		run.TallestMM, run.Grams = e.TallestMM, e.Grams
		out.CostMinor += e.CostMinor
		out.Runs = append(out.Runs, run)
	}
	return out
}

// each finds for every kind of piece that waits a gap on a plate that is laid, and what it costs on
// the machine that does it for least.
func (w *WhatIf) each() {
	var sheets []PlateSheet
	var gaps []plate.Gap
	for _, s := range w.laid {
		if s.Machine.Process == w.Process && s.Material.ID == w.Material.ID && (len(s.Pieces) == 0 || s.Machine.SameRun(s.Material, studio.SharedBy(s.on()), w.Profile)) {
			sheets, gaps = append(sheets, s), append(gaps, s.gap())
		}
	}
	for _, lp := range w.Pieces {
		p := lp.Piece
		if same := slices.IndexFunc(w.Each, func(e Placing) bool { return e.Piece.PartID == p.PartID && e.Piece.Scale == p.Scale }); same >= 0 {
			w.Each[same].Others++
			continue
		}
		e := Placing{Piece: p}
		for _, m := range w.Machines {
			if m.Fits(lp.Model, p.Scale) != "" {
				continue
			}
			alone := w.Shop.EstimatePlate(m, w.Material, []studio.LaidPiece{lp})
			if e.Cheapest == "" || alone.CostMinor < e.CostMinor {
				e.Cheapest, e.CostMinor, e.Minutes = m.Name, alone.CostMinor, alone.Minutes
			}
		}
		e.gap(sheets, gaps, lp)
		w.Each = append(w.Each, e)
	}
}

// gap finds the plate on which a piece fits for the least time.
func (e *Placing) gap(sheets []PlateSheet, gaps []plate.Gap, lp studio.LaidPiece) {
	type found struct {
		number int
		c      Candidate
	}
	var all []found
	for i, s := range sheets {
		if c := s.candidate(gaps[i], lp); c.Fits {
			all = append(all, found{s.Plate.Number, c})
		}
	}
	if len(all) > 0 {
		best := slices.MinFunc(all, func(a, b found) int { return cmp.Compare(a.c.AddMinutes, b.c.AddMinutes) })
		e.Plate, e.AddMin, e.AddGrams = best.number, best.c.AddMinutes, best.c.AddGrams
	}
}

// Than says how a way compares with another in words: sooner or later, and what it costs more.
func (w WhatIf) Than(way, other Way) string {
	text := "as soon"
	switch d := other.Ends.Sub(way.Ends).Minutes(); {
	case d >= 1:
		text = studio.Hours(d) + " sooner"
	case d <= -1:
		text = studio.Hours(-d) + " later"
	}
	switch d := way.CostMinor - other.CostMinor; {
	case d > 0:
		text += fmt.Sprintf(", %s more for its runs", w.Shop.Studio.Money(d))
	case d < 0:
		text += fmt.Sprintf(", %s less for its runs", w.Shop.Studio.Money(-d))
	}
	return text
}

// Best is the way of the studio's own machines that ends first.
func (w WhatIf) Best() (best Way, ok bool) {
	for _, way := range w.Ways {
		if way.Owned && len(way.Runs) > 0 && (!ok || len(way.Left) < len(best.Left) || len(way.Left) == len(best.Left) && way.Ends.Before(best.Ends)) {
			best, ok = way, true
		}
	}
	return best, ok
}

// LayWay makes all plates of a way of the studio's own, as it was shown: of one machine alone, or of
// all side by side where none is named; looked for as long as it was.
func (a *Room) LayWay(ctx context.Context, who change.Actor, processName string, materialID int64, by studio.PrintProfile, machineID int64, seconds int) (numbers []int, left []plate.Left, err error) {
	w, err := a.waiting(ctx, processName, materialID, by)
	if err != nil {
		return nil, nil, err
	}
	machines := slices.Clone(w.Machines)
	if machineID != 0 {
		machines = slices.DeleteFunc(machines, func(m studio.Machine) bool { return m.ID != machineID })
	}
	if len(machines) == 0 {
		return nil, nil, change.Refuse("Choose a machine.")
	}
	w.queue.Machine = machines[0]
	way, err := a.found(w, machines, seconds)
	if err != nil {
		return nil, nil, err
	}
	if len(way.Runs) == 0 {
		return nil, way.Left, w.queue.nothing(way.Left)
	}
	err = a.Do(ctx, who, func(d change.Change) error {
		for _, run := range way.Runs {
			var placed []plate.Placed
			for _, l := range run.Laid {
				placed = append(placed, l.Placed)
			}
			pl, err := lay(d, run.Machine, w.Material, placed)
			if err != nil {
				return err
			}
			numbers = append(numbers, pl.Number)
		}
		return nil
	})
	if err != nil {
		numbers = nil
	}
	return numbers, way.Left, err
}
