package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// quoteRoutes are the quote sheet's deeds; the owner's, as prices are.
func (s *Server) quoteRoutes(r chi.Router) {
	r.Get("/quotes", s.quotes)
	r.Get("/orders/{no}/quote", s.desk)
	r.Get("/orders/{no}/quote/range", s.deskRange)
	r.Get("/orders/{no}/quote/working.csv", s.working)
	r.Post("/orders/{no}/quote/terms", s.saveTerms)
	r.Post("/orders/{no}/quote/plain", s.addPlain)
	r.Post("/orders/{no}/quote/restart", s.restart)
	r.Post("/orders/{no}/variants", s.saveVariant)
	r.Post("/orders/{no}/variants/{variant}", s.saveVariant)
	r.Post("/orders/{no}/variants/{variant}/drop", s.dropVariant)
	r.Post("/orders/{no}/variants/{variant}/take", s.takeVariant)
	r.Get("/orders/{no}/items/{item}/lines", s.lines)
	r.Get("/orders/{no}/items/{item}/routes", s.schools)
	r.Post("/orders/{no}/items/{item}/routes", s.setSchool)
	r.Post("/orders/{no}/items/{item}/extras", s.addExtra)
	r.Post("/orders/{no}/items/{item}/extras/{at}/drop", s.dropExtra)
	r.Post("/orders/{no}/items/{item}/weapon", s.sayWeapon)
}

// makingOf reads what is asked of an item beside its parts; nil when the form does not
// tell, as the short form does not.
func makingOf(f *form) *studio.Making {
	if !f.checked("desk") {
		return nil
	}
	count := func(name, what string) int {
		if !f.checked(name) {
			return 0
		}
		return f.whole(name, what)
	}
	amount := func(name, what string) float64 {
		if !f.checked(name) {
			return 0
		}
		return f.number(name, what)
	}
	return &studio.Making{
		School: f.text("school"), DetailFactor: amount("detail", "Detail"), DetailWhy: f.text("detail_why"), PersonID: f.id("person"),
		Apart: f.checked("apart"), SeamMM: 10 * amount("seam", "Seam"), Cast: f.checked("cast"), Option: f.checked("option"), Weapon: f.text("weapon"),
		Features: finish.Features{Eyes: count("eyes", "Eyes"), Faces: count("faces", "Faces"), Letters: count("letters", "Letters"), Small: count("small", "Small things"),
			Colours: count("colours", "Colours"), MaskMM: 10 * amount("mask", "Edge to mask"), Weather: f.checked("weather"), FitHours: amount("fit", "Fitting out")},
	}
}

// deskView is the quote sheet with what its drawings need.
type deskView struct {
	app.Desk
	Kinds        []string
	Tiers        []string
	Longest      int64
	LongestMin   float64
	Link         string
	Summary      string
	Terms        quote.Terms
	Extras       []extraKind
	Margin       float64
	WithRange    bool
	RushDay      float64
	DateEarliest int64
	DateSoonest  int64
}

// extraKind is a kind of extra with what it is asked for.
type extraKind struct{ Key, Name string }

var extraKinds = []extraKind{{quote.BoughtIn, "bought in"}, {quote.Sculpt, "sculpting"}, {quote.Trial, "a trial piece"}, {quote.Freight, "freight"}, {quote.Licence, "a licence"}, {quote.Restore, "restoring"}, {quote.Other, "other"}}

// told is an amount as the order tells its price.
func (v deskView) told(net, total int64) int64 {
	if v.Terms.BeforeTax {
		return net
	}
	return total
}

// TotalTold is the price as it is told: with tax or before it.
func (v deskView) TotalTold() studio.Money {
	return v.Money(v.told(v.Price.NetMinor, v.Price.TotalMinor))
}

// VariantTold is a variant's price as it is told.
func (v deskView) VariantTold(p app.PricedVariant) studio.Money {
	return v.Money(v.told(p.Price.NetMinor, p.Price.TotalMinor))
}

// OptionTold is an option's price as it is told.
func (v deskView) OptionTold(id int64) studio.Money {
	o := v.Options[id]
	return v.Money(v.told(o.NetMinor, o.TotalMinor))
}

