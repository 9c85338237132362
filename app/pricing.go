package app

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
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
func withFees(tx *store.Tx, h studio.House, items []studio.Item) ([]studio.Item, error) {
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
func price(h studio.House, items []studio.Item, own studio.Terms) (out []PricedItem, p quote.Price, options map[int64]OptionPrice, err error) {
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

// hours are those of the house; the day begins at nine until the schedule knows better.
func hours(h studio.House) schedule.Hours {
	return schedule.Hours{From: 9 * time.Hour, PerDay: time.Duration(h.Book.V("day.hours") * float64(time.Hour)), Hands: int(h.Book.V("day.hands")), Zone: h.Studio.Zone()}
}

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

// Desk is an order's quote sheet.
type Desk struct {
	OrderSheet
	Range    quote.Range
	Variants []PricedVariant
	Earliest time.Time // by summed hands in usual hours, machines and waits
	Soonest  time.Time // day and night: what no rush can beat
	People   []studio.Person
	Since    []studio.Change // since the newest quote was sent
	Schools  []finish.School
}

// Desk returns an order's quote sheet.
func (a *App) Desk(ctx context.Context, number string) (s Desk, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.desk(tx, number)
		return err
	})
	return s, err
}

func (a *App) desk(tx *store.Tx, number string) (s Desk, err error) {
	if s.OrderSheet, err = a.orderSheet(tx, number); err != nil {
		return s, err
	}
	if s.People, err = tx.People(); err != nil {
		return s, err
	}
	s.Schools = finish.Schools()
	s.Earliest = schedule.Earliest(s.Now, chains(s.Items), hours(s.House))
	s.Soonest = schedule.Earliest(s.Now, chains(s.Items), schedule.Always(int(s.House.Book.V("day.hands"))))
	if q := s.Newest(); q != nil {
		specs := q.Document.Specs()
		if q.State == studio.QuoteAccepted {
			specs = q.Taken().Specs()
		}
		s.Since = studio.Differences(specs, bare(s.Items))
	}
	s.Variants, err = variants(tx, s.OrderSheet)
	return s, err
}

