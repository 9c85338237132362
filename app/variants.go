package app

import (
	"context"
	"slices"
	"strings"
	"time"

	"sakuji/core/quote"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// PricedVariant is the order made another way.
type PricedVariant struct {
	studio.Variant
	Items    []PricedItem
	Price    quote.Price
	HandsMin float64
	Earliest time.Time
	Changes  []studio.Change // against the order as it stands
	Troubles []string
}

// variants prices the other ways to make an order.
func variants(tx *store.Tx, s OrderSheet) (out []PricedVariant, err error) {
	list, err := tx.Variants(s.Order.ID)
	if err != nil {
		return nil, err
	}
	for _, v := range list {
		p := PricedVariant{Variant: v}
		items, err := variantItems(tx, s.Shop, v, bare(s.Items))
		if err != nil {
			return nil, err
		}
		p.Changes = studio.Differences(firm(bare(s.Items)), firm(items))
		if items, err = withFees(tx, s.Shop, items); err != nil {
			return nil, err
		}
		terms := s.Order.Terms
		terms.AskedMinor = 0 // that was asked for the order as it stands
		if p.Items, p.Price, _, err = price(s.Shop, items, terms); err != nil {
			return nil, err
		}
		for _, it := range p.Items {
			p.Troubles = append(p.Troubles, it.Estimate.Troubles...)
			if !it.Option {
				p.HandsMin += it.Estimate.HandsMinutes
			}
		}
		p.Earliest = schedule.Earliest(s.Now, chains(p.Items), hours(s.Shop))
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
func (a *App) SaveVariant(ctx context.Context, hand Actor, number string, v studio.Variant) error {
	v.Name = strings.TrimSpace(v.Name)
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		if err := v.Check(); err != nil {
			return refused(err)
		}
		list, err := d.Variants(o.ID)
		if err != nil {
			return err
		}
		if v.ID == 0 && len(list) >= studio.MostVariants {
			return refuse("Four side by side are as many as anybody compares: take one away first.")
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
		return d.Note("variant kept", About{Order: o.ID}, "%s", v.Name)
	})
}

// DropVariant takes one away.
func (a *App) DropVariant(ctx context.Context, hand Actor, number string, id int64) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error { return d.Tx.DropVariant(o.ID, id) })
}

// TakeVariant makes the order so.
func (a *App) TakeVariant(ctx context.Context, hand Actor, number string, id int64) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		list, err := d.Variants(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(list, func(v studio.Variant) bool { return v.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		h, err := shop(d.Tx)
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
				return refused(err)
			}
			if err := d.saveParts(&items[i]); err != nil {
				return err
			}
		}
		if err := d.Tx.DropVariant(o.ID, id); err != nil {
			return err
		}
		return d.Note("variant taken", About{Order: o.ID}, "%s", list[at].Name)
	})
}