// Hands is the hands of all items that are not options.
func (v deskView) Hands() (min float64) {
	for _, it := range v.Items {
		if !it.Option {
			min += it.Estimate.HandsMinutes
		}
	}
	return min
}

// DriverText names what moves the cost most.
func (v deskView) DriverText(d quote.Driver) string {
	var firm []string
	for _, it := range v.Items {
		if !it.Option {
			firm = append(firm, it.Title)
		}
	}
	if len(firm) > 1 && d.Item < len(firm) {
		return d.What + ", " + firm[d.Item]
	}
	return d.What
}

// Loss is the chance of a loss at the price.
func (v deskView) Loss() float64 { return v.Range.LossChance(v.Price.NetMinor) }

// WhatIf is what the sliders reckon with, as JSON.
func (v deskView) WhatIf() string {
	digits := studio.Digits(v.House.Studio.Currency)
	out, err := json.Marshal(map[string]any{"quantiles": v.Range.Fine(500), "cost": v.Price.CostMinor, "tax": v.Terms.TaxPercent, "before": v.Terms.BeforeTax,
		"unit": math.Pow10(int(digits)), "digits": digits, "sign": studio.Sign(v.House.Studio.Currency),
		"now": v.Now.UnixMilli(), "earliest": v.Earliest.UnixMilli(), "soonest": v.Soonest.UnixMilli(), "rush": v.RushDay})
	if err != nil {
		return "{}"
	}
	return string(out)
}

// SliderLow and SliderHigh bound the price slider, in whole units as told.
func (v deskView) SliderLow() int64  { return v.units(v.Price.CostMinor) * 6 / 10 }
func (v deskView) SliderHigh() int64 { return max(1, v.units(v.Price.CostMinor)*24/10) }
func (v deskView) SliderNow() int64  { return v.units(v.told(v.Price.NetMinor, v.Price.TotalMinor)) }

func (v deskView) units(minor int64) int64 {
	return minor / int64(math.Pow10(int(studio.Digits(v.House.Studio.Currency))))
}

// DaysToEarliest is how far off the earliest date is, in days.
func (v deskView) DaysToEarliest() int { return int(math.Ceil(v.Earliest.Sub(v.Now).Hours() / 24)) }

// WantedDays is how far off the wanted date is; the earliest when there is none.
func (v deskView) WantedDays() int {
	if v.Order.Wanted.IsZero() {
		return v.DaysToEarliest()
	}
	return max(1, int(v.Order.Wanted.Sub(v.Now).Hours()/24))
}

// MostDays is as far as the date slider goes.
func (v deskView) MostDays() int { return max(v.WantedDays(), v.DaysToEarliest()) + 14 }

// WantedRush says what the wanted date asks.
func (v deskView) WantedRush() string {
	if v.Order.Wanted.IsZero() {
		return ""
	}
	percent, never := v.RushFor(v.Order.Wanted)
	switch {
	case never:
		return "Wanted sooner than anybody can be, day and night: tell the client."
	case percent > 0:
		return fmt.Sprintf("Wanted sooner than usual hours allow: a rush of %s %%.", rates.Number(percent))
	}
	return ""
}

// FloorText says of old pieces, whose worth is told by something else than their hours, what
// is the least that pays for them and what an hour earns at the price.
func (v deskView) FloorText(it app.PricedItem) string {
	for _, e := range it.Extras {
		if e.Kind == quote.Restore {
			floor, hour := it.Estimate.Floor(it.NetMinor)
			return fmt.Sprintf("Nothing is earned under %s; at this price an hour of hands earns %s.", v.Money(floor), v.Money(int64(math.Round(hour))))
		}
	}
	return ""
}

// RevisionChanges lists what the i-th newest revision changed against the one before it.
func (v deskView) RevisionChanges(i int) (out []string) {
	if i+1 >= len(v.Quotes) {
		return nil
	}
	for _, c := range studio.Differences(v.Quotes[i+1].Document.Specs(), v.Quotes[i].Document.Specs()) {
		out = append(out, c.What+": "+c.Before+" → "+c.After)
	}
	return out
}

