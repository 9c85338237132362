package quotes

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// saveItem changes an item on the quote sheet.
func (s *Room) saveItem(w http.ResponseWriter, r *http.Request) {
	form, err := kit.ItemForm(r)
	if err == nil {
		err = s.App.Orders.ChangeItem(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), form)
	}
	s.repriced(w, r, err)
}

// repriced answers a change made on the quote sheet: the new price at once; the range is
// asked for after it.
func (s *Room) repriced(w http.ResponseWriter, r *http.Request, err error) {
	if err != nil || !kit.ByHTMX(r) {
		s.pricingDone(w, r, err, "The price is new.")
		return
	}
	_, p, err := s.pricingView(r, false)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Fragment(w, r, "pricing", "repriced", p)
}

// pricingDone ends a change on the quote sheet.
func (s *Room) pricingDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+chi.URLParam(r, "no")+"/quote", told)
}

func (s *Room) saveTerms(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	t := studio.Terms{DiscountWhy: f.Text("why"), BeforeTax: f.Checked("before_tax")}
	t.RushPercent, t.Discount = f.Given("rush", "Rush"), f.Given("discount", "Discount")
	if f.Checked("days") { // by the slider: what that date asks
		v, _, err := s.pricingView(r, false)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		t.RushPercent = v.IfReadyIn(f.Whole("days", "Days")).Rush
	}
	if f.Checked("margin") {
		m := f.Number("margin", "Margin")
		t.MarginPercent = &m
	}
	if f.Checked("deposit") {
		d := f.Number("deposit", "Deposit")
		t.DepositPercent = &d
	}
	h, err := s.App.Setup.Shop(r.Context())
	amount := func(name, what string) int64 {
		if !f.Checked(name) {
			return 0
		}
		minor, err := studio.ParseMoney(f.Text(name), h.Studio.Currency)
		if err != nil || minor < 0 {
			f.Wrong(name, "%s: %q is not an amount.", what, f.Text(name))
		}
		return minor
	}
	t.AskedMinor, t.WageMinor = amount("asked", "Asked price"), amount("wage", "Wage")
	if err == nil {
		err = f.Err
	}
	if err == nil {
		err = s.App.Quotes.SaveTerms(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), t)
	}
	s.pricingDone(w, r, err, "The terms of this order are kept; the price is new.")
}

func (s *Room) addPlain(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Orders.AddPlainItem(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.FormOf(r).Text("title")), "Say what it takes: add hours or what is bought in.")
}

func (s *Room) restart(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	rev := f.Whole("revision", "Revision")
	err := f.Err
	if err == nil {
		err = s.App.Quotes.RestartFrom(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), rev)
	}
	s.pricingDone(w, r, err, fmt.Sprintf("The order is as revision %d had it, at today’s rates. Change it and send it as a new revision.", rev))
}

func (s *Room) saveVariant(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	v := studio.Variant{ID: kit.PathID(r, "variant"), Name: f.Text("name"), Tier: f.Text("tier"), Process: f.Text("process"), FinishRoute: f.Text("finish_route"), Offered: f.Checked("offered")}
	v.Factor, v.CutInto = f.Given("factor", "Size")/100, f.Counted("cut", "Printed in pieces")
	if v.Factor == 1 {
		v.Factor = 0
	}
	if v.Name == "" {
		v.Name = variantName(v)
	}
	err := f.Err
	if err == nil {
		err = s.App.Quotes.SaveVariant(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), v)
	}
	s.pricingDone(w, r, err, "It stands beside the order now.")
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
	if finishRoute, ok := finish.RouteOf(v.FinishRoute); ok {
		words = append(words, finishRoute.Name)
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

func (s *Room) dropVariant(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Quotes.DropVariant(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "variant")), "It is gone.")
}

func (s *Room) takeVariant(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Quotes.TakeVariant(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "variant")), "The order uses this version now.")
}

func (s *Room) addExtra(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	e := quote.Extra{Kind: f.Text("kind"), What: f.Text("what"), Each: f.Given("each", "Price"), Count: f.Given("count", "How many"), Pack: f.Given("pack", "In a pack"),
		PerCopy: f.Checked("per_copy"), Hours: f.Given("hours", "Hours"), Figures: f.Counted("figures", "Figures"), FigureHours: f.Given("figure_hours", "Hours of a further figure"),
		Revisions: f.Counted("revisions", "Revisions"), Odds: f.Given("odds", "Odds") / 100, WorseHours: f.Given("worse_hours", "Hours then"), StopAt: f.Given("stop_at", "Stop and ask")}
	err := f.Err
	if err == nil {
		err = s.App.Orders.AddExtra(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), e)
	}
	s.pricingDone(w, r, err, "It is in the price.")
}

func (s *Room) dropExtra(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Orders.DropExtra(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), int(kit.PathID(r, "at"))), "It is off the price.")
}

func (s *Room) sayWeapon(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Orders.SayWeapon(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), kit.FormOf(r).Text("weapon") == "yes"), "Noted.")
}

func (s *Room) setFinishRoute(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	key, house := f.Text("finish_route"), false
	if k := f.Text("default"); k != "" {
		key, house = k, true
	}
	s.pricingDone(w, r, s.App.Orders.SetFinishRoute(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), key, house), "The route is taken; the price is new.")
}

func (s *Room) takeSaving(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	cut := f.Whole("cut", "Printed in pieces")
	err := f.Err
	if err == nil {
		err = s.App.Orders.TakeSaving(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), studio.Saving{PartID: f.ID("part"), CutInto: cut, Cast: f.Checked("cast")})
	}
	s.pricingDone(w, r, err, "Changed; the price is new.")
}
