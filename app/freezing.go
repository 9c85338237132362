package app

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// document freezes a sheet, with the variants that are offered and the options.
func document(tx *store.Tx, s OrderSheet) (studio.Document, error) {
	doc := studio.Document{
		Studio: s.House.Studio, Client: s.Client, Number: s.Order.Number, Title: s.Order.Title,
		Price: s.Price, WageMinor: s.Order.Terms.WageMinor, Terms: s.House.Terms(s.Order.Terms), Range: s.RangeOf(),
		Earliest: schedule.Earliest(s.Now, chains(s.Items), hours(s.House)).UnixMilli(),
	}
	if !s.Order.Wanted.IsZero() {
		doc.Wanted = s.Order.Wanted.UnixMilli()
	}
	for _, it := range s.Items {
		di := documentItem(it)
		if it.Option {
			o := s.Options[it.ID]
			doc.Options = append(doc.Options, studio.Option{Item: di, TotalMinor: o.TotalMinor, NetMinor: o.NetMinor})
			continue
		}
		doc.Items = append(doc.Items, di)
	}
	list, err := variants(tx, s)
	if err != nil {
		return doc, err
	}
	for _, v := range list {
		if !v.Offered {
			continue
		}
		if len(v.Troubles) > 0 {
			return doc, refuse("%s cannot be offered yet. %s", v.Name, strings.Join(v.Troubles, " "))
		}
		a := studio.Alternative{Name: v.Name, Price: v.Price, Earliest: v.Earliest.UnixMilli(), Changes: v.Changes}
		for _, it := range v.Items {
			if !it.Option {
				a.Items = append(a.Items, documentItem(it))
			}
		}
		doc.Alternatives = append(doc.Alternatives, a)
	}
	if len(doc.Alternatives) > 0 {
		doc.Name = "As drawn up: " + tiersOf(s.Items)
	}
	for _, q := range s.Quotes {
		if q.State == studio.QuoteAccepted {
			doc.Instead = &studio.Instead{Revision: q.Revision, TotalMinor: q.TotalMinor, Changes: studio.Differences(q.Taken().Specs(), bare(s.Items))}
		}
	}
	for _, p := range s.Points {
		switch {
		case p.Kind == studio.Colour:
			doc.Colours = append(doc.Colours, strings.TrimSuffix(p.Text+": "+p.Answer, ": "))
		case p.Kind == studio.Question && p.Open():
			doc.Questions = append(doc.Questions, p.Text)
		}
	}
	doc.Included, doc.Excluded = scope(s)
	doc.Cautions = []string{"A display piece, not a toy: it has small parts. Not for food.", "Keep it from sun, heat and a hot car; dust it softly."}
	if s.Order.Use == "worn" {
		doc.Cautions = append(doc.Cautions, "Worn pieces narrow sight and breathing: try it on before the day, with straps that release.")
	}
	if slices.ContainsFunc(s.Items, func(it PricedItem) bool { return it.Weapon == "yes" }) {
		doc.Cautions = append(doc.Cautions, "It looks like a weapon. Carriers, venues and countries have rules on look-alikes: ask those you mean to pass, and carry it covered.")
	}
	if slices.ContainsFunc(s.Items, func(it PricedItem) bool { return it.Tier == route.Raw && len(it.Parts) > 0 }) {
		doc.Cautions = append(doc.Cautions, "Raw prints are sanded at home with a particulate respirator and wet where possible; follow the product’s safety data sheet and local rules.")
	}
	return doc, nil
}

// tiersOf says how far the items are finished.
func tiersOf(items []PricedItem) string {
	var tiers []string
	for _, t := range route.Tiers() {
		if slices.ContainsFunc(items, func(it PricedItem) bool { return it.Tier == t && len(it.Parts) > 0 && !it.Option }) {
			tiers = append(tiers, route.TierName(t))
		}
	}
	return strings.Join(tiers, ", ")
}

