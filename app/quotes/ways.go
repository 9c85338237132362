package quotes

import (
	"context"
	"slices"

	"sakuji/app/plan"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// OtherWays are other ways to make an order, which might have it ready sooner: the next cheaper tier, its longest
// prints in two and in three pieces, or hollowed; each with its price. Of one that was accepted, as long as nothing
// of it is begun, they are how it is printed, with what that costs more. What cannot be made so is left out.
func (a *Room) OtherWays(ctx context.Context, number string) (out []plan.AskedWay, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err := a.Sheet(tx, number)
		accepted := s.Order.State == studio.Accepted
		if err != nil || accepted && slices.ContainsFunc(s.Pieces, func(p studio.Piece) bool { return p.Counts() && !studio.OneOf(p.State, studio.Waiting, studio.InParts) }) {
			return err
		}
		firm := studio.Firm(s.Specs())
		terms := s.Order.Terms
		terms.AskedMinor = 0 // that was asked for the order as it stands
		asIs := s.PriceSheet
		if accepted { // its price is what was agreed; what it costs is worked out alike for all
			if asIs, err = pricedAs(tx, s.Shop, firm, terms, nil); err != nil {
				return err
			}
		}
		for _, v := range otherWays(firm, accepted) {
			items, err := variantItems(tx, s.Shop, v, firm)
			if err != nil {
				return err
			}
			priced, err := pricedAs(tx, s.Shop, items, terms, nil)
			if err != nil {
				return err
			}
			if slices.ContainsFunc(priced.Firm(), func(it studio.PricedItem) bool { return len(it.Estimate.Troubles) > 0 }) || len(studio.Differences(firm, items)) == 0 {
				continue
			}
			way := plan.AskedWay{Name: v.Name, Steps: priced.Steps(), MoreMinor: priced.Price.TotalMinor - asIs.Price.TotalMinor}
			if accepted {
				way.MoreMinor = priced.Price.CostMinor - asIs.Price.CostMinor
			}
			out = append(out, way)
		}
		return nil
	})
	return out, err
}

// otherWays are they as variants; what the client was promised to get stays so once it was accepted.
func otherWays(items []studio.Item, accepted bool) (out []studio.Variant) {
	prints := []studio.Variant{{Name: "printed in two pieces and joined", CutInto: 2}, {Name: "printed in three pieces and joined", CutInto: 3}, {Name: "hollowed", Hollow: true}}
	if accepted {
		return prints
	}
	tiers := route.Tiers()
	highest := 0
	for _, it := range items {
		highest = max(highest, slices.Index(tiers, it.Tier))
	}
	switch tiers[highest] {
	case route.Painted:
		out = append(out, studio.Variant{Name: route.TierName(route.Primed) + " instead of painted", Tier: route.Primed})
	case route.Primed:
		out = append(out, studio.Variant{Name: route.TierName(route.Raw) + " instead of smoothed", Tier: route.Raw})
	}
	return append(out, prints...)
}
