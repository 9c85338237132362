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

// Field writes a length of the rule for a field; 0 is empty.
func (v sizeView) Field(mm float64) string {
	if mm == 0 {
		return ""
	}
	return rates.Number(mm)
}

// Whole reports whether the size is that of all parts together.
func (v sizeView) Whole() bool {
	_, _, ok := v.Item.Envelope()
	return ok
}

// Without says how large it is without what comes off again; empty where nothing does.
func (v sizeView) Without(mm [3]float64) string {
	if mm[2] == 0 {
		return ""
	}
	return fmt.Sprintf("without what comes off %.0f × %.0f × %.0f mm", mm[0], mm[1], mm[2])
}

func ruleOf(f sizeForm) studio.SizeRule {
	return studio.SizeRule{By: f.By, Ratio: f.Percent / 100, OneTo: f.OneTo, Real: 1000 * f.RealM, Height: f.HeightMM, Base: f.BaseMM, Round: 10 * f.RoundCM, Length: 10 * f.LengthCM, Breadth: 10 * f.BreadthCM,
		Padding: f.PaddingMM, InsideL: f.InsideLMM, InsideB: f.InsideBMM}
}

// sizeForm is a rule of size with its measures as people take them.
type sizeForm struct {
	By        string  `form:"by"`
	Percent   float64 `form:"ratio" label:"Ratio" validate:"gte=0,lte=100000"`
	OneTo     float64 `form:"one_to" label:"Scale" validate:"gte=0,lte=1000000"`
	RealM     float64 `form:"real" label:"Real height" validate:"gte=0,lte=1000"`
	HeightMM  float64 `form:"height" label:"Finished height" validate:"gte=0,lte=1000000"`
	BaseMM    float64 `form:"base" label:"Base" validate:"gte=0,lte=1000000"`
	RoundCM   float64 `form:"round" label:"Circumference" validate:"gte=0,lte=100000"`
	LengthCM  float64 `form:"length" label:"Length" validate:"gte=0,lte=100000"`
	BreadthCM float64 `form:"breadth" label:"Breadth" validate:"gte=0,lte=100000"`
	PaddingMM float64 `form:"padding" label:"Padding" validate:"gte=0,lte=1000000"`
	InsideLMM float64 `form:"inside_l" label:"Inside length" validate:"gte=0,lte=1000000"`
	InsideBMM float64 `form:"inside_b" label:"Inside breadth" validate:"gte=0,lte=1000000"`
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
	f, err := kit.DecodeQuery[sizeForm](r)
	if err != nil && kit.ByHTMX(r) {
		s.Fail(w, r, err)
		return
	}
	_, p, err := s.sizeView(r, ruleOf(f))
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
	f, err := kit.Decode[sizeForm](r)
	var it studio.Item
	if err == nil {
		it, err = s.App.Quotes.TakeSize(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), ruleOf(f))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/orders/%s#item-%d", chi.URLParam(r, "no"), it.ID), it.Title+" is "+rates.Number(it.Scale*100)+" % of its file now. The price is new.")
}
