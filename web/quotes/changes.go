package quotes

import (
	"cmp"
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
	f, err := kit.Decode[termsForm](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	t := studio.Terms{MarginPercent: f.Margin.Pointer(), DepositPercent: f.Deposit.Pointer(), RushPercent: f.Rush, Discount: f.Discount, DiscountWhy: f.Why, BeforeTax: f.BeforeTax}
	if f.Days.Given { // by the slider: what that date asks
		v, _, err := s.pricingView(r, false)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		t.RushPercent = v.IfReadyIn(int(f.Days.Value)).Rush
	}
	h, err := s.App.Setup.Shop(r.Context())
	if err == nil {
		t.AskedMinor, err = amountOf(f.Asked, "asked", "Asked price", h)
	}
	if err == nil {
		t.WageMinor, err = amountOf(f.Wage, "wage", "Wage", h)
	}
	if err == nil {
		err = s.App.Quotes.SaveTerms(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), t)
	}
	s.pricingDone(w, r, err, "The terms of this order are kept; the price is new.")
}

// termsForm is what an order's price has of its own.
type termsForm struct {
	Margin    kit.Optional `form:"margin" label:"Margin"`
	Deposit   kit.Optional `form:"deposit" label:"Deposit"`
	Rush      float64      `form:"rush" label:"Rush"`
	Discount  float64      `form:"discount" label:"Discount"`
	Why       string       `form:"why"`
	Days      kit.Optional `form:"days" label:"Days"`
	Asked     string       `form:"asked"`
	Wage      string       `form:"wage"`
	BeforeTax bool         `form:"before_tax"`
}

// amountOf reads money that may be left out.
func amountOf(text, field, what string, h studio.Shop) (int64, error) {
	if text == "" {
		return 0, nil
	}
	minor, err := studio.ParseMoney(text, h.Studio.Currency)
	if err != nil || minor < 0 {
		return 0, change.RefuseField(field, "%s: %q is not an amount.", what, text)
	}
	return minor, nil
}

func (s *Room) addPlain(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Orders.AddPlainItem(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.Word(r, "title")), "Say what it takes: add hours or what is bought in.")
}

func (s *Room) restart(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Revision int `form:"revision" label:"Revision" validate:"required"`
	}](r)
	if err == nil {
		err = s.App.Quotes.RestartFrom(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), f.Revision)
	}
	s.pricingDone(w, r, err, fmt.Sprintf("The order is as revision %d had it, at today’s rates. Change it and send it as a new revision.", f.Revision))
}

func (s *Room) saveVariant(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name        string  `form:"name" validate:"max=200"`
		Tier        string  `form:"tier"`
		Process     string  `form:"process"`
		FinishRoute string  `form:"finish_route"`
		Offered     bool    `form:"offered"`
		SizePercent float64 `form:"factor" label:"Size"`
		CutInto     int     `form:"cut" label:"Printed in pieces"`
	}](r)
	v := studio.Variant{ID: kit.PathID(r, "variant"), Name: f.Name, Tier: f.Tier, Process: f.Process, FinishRoute: f.FinishRoute, Offered: f.Offered, Factor: f.SizePercent / 100, CutInto: f.CutInto}
	if v.Factor == 1 {
		v.Factor = 0
	}
	if v.Name == "" {
		v.Name = variantName(v)
	}
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
	if name := finish.RouteName(v.FinishRoute); name != "" {
		words = append(words, name)
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
	f, err := kit.Decode[extraForm](r)
	if err == nil {
		err = s.App.Orders.AddExtra(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), quote.Extra{Kind: f.Kind, What: f.What, Each: f.Each, Count: f.Count, Pack: f.Pack, PerCopy: f.PerCopy,
			Hours: f.Hours, Figures: f.Figures, FigureHours: f.FigureHours, Revisions: f.Revisions, Odds: f.OddsPercent / 100, WorseHours: f.WorseHours, StopAt: f.StopAt, Inside: f.Inside, Ground: f.Ground, Over: f.Over})
	}
	s.pricingDone(w, r, err, "It is in the price.")
}

// extraForm is work or goods of an item beside its prints.
type extraForm struct {
	Kind        string  `form:"kind"`
	What        string  `form:"what" label:"What it is" validate:"required,max=200"`
	Each        float64 `form:"each" label:"Price"`
	Count       float64 `form:"count" label:"How many"`
	Pack        float64 `form:"pack" label:"In a pack"`
	PerCopy     bool    `form:"per_copy"`
	Hours       float64 `form:"hours" label:"Hours"`
	Figures     int     `form:"figures" label:"Figures"`
	FigureHours float64 `form:"figure_hours" label:"Hours of a further figure"`
	Revisions   int     `form:"revisions" label:"Revisions"`
	OddsPercent float64 `form:"odds" label:"Odds"`
	WorseHours  float64 `form:"worse_hours" label:"Hours then"`
	StopAt      float64 `form:"stop_at" label:"Stop and ask"`
	Inside      bool    `form:"inside"`
	Ground      string  `form:"ground" label:"Ground"`
	Over        string  `form:"over" label:"Tried over" validate:"max=120"`
}

func (s *Room) dropExtra(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Orders.DropExtra(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), int(kit.PathID(r, "at"))), "It is off the price.")
}

func (s *Room) sayWeapon(w http.ResponseWriter, r *http.Request) {
	s.pricingDone(w, r, s.App.Orders.SayWeapon(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), kit.Word(r, "weapon") == "yes"), "Noted.")
}

func (s *Room) setFinishRoute(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		FinishRoute string `form:"finish_route"`
		Default     string `form:"default"`
	}](r)
	if err == nil {
		err = s.App.Orders.SetFinishRoute(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), cmp.Or(f.Default, f.FinishRoute), f.Default != "")
	}
	s.pricingDone(w, r, err, "The route is taken; the price is new.")
}

func (s *Room) takeSaving(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Part    int64 `form:"part"`
		CutInto int   `form:"cut" label:"Printed in pieces"`
		Cast    bool  `form:"cast"`
	}](r)
	if err == nil {
		err = s.App.Orders.TakeSaving(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), studio.Saving{PartID: f.Part, CutInto: f.CutInto, Cast: f.Cast})
	}
	s.pricingDone(w, r, err, "Changed; the price is new.")
}
