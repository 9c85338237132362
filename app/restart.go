package app

import (
	"context"
	"slices"

	"sakuji/store"
	"sakuji/studio"
)

// RestartFrom makes the order's items what a revision of its quote had: a new version
// starts from an old one.
func (a *App) RestartFrom(ctx context.Context, hand Actor, number string, revision int) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		quotes, err := d.Quotes(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(quotes, func(q studio.Quote) bool { return q.Revision == revision })
		if at < 0 {
			return store.ErrNotFound
		}
		specs := quotes[at].Specs()
		now, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range now {
			if !slices.ContainsFunc(specs, func(s studio.Item) bool { return s.ID == it.ID }) {
				if err := d.Tx.RemoveItem(it.ID); err != nil {
					return err
				}
			}
		}
		for _, it := range specs {
			if err := d.PutBack(it.ID); err != nil {
				return err
			}
			it.Extras = own(it.Extras)
			if err := d.SaveItem(&it); err != nil {
				return err
			}
		}
		return d.Note("quote taken up", About{Order: o.ID}, "the order is as in revision %d", revision)
	})
}
