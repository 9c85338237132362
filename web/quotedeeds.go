package web

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// itemOptionsOf reads what is asked of an item beside its parts; nil when the form does not
// tell, as the short form does not.
func itemOptionsOf(f *form) *studio.ItemOptions {
	if !f.checked("desk") {
		return nil
	}
	return &studio.ItemOptions{
		FinishRoute: f.text("finish_route"), DetailFactor: f.given("detail", "Detail"), DetailWhy: f.text("detail_why"), PersonID: f.id("person"),
		Apart: f.checked("apart"), SeamMM: 10 * f.given("seam", "Seam"), Cast: f.checked("cast"), Option: f.checked("option"), Weapon: f.text("weapon"),
		Features: finish.Features{Eyes: f.counted("eyes", "Eyes"), Faces: f.counted("faces", "Faces"), Letters: f.counted("letters", "Letters"), Small: f.counted("small", "Small things"),
			Colours: f.counted("colours", "Colours"), MaskMM: 10 * f.given("mask", "Edge to mask"), Weather: f.checked("weather"), FitHours: f.given("fit", "Fitting out")},
	}
}

// repriced answers a change made on the quote sheet: the new price at once; the range is
// asked for after it.
func (s *Server) repriced(w http.ResponseWriter, r *http.Request, err error) {
	if err != nil || !byHTMX(r) {
		s.pricingDone(w, r, err, "The price is new.")
		return
	}
	_, p, err := s.pricingView(r, false)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.fragment(w, r, "desk", "repriced", p)
}

// pricingDone ends a change on the quote sheet.
func (s *Server) pricingDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+chi.URLParam(r, "no")+"/quote", told)
}

func (s *Server) saveTerms(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	t := studio.Terms{DiscountWhy: f.text("why"), BeforeTax: f.checked("before_tax")}
	t.RushPercent, t.Discount = f.given("rush", "Rush"), f.given("discount", "Discount")
	if f.checked("days") { // by the slider: what that date asks
		v, _, err := s.pricingView(r, false)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		t.RushPercent = v.IfReadyIn(f.whole("days", "Days")).Rush
	}
	if f.checked("margin") {
		m := f.number("margin", "Margin")
		t.MarginPercent = &m
	}
	if f.checked("deposit") {
		d := f.number("deposit", "Deposit")
		t.DepositPercent = &d
	}
	h, err := s.app.Setup.Shop(r.Context())
	amount := func(name, what string) (minor int64) {
		if err != nil || !f.checked(name) {
			return 0
		}
		if minor, err = studio.ParseMoney(f.text(name), h.Studio.Currency); err != nil || minor < 0 {
			err = &change.Refusal{Text: fmt.Sprintf("%s: %q is not an amount.", what, f.text(name))}
		}
		return minor
	}
	t.AskedMinor, t.WageMinor = amount("asked", "Asked price"), amount("wage", "Wage")
	if err == nil {
		err = f.err
	}
	if err == nil {
		err = s.app.Quotes.SaveTerms(r.Context(), owner(r), chi.URLParam(r, "no"), t)
	}
	s.pricingDone(w, r, err, "The terms of this order are kept; the price is new.")
}

func (s *Server) addPlain(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.app.Orders.AddPlainItem(r.Context(), owner(r), chi.URLParam(r, "no"), formOf(r).text("title")), "Say what it takes: add hours or what is bought in.")
}

func (s *Server) restart(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	rev := f.whole("revision", "Revision")
	err := f.err
	if err == nil {
		err = s.app.Quotes.RestartFrom(r.Context(), owner(r), chi.URLParam(r, "no"), rev)
	}
	s.pricingDone(w, r, err, fmt.Sprintf("The order is as revision %d had it, at today’s rates. Change it and send it as a new revision.", rev))
}

func (s *Server) saveVariant(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	v := studio.Variant{ID: pathID(r, "variant"), Name: f.text("name"), Tier: f.text("tier"), Process: f.text("process"), FinishRoute: f.text("finish_route"), Offered: f.checked("offered")}
	v.Factor, v.CutInto = f.given("factor", "Size")/100, f.counted("cut", "Printed in pieces")
	if v.Factor == 1 {
		v.Factor = 0
	}
	if v.Name == "" {
		v.Name = variantName(v)
	}
	err := f.err
	if err == nil {
		err = s.app.Quotes.SaveVariant(r.Context(), owner(r), chi.URLParam(r, "no"), v)
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

func (s *Server) dropVariant(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.app.Quotes.DropVariant(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "variant")), "It is gone.")
}

func (s *Server) takeVariant(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.app.Quotes.TakeVariant(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "variant")), "The order is made so now.")
}

func (s *Server) addExtra(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	e := quote.Extra{Kind: f.text("kind"), What: f.text("what"), Each: f.given("each", "Price"), Count: f.given("count", "How many"), Pack: f.given("pack", "In a pack"),
		PerCopy: f.checked("per_copy"), Hours: f.given("hours", "Hours"), Figures: f.counted("figures", "Figures"), FigureHours: f.given("figure_hours", "Hours of a further figure"),
		Revisions: f.counted("revisions", "Revisions"), Odds: f.given("odds", "Odds") / 100, WorseHours: f.given("worse_hours", "Hours then"), StopAt: f.given("stop_at", "Stop and ask")}
	err := f.err
	if err == nil {
		err = s.app.Orders.AddExtra(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), e)
	}
	s.pricingDone(w, r, err, "It is in the price.")
}

func (s *Server) dropExtra(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.app.Orders.DropExtra(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), int(pathID(r, "at"))), "It is off the price.")
}

func (s *Server) sayWeapon(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.app.Orders.SayWeapon(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), formOf(r).text("weapon") == "yes"), "Noted.")
}

func (s *Server) setFinishRoute(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	key, house := f.text("finish_route"), false
	if k := f.text("default"); k != "" {
		key, house = k, true
	}
	s.pricingDone(w, r, s.app.Orders.SetFinishRoute(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), key, house), "The route is taken; the price is new.")
}

func (s *Server) takeSaving(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	cut := f.whole("cut", "Printed in pieces")
	err := f.err
	if err == nil {
		err = s.app.Orders.TakeSaving(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), studio.Saving{PartID: f.id("part"), CutInto: cut, Cast: f.checked("cast")})
	}
	s.pricingDone(w, r, err, "It is made so; the price is new.")
}
