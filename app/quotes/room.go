// Package quotes prices an order and takes the client's answer: the sheet that says what
// it costs, the other ways to make it beside it, the quote that is frozen and sent, what
// is chosen of it, and the check of rates against what past orders really took. The
// arithmetic is studio's and core's; every price that is told comes from Priced.
package quotes

import (
	"math/rand/v2"
	"slices"

	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/plan"
	"sakuji/app/setup"
	"sakuji/core/quote"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where orders are priced.
type Room struct {
	change.Base
	orders *orders.Room
	plan   *plan.Room
}

// New makes the room.
func New(base change.Base, orders *orders.Room, p *plan.Room) *Room { return &Room{base, orders, p} }

// Priced is an order's items at today's rates and the order's terms; what was agreed and
// left as it was keeps its price.
func Priced(tx *store.Tx, o studio.Order, accepted *studio.Quote) (s studio.PriceSheet, err error) {
	h, err := setup.Load(tx)
	if err != nil {
		return s, err
	}
	items, err := tx.Items(o.ID)
	if err != nil {
		return s, err
	}
	return pricedAs(tx, h, items, o.Terms, accepted)
}

// pricedAs prices items that are not as they are saved, or not saved at all.
func pricedAs(tx *store.Tx, h studio.Shop, items []studio.Item, terms studio.Terms, accepted *studio.Quote) (s studio.PriceSheet, err error) {
	if items, err = withFees(tx, h, items); err != nil {
		return s, err
	}
	if s, err = h.Price(items, terms); err != nil {
		return s, change.Refused(err)
	}
	if accepted != nil {
		s.Keep(*accepted)
	}
	return s, nil
}

// withFees adds what licences cost to the items that use them: a fee for each copy, a
// month's share of a subscription once.
func withFees(tx *store.Tx, h studio.Shop, items []studio.Item) ([]studio.Item, error) {
	subscribed := map[int64]bool{}
	out := slices.Clone(items)
	for i := range out {
		it := &out[i]
		it.Fees = nil
		for _, p := range it.Parts {
			d, err := tx.Design(p.Model.DesignID)
			if err != nil {
				return nil, err
			}
			fee := h.Studio.Money(d.FeeMinor).Units()
			switch {
			case fee <= 0:
			case d.Licence == studio.LicencePerCopy:
				it.Fees = append(it.Fees, studio.LicenceFee{Design: d.Name, Each: fee, Count: float64(p.Copies), PerCopy: true})
			case d.Licence == studio.LicenceSubscription && !subscribed[d.ID]:
				subscribed[d.ID] = true
				it.Fees = append(it.Fees, studio.LicenceFee{Design: d.Name, Each: fee / max(1, h.Book.V("subscription.uses"))})
			}
		}
	}
	return out, nil
}

// accepted picks the quote that holds, nil when none was accepted.
func accepted(quotes []studio.Quote) *studio.Quote {
	at := slices.IndexFunc(quotes, func(q studio.Quote) bool { return q.State == studio.QuoteAccepted })
	if at < 0 {
		return nil
	}
	return &quotes[at]
}

// Dice are the seeded dice of an order: the same order gives the same range.
func Dice(seed uint64) quote.Dice {
	return func(stream uint64) quote.Die { return rand.New(rand.NewPCG(seed, stream)) }
}
