package studio

import (
	"cmp"
	"fmt"
	"math"
	"reflect"
	"slices"
	"time"

	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/schedule"
)

// PriceSheet is an order priced: every item with its estimate, what is asked for those
// that are not options, and what each option would add. Whoever tells a price of an
// order, in part or as a whole, takes it from here.
type PriceSheet struct {
	Shop    Shop  // with the wage that the order names
	Own     Terms // the order's
	Terms   quote.Terms
	Items   []PricedItem
	Price   quote.Price           // what is asked
	Today   quote.Price           // what would be asked if nothing had been agreed
	Options map[int64]OptionPrice // by item
}

// OptionPrice is what an item costs that the client may take as well.
type OptionPrice struct{ NetMinor, TotalMinor int64 }

// PricedItem is an item with its estimate.
type PricedItem struct {
	Item
	Estimate Estimated
	Detail   string
	NetMinor int64 // its share of the net price
	Kept     bool  // at the price that was agreed
	Share    quote.Step
	digits   int32
}

// CostWorking says how the item's cost came about, kind by kind.
func (p PricedItem) CostWorking() rates.Working {
	w := rates.Working{Formula: "sum of its lines"}
	for _, kind := range quote.Kinds() {
		if minor := p.Estimate.ByKind(kind); minor != 0 {
			w.Inputs = append(w.Inputs, amount(kind, minor, p.digits))
		}
	}
	w.Result = amount("cost of the item", p.Estimate.CostMinor, p.digits)
	return w
}

// KindSums returns the item's cost by kind, in the order of quote.Kinds.
func (p PricedItem) KindSums() (out []int64) {
	for _, k := range quote.Kinds() {
		out = append(out, p.Estimate.ByKind(k))
	}
	return out
}

func amount(label string, minor int64, digits int32) rates.Figure {
	return rates.Of(label, quote.Units(minor, digits), "¤", rates.Derived)
}

// Price prices the items of an order on its own terms. What an option costs is what it
// adds: alone with the others, sharing what is opened for them.
func (h Shop) Price(items []Item, own Terms) (s PriceSheet, err error) {
	digits := Digits(h.Studio.Currency)
	s = PriceSheet{Shop: h.At(own), Own: own, Terms: h.Terms(own), Options: map[int64]OptionPrice{}}
	sure := Firm(items)
	estimates := s.Shop.EstimateAll(sure)
	if s.Price, err = quote.Ask(costsOf(estimates), s.Terms, digits); err != nil {
		return s, err
	}
	s.Today = s.Price
	plain, base := s.Terms, s.Price // a price named by hand is not the options'
	if plain.AskedMinor = 0; s.Terms.AskedMinor != 0 {
		if base, err = quote.Ask(costsOf(estimates), plain, digits); err != nil {
			return s, err
		}
	}
	k := 0
	for _, it := range items {
		one := PricedItem{Item: it, Detail: h.Detail(it), digits: digits}
		if !it.Option {
			one.Estimate, one.NetMinor, one.Share = estimates[k], s.Price.Shares[k], s.Price.ShareSteps[k]
			s.Items, k = append(s.Items, one), k+1
			continue
		}
		all := s.Shop.EstimateAll(append(slices.Clone(sure), it))
		with, err := quote.Ask(costsOf(all), plain, digits)
		if err != nil {
			return s, err
		}
		s.Options[it.ID] = OptionPrice{with.NetMinor - base.NetMinor, with.TotalMinor - base.TotalMinor}
		one.Estimate, one.NetMinor = all[len(sure)], with.NetMinor-base.NetMinor
		one.Share = quote.Step{What: "option", Minor: one.NetMinor, Working: rates.Working{Formula: "net with it − net without it",
			Inputs: []rates.Figure{amount("net with it", with.NetMinor, digits), amount("net without it", base.NetMinor, digits)},
			Result: amount("net price of the option", one.NetMinor, digits)}}
		s.Items = append(s.Items, one)
	}
	return s, nil
}

