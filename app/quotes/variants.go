package quotes

import (
	"context"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// PricedVariant is the order made another way.
type PricedVariant struct {
	studio.Variant
	studio.PriceSheet
	Earliest time.Time
	Changes  []studio.Change // against the order as it stands
	Troubles []string
}

// variants prices the other ways to make an order, each with the options beside it.
func variants(tx *store.Tx, s OrderSheet) (out []PricedVariant, err error) {
	list, err := tx.Variants(s.Order.ID)
	if err != nil {
		return nil, err
	}
	sure := studio.Firm(s.Specs())
	for _, v := range list {
		p := PricedVariant{Variant: v}
		items, err := variantItems(tx, s.Shop, v, sure)
		if err != nil {
			return nil, err
		}
		p.Changes = studio.Differences(sure, items)
		for _, it := range s.Items { // an option stays what it is, whatever is chosen
			if it.Option {
				items = append(items, it.Item)
			}
		}
		terms := s.Order.Terms
		terms.AskedMinor = 0 // that was asked for the order as it stands
		if p.PriceSheet, err = pricedAs(tx, s.Shop, items, terms, nil); err != nil {
			return nil, err
		}
		for _, it := range p.Firm() {
			p.Troubles = append(p.Troubles, it.Estimate.Troubles...)
		}
		p.Earliest = p.PriceSheet.Earliest(s.Now)
		out = append(out, p)
	}
	return out, nil
}

// variantItems are an order's items made another way.
func variantItems(tx *store.Tx, h studio.Shop, v studio.Variant, items []studio.Item) (out []studio.Item, err error) {
	stood := func(p studio.Part, processName string) (studio.Model, int64) {
		orientation, e := tx.ChosenOrientation(p.ModelID, processName)
		m := p.Model
		if e == nil {
			m, e = tx.ModelOriented(p.ModelID, orientation)
		}
		if e != nil && err == nil {
			err = e
		}
		return m, orientation
	}
	for _, it := range items {
		out = append(out, v.Of(h, it, stood))
	}
	return out, err
}

// SaveVariant adds another way to make an order (id 0) or changes one.
func (a *Room) SaveVariant(ctx context.Context, who change.Actor, number string, v studio.Variant) error {
	v.Name = strings.TrimSpace(v.Name)
	return a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		if err := v.Check(); err != nil {
			return change.Refused(err)
		}
		list, err := d.Variants(o.ID)
		if err != nil {
			return err
		}
		if v.ID == 0 && len(list) >= studio.MostVariants {
			return change.Refuse("Four side by side are as many as anybody compares: take one away first.")
		}
		if v.ID != 0 && !slices.ContainsFunc(list, func(w studio.Variant) bool { return w.ID == v.ID }) {
			return store.ErrNotFound
		}
		if v.OrderID = o.ID; v.ID == 0 {
			v.Position = len(list)
		}
		if err := d.Tx.SaveVariant(&v); err != nil {
			return err
		}
		return d.Note("variant kept", change.About{Order: o.ID}, "%s", v.Name)
	})
}

// DropVariant takes one away.
func (a *Room) DropVariant(ctx context.Context, who change.Actor, number string, id int64) error {
	return a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		if err := d.Tx.DropVariant(o.ID, id); err != nil {
			return err
		}
		return d.Note("variant dropped", change.About{Order: o.ID}, "an alternative of order %s", number)
	})
}

// TakeVariant makes the order so.
func (a *Room) TakeVariant(ctx context.Context, who change.Actor, number string, id int64) error {
	return a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		list, err := d.Variants(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(list, func(v studio.Variant) bool { return v.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		if items, err = variantItems(d.Tx, h, list[at], items); err != nil {
			return err
		}
		for i := range items {
			if err := items[i].Check(); err != nil {
				return change.Refused(err)
			}
			if err := orders.SaveParts(d, *o, &items[i]); err != nil {
				return err
			}
		}
		if err := d.Tx.DropVariant(o.ID, id); err != nil {
			return err
		}
		return d.Note("variant taken", change.About{Order: o.ID}, "%s", list[at].Name)
	})
}
