package orders

import (
	"context"
	"slices"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/store"
	"sakuji/studio"
)

// UseVersion prints a part from another version of its design. Pieces that wait follow
// it; those already printed stay as they are.
func (a *Room) UseVersion(ctx context.Context, who change.Actor, number string, partID, modelID int64) error {
	return a.onPart(ctx, who, number, partID, func(d change.Change, o *studio.Order, it *studio.Item, k int) error {
		p := &it.Parts[k]
		m, err := d.Tx.Model(modelID)
		if err != nil {
			return err
		}
		if m.DesignID != p.Model.DesignID {
			return change.Refuse("%s is another design; add it as an item of its own.", m.Name)
		}
		if m.ID == p.ModelID {
			return change.Refuse("%s is printed from that version already.", p.Name)
		}
		was := p.Model
		p.ModelID, p.Model, p.Waived = m.ID, m, ""
		if m.How == studio.Hollow {
			p.WallMM = 0 // it has its own
			if err := plugsFor(d, it, *p); err != nil {
				return err
			}
		}
		if err := SaveParts(d, *o, it); err != nil {
			return err
		}
		return d.Note("version changed", change.About{Order: it.OrderID}, "%s: %s instead of %s", it.Title, m.Name, was.Name)
	})
}

// save saves an item, if the order it belongs to is right with it as a whole.
func save(c change.Change, it *studio.Item) error {
	items, err := c.BareItems(it.OrderID)
	if err != nil {
		return err
	}
	if at := slices.IndexFunc(items, func(o studio.Item) bool { return o.ID == it.ID }); at >= 0 && it.ID != 0 {
		items[at] = *it
	} else {
		items = append(items, *it)
	}
	if err := studio.CheckItems(items); err != nil {
		return change.Refused(err)
	}
	return c.SaveItem(it)
}

// SaveParts saves an item whose parts print something else now: each stands as parts of
// its model do, and the pieces that wait follow.
func SaveParts(d change.Change, o studio.Order, it *studio.Item) error {
	for k := range it.Parts {
		p := &it.Parts[k]
		if s, err := d.Orientation(p.OrientationID); err == nil && s.ModelID == p.ModelID && s.Process == p.Process {
			continue
		}
		var err error
		if p.OrientationID, err = d.ChosenOrientation(p.ModelID, p.Process); err != nil {
			return err
		}
	}
	if err := save(d, it); err != nil {
		return err
	}
	return Follow(d, o.ID, it.Parts...)
}

// Follow lets the pieces of parts that wait print what the parts print now.
func Follow(c change.Change, orderID int64, parts ...studio.Part) error {
	pieces, err := c.PiecesOf(orderID)
	for _, p := range pieces {
		at := slices.IndexFunc(parts, func(part studio.Part) bool { return part.ID == p.PartID })
		if err != nil || at < 0 {
			continue
		}
		if p, moved := p.Follow(parts[at]); moved {
			err = c.SavePiece(p)
		}
	}
	return err
}

// plugsFor adds the plugs of a hollowed part, one for each of its holes.
func plugsFor(d change.Change, it *studio.Item, p studio.Part) error {
	versions, err := d.Versions(p.Model.DesignID)
	if err != nil {
		return err
	}
	for _, v := range versions {
		if v.How != studio.Peg || v.FromID != p.Model.FromID || v.Batch != p.Model.Batch {
			continue
		}
		for _, o := range it.Parts {
			if o.ModelID == v.ID {
				return nil
			}
		}
		plug := p
		plug.ID, plug.ModelID, plug.Model, plug.Name, plug.Copies, plug.OrientationID = 0, v.ID, v, models.Title(v.Name), p.Copies*studio.PegCount(v), 0
		it.Parts = append(it.Parts, plug)
	}
	return nil
}

// TakeApart prints each body of a part's model, or each piece of its cut, as a part of its own: those
// made together with ofID, 0 for any. The order is that of the part.
func TakeApart(d change.Change, number string, partID, ofID int64) (o studio.Order, err error) {
	if o, err = d.Order(number); err != nil {
		return o, err
	}
	if err := o.MayChange(); err != nil {
		return o, change.Refused(err)
	}
	return o, inPart(d, &o, partID, func(d change.Change, o *studio.Order, it *studio.Item, k int) error {
		old := it.Parts[k]
		bodies, err := bodiesOf(d, old, ofID)
		if err != nil {
			return err
		}
		pieces, err := d.PiecesOf(it.OrderID)
		if err != nil {
			return err
		}
		for _, p := range pieces {
			if p.PartID == old.ID && studio.OneOf(p.State, studio.OnPlate, studio.AtBench, studio.PieceDone) {
				return change.Refuse("%s is already printed in one, as %s.", old.Name, p.Code)
			}
		}
		for i, b := range bodies {
			p := old
			if i > 0 {
				p.ID = 0
			}
			p.ModelID, p.Model, p.Name, p.OrientationID, p.CutInto, p.Waived = b.ID, b, models.Title(b.Name), 0, 0, ""
			if b.How == studio.Peg {
				p.Copies = old.Copies * studio.PegCount(b)
			}
			if i == 0 {
				it.Parts[k] = p
			} else {
				it.Parts = append(it.Parts, p)
			}
		}
		if err := SaveParts(d, *o, it); err != nil {
			return err
		}
		return d.Note("taken apart", change.About{Order: it.OrderID}, "%s into %d parts", old.Name, len(bodies))
	})
}

// bodiesOf are the bodies or pieces that a part's model was taken apart into.
func bodiesOf(d change.Change, old studio.Part, ofID int64) (bodies []studio.Model, err error) {
	var of studio.Model
	if ofID != 0 {
		if of, err = d.Tx.Model(ofID); err != nil {
			return nil, err
		}
	}
	versions, err := d.Versions(old.Model.DesignID)
	if err != nil {
		return nil, err
	}
	for _, v := range versions {
		if studio.OneOf(v.How, studio.Body, studio.Cut, studio.Peg) && v.FromID == old.ModelID && (of.ID == 0 || v.Batch == of.Batch) {
			bodies = append(bodies, v)
		}
	}
	if len(bodies) < 2 {
		return nil, change.Refuse("Take %s apart first.", old.Model.Name)
	}
	return bodies, nil
}

func (a *Room) onPart(ctx context.Context, who change.Actor, number string, partID int64, f func(d change.Change, o *studio.Order, it *studio.Item, part int) error) error {
	return a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error { return inPart(d, o, partID, f) })
}

// inPart finds a part of an order and lets something happen to it.
func inPart(d change.Change, o *studio.Order, partID int64, f func(d change.Change, o *studio.Order, it *studio.Item, part int) error) error {
	items, err := d.Items(o.ID)
	if err != nil {
		return err
	}
	for i := range items {
		for k := range items[i].Parts {
			if items[i].Parts[k].ID == partID {
				return f(d, o, &items[i], k)
			}
		}
	}
	return store.ErrNotFound
}