// Keep lets what was agreed hold: an item that is as it was accepted keeps its price,
// and only what is new, changed or taken off moves the sum. Terms that were changed
// since ask for all of it again.
func (s *PriceSheet) Keep(q Quote) {
	if q.State != QuoteAccepted || !q.Document.SameTerms(s.Own, s.Terms) {
		return
	}
	taken, digits := q.Taken(), Digits(q.Currency)
	agreed := map[int64]DocumentItem{}
	for _, it := range taken.Items {
		agreed[it.Spec.ID] = it
	}
	var fresh, gone int64
	for i := range s.Items {
		it := &s.Items[i]
		if it.Option {
			continue
		}
		was, ok := agreed[it.ID]
		if ok && it.Item.Same(was.Spec) {
			it.Kept, it.NetMinor = true, was.NetMinor
			it.Share = quote.Step{What: "as agreed", Minor: was.NetMinor, Working: rates.Working{Formula: fmt.Sprintf("as agreed in revision %d", q.Revision), Result: amount("net price of the item", was.NetMinor, digits)}}
			delete(agreed, it.ID)
			continue
		}
		fresh += it.NetMinor
	}
	for _, it := range agreed {
		gone += it.NetMinor
	}
	p := s.Price
	p.NetMinor = taken.NetMinor + fresh - gone
	p.TaxMinor = taken.TaxMinor + quote.Share(fresh-gone, s.Terms.TaxPercent)
	p.TotalMinor = p.NetMinor + p.TaxMinor
	p.DepositMinor = s.Terms.Deposit(p.TotalMinor)
	p.Earn()
	step := func(what string, minor int64, formula string) {
		p.Steps = append(p.Steps, quote.Step{What: what, Minor: minor, Working: rates.Working{Formula: formula, Result: amount(what, minor, digits)}})
	}
	p.Steps = nil
	step(fmt.Sprintf("net, agreed in revision %d", q.Revision), taken.NetMinor, "as accepted")
	if fresh != 0 {
		step("new and changed items", fresh, "their shares of today’s net price")
	}
	if gone != 0 {
		step("as they were", -gone, "what was agreed for items changed or taken off")
	}
	step("tax", p.TaxMinor, "tax agreed + tax of what changed")
	p.Working = rates.Working{Formula: "net agreed + what changed + tax", Inputs: []rates.Figure{amount("net agreed", taken.NetMinor, digits), amount("what changed, net", fresh-gone, digits), amount("tax", p.TaxMinor, digits)},
		Result: amount("price", p.TotalMinor, digits)}
	s.Price = p
}

func costsOf(estimates []Estimated) []quote.Item {
	out := make([]quote.Item, len(estimates))
	for i, e := range estimates {
		out[i] = e.Item
	}
	return out
}

// Firm are the items that are not options.
func Firm(items []Item) (out []Item) {
	for _, it := range items {
		if !it.Option {
			out = append(out, it)
		}
	}
	return out
}

// Specs are the items without their prices.
func (s PriceSheet) Specs() (out []Item) {
	for _, it := range s.Items {
		out = append(out, it.Item)
	}
	return out
}

// Firm are the priced items that are not options.
func (s PriceSheet) Firm() (out []PricedItem) {
	for _, it := range s.Items {
		if !it.Option {
			out = append(out, it)
		}
	}
	return out
}

// Item returns a priced item.
func (s PriceSheet) Item(id int64) (PricedItem, bool) {
	for _, it := range s.Items {
		if it.ID == id {
			return it, true
		}
	}
	return PricedItem{}, false
}

// HandsMinutes are the hands of all items that are not options.
func (s PriceSheet) HandsMinutes() (minutes float64) {
	for _, it := range s.Firm() {
		minutes += it.Estimate.HandsMinutes
	}
	return minutes
}

// Range simulates the order many times: what it may cost. The dice are seeded, so that
// the same order gives the same range.
func (s PriceSheet) Range(dice quote.Dice) quote.Range {
	var costs []quote.Item
	for _, it := range s.Firm() {
		costs = append(costs, it.Estimate.Item)
	}
	return quote.Simulate(s.Shop.Book, costs, dice, quote.Draws, Digits(s.Shop.Studio.Currency))
}

// Earliest is when the order can be ready if it is begun now, by its hands, machines and
// waits in the studio's usual hours; Soonest is day and night, what no rush can beat.
func (s PriceSheet) Earliest(now time.Time) time.Time {
	return schedule.Earliest(now, s.Steps(), s.Shop.Hours())
}

// Soonest is when it can be ready if nobody rests.
func (s PriceSheet) Soonest(now time.Time) time.Time {
	return schedule.Earliest(now, s.Steps(), schedule.Always(int(s.Shop.Book.V("day.hands"))))
}

// Steps are what each item that is not an option takes, step by step.
func (s PriceSheet) Steps() (out [][]schedule.Step) {
	for _, it := range s.Firm() {
		out = append(out, it.Estimate.Chain)
	}
	return out
}

// Hours are when hands work; the day begins at nine until the schedule knows better.
func (h Shop) Hours() schedule.Hours {
	return schedule.Hours{From: 9 * time.Hour, PerDay: time.Duration(h.Book.V("day.hours") * float64(time.Hour)), Hands: int(h.Book.V("day.hands")), Zone: h.Studio.Zone()}
}

