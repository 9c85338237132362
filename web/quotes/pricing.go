package quotes

import (
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/plan"
	"sakuji/app/quotes"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// pricingView is the quote sheet with what its drawings need.
type pricingView struct {
	quotes.Pricing
	Range        quote.Range // when it was asked for
	Kinds        []string
	Tiers        []string
	Longest      int64
	LongestMin   float64
	Link         string
	Summary      string
	Extras       []extraKind
	Margin       float64
	WithRange    bool
	RushDay      float64
	DateEarliest int64
	DateSoonest  int64
}

// extraKind is a kind of extra with what it is asked for.
type extraKind struct{ Key, Name string }

var extraKinds = []extraKind{{quote.BoughtIn, "bought in"}, {quote.Sculpt, "sculpting"}, {quote.Trial, "a trial piece"}, {quote.Freight, "freight"}, {quote.Licence, "a licence"}, {quote.Restore, "restoring"}, {quote.Base, "a base"}, {quote.SoftGoods, "soft goods: leather, cloth, padding"}, {quote.Other, "other"}}

// told is an amount as the order tells its price.
func (v pricingView) told(net, total int64) int64 {
	if v.Terms.BeforeTax {
		return net
	}
	return total
}

// TotalTold is the price as it is told: with tax or before it.
func (v pricingView) TotalTold() studio.Money {
	return v.Money(v.told(v.Price.NetMinor, v.Price.TotalMinor))
}

// VariantTold is a variant's price as it is told.
func (v pricingView) VariantTold(p quotes.PricedVariant) studio.Money {
	return v.Money(v.told(p.Price.NetMinor, p.Price.TotalMinor))
}

// OptionTold is an option's price as it is told.
func (v pricingView) OptionTold(id int64) studio.Money {
	o := v.Options[id]
	return v.Money(v.told(o.NetMinor, o.TotalMinor))
}

// DriverText names what moves the cost most.
func (v pricingView) DriverText(d quote.Driver) string {
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
func (v pricingView) Loss() float64 { return v.Range.LossChance(v.Price.NetMinor) }

// ExpectedWorking, EightWorking and LossWorking say how the range came about.
func (v pricingView) ExpectedWorking() rates.Working {
	w := rates.Working{Formula: "sum of the items", Result: v.figure("expected cost", v.Range.ExpectedMinor)}
	for _, it := range v.Items {
		if !it.Option {
			w.Inputs = append(w.Inputs, v.figure(it.Title, it.Estimate.CostMinor))
		}
	}
	return w
}

func (v pricingView) EightWorking() rates.Working {
	return rates.Working{Formula: "8 in 10 simulated orders cost less: stages between best and worst case, runs that fail or not",
		Inputs: []rates.Figure{rates.Of("simulated orders", float64(v.Range.Draws), "orders", rates.Derived), v.Shop.Book.Get("spread.together")}, Result: v.figure("8 times in 10 under", v.Range.EightInTenMinor)}
}

func (v pricingView) LossWorking() rates.Working {
	over := math.Round(v.Loss() * float64(v.Range.Draws))
	return rates.Working{Formula: "simulated orders that cost more than the net price ÷ simulated orders",
		Inputs: []rates.Figure{v.figure("net price", v.Price.NetMinor), rates.Of("it cost more", over, "orders", rates.Derived), rates.Of("simulated orders", float64(v.Range.Draws), "orders", rates.Derived)},
		Result: rates.Of("chance of a loss", 100*v.Loss(), "%", rates.Derived)}
}

// MarginWorking sets margin and mark-up side by side.
func (v pricingView) MarginWorking() rates.Working {
	return rates.Working{Formula: "(net − cost) ÷ net; as a mark-up (net − cost) ÷ cost", Inputs: []rates.Figure{v.figure("net", v.Price.NetMinor), v.figure("cost", v.Price.CostMinor)},
		Result: rates.Of("margin", v.Price.MarginPercent, "%", rates.Derived)}
}

func (v pricingView) figure(label string, minor int64) rates.Figure {
	return rates.Of(label, v.Shop.Studio.Money(minor).Units(), "¤", rates.Derived)
}

// IfAsked is what another price would mean, in whole units as told.
func (v pricingView) IfAsked(units int64) (out struct {
	Price, Margin string
	Loss          float64
}) {
	told := quote.Minor(float64(units), studio.Digits(v.Shop.Studio.Currency))
	net := told
	if !v.Terms.BeforeTax {
		net = v.Terms.NetOf(told)
	}
	out.Price = v.Money(told).Whole()
	out.Margin = "none"
	if net > 0 && v.Price.CostMinor > 0 {
		out.Margin = fmt.Sprintf("%.0f %% (mark-up %.0f %%)", quote.Margin(net, v.Price.CostMinor), quote.MarkUp(net, v.Price.CostMinor))
	}
	out.Loss = v.Range.LossChance(net)
	return out
}

// IfReadyIn is what a date so many days off would ask.
func (v pricingView) IfReadyIn(days int) (out struct {
	Day, Text string
	Rush      float64
}) {
	by := v.Now.Add(time.Duration(days) * 24 * time.Hour)
	percent, never := v.RushFor(by)
	out.Day, out.Rush = by.In(v.Shop.Studio.Zone()).Format("Mon 2 Jan"), percent
	switch {
	case never:
		out.Text = "nobody can, day and night"
	case percent == 0:
		out.Text = "no rush needed"
	default:
		out.Text = fmt.Sprintf("a rush of %s %%", rates.Number(percent))
	}
	return out
}

// SliderLow and SliderHigh bound the price slider, in whole units as told.
func (v pricingView) SliderLow() int64 { return v.units(v.Price.CostMinor) * 6 / 10 }

func (v pricingView) SliderHigh() int64 { return max(1, v.units(v.Price.CostMinor)*24/10) }

func (v pricingView) SliderNow() int64 { return v.units(v.told(v.Price.NetMinor, v.Price.TotalMinor)) }

func (v pricingView) units(minor int64) int64 {
	return int64(v.Money(minor).Units())
}

// DaysToEarliest is how far off the earliest date is, in days.
func (v pricingView) DaysToEarliest() int { return int(math.Ceil(v.Earliest.Sub(v.Now).Hours() / 24)) }

// WantedDays is how far off the wanted date is; the earliest when there is none.
func (v pricingView) WantedDays() int {
	if v.Order.Wanted.IsZero() {
		return v.DaysToEarliest()
	}
	return max(1, int(v.Order.Wanted.Sub(v.Now).Hours()/24))
}

// MostDays is as far as the date slider goes.
func (v pricingView) MostDays() int { return max(v.WantedDays(), v.DaysToEarliest()) + 14 }

// WantedRush says what the wanted date asks.
func (v pricingView) WantedRush() string {
	if v.Order.Wanted.IsZero() {
		return ""
	}
	percent, never := v.RushFor(v.Order.Wanted)
	switch {
	case never:
		return "Wanted sooner than it can be ready, even day and night: tell the client."
	case percent > 0:
		return fmt.Sprintf("Wanted sooner than usual hours allow: a rush of %s %%.", rates.Number(percent))
	}
	return ""
}

// FloorText says of old pieces, whose worth is told by something else than their hours, what
// is the least that pays for them and what an hour earns at the price.
func (v pricingView) FloorText(it studio.PricedItem) string {
	for _, e := range it.Extras {
		if e.Kind == quote.Restore {
			floor, hour := it.Estimate.Floor(it.NetMinor)
			return fmt.Sprintf("Nothing is earned under %s; at this price an hour of hands earns %s.", v.Money(floor), v.Money(int64(math.Round(hour))))
		}
	}
	return ""
}

// RaisedWays compares the ways of colouring the raised lines of a painted item.
func (v pricingView) RaisedWays(it studio.PricedItem) []finish.RaisedWay {
	if it.Tier != route.Painted {
		return nil
	}
	return finish.RaisedWays(v.Shop.Book, it.Features)
}

// RevisionChanges lists what the i-th newest revision changed against the one before it.
func (v pricingView) RevisionChanges(i int) (out []string) {
	if i+1 >= len(v.Quotes) {
		return nil
	}
	for _, c := range studio.Differences(v.Quotes[i+1].Specs(), v.Quotes[i].Specs()) {
		out = append(out, c.What+": "+c.Before+" → "+c.After)
	}
	return out
}

// Differ marks what of a variant is not as in the order.
func (v pricingView) Differ(p quotes.PricedVariant) (out []string) {
	for _, c := range p.Changes {
		out = append(out, c.What+": "+c.Before+" → "+c.After)
	}
	if len(out) == 0 {
		out = append(out, "nothing differs")
	}
	return out
}

// Curve draws what the order may cost.
func (v pricingView) Curve() template.HTML {
	return costCurve(v.Range, v.Price.NetMinor, func(minor int64) string { return v.Money(minor).Whole() })
}

func (s *Room) pricingView(r *http.Request, withRange bool) (v pricingView, p kit.Page, err error) {
	v.Pricing, err = s.App.Quotes.Pricing(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		return v, p, err
	}
	v.Kinds, v.Tiers, v.Extras, v.WithRange = quote.Kinds(), route.Tiers(), extraKinds, withRange
	v.Margin, v.RushDay = v.Terms.MarginPercent, v.Shop.Book.V("rush.day")
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
		v.Link = s.ClientLink(r, *q)
		v.Summary = quotes.Summary(*q, v.Link)
	}
	p = kit.Page{Title: "Quote for " + v.Order.Title, Sheet: "Quote", Active: "/orders", Block: kit.Block("Order", v.Order.Number, "Rev", rev), D: &v,
		Keys: kit.Keys("S", "send", "O", "the order", "W", "working as CSV", "↑ ↓", "items", "F", "find")}
	return v, p, nil
}

func (s *Room) pricing(w http.ResponseWriter, r *http.Request) {
	_, p, err := s.pricingView(r, true)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "pricing", p)
}