// Differ marks what of a variant is not as in the order.
func (v deskView) Differ(p app.PricedVariant) (out []string) {
	for _, c := range p.Changes {
		out = append(out, c.What+": "+c.Before+" → "+c.After)
	}
	if len(out) == 0 {
		out = append(out, "nothing differs")
	}
	return out
}

// Curve draws what the order may cost.
func (v deskView) Curve() template.HTML {
	return costCurve(v.Range, v.Price.NetMinor, func(minor int64) string { return v.Money(minor).Whole() })
}

func (s *Server) deskView(r *http.Request, withRange bool) (v deskView, p Page, err error) {
	v.Desk, err = s.app.Desk(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		return v, p, err
	}
	v.Kinds, v.Tiers, v.Extras, v.Terms, v.WithRange = quote.Kinds(), route.Tiers(), extraKinds, v.House.Terms(v.Order.Terms), withRange
	v.Margin, v.RushDay = v.Terms.MarginPercent, v.House.Book.V("rush.day")
	for _, it := range v.Items {
		v.Longest = max(v.Longest, it.Estimate.CostMinor)
		v.LongestMin = max(v.LongestMin, it.Estimate.HandsMinutes+it.Estimate.MachineMinutes)
	}
	if withRange {
		v.Range = v.RangeOf()
	}
	rev := "–"
	if q := v.Newest(); q != nil {
		rev = fmt.Sprint(q.Revision)
		v.Link = s.clientLink(r, *q)
		v.Summary = app.Summary(*q, v.Link)
	}
	p = Page{Title: "Quote for " + v.Order.Title, Sheet: "Quote", Active: "/orders", Block: []Field{{"Order", v.Order.Number}, {"Rev", rev}}, D: &v,
		Keys: []Key{{"S", "send"}, {"O", "the order"}, {"W", "working as CSV"}, {"↑ ↓", "items"}, {"F", "find"}}}
	return v, p, nil
}

func (s *Server) desk(w http.ResponseWriter, r *http.Request) {
	_, p, err := s.deskView(r, true)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "desk", p)
}

// deskRange is what follows a new price: its range, and the sliders.
func (s *Server) deskRange(w http.ResponseWriter, r *http.Request) {
	_, p, err := s.deskView(r, true)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.fragment(w, r, "desk", "range", p)
}

// repriced answers a change made on the quote sheet: the new price at once; the range is
// asked for after it.
func (s *Server) repriced(w http.ResponseWriter, r *http.Request, err error) {
	if err != nil || !byHTMX(r) {
		s.deskDone(w, r, err, "The price is new.")
		return
	}
	_, p, err := s.deskView(r, false)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.fragment(w, r, "desk", "repriced", p)
}

// deskDone ends a deed on the quote sheet.
func (s *Server) deskDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+chi.URLParam(r, "no")+"/quote", told)
}

func (s *Server) saveTerms(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	t := studio.Terms{RushPercent: 0, DiscountWhy: f.text("why"), BeforeTax: f.checked("before_tax")}
	percent := func(name, what string) float64 {
		if !f.checked(name) {
			return 0
		}
		return f.number(name, what)
	}
	t.RushPercent, t.Discount = percent("rush", "Rush"), percent("discount", "Discount")
	if f.checked("margin") {
		m := f.number("margin", "Margin")
		t.MarginPercent = &m
	}
	if f.checked("deposit") {
		d := f.number("deposit", "Deposit")
		t.DepositPercent = &d
	}
	h, err := s.app.House(r.Context())
	amount := func(name, what string) (minor int64) {
		if err != nil || !f.checked(name) {
			return 0
		}
		if minor, err = studio.ParseMoney(f.text(name), h.Studio.Currency); err != nil || minor < 0 {
			err = &app.Refusal{Text: fmt.Sprintf("%s: %q is not an amount.", what, f.text(name))}
		}
		return minor
	}
	t.AskedMinor, t.WageMinor = amount("asked", "Asked price"), amount("wage", "Wage")
	if err == nil {
		err = f.err
	}
	if err == nil {
		err = s.app.SaveTerms(r.Context(), owner(r), chi.URLParam(r, "no"), t)
	}
	s.deskDone(w, r, err, "The terms of this order are kept; the price is new.")
}

