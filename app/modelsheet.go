package app

import (
	"context"
	"strings"
	"time"

	"sakuji/store"
	"sakuji/studio"
)

// Shelf is all designs that the letters name.
func (a *App) Shelf(ctx context.Context, letters string) (list []store.Shelved, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		list, err = tx.Shelf(strings.TrimSpace(letters))
		return err
	})
	return list, err
}

// Design returns a version with its design and, when it was studied, what was found:
// without the prices and versions that a whole sheet asks for.
func (a *App) Design(ctx context.Context, modelID int64) (m studio.Model, d studio.Design, analysis *studio.Analysis, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		if m, err = tx.Model(modelID); err != nil {
			return err
		}
		if d, err = tx.Design(m.DesignID); err != nil {
			return err
		}
		s, err := tx.Analysis(modelID)
		if err == nil {
			analysis = &s
		} else if NotFound(err) {
			err = nil
		}
		return err
	})
	return m, d, analysis, err
}

// ModelVersion is a version with what it changes.
type ModelVersion struct {
	studio.Model
	From    string // the name of what it was made of
	Changes []studio.Change
	Uses    []store.Use
}

// ModelSheet is all that stands on a model's sheet.
type ModelSheet struct {
	Shop         studio.Shop
	Model        studio.Model
	Design       studio.Design
	Analysis     *studio.Analysis // nil until it is done
	Versions     []ModelVersion   // the newest first
	Uses         []UsePrice
	Advice       []studio.Advice
	Jobs         []studio.Job
	Orientations []studio.Orientation // how new parts of it stand, of each process where somebody chose
	Stops        string
	Now          time.Time
}

// UsePrice is a use of the design, and what the shown version would do to its price.
type UsePrice struct {
	store.Use
	Open      bool
	Shown     bool   // it prints the version shown
	PrintedOf string // the version it prints
	Net       studio.Money
	NetShown  studio.Money // with the version shown
	Priced    bool
}

// ModelSheet returns a model's sheet.
func (a *App) ModelSheet(ctx context.Context, id int64) (s ModelSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s.Now = a.Clock.Now()
		if s.Model, err = tx.Model(id); err != nil {
			return err
		}
		if s.Shop, err = shop(tx); err != nil {
			return err
		}
		if s.Design, err = tx.Design(s.Model.DesignID); err != nil {
			return err
		}
		s.Stops = s.Design.Stops(s.Now, s.Shop.Studio.Zone())
		analysis, err := tx.Analysis(id)
		if err == nil {
			s.Analysis = &analysis
		} else if !NotFound(err) {
			return err
		}
		uses, err := tx.Uses(s.Design.ID)
		if err != nil {
			return err
		}
		versions, err := tx.Versions(s.Design.ID)
		if err != nil {
			return err
		}
		byID := map[int64]studio.Model{}
		for _, v := range versions {
			byID[v.ID] = v
		}
		for _, v := range studio.Newest(versions) {
			mv := ModelVersion{Model: v}
			if from, ok := byID[v.FromID]; ok {
				mv.From = from.Name
				if !studio.OneOf(v.How, studio.Body, studio.Cut, studio.Peg) {
					mv.Changes = studio.Changes(from, v)
				}
			}
			for _, u := range uses {
				if u.ModelID == v.ID {
					mv.Uses = append(mv.Uses, u)
				}
			}
			s.Versions = append(s.Versions, mv)
		}
		for _, u := range uses {
			up, err := usePrice(tx, s.Shop, u, s.Model)
			if err != nil {
				return err
			}
			up.PrintedOf = byID[u.ModelID].Name
			s.Uses = append(s.Uses, up)
		}
		s.Advice = s.Shop.Advice(s.Model, s.Analysis)
		if s.Orientations, err = chosenOrientations(tx, s.Model.ID); err != nil {
			return err
		}
		s.Jobs, err = tx.OpenJobs(0, s.Design.ID, s.Model.ID)
		return err
	})
	return s, err
}

// usePrice prices an item as it is and with another version in one of its parts.
func usePrice(tx *store.Tx, h studio.Shop, u store.Use, shown studio.Model) (up UsePrice, err error) {
	up = UsePrice{Use: u, Shown: u.ModelID == shown.ID, Open: studio.OneOf(u.State, studio.Enquiry, studio.Quoted, studio.Accepted)}
	if !up.Open || up.Shown || studio.OneOf(shown.How, studio.Body, studio.Cut, studio.Peg) {
		return up, nil
	}
	o, err := tx.Order(u.Number)
	if err != nil {
		return up, err
	}
	items, err := tx.Items(o.ID)
	if err != nil {
		return up, err
	}
	net := func() (studio.Money, bool) {
		priced, _, _, err := price(h, items, o.Terms)
		if err != nil {
			return studio.Money{}, false
		}
		for _, it := range priced {
			if it.ID == u.ItemID {
				return h.Studio.Money(it.NetMinor), true
			}
		}
		return studio.Money{}, false
	}
	var before, after bool
	up.Net, before = net()
	for i := range items {
		for k := range items[i].Parts {
			if p := &items[i].Parts[k]; p.ID == u.PartID {
				p.ModelID, p.Model = shown.ID, shown
			}
		}
	}
	up.NetShown, after = net()
	up.Priced = before && after
	return up, nil
}
