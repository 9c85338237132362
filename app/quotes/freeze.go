package quotes

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/plan"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// dates are what the plan is asked about a quote: the order as it stands, each alternative that is offered,
// the order with each option.
type dates struct{ ways []plan.Asked }

// promised writes into a quote by when each of its ways is ready, as sure as 8 in 10 by the plan of the whole
// studio.
func (a *Room) promised(ctx context.Context, d dates, doc *studio.Document) error {
	list, err := a.plan.Promise(ctx, d.ways...)
	if err != nil || len(list) == 0 || list[0].Ready.IsZero() {
		return err
	}
	at := func(p plan.Promised) int64 {
		if p.Ready.IsZero() {
			return 0
		}
		return p.Sure.UnixMilli()
	}
	doc.Sure = at(list[0])
	for k := range doc.Alternatives {
		doc.Alternatives[k].Sure = at(list[1+k])
	}
	for k := range doc.Options {
		if sure := at(list[1+len(doc.Alternatives)+k]); sure > 0 {
			doc.Options[k].LaterMS = max(0, sure-doc.Sure)
		}
	}
	return nil
}

// document freezes a sheet, with the variants that are offered and the options.
func document(tx *store.Tx, s OrderSheet) (studio.Document, dates, error) {
	ask := dates{[]plan.Asked{s.Steps()}}
	doc, err := frozen(tx, s, &ask)
	return doc, ask, err
}

func frozen(tx *store.Tx, s OrderSheet, ask *dates) (studio.Document, error) {
	doc := studio.Document{
		Studio: s.Shop.Studio, Client: s.Client, Number: s.Order.Number, Title: s.Order.Title,
		Price: s.Price, WageMinor: s.Order.Terms.WageMinor, Terms: s.Terms,
		Earliest: s.PriceSheet.Earliest(s.Now).UnixMilli(), PaidMinor: s.Account().Paid.Minor,
	}
	if !s.Order.Wanted.IsZero() {
		doc.Wanted = s.Order.Wanted.UnixMilli()
	}
	for _, it := range s.Items {
		di := documentItem(it)
		if it.Option {
			o := s.Options[it.ID]
			in := it.Title
			if len(it.Parts) > 0 {
				in += ", " + route.TierName(it.Tier)
			}
			doc.Options = append(doc.Options, studio.Option{Item: di, TotalMinor: o.TotalMinor, NetMinor: o.NetMinor, Included: []string{in}})
			continue
		}
		doc.Items = append(doc.Items, di)
	}
	doc.Included, doc.Excluded = scope(s.Firm())
	doc.Cautions = cautions(s.Order, s.Firm())
	if err := offer(tx, s, &doc, ask); err != nil {
		return doc, err
	}
	for _, it := range s.Items {
		if it.Option {
			ask.ways = append(ask.ways, append(slices.Clone(s.Steps()), it.Estimate.Chain))
		}
	}
	if q := s.AcceptedQuote(); q != nil {
		doc.Instead = &studio.Instead{Revision: q.Revision, TotalMinor: q.TotalMinor, Changes: studio.Differences(q.Taken().Specs(), s.Specs())}
	}
	for _, p := range s.Points {
		switch {
		case p.Kind == studio.Colour:
			doc.Colours = append(doc.Colours, strings.TrimSuffix(p.Text+": "+p.Answer, ": "))
		case p.Kind == studio.Question && p.Open():
			doc.Questions = append(doc.Questions, p.Text)
		}
	}
	return doc, nil
}

// offer adds the alternatives that the client may choose, each with what is in it and what
// the options cost beside it.
func offer(tx *store.Tx, s OrderSheet, doc *studio.Document, ask *dates) error {
	list, err := variants(tx, s)
	if err != nil {
		return err
	}
	for _, v := range list {
		if !v.Offered {
			continue
		}
		if len(v.Troubles) > 0 {
			return change.Refuse("%s cannot be offered yet. %s", v.Name, strings.Join(v.Troubles, " "))
		}
		a := studio.Alternative{Name: v.Name, Price: v.Price, Earliest: v.Earliest.UnixMilli(), Changes: v.Changes}
		for _, it := range v.Firm() {
			a.Items = append(a.Items, documentItem(it))
		}
		for _, o := range doc.Options {
			beside := v.Options[o.Item.Spec.ID]
			a.Options = append(a.Options, studio.OptionAt{ItemID: o.Item.Spec.ID, NetMinor: beside.NetMinor, TotalMinor: beside.TotalMinor})
		}
		a.Included, a.Excluded = scope(v.Firm())
		a.Cautions = cautions(s.Order, v.Firm())
		doc.Alternatives = append(doc.Alternatives, a)
		ask.ways = append(ask.ways, v.Steps())
	}
	if len(doc.Alternatives) > 0 {
		doc.Name = "As quoted: " + tiersOf(s.Items)
	}
	return nil
}

