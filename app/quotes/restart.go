package quotes

import (
	"context"
	"slices"

	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/store"
	"sakuji/studio"
)

// RestartFrom makes the order's items what a revision of its quote had: a new version
// starts from an old one.
func (a *Room) RestartFrom(ctx context.Context, who change.Actor, number string, revision int) error {
	return a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
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
			if err := d.PutBack(it); err != nil { // as it was, without the parts that came later
				return err
			}
			for k := range it.Parts {
				if it.Parts[k].Model, err = d.Model(it.Parts[k].ModelID); err != nil {
					return err
				}
			}
			if err := orders.SaveParts(d, *o, &it); err != nil {
				return err
			}
		}
		return d.Note("quote taken up", change.About{Order: o.ID}, "the order is as in revision %d", revision)
	})
}
