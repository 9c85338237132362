package quotes

import (
	"context"
	"errors"

	"sakuji/app/change"
	"sakuji/app/pieces"
	"sakuji/studio"
)

// CancelOrder ends an order; its pieces and its logbook stay.
func (a *Room) CancelOrder(ctx context.Context, who change.Actor, number, why string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		o, err := c.Order(number)
		if err != nil {
			return err
		}
		o, e, err := o.Cancel(c.Act(), why)
		if err != nil {
			return change.Refused(err)
		}
		if err := end(c, o.ID, studio.QuoteWithdrawn); err != nil {
			return err
		}
		list, err := c.PiecesOf(o.ID)
		if err != nil {
			return err
		}
		for _, p := range list {
			if p.Live() && p.State != studio.PieceDone {
				if err := pieces.CallOff(c, p, "its order is cancelled"); err != nil {
					return err
				}
			}
		}
		return errors.Join(c.SaveOrder(&o), c.Log(e))
	})
}
