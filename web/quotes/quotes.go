package quotes

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/quotes"
	"sakuji/store"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

func (s *Room) sendQuote(w http.ResponseWriter, r *http.Request) {
	q, err := s.App.Quotes.SendQuote(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.Word(r, "despite"))
	told := fmt.Sprintf("Revision %d is frozen at %s. Give the client the link below; it ends with the quote.", q.Revision, q.Total())
	if kit.Word(r, "back") == "quote" {
		s.pricingDone(w, r, err, told)
		return
	}
	s.Ended(w, r, err, "/orders/"+chi.URLParam(r, "no"), told)
}

func (s *Room) noteAnswer(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Answer string `form:"answer"`
		Name   string `form:"name" validate:"max=200"`
		kit.ChosenForm
	}](r)
	accept := f.Answer == "accept"
	told := "The yes is noted; the pieces wait for plates."
	if !accept {
		told = "The no is noted."
	}
	if err == nil {
		err = s.App.Quotes.NoteAnswer(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), accept, f.Name, f.Chosen())
	}
	s.Ended(w, r, err, "/orders/"+chi.URLParam(r, "no"), told)
}

func (s *Room) quotePDF(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	rev, _ := strconv.Atoi(chi.URLParam(r, "rev"))
	for _, q := range sheet.Quotes {
		if q.Revision == rev {
			p := papers.QuotePaper(q, s.ClientLink(r, q), s.Stills(r))
			s.SendPDF(w, r, p, fmt.Sprintf("quote-%s-%d.pdf", sheet.Order.Number, rev))
			return
		}
	}
	s.ErrorPage(w, r, http.StatusNotFound, "There is no such quote.", "")
}

// quotes lists what was sent.
func (s *Room) quotes(w http.ResponseWriter, r *http.Request) {
	var before time.Time
	if ms, _ := strconv.ParseInt(r.URL.Query().Get("before"), 10, 64); ms > 0 {
		before = time.UnixMilli(ms)
	}
	list, err := s.App.Quotes.QuoteRows(r.Context(), before)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	open, yes, no := 0, 0, 0
	var accepted int64
	for _, q := range list {
		switch q.State {
		case studio.QuoteSent:
			open++
		case studio.QuoteAccepted:
			if q.OrderState == studio.Cancelled { // what was accepted came to nothing
				continue
			}
			yes++
			accepted += q.TotalMinor
		case studio.QuoteDeclined:
			no++
		}
	}
	s.Show(w, r, "quotes", kit.Page{Title: "Quotes", Sheet: "Quotes", Active: "/orders", D: map[string]any{"List": list, "Rows": rowsHTML(list, s.Zone(r)), "Open": open, "Yes": yes, "No": no, "Accepted": accepted, "More": len(list) == quotes.QuotesShown},
		Block: kit.Block("Open", fmt.Sprint(open)), Keys: kit.Keys("↑ ↓", "move", "Enter", "open", "F", "find")})
}

// rowsHTML are the rows of the sheet of quotes. They are written here and not in a
// template: a studio has a thousand of them.
func rowsHTML(list []store.QuoteRow, zone *time.Location) template.HTML {
	var b strings.Builder
	b.Grow(360 * len(list))
	esc := template.HTMLEscapeString
	b.WriteString(`<ul class="rows">`)
	for _, q := range list {
		b.WriteString(`<li data-row><a class="quoterow" href="/orders/`)
		b.WriteString(url.PathEscape(q.Order))
		b.WriteString(`/quote"><span class="fig">`)
		b.WriteString(esc(q.Order))
		b.WriteByte('/')
		b.WriteString(strconv.Itoa(q.Revision))
		for _, cell := range [][2]string{{`</span><b>`, q.Title}, {`</b><span class="small">`, q.Client}, {`</span><span class="small">sent `, q.Sent.In(zone).Format("Mon 2 Jan 2006")}, {`</span><span class="fig text-[13px]">`, q.StateText()},
			{`</span><span class="num">`, studio.Money{Minor: q.TotalMinor, Currency: q.Currency}.String()}} {
			b.WriteString(cell[0])
			b.WriteString(esc(cell[1]))
		}
		b.WriteString(`</span></a></li>`)
	}
	b.WriteString(`</ul>`)
	return template.HTML(b.String()) //nolint:gosec // every text is escaped above
}