// pricingRange is what follows a new price: its range, and the sliders.
func (s *Room) pricingRange(w http.ResponseWriter, r *http.Request) {
	_, p, err := s.pricingView(r, true)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Fragment(w, r, "pricing", "range", p)
}

// planned is when the real plan would have the order ready: it is asked for when the sheet stands.
func (s *Room) planned(w http.ResponseWriter, r *http.Request) {
	v, _, err := s.pricingView(r, false)
	out := plannedView{zone: v.Shop.Studio.Zone(), Number: v.Order.Number}
	if err == nil {
		out.Promised, err = s.App.Plan.ReadyBy(r.Context(), v.Order, v.Steps(), time.Minute)
	}
	if err == nil && v.Order.State != studio.Accepted && !out.Ready.IsZero() {
		var rush plan.Rushed
		if rush, err = s.App.Plan.Rush(r.Context(), v.Steps()); err == nil && rush.Ready.Before(out.Ready) {
			out.Rush = &rush
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.RenderPart(w, r, "pricing", "planned", out)
}

// ready is by when a variant of the order, or the order as it is, would be ready, as sure as 8 in 10.
func (s *Room) ready(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Variant int64 `form:"variant"`
	}](r)
	var v pricingView
	if err == nil {
		v, _, err = s.pricingView(r, false)
	}
	out := plannedView{zone: v.Shop.Studio.Zone()}
	steps := v.Steps()
	for _, one := range v.Variants {
		if one.ID == f.Variant {
			steps = one.Steps()
		}
	}
	if err == nil && f.Variant == 0 {
		out.Promised, err = s.App.Plan.ReadyBy(r.Context(), v.Order, steps, time.Minute)
	} else if err == nil {
		var list []plan.Promised
		if list, err = s.App.Plan.Promise(r.Context(), steps); err == nil {
			out.Promised = list[0]
		}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.RenderPart(w, r, "pricing", "ready", out)
}

// plannedView is what the plan says of an order.
type plannedView struct {
	plan.Promised
	Rush   *plan.Rushed // before all others; nil: that is no sooner
	Number string
	zone   *time.Location
}

// Day writes a day by the studio’s clock.
func (v plannedView) Day(t time.Time) string { return t.In(v.zone).Format("Mon 2 Jan") }

// whatIf answers the sliders.
func (s *Room) whatIf(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Asked kit.Optional `form:"asked" label:"Asked price"`
		Days  int          `form:"days" label:"Days"`
	}](r)
	var v pricingView
	var p kit.Page
	if err == nil {
		v, p, err = s.pricingView(r, f.Asked.Given)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if f.Asked.Given {
		p.D = v.IfAsked(int64(f.Asked.Value))
	} else {
		p.D = v.IfReadyIn(f.Days)
	}
	block := "daystext"
	if f.Asked.Given {
		block = "askedtext"
	}
	s.RenderPart(w, r, "pricing", block, p.D)
}

