package models

import (
	"context"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Shelf is all designs that the letters name.
func (a *Room) Shelf(ctx context.Context, letters string) (list []store.Shelved, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		list, err = tx.Shelf(strings.TrimSpace(letters))
		return err
	})
	return list, err
}

// Design returns a version with its design and, when it was studied, what was found:
// without the prices and versions that a whole sheet asks for.
func (a *Room) Design(ctx context.Context, modelID int64) (m studio.Model, d studio.Design, analysis *studio.Analysis, err error) {
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
		} else if change.NotFound(err) {
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
	Uses         []store.Use      // the newest order first
	Advice       []studio.Advice
	Jobs         []studio.Job
	Orientations []studio.Orientation // how new parts of it stand, of each process where somebody chose
	Stops        string
	Now          time.Time
}

// ModelSheet returns a model's sheet.
func (a *Room) ModelSheet(ctx context.Context, id int64) (s ModelSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s.Now = a.Clock.Now()
		if s.Model, err = tx.Model(id); err != nil {
			return err
		}
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		if s.Design, err = tx.Design(s.Model.DesignID); err != nil {
			return err
		}
		s.Stops = s.Design.Stops(s.Now, s.Shop.Studio.Zone())
		analysis, err := tx.Analysis(id)
		if err == nil {
			s.Analysis = &analysis
		} else if !change.NotFound(err) {
			return err
		}
		s.Uses, err = tx.Uses(s.Design.ID)
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
			for _, u := range s.Uses {
				if u.ModelID == v.ID {
					mv.Uses = append(mv.Uses, u)
				}
			}
			s.Versions = append(s.Versions, mv)
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
