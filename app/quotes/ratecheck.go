package quotes

import (
	"context"
	"slices"

	"sakuji/app/pieces"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// CheckRates prices the last orders that are out of the studio at today's rates and sets
// them beside what they really cost: stamped hours at their wages, booked material, run
// hours, and overhead on all; of ten, about eight should have cost less than they were said
// to 8 times in 10. With numbers named, those orders.
func (a *Room) CheckRates(ctx context.Context, numbers ...string) (out []studio.CheckedOrder, h studio.Shop, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if h, err = setup.Load(tx); err != nil {
			return err
		}
		orders, err := tx.Orders(studio.Closed, studio.Delivered)
		if err != nil {
			return err
		}
		slices.SortStableFunc(orders, func(a, b studio.Order) int { return b.Delivered.Compare(a.Delivered) })
		for _, o := range orders {
			if len(numbers) > 0 && !slices.Contains(numbers, o.Number) || len(numbers) == 0 && len(out) == checked {
				continue
			}
			c, ok, err := checkOrder(tx, h, o)
			if err != nil {
				return err
			}
			if ok {
				out = append(out, c)
			}
		}
		return nil
	})
	return out, h, err
}

// checked is how many of the last orders are looked at.
const checked = 10

// checkOrder loads what an order was agreed at and what it took.
func checkOrder(tx *store.Tx, h studio.Shop, o studio.Order) (c studio.CheckedOrder, ok bool, err error) {
	quotes, err := tx.Quotes(o.ID)
	if err != nil {
		return c, false, err
	}
	at := slices.IndexFunc(quotes, func(q studio.Quote) bool { return q.State == studio.QuoteAccepted })
	if at < 0 {
		return c, false, nil
	}
	taken := quotes[at].Taken()
	items, err := pieces.WithModels(tx, taken.Specs())
	if err != nil {
		return c, false, err
	}
	if items, err = withFees(tx, h, items); err != nil {
		return c, false, err
	}
	var took studio.Took
	if took.Pieces, err = tx.PiecesOf(o.ID); err != nil {
		return c, false, err
	}
	if took.Grams, err = tx.BookedFor(o.ID); err != nil {
		return c, false, err
	}
	if took.Runs, err = tx.RunsOf(o.ID); err != nil {
		return c, false, err
	}
	return h.CheckOrder(o, taken, items, took, Dice(uint64(o.ID))), true, nil
}
