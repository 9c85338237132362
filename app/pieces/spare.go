package pieces

import (
	"context"
	"errors"

	"sakuji/app/change"
	"sakuji/studio"
)

// AddSpare makes a spare of a piece, for a plate, within a change.
func AddSpare(c change.Change, code string) (spare studio.Piece, err error) {
	p, err := c.Piece(code)
	if err != nil {
		return spare, err
	}
	o, err := c.OrderByID(p.OrderID)
	if err != nil {
		return spare, err
	}
	codes, err := c.Codes(o.ID)
	if err != nil {
		return spare, err
	}
	spare, e, err := p.Spare(c.Act(), studio.NextCode(o.Number, codes))
	if err != nil {
		return spare, change.Refused(err)
	}
	if err := c.AddPiece(&spare); err != nil {
		return spare, err
	}
	e.PieceID = spare.ID
	return spare, c.Log(e)
}

// TakeSpare puts a spare in the place of a piece that failed or was scrapped, and returns its label.
func (a *Room) TakeSpare(ctx context.Context, who change.Actor, code string) (taken string, err error) {
	err = a.Do(ctx, who, func(c change.Change) error {
		p, err := c.Piece(code)
		if err != nil {
			return err
		}
		all, err := c.PiecesOf(p.OrderID)
		if err != nil {
			return err
		}
		spare, ok := p.SpareOf(all)
		if !ok {
			return change.Refuse("No spare may stand in for %s.", p.Code)
		}
		lost, fresh, e := p.StandIn(c.Act(), spare)
		taken = fresh.Code
		if err := errors.Join(c.SavePiece(lost), c.SaveStandIn(&fresh), c.SaveStages(&fresh), c.Log(e)); err != nil {
			return err
		}
		return gatherOn(c, fresh)
	})
	return taken, err
}