// bare are the items without their prices.
func bare(items []PricedItem) (out []studio.Item) {
	for _, it := range items {
		it.Item.Extras = own(it.Extras)
		out = append(out, it.Item)
	}
	return out
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

// variants prices the other ways to make an order.
func variants(tx *store.Tx, s OrderSheet) (out []PricedVariant, err error) {
	list, err := tx.Variants(s.Order.ID)
	if err != nil {
		return nil, err
	}
	for _, v := range list {
		p := PricedVariant{Variant: v}
		items, err := variantItems(tx, s.House, v, bare(s.Items))
		if err != nil {
			return nil, err
		}
		p.Changes = studio.Differences(firm(bare(s.Items)), firm(items))
		if items, err = withFees(tx, s.House, items); err != nil {
			return nil, err
		}
		terms := s.Order.Terms
		terms.AskedMinor = 0 // that was asked for the order as it stands
		if p.Items, p.Price, _, err = price(s.House, items, terms); err != nil {
			return nil, err
		}
		for _, it := range p.Items {
			p.Troubles = append(p.Troubles, it.Estimate.Troubles...)
			if !it.Option {
				p.HandsMin += it.Estimate.HandsMinutes
			}
		}
		p.Earliest = schedule.Earliest(s.Now, chains(p.Items), hours(s.House))
		out = append(out, p)
	}
	return out, nil
}

// variantItems are an order's items made another way.
func variantItems(tx *store.Tx, h studio.House, v studio.Variant, items []studio.Item) (out []studio.Item, err error) {
	stood := func(p studio.Part, processName string) (studio.Model, int64) {
		standing, e := tx.TakenStanding(p.ModelID, processName)
		m := p.Model
		if e == nil {
			m, e = tx.ModelAsStood(p.ModelID, standing)
		}
		if e != nil && err == nil {
			err = e
		}
		return m, standing
	}
	for _, it := range items {
		out = append(out, v.Of(h, it, stood))
	}
	return out, err
}

// RangeOf lives through the order again and again: what it may cost.
func (s OrderSheet) RangeOf() quote.Range {
	return quote.Simulate(s.House.Book, costs(s.Items), Dice(uint64(s.Order.ID)), quote.Draws, studio.Digits(s.House.Studio.Currency))
}

// RushFor is the rush that a day of delivery asks: so much for each working day sooner than
// usual hours allow; never says that no rush can do it.
func (s Desk) RushFor(day time.Time) (percent float64, never bool) {
	if !day.Before(s.Earliest) {
		return 0, false
	}
	if day.Before(s.Soonest) {
		return 0, true
	}
	days := math.Ceil(s.Earliest.Sub(day).Hours() / 24)
	return days * s.House.Book.V("rush.day"), false
}

// SchoolRow is a part under one finish route.
type SchoolRow struct {
	finish.School
	House    bool // the studio's own choice
	Now      bool // as the item has it
	HandsMin float64
	WaitMin  float64
	Sheets   float64 // of sandpaper
	PuttyG   float64
	Minor    int64 // cost of the item
}

// SchoolsOf prices an item under every finish route, in the order of cost.
func (a *App) SchoolsOf(ctx context.Context, number string, itemID int64) (s OrderSheet, it studio.Item, list []SchoolRow, err error) {
	s, err = a.OrderSheet(ctx, number)
	if err != nil {
		return s, it, nil, err
	}
	at := slices.IndexFunc(s.Items, func(p PricedItem) bool { return p.ID == itemID })
	if at < 0 || len(s.Items[at].Parts) == 0 {
		return s, it, nil, store.ErrNotFound
	}
	it = s.Items[at].Item
	if it.Tier == route.Raw {
		return s, it, nil, nil
	}
	house := s.House.At(s.Order.Terms)
	usual := house.Studio.Ways.School(it.Parts[0].Process, it.Tier)
	for _, school := range finish.Schools() {
		one := it
		one.School = school.Key
		e := house.Estimate(one)
		row := SchoolRow{School: school, House: school.Key == usual, Now: school.Key == it.School || it.School == "" && school.Key == usual, HandsMin: e.HandsMinutes, Minor: e.CostMinor}
		for _, step := range e.Chain {
			row.WaitMin += step.WaitMin
		}
		for _, p := range e.Job.Parts {
			for _, sup := range p.Supplies {
				switch sup.Key {
				case "paper":
					row.Sheets += sup.Amount * float64(p.Copies)
				case "putty":
					row.PuttyG += sup.Amount * float64(p.Copies)
				}
			}
		}
		list = append(list, row)
	}
	slices.SortStableFunc(list, func(a, b SchoolRow) int { return int(a.Minor - b.Minor) })
	return s, it, list, nil
}

// SetSchool makes an item's finish route, and with house the studio's own for its process
// and tier.
func (a *App) SetSchool(ctx context.Context, hand Hand, number string, itemID int64, key string, house bool) error {
	school, ok := finish.SchoolOf(key)
	if !ok {
		return refuse("There is no such finish route.")
	}
	return a.onItem(ctx, hand, number, itemID, func(d deed, o *studio.Order, it *studio.Item) error {
		it.School = key
		if house && len(it.Parts) > 0 {
			s, err := d.Studio()
			if err != nil {
				return err
			}
			if s.Ways.Schools == nil {
				s.Ways.Schools = map[string]string{}
			}
			s.Ways.Schools[it.Parts[0].Process+" "+it.Tier] = key
			it.School = ""
			if err := d.Tx.SaveStudio(s); err != nil {
				return err
			}
			return d.log("house route", about{order: o.ID}, "%s, %s: %s", it.Parts[0].Process, route.TierName(it.Tier), school.Name)
		}
		return d.log("item changed", about{order: o.ID}, "%s: %s", it.Title, school.Name)
	})
}

// onItem changes one item of an order.
func (a *App) onItem(ctx context.Context, hand Hand, number string, itemID int64, f func(deed, *studio.Order, *studio.Item) error) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == itemID })
		if at < 0 {
			return store.ErrNotFound
		}
		if err := f(d, o, &items[at]); err != nil {
			return err
		}
		if err := items[at].Check(); err != nil {
			return refused(err)
		}
		return d.SaveItem(&items[at])
	})
}

