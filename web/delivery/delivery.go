package delivery

import (
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

func (s *Room) settleScrapped(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Code string `form:"code"`
		How  string `form:"how"`
	}](r)
	if err == nil {
		err = s.App.Pieces.SettleScrapped(r.Context(), kit.Owner(r), f.Code, f.How == "leave out")
	}
	s.Ended(w, r, err, "/orders/"+chi.URLParam(r, "no"), "Recorded.")
}

func (s *Room) delivery(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "delivery", kit.Page{Title: "Delivery of " + v.Order.Title, Sheet: "Delivery", Active: "/orders", D: v,
		Block: kit.Block("Order", v.Order.Number, "Pieces", fmt.Sprint(v.Given())), Keys: kit.Keys("D", "deliver", "P", "packing list", "F", "find")})
}

func (s *Room) deliver(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		On   kit.Moment `form:"on" label:"Delivered on"`
		Sure bool       `form:"sure"`
	}](r)
	zone := s.Zone(r)
	on := f.On.In(zone)
	if !on.IsZero() { // a day is meant: its noon, or now when that is still to come today
		now := s.App.Clock.Now().In(zone)
		if y, m, d := now.Date(); on.Equal(time.Date(y, m, d, 0, 0, 0, 0, zone)) {
			on = time.Time{}
		} else {
			on = on.Add(12 * time.Hour)
		}
	}
	if err == nil {
		err = s.App.Delivery.Deliver(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), on, f.Sure)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+chi.URLParam(r, "no")+"/delivery", "Delivered. Close the order when nothing is left open.")
}

func (s *Room) closeOrder(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Money.CloseOrder(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.Word(r, "why")); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+chi.URLParam(r, "no")+"/delivery", "The order is closed and filed.")
}
