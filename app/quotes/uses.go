package quotes

import (
	"context"
	"slices"

	"sakuji/app/models"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// UsePrice is a use of a design, and what another version of it would do to its price.
type UsePrice struct {
	store.Use
	Open      bool
	Shown     bool   // it prints the version shown
	PrintedOf string // the version it prints
	Net       studio.Money
	NetShown  studio.Money // with the version shown
	Priced    bool
}

// UsePrices prices every use of a design as it is, and with the version that its sheet shows
// in its place.
func (a *Room) UsePrices(ctx context.Context, s models.ModelSheet) (out []UsePrice, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err := setup.Load(tx)
		if err != nil {
			return err
		}
		for _, u := range s.Uses {
			up, err := usePrice(tx, h, u, s.Model)
			if err != nil {
				return err
			}
			if at := slices.IndexFunc(s.Versions, func(m models.ModelVersion) bool { return m.ID == u.ModelID }); at >= 0 {
				up.PrintedOf = s.Versions[at].Name
			}
			out = append(out, up)
		}
		return nil
	})
	return out, err
}

func usePrice(tx *store.Tx, h studio.Shop, u store.Use, shown studio.Model) (up UsePrice, err error) {
	up = UsePrice{Use: u, Shown: u.ModelID == shown.ID, Open: studio.OneOf(u.State, studio.OpenOrders()...)}
	if !up.Open || up.Shown || studio.OneOf(shown.How, studio.Body, studio.Cut, studio.Peg) {
		return up, nil
	}
	o, err := tx.Order(u.Number)
	if err != nil {
		return up, err
	}
	items, err := tx.Items(o.ID)
	if err != nil {
		return up, err
	}
	net := func() (studio.Money, bool) {
		priced, err := pricedAs(tx, h, items, o.Terms, nil)
		it, ok := priced.Item(u.ItemID)
		return h.Studio.Money(it.NetMinor), err == nil && ok
	}
	var before, after bool
	up.Net, before = net()
	for i := range items {
		for k := range items[i].Parts {
			if p := &items[i].Parts[k]; p.ID == u.PartID {
				p.ModelID, p.Model = shown.ID, shown
			}
		}
	}
	up.NetShown, after = net()
	up.Priced = before && after
	return up, nil
}