// AddPlainItem adds an item without prints: sculpting, a restoration, freight.
func (a *App) AddPlainItem(ctx context.Context, hand Hand, number, title string) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		it := studio.Item{OrderID: o.ID, Position: len(items), Title: strings.TrimSpace(title), Tier: route.Raw, Copies: 1, Scale: 1}
		if err := it.Check(); err != nil {
			return refused(err)
		}
		if err := d.SaveItem(&it); err != nil {
			return err
		}
		return d.log("item added", about{order: o.ID}, "%s, without a model", it.Title)
	})
}

// AddExtra adds to an item what it takes besides its prints.
func (a *App) AddExtra(ctx context.Context, hand Hand, number string, itemID int64, e quote.Extra) error {
	e.What = strings.TrimSpace(e.What)
	if strings.HasPrefix(e.What, feeMark) {
		return refuse("Licence fees come from the model’s sheet.")
	}
	if e.Each == 0 && e.Hours == 0 && e.FigureHours == 0 && e.Revisions == 0 && e.Odds == 0 {
		return refuse("%s: give a price or hours.", upper(e.What))
	}
	return a.onItem(ctx, hand, number, itemID, func(d deed, o *studio.Order, it *studio.Item) error {
		it.Extras = append(it.Extras, e)
		return d.log("item changed", about{order: o.ID}, "%s: with %s", it.Title, e.What)
	})
}

// DropExtra takes one away, by its place.
func (a *App) DropExtra(ctx context.Context, hand Hand, number string, itemID int64, at int) error {
	return a.onItem(ctx, hand, number, itemID, func(d deed, o *studio.Order, it *studio.Item) error {
		if at < 0 || at >= len(it.Extras) {
			return refuse("It is gone already.")
		}
		what := it.Extras[at].What
		it.Extras = slices.Delete(slices.Clone(it.Extras), at, at+1)
		return d.log("item changed", about{order: o.ID}, "%s: without %s", it.Title, what)
	})
}

// SayWeapon notes whether an item looks like a weapon.
func (a *App) SayWeapon(ctx context.Context, hand Hand, number string, itemID int64, yes bool) error {
	return a.onItem(ctx, hand, number, itemID, func(d deed, o *studio.Order, it *studio.Item) error {
		it.Weapon = map[bool]string{true: "yes", false: "no"}[yes]
		return d.log("item changed", about{order: o.ID}, "%s: looks like a weapon: %s", it.Title, it.Weapon)
	})
}

// SaveTerms sets what an order's price has of its own. A discount's code gives its per cent.
func (a *App) SaveTerms(ctx context.Context, hand Hand, number string, t studio.Terms) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		s, err := d.Studio()
		if err != nil && !NotFound(err) {
			return err
		}
		t.DiscountWhy = strings.TrimSpace(t.DiscountWhy)
		if off, ok := s.Ways.Codes[strings.ToUpper(t.DiscountWhy)]; ok && t.Discount == 0 {
			t.Discount, t.DiscountWhy = off, strings.ToUpper(t.DiscountWhy)
		}
		if err := t.Check(); err != nil {
			return refused(err)
		}
		o.Terms = t
		if err := d.SaveOrder(o); err != nil {
			return err
		}
		return d.log("rates changed", about{order: o.ID}, "terms of order %s: rush %v %%, discount %v %% %s", number, t.RushPercent, t.Discount, t.DiscountWhy)
	})
}