func (s *Server) addPlain(w http.ResponseWriter, r *http.Request) {
	s.deskDone(w, r, s.app.AddPlainItem(r.Context(), owner(r), chi.URLParam(r, "no"), formOf(r).text("title")), "Say what it takes: add hours or what is bought in.")
}

func (s *Server) restart(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	rev := f.whole("revision", "Revision")
	err := f.err
	if err == nil {
		err = s.app.RestartFrom(r.Context(), owner(r), chi.URLParam(r, "no"), rev)
	}
	s.deskDone(w, r, err, fmt.Sprintf("The order is as revision %d had it, at today’s rates. Change it and send it as a new revision.", rev))
}

func (s *Server) saveVariant(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	v := studio.Variant{ID: pathID(r, "variant"), Name: f.text("name"), Tier: f.text("tier"), Process: f.text("process"), School: f.text("school"), Offered: f.checked("offered")}
	if f.checked("factor") {
		v.Factor = f.number("factor", "Size") / 100
	}
	if v.Factor == 1 {
		v.Factor = 0
	}
	if f.checked("cut") {
		v.CutInto = f.whole("cut", "Printed in pieces")
	}
	if v.Name == "" {
		v.Name = variantName(v)
	}
	err := f.err
	if err == nil {
		err = s.app.SaveVariant(r.Context(), owner(r), chi.URLParam(r, "no"), v)
	}
	s.deskDone(w, r, err, "It stands beside the order now.")
}

// variantName is what a variant is called that nobody named.
func variantName(v studio.Variant) string {
	var words []string
	if v.Tier != "" {
		words = append(words, route.TierName(v.Tier))
	}
	if v.Process != "" {
		words = append(words, v.Process)
	}
	if school, ok := finish.SchoolOf(v.School); ok {
		words = append(words, school.Name)
	}
	if v.Factor != 0 {
		words = append(words, rates.Number(100*v.Factor)+" % of the size")
	}
	if v.CutInto > 0 {
		words = append(words, fmt.Sprintf("printed in %d", v.CutInto))
	}
	name := strings.Join(words, ", ")
	if name == "" {
		return ""
	}
	return strings.ToUpper(name[:1]) + name[1:]
}

func (s *Server) dropVariant(w http.ResponseWriter, r *http.Request) {
	s.deskDone(w, r, s.app.DropVariant(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "variant")), "It is gone.")
}

func (s *Server) takeVariant(w http.ResponseWriter, r *http.Request) {
	s.deskDone(w, r, s.app.TakeVariant(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "variant")), "The order is made so now.")
}

func (s *Server) addExtra(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	number := func(name, what string) float64 {
		if !f.checked(name) {
			return 0
		}
		return f.number(name, what)
	}
	e := quote.Extra{Kind: f.text("kind"), What: f.text("what"), Each: number("each", "Price"), Count: number("count", "How many"), Pack: number("pack", "In a pack"),
		PerCopy: f.checked("per_copy"), Hours: number("hours", "Hours"), Figures: int(number("figures", "Figures")), FigureHours: number("figure_hours", "Hours of a further figure"),
		Revisions: int(number("revisions", "Revisions")), Odds: number("odds", "Odds") / 100, WorseHours: number("worse_hours", "Hours then"), StopAt: number("stop_at", "Stop and ask")}
	err := f.err
	if err == nil {
		err = s.app.AddExtra(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), e)
	}
	s.deskDone(w, r, err, "It is in the price.")
}

func (s *Server) dropExtra(w http.ResponseWriter, r *http.Request) {
	s.deskDone(w, r, s.app.DropExtra(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), int(pathID(r, "at"))), "It is off the price.")
}

func (s *Server) sayWeapon(w http.ResponseWriter, r *http.Request) {
	s.deskDone(w, r, s.app.SayWeapon(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), formOf(r).text("weapon") == "yes"), "Noted.")
}

func (s *Server) working(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.app.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	write(w, "text/csv; charset=utf-8", "working-"+sheet.Order.Number+".csv", sheet.Working())
}