// RushFor is the rush that a day of delivery asks: so much for each calendar day sooner
// than usual hours allow; never says that no rush can do it.
func (s PriceSheet) RushFor(day, earliest, soonest time.Time) (percent float64, never bool) {
	if !day.Before(earliest) {
		return 0, false
	}
	if day.Before(soonest) {
		return 0, true
	}
	days := math.Ceil(earliest.Sub(day).Hours() / 24)
	return days * s.Shop.Book.V("rush.day"), false
}

// Moved is a kind of cost that is not what it was when a price was agreed.
type Moved struct {
	Kind  string
	Minor int64 // more than then, or less
}

// MovedSince says by kind how today's cost differs from what an accepted quote counted
// on, the largest first.
func (s PriceSheet) MovedSince(q Quote) (out []Moved) {
	then := map[string]int64{}
	for _, it := range q.Taken().Items {
		for _, k := range quote.Kinds() {
			then[k] += it.Cost.ByKind(k)
		}
	}
	for _, k := range quote.Kinds() {
		var now int64
		for _, it := range s.Firm() {
			now += it.Estimate.ByKind(k)
		}
		if now != then[k] {
			out = append(out, Moved{k, now - then[k]})
		}
	}
	slices.SortStableFunc(out, func(a, b Moved) int {
		return int(max(b.Minor, -b.Minor) - max(a.Minor, -a.Minor))
	})
	return out
}

// LicenceFee is what the licence of a model costs the item that prints it.
type LicenceFee struct {
	Design  string
	Each    float64 // in the studio's currency
	Count   float64
	PerCopy bool
}

// Extra is the fee as the price counts it.
func (f LicenceFee) Extra() quote.Extra {
	return quote.Extra{Kind: quote.Licence, What: "licence: " + f.Design, Each: f.Each, Count: f.Count, PerCopy: f.PerCopy}
}

// Same reports whether an item is what was agreed: all that changes work or price for the client is as it was, whatever the
// order of extras and parts. How the studio goes about it is its own: on which machine, and how a part stands. A part that
// was priced in several pieces and is cut into as many is the same.
func (i Item) Same(was Item) bool {
	agreed := func(i Item) Item {
		i = i.made()
		for k := range i.Parts {
			p := &i.Parts[k]
			p.OrientationID, p.MachineID, p.Waived = 0, 0, ""
		}
		return i
	}
	return reflect.DeepEqual(agreed(i), agreed(was)) || reflect.DeepEqual(agreed(i.uncut()), agreed(was.uncut()))
}

// SameWork reports whether an item is also made as it was, so that it costs what it did: what is asked for a price before
// the yes.
func (i Item) SameWork(was Item) bool {
	halves := func(i Item) Item { // each half of a cut stands in its own way
		i = i.uncut().made()
		for k := range i.Parts {
			if i.Parts[k].CutInto > 1 {
				i.Parts[k].OrientationID = 0
			}
		}
		return i
	}
	return reflect.DeepEqual(i.made(), was.made()) || reflect.DeepEqual(halves(i), halves(was))
}

// uncut is the item with the pieces of each cut taken for the part they were cut of, which is
// printed in so many.
func (i Item) uncut() Item {
	var parts []Part
	cuts := map[string]int{} // where in parts the pieces of a cut are counted
	for _, p := range i.Parts {
		if p.Model.How != Cut {
			continue
		}
		at, known := cuts[p.Model.Batch]
		if !known {
			at = len(parts)
			cuts[p.Model.Batch] = at
			whole := p
			whole.ModelID, whole.CutInto, whole.Joins = p.Model.FromID, 0, JoinAsSuggested
			parts = append(parts, whole)
		}
		parts[at].CutInto++
	}
	for _, p := range i.Parts {
		if _, dowel := cuts[p.Model.Batch]; p.Model.How != Cut && !(p.Model.How == Peg && dowel) {
			parts = append(parts, p)
		}
	}
	slices.SortFunc(parts, func(a, b Part) int { return int(a.ID - b.ID) })
	i.Parts = parts
	return i
}

// made is an item with nothing but what changes work or price: names, places and ids of its parts are left out, how its
// size was found but for whether it is worn, and what is worked out of the rest.
func (i Item) made() Item {
	worn := ""
	if i.Rule.Worn() {
		worn = i.Rule.By
	}
	i.OrderID, i.Position, i.Rule, i.Fees, i.Option = 0, 0, SizeRule{By: worn}, nil, false // taken, it is no option any more
	if len(i.Extras) == 0 {
		i.Extras = nil
	}
	parts := slices.Clone(i.Parts)
	slices.SortStableFunc(parts, func(a, b Part) int { return cmp.Or(cmp.Compare(a.ModelID, b.ModelID), cmp.Compare(a.ID, b.ID)) })
	for k := range parts {
		p := &parts[k]
		p.CutInto = p.Pieces()
		p.ID, p.ItemID, p.Name, p.Model = 0, 0, "", Model{}
	}
	i.Parts = parts
	return i
}