// cautions are what the client should know of what is in a price.
func cautions(o studio.Order, items []studio.PricedItem) []string {
	var bare []studio.Item
	grams := map[int64]float64{}
	for _, it := range items {
		bare = append(bare, it.Item)
		grams[it.ID] = it.Estimate.Grams / float64(max(1, it.Copies))
	}
	return studio.Handover(o, bare, grams)
}

// tiersOf says how far the items are finished.
func tiersOf(items []studio.PricedItem) string {
	var tiers []string
	for _, t := range route.Tiers() {
		if slices.ContainsFunc(items, func(it studio.PricedItem) bool { return it.Tier == t && len(it.Parts) > 0 && !it.Option }) {
			tiers = append(tiers, route.TierName(t))
		}
	}
	return strings.Join(tiers, ", ")
}

func documentItem(it studio.PricedItem) studio.DocumentItem {
	spec := it.Item
	spec.Parts = slices.Clone(it.Parts)
	di := studio.DocumentItem{Title: it.Title, Detail: it.Detail, Copies: it.Copies, SizeMM: it.Size(), NetMinor: it.NetMinor, Cost: it.Estimate.Item}
	if len(it.Parts) > 0 {
		di.Detail = route.TierName(it.Tier) + ", " + it.Detail
	}
	for k, p := range spec.Parts {
		if k == 0 {
			di.Front = p.Model.Face().Scaled(it.Scale)
		}
		spec.Parts[k].Model = studio.Model{ID: p.Model.ID, SHA: p.Model.SHA, Name: p.Model.Name}
	}
	di.Spec = spec
	return di
}

// scope says what the price holds and what it does not, from the items themselves.
func scope(items []studio.PricedItem) (in, out []string) {
	has := func(f func(studio.PricedItem) bool) bool { return slices.ContainsFunc(items, f) }
	prints := func(it studio.PricedItem) bool { return len(it.Parts) > 0 && route.Printed(it.Tier) }
	if has(func(it studio.PricedItem) bool { return len(it.Parts) > 0 && !route.Printed(it.Tier) }) {
		in = append(in, "the file made ready to print: hollowed, drained, cut and checked")
		out = append(out, "the print of what is sold as a file")
	}
	if has(prints) {
		in = append(in, "the prints, their supports taken off, washed and cured where they are resin, checked against the model")
	} else if len(in) == 0 {
		in = append(in, "the work named above")
	}
	switch {
	case has(func(it studio.PricedItem) bool { return it.Tier == route.Painted }):
		in = append(in, "smoothing, primer, painting in the agreed colours, clear coat")
	case has(func(it studio.PricedItem) bool { return it.Tier == route.Primed }):
		in = append(in, "smoothing and primer")
		out = append(out, "paint")
	case has(func(it studio.PricedItem) bool { return it.Tier == route.Coloured }):
		in = append(in, "scars dressed; the colour is the material’s own")
		out = append(out, "filling, primer and paint")
	case has(prints):
		out = append(out, "smoothing and paint")
	}
	if has(func(it studio.PricedItem) bool { return len(it.Parts) > 1 && it.Apart && it.Tier != route.Raw }) {
		out = append(out, "joining the parts: they come apart")
	}
	freight := false
	for _, it := range items {
		for _, e := range it.Extras {
			switch {
			case e.Kind == quote.Freight:
				freight = true
				in = append(in, "delivery: "+e.What)
			case e.Kind == quote.Sculpt && e.Revisions > 0:
				in = append(in, fmt.Sprintf("%s with %s", e.What, studio.Say(e.Revisions, "revision")))
			case e.Kind == quote.BoughtIn, e.Kind == quote.Trial, e.Kind == quote.Base, e.Kind == quote.SoftGoods, e.Kind == quote.Restore, e.Kind == quote.Other, e.Kind == quote.Sculpt:
				in = append(in, e.What)
			}
		}
	}
	in = append(in, "photographs and packing")
	if !freight {
		out = append(out, "delivery, unless it is fetched")
	}
	return in, append(out, "changes after your yes: each is offered with a price of its own")
}
