package plan

import (
	"net/http"
	"strconv"
	"strings"
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
	s.Show(w, r, "possible", kit.Page{Title: "Can it be done?", Sheet: "Schedule", Active: "/plan", D: v, Block: kit.Block("Order", v.Order.Number), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

// newFeed gives the calendars a new address.
func (s *Room) newFeed(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Plan.NewFeed(r.Context(), kit.Owner(r)); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/plan", "The calendars have a new address; the one before has ended.")
}

// feed sends a calendar to who has its address.
func (s *Room) feed(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plan.Feed(r.Context(), chi.URLParam(r, "secret"), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var machine, person int64
	switch whose, id, _ := strings.Cut(chi.URLParam(r, "whose"), "-"); whose {
	case "machine":
		machine, _ = strconv.ParseInt(id, 10, 64)
	case "person":
		person, _ = strconv.ParseInt(id, 10, 64)
	}
	w.Header().Set("Cache-Control", "private, max-age=300")
	kit.Write(w, "text/calendar; charset=utf-8", "plan.ics", []byte(sheet.Calendar(machine, person)))
}

// Feed is where a calendar of the plan is; empty: nobody has asked for one.
func (v rollView) Feed(whose string) string {
	st := v.Shop.Studio
	if st.Defaults.Feed == "" {
		return ""
	}
	return st.PublicURL + "/feed/" + st.Defaults.Feed + "/" + whose + ".ics"
}
