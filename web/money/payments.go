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
	f, err := kit.Decode[struct {
		Kind   string `form:"kind"`
		Amount string `form:"amount"`
		Note   string `form:"note"`
		Sure   bool   `form:"sure"`
	}](r)
	if err == nil {
		err = s.App.Money.NotePayment(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), money.PaymentForm{Kind: studio.PaymentKind(f.Kind), Amount: f.Amount, Note: f.Note, Sure: f.Sure})
	}
	s.Ended(w, r, err, "/orders/"+chi.URLParam(r, "no"), "Noted.")
}

func (s *Room) reversePayment(w http.ResponseWriter, r *http.Request) {
	s.Ended(w, r, s.App.Money.ReversePayment(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "payment")), "/orders/"+chi.URLParam(r, "no"), "Reversed. Both entries stay in the book.")
}
