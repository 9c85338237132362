package pieces

import (
	"context"
	"errors"
	"slices"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// LoadSheet is what is ready for a station, load by load.
type LoadSheet struct {
	Shop   studio.Shop
	Kind   route.StageKind
	Loads  []studio.Load
	Sealed map[int64]string // pieces that must not be cured as they are, by id, and why
	Baths  []studio.Bath
}

// LoadSheet returns it.
func (a *Room) LoadSheet(ctx context.Context, kind route.StageKind) (s LoadSheet, err error) {
	s = LoadSheet{Kind: kind, Sealed: map[int64]string{}}
	if !studio.OneOf(kind, studio.Loading()...) {
		return s, store.ErrNotFound
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		all, err := tx.PiecesIn(studio.InWork()...)
		if err != nil {
			return err
		}
		readiness, err := Readiness(tx, a.Clock.Now(), all)
		if err != nil {
			return err
		}
		ready := slices.DeleteFunc(all, func(p studio.Piece) bool {
			now := p.Now()
			return now == nil || now.Kind != kind || !process.Of(p.Process).Wet || !readiness[p.ID].Hands()
		})
		models, err := tx.PieceModels(ready...)
		if err != nil {
			return err
		}
		var in []studio.LaidPiece
		for _, p := range ready {
			if kind == route.Cure {
				why, err := sealed(tx, p)
				if err != nil {
					return err
				}
				if why != "" {
					s.Sealed[p.ID] = why
				}
			}
			in = append(in, studio.LaidPiece{Piece: p, Model: models[p.ID]})
		}
		s.Loads = s.Shop.Loads(kind, in)
		if kind == route.Wash {
			s.Baths, err = tx.Baths()
		}
		return err
	})
	return s, err
}

// StampTogether stamps the stage that is next of several pieces, as one act that took so many minutes
// of hands in all: each takes its share. All are stamped or none; shown says for each which stage its
// sheet showed.
func (a *Room) StampTogether(ctx context.Context, who change.Actor, shown map[string]string, st studio.Stamp) (n int, err error) {
	if len(shown) == 0 {
		return 0, change.Refuse("Choose the pieces that are stamped.")
	}
	if st.Minutes > 0 {
		st.Minutes /= float64(len(shown))
	}
	codes := sortedKeys(shown)
	err = a.Do(ctx, who, func(c change.Change) error {
		for _, code := range codes {
			one := st
			one.Shown = shown[code]
			if _, err := onPiece(c, code, stamping(one)); err != nil {
				var refusal *change.Refusal
				if errors.As(err, &refusal) {
					return &change.Refusal{Text: refusal.Text + " Nothing was stamped; leave it out or put it right, and stamp the others.", Fields: refusal.Fields}
				}
				return err
			}
		}
		return nil
	})
	return len(codes), err
}
