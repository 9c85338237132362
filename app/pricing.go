package app

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// OptionPrice is what an item costs that the client may take besides.
type OptionPrice struct{ NetMinor, TotalMinor int64 }

// Dice are the seeded dice of an order: the same order gives the same range.
func Dice(seed uint64) quote.Dice {
	return func(stream uint64) quote.Die { return rand.New(rand.NewPCG(seed, stream)) }
}

// feeMark begins the name of an extra that comes from a model's licence, not from a form.
const feeMark = "licence: "

// IsFee reports whether an extra comes from a model's licence.
func IsFee(e quote.Extra) bool {
	return e.Kind == quote.Licence && strings.HasPrefix(e.What, feeMark)
}

// own are the extras that somebody entered.
func own(extras []quote.Extra) (out []quote.Extra) {
	for _, e := range extras {
		if !IsFee(e) {
			out = append(out, e)
		}
	}
	return out
}

// withFees adds what licences cost to the items that use them: a fee for each copy, a
// month's share of a subscription once.
func withFees(tx *store.Tx, h studio.Shop, items []studio.Item) ([]studio.Item, error) {
	subscribed := map[int64]bool{}
	out := slices.Clone(items)
	for i := range out {
		it := &out[i]
		it.Extras = own(it.Extras)
		for _, p := range it.Parts {
			d, err := tx.Design(p.Model.DesignID)
			if err != nil {
				return nil, err
			}
			fee := float64(d.FeeMinor) / math.Pow10(int(studio.Digits(h.Studio.Currency)))
			e := quote.Extra{Kind: quote.Licence, What: feeMark + d.Name}
			switch {
			case fee <= 0:
				continue
			case d.Licence == studio.LicencePerCopy:
				e.Each, e.Count, e.PerCopy = fee, float64(p.Copies), true
			case d.Licence == studio.LicenceSubscription && !subscribed[d.ID]:
				subscribed[d.ID] = true
				e.Each = fee / max(1, h.Book.V("subscription.uses"))
			default:
				continue
			}
			it.Extras = append(it.Extras, e)
		}
	}
	return out, nil
}

// price estimates items and asks a price for those that are not options. What an option
// costs is what it adds: alone with the others, sharing what is opened for them.
func price(h studio.Shop, items []studio.Item, own studio.Terms) (out []PricedItem, p quote.Price, options map[int64]OptionPrice, err error) {
	h = h.At(own)
	terms, digits := h.Terms(own), studio.Digits(h.Studio.Currency)
	sure := firm(items)
	ask := func(estimates []studio.Estimated, t quote.Terms) (quote.Price, error) {
		costs := make([]quote.Item, len(estimates))
		for i, e := range estimates {
			costs[i] = e.Item
		}
		return quote.Ask(costs, t, digits)
	}
	estimates := h.EstimateAll(sure)
	if p, err = ask(estimates, terms); err != nil {
		return out, p, nil, err
	}
	plain := terms
	plain.AskedMinor = 0
	base, err := ask(estimates, plain)
	if err != nil {
		return out, p, nil, err
	}
	options = map[int64]OptionPrice{}
	k := 0
	for _, it := range items {
		one := PricedItem{Item: it, Detail: h.Detail(it), digits: digits}
		if !it.Option {
			one.Estimate, one.NetMinor, one.Share = estimates[k], p.Shares[k], p.ShareSteps[k]
			out, k = append(out, one), k+1
			continue
		}
		all := h.EstimateAll(append(slices.Clone(sure), it))
		with, err := ask(all, plain)
		if err != nil {
			return out, p, options, err
		}
		options[it.ID] = OptionPrice{with.NetMinor - base.NetMinor, with.TotalMinor - base.TotalMinor}
		one.Estimate, one.NetMinor = all[len(sure)], with.NetMinor-base.NetMinor
		one.Share = quote.Step{What: "option", Minor: one.NetMinor, Working: rates.Working{Formula: "net with it − net without it",
			Inputs: []rates.Figure{rates.Of("net with it", float64(with.NetMinor)/pow10(digits), "¤", rates.Derived), rates.Of("net without it", float64(base.NetMinor)/pow10(digits), "¤", rates.Derived)},
			Result: rates.Of("net price of the option", float64(one.NetMinor)/pow10(digits), "¤", rates.Derived)}}
		out = append(out, one)
	}
	return out, p, options, nil
}

// costs are those of the items that are not options.
func costs(items []PricedItem) (out []quote.Item) {
	for _, it := range items {
		if !it.Option {
			out = append(out, it.Estimate.Item)
		}
	}
	return out
}

// chains are the ways of the items that are not options.
func chains(items []PricedItem) (out [][]schedule.Step) {
	for _, it := range items {
		if !it.Option {
			out = append(out, it.Estimate.Chain)
		}
	}
	return out
}

// hours are those of the studio; the day begins at nine until the schedule knows better.
func hours(h studio.Shop) schedule.Hours {
	return schedule.Hours{From: 9 * time.Hour, PerDay: time.Duration(h.Book.V("day.hours") * float64(time.Hour)), Hands: int(h.Book.V("day.hands")), Zone: h.Studio.Zone()}
}

// firm are the items that are not options.
func firm(items []studio.Item) (out []studio.Item) {
	for _, it := range items {
		if !it.Option {
			out = append(out, it)
		}
	}
	return out
}