func (s *Room) working(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, "text/csv; charset=utf-8", "working-"+sheet.Order.Number+".csv", sheet.Working())
}

// lines are an item's, by themselves: on an order of forty parts they are most of the sheet,
// so the quote sheet asks for them when they are unfolded.
func (s *Room) lines(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	at := slices.IndexFunc(sheet.Items, func(it studio.PricedItem) bool { return it.ID == kit.PathID(r, "item") })
	if at < 0 {
		s.ErrorPage(w, r, http.StatusNotFound, "There is no such item on this order.", "")
		return
	}
	p := kit.Page{Title: sheet.Items[at].Title, Sheet: "Lines", Active: "/orders", Block: kit.Block("Order", sheet.Order.Number, "Lines", fmt.Sprint(len(sheet.Items[at].Estimate.Lines))),
		D: map[string]any{"It": sheet.Items[at], "No": sheet.Order.Number}, Keys: kit.Keys("Q", "back to the quote", "F", "find")}
	if kit.ByHTMX(r) {
		s.Fragment(w, r, "lines", "table", p)
		return
	}
	s.Show(w, r, "lines", p)
}

// finishRoutes sets an item's finish routes side by side.
func (s *Room) finishRoutes(w http.ResponseWriter, r *http.Request) {
	sheet, it, list, err := s.App.Quotes.FinishRoutes(r.Context(), chi.URLParam(r, "no"), kit.PathID(r, "item"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	most := 1.0
	for _, row := range list {
		most = max(most, row.HandsMin)
	}
	s.Show(w, r, "routes", kit.Page{Title: "Finish routes for " + it.Title, Sheet: "Finish routes", Active: "/orders", Block: kit.Block("Order", sheet.Order.Number, "Routes", fmt.Sprint(len(list))),
		D: map[string]any{"S": sheet, "It": it, "List": list, "Most": most}, Keys: kit.Keys("Q", "back to the quote", "F", "find")})
}