// SaveWays keeps the house's finish routes and its discount codes, one to a line: a code and
// its per cent.
func (a *App) SaveWays(ctx context.Context, hand Hand, ways studio.Ways, codes string) error {
	for _, key := range ways.Schools {
		if _, ok := finish.SchoolOf(key); !ok {
			return refuse("There is no finish route %q.", key)
		}
	}
	ways.Codes = map[string]float64{}
	for i, l := range strings.Split(strings.TrimSpace(codes), "\n") {
		if l = strings.TrimSpace(l); l == "" {
			continue
		}
		words := strings.Fields(strings.TrimSuffix(l, "%"))
		off := math.NaN()
		if len(words) == 2 {
			off, _ = strconv.ParseFloat(strings.Replace(words[1], ",", ".", 1), 64)
		}
		if !(off > 0 && off <= 100) {
			return refuse("Codes, line %d: %q is not a code and its per cent, such as GUILD 10. Nothing was changed.", i+1, l)
		}
		ways.Codes[strings.ToUpper(words[0])] = off
	}
	return a.do(ctx, hand, func(d deed) error {
		s, err := d.Studio()
		if err != nil {
			return refuse("Set the studio up first: its name and currency stand on every quote.")
		}
		s.Ways = ways
		if err := d.Tx.SaveStudio(s); err != nil {
			return err
		}
		return d.log("rates changed", about{}, "the house’s finish routes and discount codes")
	})
}

// SaveVariant adds another way to make an order (id 0) or changes one.
func (a *App) SaveVariant(ctx context.Context, hand Hand, number string, v studio.Variant) error {
	v.Name = strings.TrimSpace(v.Name)
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
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
		return d.log("variant kept", about{order: o.ID}, "%s", v.Name)
	})
}

// DropVariant takes one away.
func (a *App) DropVariant(ctx context.Context, hand Hand, number string, id int64) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error { return d.Tx.DropVariant(o.ID, id) })
}

// TakeVariant makes the order so.
func (a *App) TakeVariant(ctx context.Context, hand Hand, number string, id int64) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		list, err := d.Variants(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(list, func(v studio.Variant) bool { return v.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		h, err := house(d.Tx)
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
		return d.log("variant taken", about{order: o.ID}, "%s", list[at].Name)
	})
}

// RestartFrom makes the order's items what a revision of its quote had: a new version
// starts from an old one.
func (a *App) RestartFrom(ctx context.Context, hand Hand, number string, revision int) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		quotes, err := d.Quotes(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(quotes, func(q studio.Quote) bool { return q.Revision == revision })
		if at < 0 {
			return store.ErrNotFound
		}
		specs := quotes[at].Document.Specs()
		if !quotes[at].Answered.IsZero() && quotes[at].State != studio.QuoteDeclined {
			specs = quotes[at].Taken().Specs()
		}
		now, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range now {
			if !slices.ContainsFunc(specs, func(s studio.Item) bool { return s.ID == it.ID }) {
				if err := d.Tx.RemoveItem(it.ID); err != nil {
					return err
				}
			}
		}
		for _, it := range specs {
			if err := d.PutBack(it.ID); err != nil {
				return err
			}
			it.Extras = own(it.Extras)
			if err := d.SaveItem(&it); err != nil {
				return err
			}
		}
		return d.log("quote taken up", about{order: o.ID}, "the order is as in revision %d", revision)
	})
}

// QuoteRows lists quotes, newest first.
func (a *App) QuoteRows(ctx context.Context, before time.Time) (list []store.QuoteRow, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.QuoteRows(before, QuotesShown)
		return err
	})
	return list, err
}

// QuotesShown is how many quotes a list shows at once.
const QuotesShown = 1000

// RateChange is one figure's change in the rate book's history.
type RateChange struct {
	At            time.Time
	Who           string
	Version       int
	Label, Unit   string
	Before, After float64
}
