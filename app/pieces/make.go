package pieces

import (
	"errors"
	"slices"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Make brings an order's pieces in line with what was accepted; studio.Fit says how.
func Make(c change.Change, o studio.Order, items []studio.Item) error {
	h, err := setup.Load(c.Tx)
	if err != nil {
		return err
	}
	if items, err = WithModels(c.Tx, items); err != nil {
		return err
	}
	pieces, err := c.PiecesOf(o.ID)
	if err != nil {
		return err
	}
	codes, err := c.Codes(o.ID)
	if err != nil {
		return err
	}
	wanted, added := map[int64]bool{}, 0
	for _, it := range items {
		for _, part := range it.Parts {
			wanted[part.ID] = true
			f := studio.Fit(pieces, part, it)
			for _, off := range f.CallOff {
				if err := CallOff(c, off.Piece, off.Why); err != nil {
					return err
				}
			}
			for _, p := range f.Refit {
				p, e := p.Refit(c.Act(), it, part, h.StagesFor(part, it, items))
				if err := save(c, p, e); err != nil {
					return err
				}
			}
			for range f.Missing {
				p := studio.NewPiece(studio.NextCode(o.Number, codes), o, it, part, h.StagesFor(part, it, items))
				if err := c.AddPiece(&p); err != nil {
					return err
				}
				codes = append(codes, p.Code)
				added++
			}
		}
	}
	for _, p := range pieces {
		if p.Live() && !wanted[p.PartID] {
			if err := CallOff(c, p, "its item was taken off the order"); err != nil {
				return err
			}
		}
	}
	if added == 0 {
		return nil
	}
	return c.Note("pieces made", change.About{Order: o.ID}, "%s for a plate", studio.Say(added, "piece")+map[bool]string{true: " waits", false: " wait"}[added == 1])
}

// WithModels gives each part its model, as it stands.
func WithModels(tx *store.Tx, items []studio.Item) ([]studio.Item, error) {
	items = slices.Clone(items)
	for i := range items {
		items[i].Parts = slices.Clone(items[i].Parts)
		for k := range items[i].Parts {
			p := &items[i].Parts[k]
			var err error
			if p.Model, err = tx.ModelOriented(p.ModelID, p.OrientationID); err != nil {
				return nil, err
			}
		}
	}
	return items, nil
}

// save writes a piece with its strip, and what happened to it.
func save(c change.Change, p studio.Piece, e studio.Entry) error {
	return errors.Join(c.SavePiece(p), c.SaveStages(&p), c.Log(e))
}

// CallOff takes a piece off its order; laid on a plate that has not started, it is lifted
// off first.
func CallOff(c change.Change, p studio.Piece, why string) error {
	if p.State == studio.OnPlate {
		pl, err := c.PlateOfPiece(p.ID)
		if err != nil {
			return err
		}
		if pl.State == studio.PlateLaid {
			var e studio.Entry
			if pl, p, e, err = pl.Lift(c.Act(), p); err != nil {
				return change.Refused(err)
			}
			if err := errors.Join(c.SavePlate(pl), c.Log(e)); err != nil {
				return err
			}
		}
	}
	p, e, err := p.CallOff(c.Act(), why)
	if err != nil {
		return change.Refused(err)
	}
	return errors.Join(c.SavePiece(p), c.Log(e))
}
