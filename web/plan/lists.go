package plan

import (
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/plan"
	"sakuji/app/quotes"
	"sakuji/studio"
	"sakuji/web/kit"
)

// list sends the plan as CSV.
func (s *Room) list(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plan.Plan(r.Context(), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, "text/csv; charset=utf-8", "plan.csv", sheet.CSV())
}

// possibleView is what would have an order ready in time, with what it costs for who may see that.
type possibleView struct {
	plan.Possible
	prices bool
}

// Cost is what a way costs more, in words; for the bench, which sees days, only what for.
func (v possibleView) Cost(w plan.PossibleWay) string {
	if !v.prices {
		return w.For
	}
	return v.Possible.Cost(w)
}

// possible shows what would have an order ready in time.
func (s *Room) possible(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Like    int64        `form:"like"`
		Percent kit.Optional `form:"percent" label:"Its time"`
		Price   kit.Optional `form:"price" label:"Its price"`
	}](r)
	var v plan.Possible
	var order quotes.OrderSheet
	if err == nil {
		order, err = s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	}
	asked := []plan.AskedWay{{Steps: order.Steps()}}
	if err == nil {
		var others []plan.AskedWay
		others, err = s.App.Quotes.OtherWays(r.Context(), order.Order.Number)
		asked = append(asked, others...)
	}
	if err == nil {
		v, err = s.App.Plan.Possible(r.Context(), order.Order, asked, studio.OtherMachine{LikeID: f.Like, TimePercent: f.Percent.Value, Price: f.Price.Value}, time.Minute)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "possible", kit.Page{Title: "Can it be done?", Sheet: "Schedule", Active: "/plan", D: possibleView{v, kit.IsOwner(r)}, Block: kit.Block("Order", v.Order.Number), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}
