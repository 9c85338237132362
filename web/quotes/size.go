package quotes

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/app/quotes"
	"sakuji/core/rates"
	"sakuji/studio"
	"sakuji/web/kit"
)

// sizeView is the size sheet with what its form needs.
type sizeView struct {
	quotes.SizeSheet
	Bases  []int
	Scales []int
}

// Ratio writes how many times the one is the other.
func (v sizeView) Ratio(then, now float64) string {
	if now == 0 {
		return "–"
	}
	return "× " + rates.Number(then/now)
}

// Field writes a length of the rule for a field; naught is empty.
func (v sizeView) Field(mm float64) string {
	if mm == 0 {
		return ""
	}
	return rates.Number(mm)
}

func ruleOf(f *kit.Form) studio.SizeRule {
	r := studio.SizeRule{By: f.Text("by")}
	for _, field := range []struct {
		name, what string
		to         *float64
		unit       float64
	}{
		{"ratio", "Ratio", &r.Ratio, 0.01}, {"one_to", "Scale", &r.OneTo, 1}, {"real", "Real height", &r.Real, 1000}, {"height", "Finished height", &r.Height, 1}, {"base", "Base", &r.Base, 1},
		{"round", "Way round", &r.Round, 10}, {"length", "Length", &r.Length, 10}, {"breadth", "Breadth", &r.Breadth, 10}, {"padding", "Padding", &r.Padding, 1},
		{"inside_l", "Inside length", &r.InsideL, 1}, {"inside_b", "Inside breadth", &r.InsideB, 1},
	} {
		if f.R.FormValue(field.name) == "" {
			continue
		}
		v := f.Number(field.name, field.what) * field.unit
		if v < 0 || v > 1e6 {
			f.Wrong(field.name, "%s: between 0 and a kilometre.", field.what)
		}
		*field.to = v
	}
	return r
}

func (s *Room) sizeView(r *http.Request, rule studio.SizeRule) (v sizeView, p kit.Page, err error) {
	v = sizeView{Bases: []int{25, 32, 40, 50, 60, 80, 100}, Scales: []int{4, 6, 12, 18, 24, 35, 72}}
	v.SizeSheet, err = s.App.Quotes.SizeSheet(r.Context(), chi.URLParam(r, "no"), kit.PathID(r, "item"), rule)
	if v.Rule.By == "" {
		v.Rule = v.Item.Rule
	}
	if v.Rule.InsideL == 0 {
		v.Rule.InsideL, v.Rule.InsideB = v.Inside[0], v.Inside[1]
	}
	p = kit.Page{Title: "Size of " + v.Item.Title, Sheet: "Size", Active: "/orders", D: &v, Block: kit.Block("Order", v.Order.Number, "Item", fmt.Sprint(v.Item.Position+1)),
		Keys: kit.Keys("T", "take this size", "F", "find")}
	return v, p, err
}

func (s *Room) size(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	f.Query = true
	rule := ruleOf(f)
	if f.Err != nil && kit.ByHTMX(r) {
		s.Fail(w, r, f.Err)
		return
	}
	_, p, err := s.sizeView(r, rule)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if !kit.ByHTMX(r) {
		s.Show(w, r, "size", p)
		return
	}
	s.Fragment(w, r, "size", "sized", p)
}

func (s *Room) takeSize(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	rule := ruleOf(f)
	err := f.Err
	var it studio.Item
	if err == nil {
		it, err = s.App.Quotes.TakeSize(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), rule)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/orders/%s#item-%d", chi.URLParam(r, "no"), it.ID), it.Title+" is "+rates.Number(it.Scale*100)+" % of its file now. The price is new.")
}
