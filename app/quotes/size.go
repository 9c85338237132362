package quotes

import (
	"context"
	"slices"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// SizeSheet is an item at a size, before it is taken: what the size does to volume,
// surface, height, hours and price.
type SizeSheet struct {
	Shop     studio.Shop
	Order    studio.Order
	Item     studio.Item
	Model    studio.Model
	Analysis *studio.Analysis
	Inside   [2]float64 // of the file, as proposed for worn pieces
	Now      Sized      // as it is
	Then     *Sized     // at the rule asked for; nil when it cannot be worked out
	Why      string     // why not
	Working  rates.Working
	Rule     studio.SizeRule
}

// Sized is an item at one size.
type Sized struct {
	Scale          float64
	SizeMM         [3]float64
	FixedMM        [3]float64 // without what comes off again; 0 where that is not known, or nothing does
	VolumeMM3      float64
	AreaMM2        float64
	Grams          float64
	HandsMinutes   float64
	MachineMinutes float64
	Net            studio.Money
	Cautions       []string
	Troubles       []string
}

// SizeSheet works out an item by a rule; one without a kind shows it as it is.
func (a *Room) SizeSheet(ctx context.Context, number string, itemID int64, rule studio.SizeRule) (s SizeSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = sizeSheet(tx, number, itemID, rule)
		return err
	})
	return s, err
}

func sizeSheet(tx *store.Tx, number string, itemID int64, rule studio.SizeRule) (s SizeSheet, err error) {
	if s.Shop, err = setup.Load(tx); err != nil {
		return s, err
	}
	if s.Order, err = tx.Order(number); err != nil {
		return s, err
	}
	items, err := tx.Items(s.Order.ID)
	if err != nil {
		return s, err
	}
	at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == itemID })
	if at < 0 {
		return s, store.ErrNotFound
	}
	s.Item, s.Rule = items[at], rule
	s.Model = s.Item.Sized()
	analysis, err := tx.Analysis(s.Model.ID)
	if err == nil {
		s.Analysis = &analysis
	} else if !change.NotFound(err) {
		return s, err
	}
	wall := 2.0
	if s.Analysis != nil && s.Analysis.Walls.Share50MM > 0 {
		wall = s.Analysis.Walls.Share50MM
	}
	s.Inside[0], s.Inside[1] = studio.Inside(s.Model, wall)
	if s.Now, err = sized(tx, s, items, at, s.Item.Scale); err != nil {
		return s, err
	}
	if rule.By == "" {
		return s, nil
	}
	k, w, why := rule.ScaleOf(s.Item)
	if why != nil {
		s.Why = studio.UpperFirst(why.Error()) + "."
		return s, nil
	}
	s.Working = w
	then, err := sized(tx, s, items, at, k)
	s.Then = &then
	return s, err
}

func sized(tx *store.Tx, s SizeSheet, items []studio.Item, at int, k float64) (out Sized, err error) {
	items = slices.Clone(items)
	items[at].Scale = k
	priced, err := pricedAs(tx, s.Shop, items, s.Order.Terms, nil)
	if err != nil {
		return out, err
	}
	it := priced.Items[at]
	out = Sized{Scale: k, Grams: it.Estimate.Grams, HandsMinutes: it.Estimate.HandsMinutes, MachineMinutes: it.Estimate.MachineMinutes,
		Net: s.Shop.Studio.Money(it.NetMinor), Troubles: it.Estimate.Troubles}
	for i, mm := range s.Model.Measures.SizeMM {
		out.SizeMM[i] = mm * k
	}
	if whole, fixed, ok := it.Envelope(); ok && fixed != whole {
		for i, mm := range fixed {
			out.FixedMM[i] = mm * k
		}
	}
	for _, p := range it.Parts {
		shape := p.Model.Scaled(k)
		out.VolumeMM3 += shape.VolumeMM3 * float64(p.Copies)
		out.AreaMM2 += shape.AreaMM2 * float64(p.Copies)
		analysis, err := tx.Analysis(p.Model.ID)
		known := &analysis
		if change.NotFound(err) {
			known = nil
		} else if err != nil {
			return out, err
		}
		joins := len(it.Parts) > 1 || known != nil && len(known.Bodies) > 1
		for _, c := range append(s.Shop.SizeCautions(p.Model, known, k, p.Process, joins), s.Shop.Thickens(it.Item, p, joins)...) {
			if len(it.Parts) > 1 {
				c = p.Name + ": " + c
			}
			out.Cautions = append(out.Cautions, c)
		}
	}
	return out, nil
}

// TakeSize sets an item's size by a rule.
func (a *Room) TakeSize(ctx context.Context, who change.Actor, number string, itemID int64, rule studio.SizeRule) (it studio.Item, err error) {
	err = a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == itemID })
		if at < 0 {
			return store.ErrNotFound
		}
		if rule.By == "" {
			return change.Refuse("Choose how the size is set.")
		}
		it = items[at]
		k, _, why := rule.ScaleOf(it)
		if why != nil {
			return change.Refused(why)
		}
		it.Scale, it.Rule = k, rule
		if err := it.Check(); err != nil {
			return change.Refused(err)
		}
		if err := d.SaveItem(&it); err != nil {
			return err
		}
		return d.Note("size set", change.About{Order: o.ID}, "%s: %s × the file, %s", it.Title, rates.Number(it.Scale), it.Rule.Text())
	})
	return it, err
}
