package setup

import (
	"context"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// Load loads what estimates draw on. Whoever only reads is given what others were, too.
func Load(tx *store.Tx) (studio.Shop, error) {
	return store.Remember(tx, "shop", func() (studio.Shop, error) { return load(tx) })
}

// Machine is a machine as the shop has it, or store.ErrNotFound.
func Machine(tx *store.Tx, id int64) (studio.Machine, error) {
	h, err := Load(tx)
	if err != nil {
		return studio.Machine{}, err
	}
	m, ok := h.Machine(id)
	if !ok {
		return m, store.ErrNotFound
	}
	return m, nil
}

func load(tx *store.Tx) (h studio.Shop, err error) {
	if h, err = Bare(tx); err != nil {
		return h, err
	}
	if h.Machines, err = tx.Machines(); err != nil {
		return h, err
	}
	learned, err := tx.TimedRuns()
	if err != nil {
		return h, err
	}
	for i := range h.Machines {
		h.Machines[i] = h.Machines[i].Completed()
		h.Machines[i].Calibration = studio.Calibrate(learned[h.Machines[i].ID])
	}
	if h.History, err = history(tx); err != nil {
		return h, err
	}
	people, err := tx.People()
	for _, p := range people {
		if p.WageMinor > 0 {
			wage := h.Studio.Money(p.WageMinor).Units()
			h.History.Wages[p.ID] = rates.Of("wage of "+p.Name, wage, "¤/h", rates.Ours)
		}
	}
	return h, err
}

// Bare is the studio with its materials and rates, without its machines and what its past says: for areas and amounts,
// within a change, where nothing of the past is remembered.
func Bare(tx *store.Tx) (h studio.Shop, err error) {
	if h.Studio, err = tx.Studio(); err != nil && !change.NotFound(err) {
		return h, err
	}
	own, _, err := tx.OwnRates()
	if err != nil {
		return h, err
	}
	h.Book = rates.Starting().With(own).WithRoutes(h.Studio.Defaults.Routes)
	h.Materials, err = tx.Materials()
	return h, err
}

// history is what the studio's own past says.
func history(tx *store.Tx) (out studio.History, err error) {
	out = studio.History{Logged: map[string]map[route.StageKind]finish.Logged{}, Practice: map[int64]finish.Practice{}, Wages: map[int64]rates.Figure{}, Printed: map[int64]bool{}, Looks: map[string]studio.Looks{}}
	times, err := tx.StageTimes(route.Done, route.Print, studio.TeachesLeast, studio.TeachesMost)
	if err != nil {
		return out, err
	}
	for _, t := range times {
		if out.Logged[t.Process] == nil {
			out.Logged[t.Process] = map[route.StageKind]finish.Logged{}
		}
		out.Logged[t.Process][t.Kind] = t.Logged
	}
	looks, err := tx.Looked(route.Look, route.SentBack)
	if err != nil {
		return out, err
	}
	for _, l := range looks {
		out.Looks[l.Process] = studio.Looks{Count: float64(l.Count), Back: float64(l.Back)}
	}
	counts, err := tx.StageCounts(route.Done)
	if err != nil {
		return out, err
	}
	for _, c := range counts {
		if out.Practice[c.PersonID] == nil {
			out.Practice[c.PersonID] = finish.Practice{}
		}
		out.Practice[c.PersonID][c.Kind] = c.Count
	}
	printed, err := tx.ModelsWith(studio.Good)
	if err != nil {
		return out, err
	}
	for _, m := range printed {
		out.Printed[m] = true
	}
	runs, err := tx.RunResults(studio.PlateEmptied)
	if err != nil {
		return out, err
	}
	remedies, err := tx.Remedies()
	out.Failed = studio.FailedRunsOf(runs, remedies)
	return out, err
}

// Shop returns the studio with its machines, materials and rates.
func (a *Room) Shop(ctx context.Context) (h studio.Shop, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err = Load(tx)
		return err
	})
	return h, err
}