// lines are an item's, by themselves: on an order of forty parts they are most of the sheet,
// so the quote sheet asks for them when they are unfolded.
func (s *Server) lines(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.app.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	at := slices.IndexFunc(sheet.Items, func(it app.PricedItem) bool { return it.ID == pathID(r, "item") })
	if at < 0 {
		s.errorPage(w, r, http.StatusNotFound, "There is no such item on this order.", "")
		return
	}
	p := Page{Title: sheet.Items[at].Title, Sheet: "Lines", Active: "/orders", Block: []Field{{"Order", sheet.Order.Number}, {"Lines", fmt.Sprint(len(sheet.Items[at].Estimate.Lines))}},
		D: map[string]any{"It": sheet.Items[at], "No": sheet.Order.Number}, Keys: []Key{{"Q", "back to the quote"}, {"F", "find"}}}
	if byHTMX(r) {
		s.fragment(w, r, "lines", "table", p)
		return
	}
	s.show(w, r, "lines", p)
}

// schools sets an item's finish routes side by side.
func (s *Server) schools(w http.ResponseWriter, r *http.Request) {
	sheet, it, list, err := s.app.SchoolsOf(r.Context(), chi.URLParam(r, "no"), pathID(r, "item"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	most := 1.0
	for _, row := range list {
		most = max(most, row.HandsMin)
	}
	s.show(w, r, "routes", Page{Title: "Finish routes for " + it.Title, Sheet: "Finish routes", Active: "/orders", Block: []Field{{"Order", sheet.Order.Number}, {"Routes", fmt.Sprint(len(list))}},
		D: map[string]any{"S": sheet, "It": it, "List": list, "Most": most}, Keys: []Key{{"Q", "back to the quote"}, {"F", "find"}}})
}

func (s *Server) setSchool(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	key, house := f.text("school"), false
	if k := f.text("house"); k != "" {
		key, house = k, true
	}
	s.deskDone(w, r, s.app.SetSchool(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), key, house), "The route is taken; the price is new.")
}

// quotes lists what was sent.
func (s *Server) quotes(w http.ResponseWriter, r *http.Request) {
	f := &form{r: r, query: true}
	var before time.Time
	if ms := f.id("before"); ms > 0 {
		before = time.UnixMilli(ms)
	}
	list, err := s.app.QuoteRows(r.Context(), before)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	open, yes, no := 0, 0, 0
	var accepted int64
	for _, q := range list {
		switch q.State {
		case studio.QuoteSent:
			open++
		case studio.QuoteAccepted:
			yes++
			accepted += q.TotalMinor
		case studio.QuoteDeclined:
			no++
		}
	}
	s.show(w, r, "quotes", Page{Title: "Quotes", Sheet: "Quotes", Active: "/orders", D: map[string]any{"List": list, "Open": open, "Yes": yes, "No": no, "Accepted": accepted, "More": len(list) == app.QuotesShown},
		Block: []Field{{"Open", fmt.Sprint(open)}}, Keys: []Key{{"↑ ↓", "move"}, {"Enter", "open"}, {"F", "find"}}})
}

// costCurve draws how likely each cost is, with the expected one, the one it stays under
// eight times in ten, and the net price.
func costCurve(r quote.Range, net int64, money func(int64) string) template.HTML {
	if len(r.Quantiles) < 101 {
		return ""
	}
	const wide, high, bins = 340.0, 96.0, 44
	low, top := float64(r.Quantiles[0]), float64(r.Quantiles[99])
	low, top = min(low, float64(net)), max(top, float64(net))
	pad := max(1, (top-low)*0.06)
	low, top = low-pad, top+pad
	below := func(x float64) float64 { // share of draws under x
		q := r.Quantiles
		switch {
		case x <= float64(q[0]):
			return 0
		case x >= float64(q[100]):
			return 1
		}
		for i := range 100 {
			if a, b := float64(q[i]), float64(q[i+1]); x < b {
				return (float64(i) + (x-a)/max(1e-9, b-a)) / 100
			}
		}
		return 1
	}
	step := (top - low) / bins
	var d [bins + 1]float64
	peak := 0.0
	for i := range d { // a window of three steps keeps single quantiles from showing
		x := low + float64(i)*step
		d[i] = below(x+1.5*step) - below(x-1.5*step)
		peak = max(peak, d[i])
	}
	px := func(x float64) float64 { return (x - low) / (top - low) * wide }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="costcurve" viewBox="0 0 %.0f 146" role="img" aria-label="what it may cost us: expected %s, 8 times in 10 under %s, net price %s">`, wide, money(r.ExpectedMinor), money(r.EightInTenMinor), money(net))
	fmt.Fprintf(&b, `<path d="M0 %.1f`, high+14)
	for i, v := range d {
		fmt.Fprintf(&b, ` L%.1f %.1f`, float64(i)/bins*wide, high+14-v/max(peak, 1e-9)*(high-12))
	}
	fmt.Fprintf(&b, ` L%.1f %.1f Z" fill="url(#h0)" stroke="currentColor" stroke-width="1.2"/>`, wide, high+14)
	// Labels that would meet keep their distance; the net price stands above.
	e, t, n := px(float64(r.ExpectedMinor)), px(float64(r.EightInTenMinor)), px(float64(net))
	fmt.Fprintf(&b, `<line x1="%.1f" x2="%.1f" y1="22" y2="%.1f" stroke="currentColor"/><line x1="%.1f" x2="%.1f" y1="40" y2="%.1f" stroke="currentColor" stroke-dasharray="3 3"/>`, e, e, high+14, t, t, high+14)
	fmt.Fprintf(&b, `<line x1="%.1f" x2="%.1f" y1="16" y2="%.1f" stroke="var(--persimmon)" stroke-width="2.5"/>`, n, n, high+18)
	text := func(x, y float64, anchor, fill, s string) {
		fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" text-anchor="%s" fill="%s" class="fig" font-size="11.5">%s</text>`, x, y, anchor, fill, template.HTMLEscapeString(s))
	}
	el, tl := "expected "+money(r.ExpectedMinor), money(r.EightInTenMinor)+", 8 in 10"
	const letter = 7.0
	ex := min(max(e, letter*float64(len([]rune(el)))/2), wide-letter*float64(len([]rune(el)))/2)
	text(ex, high+30, "middle", "currentColor", el)
	tx := min(max(t, letter*float64(len([]rune(tl)))/2), wide-letter*float64(len([]rune(tl)))/2)
	text(tx, high+42, "middle", "var(--ink2)", tl)
	nl := "net " + money(net)
	nx := min(max(n, letter*float64(len([]rune(nl)))/2), wide-letter*float64(len([]rune(nl)))/2)
	text(nx, 11, "middle", "var(--persimmon)", nl)
	b.WriteString("</svg>")
	return template.HTML(b.String()) //nolint:gosec // numbers, and money escaped above
}

// hoursBar draws an item's hours of machines and of hands.
func hoursBar(machineMin, handsMin, longest float64) template.HTML {
	if machineMin+handsMin <= 0 || longest <= 0 {
		return ""
	}
	k := 1000 * max(0.16, (machineMin+handsMin)/longest) / (machineMin + handsMin)
	return template.HTML(fmt.Sprintf(`<svg class="bar" viewBox="0 0 1000 12" preserveAspectRatio="none" height="12" role="img" aria-label="machine %s, hands %s"><rect x="0" y=".5" width="%.1f" height="11" fill="url(#k1)" stroke="var(--ink)" vector-effect="non-scaling-stroke"/><rect x="%.1f" y=".5" width="%.1f" height="11" fill="url(#k2)" stroke="var(--ink)" vector-effect="non-scaling-stroke"/></svg>`, //nolint:gosec // numbers only
		studio.Hours(machineMin), studio.Hours(handsMin), machineMin*k, machineMin*k, handsMin*k))
}

// schoolName is the house's finish route for an item.
func schoolName(h studio.House, it app.PricedItem) string {
	if len(it.Parts) == 0 {
		return ""
	}
	s, _ := finish.SchoolOf(h.Studio.Ways.School(it.Parts[0].Process, it.Tier))
	return s.Name
}