func documentItem(it PricedItem) studio.DocumentItem {
	spec := it.Item
	spec.Extras = own(spec.Extras)
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
func scope(s OrderSheet) (in, out []string) {
	has := func(f func(PricedItem) bool) bool { return slices.ContainsFunc(s.Items, f) }
	if has(func(it PricedItem) bool { return len(it.Parts) > 0 }) {
		in = append(in, "the prints, their supports taken off, washed and cured where they are resin, checked against the model")
	} else {
		in = append(in, "the work named above")
	}
	switch {
	case has(func(it PricedItem) bool { return it.Tier == route.Painted }):
		in = append(in, "smoothing, primer, painting in the agreed colours, clear coat")
	case has(func(it PricedItem) bool { return it.Tier == route.Primed }):
		in = append(in, "smoothing and primer")
		out = append(out, "paint")
	case has(func(it PricedItem) bool { return len(it.Parts) > 0 }):
		out = append(out, "smoothing and paint")
	}
	if has(func(it PricedItem) bool { return len(it.Parts) > 1 && it.Apart && it.Tier != route.Raw }) {
		out = append(out, "joining the parts: they come apart")
	}
	freight := false
	for _, it := range s.Items {
		for _, e := range it.Extras {
			switch {
			case e.Kind == quote.Freight:
				freight = true
				in = append(in, "delivery: "+e.What)
			case e.Kind == quote.Sculpt && e.Revisions > 0:
				in = append(in, fmt.Sprintf("%s with %s", e.What, Say(e.Revisions, "revision")))
			case e.Kind == quote.BoughtIn, e.Kind == quote.Trial, e.Kind == quote.Restore, e.Kind == quote.Other, e.Kind == quote.Sculpt:
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

// Working writes an order's every line with its formula and inputs as CSV.
func (s OrderSheet) Working() []byte {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	digits := studio.Digits(s.House.Studio.Currency)
	put := func(row ...string) { w.Write(row) } //nolint:errcheck // into memory
	put("item", "kind", "what", "amount "+s.House.Studio.Currency, "minutes", "formula", "inputs")
	line := func(item, kind, what string, minor int64, minutes float64, work rates.Working) {
		var in []string
		for _, f := range work.Inputs {
			in = append(in, fmt.Sprintf("%s = %s %s (%s)", f.Label, rates.Number(f.Value), strings.ReplaceAll(f.Unit, "¤", s.House.Studio.Currency), f.Source))
		}
		amount := strconv.FormatFloat(float64(minor)/pow10(digits), 'f', int(digits), 64)
		put(safeCell(item), kind, safeCell(what), amount, rates.Number(minutes), work.Formula, strings.Join(in, "; "))
	}
	for _, it := range s.Items {
		title := it.Title
		if it.Option {
			title += " (option)"
		}
		for _, l := range it.Estimate.Lines {
			line(title, l.Kind, l.What, l.Minor, l.Minutes, l.Working)
		}
	}
	for _, st := range s.Price.Steps {
		line("", "price", st.What, st.Minor, 0, st.Working)
	}
	line("", "price", "price", s.Price.TotalMinor, 0, s.Price.Working)
	w.Flush()
	return out.Bytes()
}

// safeCell keeps a spreadsheet from taking what somebody typed for a formula.
func safeCell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

func pow10(digits int32) float64 {
	p := 1.0
	for range digits {
		p *= 10
	}
	return p
}

// Summary is a quote in plain text, to paste into a message.
func Summary(q studio.Quote, link string) string {
	d := q.Document
	var b strings.Builder
	day := func(t time.Time) string { return t.In(d.Studio.Zone()).Format("2 January 2006") }
	told := func(net, total int64) string { return d.Told(net, total).String() }
	tax := map[bool]string{true: "before tax", false: "tax included"}[d.Terms.BeforeTax]
	fmt.Fprintf(&b, "%s\n%s, quote %s, revision %d\n\n", d.Studio.Name, d.Title, d.Number, q.Revision)
	if d.Name != "" {
		fmt.Fprintf(&b, "%s\n", d.Name)
	}
	for _, it := range d.Items {
		fmt.Fprintf(&b, "%d × %s (%s)\n", it.Copies, it.Title, it.Detail)
	}
	fmt.Fprintf(&b, "Price: %s, %s\n", told(d.Price.NetMinor, d.Price.TotalMinor), tax)
	for _, a := range d.Alternatives {
		fmt.Fprintf(&b, "Or %s: %s\n", a.Name, told(a.Price.NetMinor, a.Price.TotalMinor))
	}
	for _, o := range d.Options {
		fmt.Fprintf(&b, "Besides, if you like: %s, %s\n", o.Item.Title, told(o.NetMinor, o.TotalMinor))
	}
	if d.Instead != nil {
		fmt.Fprintf(&b, "In place of %s, as agreed in revision %d.\n", d.Studio.Money(d.Instead.TotalMinor), d.Instead.Revision)
	}
	fmt.Fprintf(&b, "Deposit on acceptance: %s\n", d.Studio.Money(quote.Share(d.Price.TotalMinor, d.Terms.DepositPercent)))
	if d.Earliest != 0 {
		fmt.Fprintf(&b, "Ready at the earliest: %s, if you say yes now\n", day(time.UnixMilli(d.Earliest)))
	}
	fmt.Fprintf(&b, "Included: %s.\n", strings.Join(d.Included, "; "))
	fmt.Fprintf(&b, "Not included: %s.\n", strings.Join(d.Excluded, "; "))
	for _, ask := range d.Questions {
		fmt.Fprintf(&b, "We still ask you: %s\n", ask)
	}
	fmt.Fprintf(&b, "\nValid until %s. Look at it and answer here: %s\n", day(q.ValidUntil), link)
	return b.String()
}

// RateHistory lists every change of the studio's own rates, newest first.
func (a *App) RateHistory(ctx context.Context) (out []RateChange, err error) {
	var versions []store.RateVersion
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		versions, err = tx.RateVersions()
		return err
	})
	book := rates.Starting()
	before := book
	for _, v := range versions {
		now := book.With(v.Own)
		for i, e := range now.Rates {
			if was := before.Rates[i]; was.Value != e.Value {
				out = append(out, RateChange{At: v.At, Who: v.Who, Version: v.Version, Label: e.Label, Unit: e.Unit, Before: was.Value, After: e.Value})
			}
		}
		before = now
	}
	slices.Reverse(out)
	return out, err
}

// Export is the studio's whole rate book: its rates, machines and materials.
func Export(h studio.House) rates.Book {
	b := h.Book
	b.Machines, b.Materials, b.TaxPercent, b.Schools = nil, nil, h.Studio.TaxPercent, h.Studio.Ways.Schools
	for _, m := range h.Machines {
		if m.Active {
			b.Machines = append(b.Machines, rates.Kind{Name: m.Name, Process: m.Process, Figures: m.Figures})
		}
	}
	for _, m := range h.Materials {
		if m.Active {
			b.Materials = append(b.Materials, rates.Kind{Name: m.Name, Process: m.Process, Figures: m.Figures})
		}
	}
	return b
}

// ImportRates takes rates from a file as Export or ExportCSV writes it: all of it or nothing.
func (a *App) ImportRates(ctx context.Context, hand Hand, data []byte) (n int, err error) {
	values, err := rates.ReadValues(data)
	if err != nil {
		return 0, refuse("The file was not taken: %s. Nothing was changed.", err)
	}
	if len(values) == 0 {
		return 0, refuse("There is no rate in the file. Nothing was changed.")
	}
	return len(values), a.SaveRates(ctx, hand, values)
}

// CheckedOrder is a past order priced anew beside what it really cost.
type CheckedOrder struct {
	Order    studio.Order
	Now      int64 // cost at today's rates, what the order had then
	ThenNet  int64 // net price that was agreed
	Then     int64 // cost as it was quoted
	Real     int64
	Lines    []CheckedLine
	Material rates.Working
	Machine  rates.Working
	Hands    rates.Working
}

// CheckedLine sets one kind of cost side by side.
type CheckedLine struct {
	What      string
	Now, Real int64
	NowMin    float64
	RealMin   float64
}

// Off is by what share today's rates miss what it really cost.
func (c CheckedOrder) Off() float64 {
	if c.Real == 0 {
		return 0
	}
	return float64(c.Now)/float64(c.Real) - 1
}

// CheckRates prices the last orders that are out of the house at today's rates and sets
// them beside what they really cost: stamped hours at their wages, booked material, run
// hours, and overhead on all. With numbers named, those orders.
func (a *App) CheckRates(ctx context.Context, numbers ...string) (out []CheckedOrder, h studio.House, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if h, err = house(tx); err != nil {
			return err
		}
		orders, err := tx.Orders(studio.Closed, studio.Delivered)
		if err != nil {
			return err
		}
		slices.SortStableFunc(orders, func(a, b studio.Order) int { return b.Delivered.Compare(a.Delivered) })
		for _, o := range orders {
			if len(numbers) > 0 && !slices.Contains(numbers, o.Number) || len(numbers) == 0 && len(out) == 3 {
				continue
			}
			c, ok, err := checkOrder(tx, h, o)
			if err != nil {
				return err
			}
			if ok {
				out = append(out, c)
			}
		}
		return nil
	})
	return out, h, err
}

func checkOrder(tx *store.Tx, h studio.House, o studio.Order) (c CheckedOrder, ok bool, err error) {
	quotes, err := tx.Quotes(o.ID)
	if err != nil {
		return c, false, err
	}
	at := slices.IndexFunc(quotes, func(q studio.Quote) bool { return q.State == studio.QuoteAccepted })
	if at < 0 {
		return c, false, nil
	}
	taken := quotes[at].Taken()
	c.Order, c.ThenNet = o, taken.NetMinor
	var items []studio.Item
	for _, di := range taken.Items {
		c.Then += di.Cost.CostMinor
		it := di.Spec
		it.Parts = slices.Clone(it.Parts)
		for k := range it.Parts {
			if it.Parts[k].Model, err = tx.ModelAsStood(it.Parts[k].ModelID, it.Parts[k].StandingID); err != nil {
				return c, false, err
			}
		}
		items = append(items, it)
	}
	if items, err = withFees(tx, h, items); err != nil {
		return c, false, err
	}
	digits := studio.Digits(h.Studio.Currency)
	now := map[string]int64{}
	nowMin := map[string]float64{}
	for _, e := range h.EstimateAll(items) {
		c.Now += e.CostMinor
		for _, l := range e.Lines {
			now[l.Kind] += l.Minor
			nowMin[l.Kind] += l.Minutes
		}
	}
	pieces, err := tx.PiecesOf(o.ID)
	if err != nil {
		return c, false, err
	}
	var hands, minutes float64
	for _, p := range pieces {
		for _, s := range p.Stages {
			wage := h.Book.V(finish.Skill(s.Kind))
			if own, ok := h.Taught.Wages[s.PersonID]; ok {
				wage = own.Value
			}
			minutes += s.Minutes
			hands += s.Minutes / 60 * wage
		}
	}
	c.Hands = rates.Working{Formula: "stamped minutes × wages", Inputs: []rates.Figure{rates.Of("stamped, repeats included", minutes/60, "h", rates.Logged), h.Book.Get("wage"), h.Book.Get("wage.paint")}, Result: rates.Of("hands", hands, "¤", rates.Derived)}
	booked, err := tx.BookedFor(o.ID)
	if err != nil {
		return c, false, err
	}
	var material float64
	c.Material.Formula = "booked grams × price"
	for _, m := range h.Materials {
		if g := booked[m.ID]; g > 0 {
			material += g / 1000 * m.Figures.V("price")
			c.Material.Inputs = append(c.Material.Inputs, rates.Of(m.Name+", failures included", g, "g", rates.Logged), m.Figures["price"])
		}
	}
	// What no stamp books — paint, paper, alcohol — is taken as reckoned.
	var soft float64
	for _, e := range h.EstimateAll(items) {
		for _, l := range e.Lines {
			if l.Kind == quote.Material && !isPrint(l.What) {
				soft += float64(l.Minor) / pow10(digits)
			}
		}
	}
	material += soft
	c.Material.Formula += " + consumables as reckoned"
	c.Material.Inputs = append(c.Material.Inputs, rates.Of("consumables as reckoned", soft, "¤", rates.Derived))
	c.Material.Result = rates.Of("material", material, "¤", rates.Derived)
	runs, err := tx.MachineMinutes(o.ID)
	if err != nil {
		return c, false, err
	}
	var machine, machineMin float64
	c.Machine.Formula = "run hours by pieces on the plate × machine hour"
	for _, m := range h.Machines {
		if min := runs[m.ID]; min > 0 {
			perHour, _ := m.HourCost(h.Book)
			machine += min / 60 * perHour
			machineMin += min
			c.Machine.Inputs = append(c.Machine.Inputs, rates.Of(m.Name+", failed runs included", min/60, "h", rates.Logged), rates.Of("machine hour", perHour, "¤/h", rates.Derived))
		}
	}
	c.Machine.Result = rates.Of("machines", machine, "¤", rates.Derived)
	minor := func(amount float64) int64 { return quote.Minor(amount, digits) }
	c.Lines = []CheckedLine{
		{"material, with what failed", now[quote.Material], minor(material), 0, 0},
		{"machines, with what failed", now[quote.Machine] + now[quote.Failure], minor(machine), nowMin[quote.Machine], machineMin},
		{"hands", now[quote.Hands], minor(hands), nowMin[quote.Hands], minutes},
		{"bought in", now[quote.Bought], now[quote.Bought], 0, 0},
	}
	for _, l := range c.Lines {
		c.Real += l.Real
	}
	over := quote.Share(c.Real, h.Book.V("overhead"))
	c.Lines = append(c.Lines, CheckedLine{"overhead", now[quote.Overhead], over, 0, 0})
	c.Real += over
	return c, true, nil
}

// isPrint reports whether a line of material is resin or filament itself.
func isPrint(what string) bool {
	_, after, named := strings.Cut(what, ": ")
	if !named {
		after = what
	}
	return studio.OneOf(after, process.Resin, process.Filament)
}
