package money

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/app/money"
	"sakuji/studio"
	"sakuji/web/kit"
)

// notePayment notes money that arrived or went back.
func (s *Room) notePayment(w http.ResponseWriter, r *http.Request) {
	f := kit.FormOf(r)
	form := money.PaymentForm{Kind: studio.PaymentKind(f.Text("kind")), Amount: f.Text("amount"), Note: f.Text("note"), Sure: f.Checked("sure")}
	s.Ended(w, r, s.App.Money.NotePayment(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), form), "/orders/"+chi.URLParam(r, "no"), "Noted.")
}

func (s *Room) reversePayment(w http.ResponseWriter, r *http.Request) {
	s.Ended(w, r, s.App.Money.ReversePayment(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "payment")), "/orders/"+chi.URLParam(r, "no"), "Reversed. Both entries stay in the book.")
}
