package client

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/quotes"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

// clientStill is the picture of an item of a sent quote, by the item.
func (s *Room) clientStill(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	id := kit.PathID(r, "item")
	for _, it := range append(q.Quote.Taken().Specs(), q.Quote.Document.Specs()...) {
		if it.ID == id && len(it.Parts) > 0 {
			s.SendStill(w, r, it.Parts[0].Model.SHA)
			return
		}
	}
	s.ErrorPage(w, r, http.StatusNotFound, "There is no such picture.", "")
}

func (s *Room) clientSheet(w http.ResponseWriter, r *http.Request) (quotes.ClientQuote, bool) {
	q, err := s.App.Quotes.ClientQuote(r.Context(), chi.URLParam(r, "token"))
	if err != nil {
		if change.NotFound(err) {
			s.ErrorPage(w, r, http.StatusNotFound, "There is no quote under this address. Perhaps the link was cut when it was copied.", "")
		} else {
			s.Fail(w, r, err)
		}
		return q, false
	}
	if q.Ended != "" {
		s.ErrorPage(w, r, http.StatusGone, "This quote has ended. "+q.Ended+" Please ask "+q.Quote.Document.Studio.Name+" for the current one.", "")
		return q, false
	}
	return q, true
}

func (s *Room) clientQuote(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	v := clientView{ClientQuote: q, Taken: q.Quote.Taken()}
	if f, err := kit.DecodeQuery[kit.ChosenForm](r); err == nil && q.MayReply { // what would be chosen, before it is
		if taken, err := q.Quote.Document.Take(f.Chosen()); err == nil {
			v.Chosen, v.Taken = f.Chosen(), taken
		}
	}
	p := kit.Page{Title: "Quote " + q.Order.Number, D: v, Studio: q.Quote.Document.Studio, Now: s.App.Clock.Now(), Theme: kit.Theme(r), Told: s.TakeTold(w, r)}
	w.Header().Set("X-Robots-Tag", "noindex")
	block := "bare"
	if kit.ByHTMX(r) {
		block = "chosen"
	}
	s.Render(w, r, http.StatusOK, "quote", block, p)
}

// clientView is a quote with what is chosen of it.
type clientView struct {
	quotes.ClientQuote
	Chosen studio.Chosen
	Taken  studio.Taken
}

// Total is the price of the choice, Deposit what is asked for it on acceptance.
func (v clientView) Total() studio.Money { return v.money(v.Taken.TotalMinor) }

func (v clientView) Deposit() studio.Money { return v.money(v.Taken.DepositMinor) }

// Paid is what had been paid when a change was sent, and AskedNow what is still asked on its
// acceptance.
func (v clientView) Paid() studio.Money { return v.money(v.Quote.Document.PaidMinor) }

func (v clientView) AskedNow() studio.Money { return v.Quote.Document.AskedNow(v.Taken) }

func (v clientView) money(minor int64) studio.Money {
	return studio.Money{Minor: minor, Currency: v.Quote.Currency}
}

// Chooses reports whether there is anything to choose.
func (v clientView) Chooses() bool {
	return v.MayReply && len(v.Quote.Document.Alternatives)+len(v.Quote.Document.Options) > 0
}

// Has reports whether an option is chosen.
func (v clientView) Has(id int64) bool { return slices.Contains(v.Chosen.Options, id) }

// OptionTold is what an option costs beside what is chosen, as the price is told.
func (v clientView) OptionTold(id int64) studio.Money {
	d := v.Quote.Document
	return d.Told(d.OptionBeside(v.Chosen.Alternative, id))
}

func (s *Room) clientAnswer(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Answer string `form:"answer"`
		Name   string `form:"name" validate:"max=200"`
		Agreed bool   `form:"agreed"`
		kit.ChosenForm
	}](r)
	accept := f.Answer == "accept"
	ans := quotes.Answer{Accept: accept, Name: f.Name, Agreed: f.Agreed, From: kit.AddressOf(r)}
	if accept {
		ans.Chosen = f.Chosen()
	}
	if err == nil {
		err = s.App.Quotes.AnswerQuote(r.Context(), chi.URLParam(r, "token"), ans)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/q/"+chi.URLParam(r, "token"), map[bool]string{true: "Thank you. The order is accepted; the studio has been told.", false: "Your answer has been passed on to the studio."}[accept])
}

func (s *Room) clientQuestion(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Quotes.AskAboutQuote(r.Context(), chi.URLParam(r, "token"), kit.Word(r, "text")); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/q/"+chi.URLParam(r, "token"), "Your question has been passed on; the answer will stand here.")
}

func (s *Room) clientQuotePDF(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	p := papers.QuotePaper(q.Quote, s.ClientLink(r, q.Quote), s.Stills(r))
	s.SendPDF(w, r, p, fmt.Sprintf("quote-%s-%d.pdf", q.Quote.Document.Number, q.Quote.Revision))
}
