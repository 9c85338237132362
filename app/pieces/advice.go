package pieces

import (
	"context"
	"slices"

	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/store"
	"sakuji/studio"
)

// AdviceSheet is what to take for a piece now.
type AdviceSheet struct {
	Piece  studio.Piece
	Order  studio.Order
	Advice []finish.Advice // that of its next stage first
	GapMM  float64         // that was asked about; 0: a usual one
}

// Advice returns it, for a gap of so many mm to be filled; 0: a usual one.
func (a *Room) Advice(ctx context.Context, code string, gapMM float64) (s AdviceSheet, err error) {
	s.GapMM = gapMM
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Piece, err = tx.Piece(code); err != nil {
			return err
		}
		if s.Order, err = tx.OrderByID(s.Piece.OrderID); err != nil {
			return err
		}
		h, err := setup.Load(tx)
		if err != nil {
			return err
		}
		items, err := tx.Items(s.Piece.OrderID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == s.Piece.ItemID })
		if at < 0 {
			return store.ErrNotFound
		}
		s.Advice = h.Advise(s.Piece, items[at], gapMM)
		return nil
	})
	return s, err
}
