package quotes

import (
	"context"
	"strings"

	"sakuji/app/change"
	"sakuji/studio"
)

// SaveTerms sets what an order's price has of its own. A discount's code gives its per cent.
func (a *Room) SaveTerms(ctx context.Context, who change.Actor, number string, t studio.Terms) error {
	return a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		s, err := d.Studio()
		if err != nil && !change.NotFound(err) {
			return err
		}
		t.DiscountWhy = strings.TrimSpace(t.DiscountWhy)
		if off, ok := s.Defaults.DiscountCodes[strings.ToUpper(t.DiscountWhy)]; ok && t.Discount == 0 {
			t.Discount, t.DiscountWhy = off, strings.ToUpper(t.DiscountWhy)
		}
		if err := t.Check(); err != nil {
			return change.Refused(err)
		}
		o.Terms = t
		if err := d.SaveOrder(o); err != nil {
			return err
		}
		return d.Note("rates changed", change.About{Order: o.ID}, "terms of order %s: rush %v %%, discount %v %% %s", number, t.RushPercent, t.Discount, t.DiscountWhy)
	})
}
