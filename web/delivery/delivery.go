package delivery

import (
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

func (s *Room) settleScrapped(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	s.Ended(w, r, s.App.Pieces.SettleScrapped(r.Context(), kit.Owner(r), f.Text("code"), f.Text("how") == "leave out"), "/orders/"+chi.URLParam(r, "no"), "Recorded.")
}

func (s *Room) delivery(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "delivery", kit.Page{Title: "Delivery of " + v.Order.Title, Sheet: "Delivery", Active: "/orders", D: v,
		Block: kit.Block("Order", v.Order.Number, "Pieces", fmt.Sprint(len(v.Pieces))), Keys: kit.Keys("D", "deliver", "P", "packing list", "F", "find")})
}

func (s *Room) deliver(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	on := f.Moment("on", "Delivered on", h.Studio.Zone())
	if !on.IsZero() { // a day is meant: its noon, or now when that is still to come today
		now := s.App.Clock.Now().In(h.Studio.Zone())
		if y, m, d := now.Date(); on.Equal(time.Date(y, m, d, 0, 0, 0, 0, h.Studio.Zone())) {
			on = time.Time{}
		} else {
			on = on.Add(12 * time.Hour)
		}
	}
	if err = f.Err; err == nil {
		err = s.App.Delivery.Deliver(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), on, f.Checked("sure"))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+chi.URLParam(r, "no")+"/delivery", "Delivered. Close the order when nothing is left open.")
}

func (s *Room) closeOrder(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Money.CloseOrder(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.FormOf(r).Text("why")); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+chi.URLParam(r, "no")+"/delivery", "The order is closed and filed.")
}
