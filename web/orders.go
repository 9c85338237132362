package web

import (
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/money"
	"sakuji/app/orders"
	"sakuji/app/quotes"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/studio"
)

func (s *Server) orders(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Orders.Orders(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	progress, err := s.App.Orders.Progress(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	groups := []struct {
		Name   string
		Hint   string
		States []studio.OrderState
		Orders []studio.Order
	}{
		{"In work", "Accepted, and not yet out of the house.", []studio.OrderState{studio.Accepted}, nil},
		{"Asked and quoted", "Waiting for us, or for the client.", []studio.OrderState{studio.Enquiry, studio.Quoted}, nil},
		{"Delivered", "Out of the house, not yet closed.", []studio.OrderState{studio.Delivered}, nil},
		{"Filed", "Closed, declined or cancelled.", []studio.OrderState{studio.Closed, studio.Declined, studio.Cancelled}, nil},
	}
	for i := range groups {
		for _, o := range list {
			if studio.OneOf(o.State, groups[i].States...) {
				groups[i].Orders = append(groups[i].Orders, o)
			}
		}
	}
	s.show(w, r, "orders", Page{Title: "Orders", Sheet: "Orders", Active: "/orders", D: map[string]any{"Groups": groups, "Progress": progress}, Keys: []Key{{"↑ ↓", "move"}, {"Enter", "open"}, {"N", "new order"}, {"F", "find"}}})
}

func (s *Server) newOrder(w http.ResponseWriter, r *http.Request) {
	clients, err := s.App.Orders.Clients(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "order-new", Page{Title: "New order", Sheet: "New order", Active: "/orders", D: map[string]any{"Clients": clients, "Uses": studio.Uses(), "Client": r.FormValue("client")}})
}

func orderForm(r *http.Request) orders.OrderForm {
	f := formOf(r)
	return orders.OrderForm{ClientID: f.ID("client"), NewClient: f.Text("new_client"), Title: f.Text("title"), Use: f.Text("use"),
		Wanted: f.Text("wanted"), Budget: f.Text("budget"), Note: f.Text("note"), Sure: f.Checked("sure")}
}

func (s *Server) addOrder(w http.ResponseWriter, r *http.Request) {
	o, err := s.App.Orders.NewOrder(r.Context(), owner(r), orderForm(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+o.Number, "Order "+o.Number+" is taken in. Drop its model files to price it.")
}

// orderView is an order's sheet with what its drawings need.
type orderView struct {
	quotes.OrderSheet
	Kinds        []string
	Longest      int64
	Link         string // the client's, of the newest quote
	Uses         []string
	Tiers        []string
	Margin       float64
	Deposit      float64
	Running      jobsView
	FinishRoutes []finish.Route
}

func (s *Server) orderView(r *http.Request) (v orderView, p Page, err error) {
	v.OrderSheet, err = s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		return v, p, err
	}
	v.Kinds, v.Uses, v.Tiers, v.FinishRoutes = quote.Kinds(), studio.Uses(), route.Tiers(), finish.Routes()
	v.Running = jobsView{v.Jobs, "/jobs/order/" + v.Order.Number, "/orders/" + v.Order.Number, true}
	for _, it := range v.Items {
		v.Longest = max(v.Longest, it.Estimate.CostMinor)
	}
	if q := v.Newest(); q != nil {
		v.Link = s.clientLink(r, *q)
	}
	rev := "–"
	if q := v.Newest(); q != nil {
		rev = fmt.Sprint(q.Revision)
	}
	p = Page{Title: v.Order.Title, Sheet: "Order", Active: "/orders", Block: []Field{{"Order", v.Order.Number}, {"Rev", rev}}, D: &v,
		Keys: []Key{{"A", "add files"}, {"Q", "quote sheet"}, {"S", "send quote"}, {"D", "delivery"}, {"F", "find"}}}
	return v, p, nil
}

// clientLink is where a client opens a quote: under the studio's public address,
// or the one that is spoken to now. The demo's public address leads nowhere.
func (s *Server) clientLink(r *http.Request, q studio.Quote) string {
	base := "http://" + r.Host
	if r.TLS != nil || s.Opts.BehindTLS {
		base = "https://" + r.Host
	}
	if h, err := s.App.Setup.Shop(r.Context()); err == nil && h.Studio.PublicURL != "" && s.Opts.Demo == nil {
		base = h.Studio.PublicURL
	}
	return base + "/q/" + q.Token
}

func (s *Server) order(w http.ResponseWriter, r *http.Request) {
	_, p, err := s.orderView(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "order", p)
}

// orderDone ends a change on an order's sheet.
func (s *Server) orderDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+chi.URLParam(r, "no"), told)
}

func (s *Server) saveOrder(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Orders.ChangeOrder(r.Context(), owner(r), chi.URLParam(r, "no"), orderForm(r)), "Saved.")
}

func (s *Server) repeatOrder(w http.ResponseWriter, r *http.Request) {
	o, err := s.App.Orders.RepeatOrder(r.Context(), owner(r), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+o.Number, "This is a new order like "+chi.URLParam(r, "no")+", at today’s rates. Give it a date.")
}

func (s *Server) cancelOrder(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Quotes.CancelOrder(r.Context(), owner(r), chi.URLParam(r, "no"), formOf(r).Text("why")), "The order is cancelled; its pieces and its logbook are kept.")
}

func (s *Server) addItems(w http.ResponseWriter, r *http.Request) {
	no := chi.URLParam(r, "no")
	s.takeFiles(w, r, "/orders/"+no, func(files []models.Kept, values url.Values) (string, error) {
		return s.App.Orders.Receive(r.Context(), owner(r), no, files, values.Get("each") != "")
	})
}

func (s *Server) saveItem(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	if err := r.ParseForm(); err != nil {
		s.fail(w, r, &change.Refusal{Text: "The form did not arrive whole."})
		return
	}
	form := orders.ItemForm{Making: itemOptionsOf(f), Title: f.Text("title"), Tier: f.Text("tier"), Copies: f.Whole("copies", "Copies"), Scale: f.Number("scale", "Scale") / 100, Parts: map[int64]orders.PartForm{}}
	for key := range r.PostForm {
		var id int64
		if _, err := fmt.Sscanf(key, "process-%d", &id); err == nil {
			n := func(field string) string { return fmt.Sprintf("%s-%d", field, id) }
			pf := orders.PartForm{Process: f.Text(n("process")), MaterialID: f.ID(n("material")), Copies: f.Whole(n("copies"), "Copies of the part")}
			if f.Checked(n("wall")) {
				pf.WallMM = f.Number(n("wall"), "Wall")
			}
			pf.MachineID = f.ID(n("machine"))
			if f.Checked(n("cut")) {
				pf.CutInto = f.Whole(n("cut"), "Printed in pieces")
			}
			form.Parts[id] = pf
		}
	}
	err := f.Err
	if err == nil {
		err = s.App.Orders.ChangeItem(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item"), form)
	}
	if f.Checked("desk") {
		s.repriced(w, r, err)
		return
	}
	if err != nil || !byHTMX(r) {
		s.orderDone(w, r, err, "The price is new.")
		return
	}
	_, p, err := s.orderView(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.fragment(w, r, "order", "repriced", p)
}

func (s *Server) removeItem(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Orders.RemoveItem(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "item")), "The item is off the order.")
}

func (s *Server) addPoint(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	s.orderDone(w, r, s.App.Orders.AddPoint(r.Context(), owner(r), chi.URLParam(r, "no"), f.Text("kind"), f.Text("text")), "Noted.")
}

func (s *Server) settlePoint(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Orders.SettlePoint(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "point"), formOf(r).Text("answer")), "Settled.")
}

func (s *Server) addPictures(w http.ResponseWriter, r *http.Request) {
	files, clean, err := uploads(w, r, "files")
	defer clean()
	told := ""
	if err == nil {
		var added int
		var problems []string
		added, problems, err = s.App.Orders.AddPictures(r.Context(), owner(r), chi.URLParam(r, "no"), files)
		if err == nil && added == 0 && len(problems) > 0 {
			err = &change.Refusal{Text: strings.Join(problems, " ")}
		}
		told = studio.Say(added, "picture") + " kept with the order. " + strings.Join(problems, " ")
	}
	s.orderDone(w, r, err, told)
}

func (s *Server) sendQuote(w http.ResponseWriter, r *http.Request) {
	q, err := s.App.Quotes.SendQuote(r.Context(), owner(r), chi.URLParam(r, "no"), formOf(r).Text("despite"))
	told := fmt.Sprintf("Revision %d is frozen at %s. Give the client the link below; it ends with the quote.", q.Revision, q.Total())
	if formOf(r).Text("back") == "desk" {
		s.pricingDone(w, r, err, told)
		return
	}
	s.orderDone(w, r, err, told)
}

func (s *Server) noteAnswer(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	accept := f.Text("answer") == "accept"
	told := "The yes is noted; the pieces wait for plates."
	if !accept {
		told = "The no is noted."
	}
	s.orderDone(w, r, s.App.Quotes.NoteAnswer(r.Context(), owner(r), chi.URLParam(r, "no"), accept, f.Text("name"), chosenOf(f, r)), told)
}

// notePayment notes money that arrived or went back.
func (s *Server) notePayment(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	form := money.PaymentForm{Kind: studio.PaymentKind(f.Text("kind")), Amount: f.Text("amount"), Note: f.Text("note"), Sure: f.Checked("sure")}
	s.orderDone(w, r, s.App.Money.NotePayment(r.Context(), owner(r), chi.URLParam(r, "no"), form), "Noted.")
}

func (s *Server) reversePayment(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Money.ReversePayment(r.Context(), owner(r), chi.URLParam(r, "no"), pathID(r, "payment")), "Reversed. Both entries stay in the book.")
}

// seeAnswer takes the client's answer off Today and shows the order.
func (s *Server) seeAnswer(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Quotes.SeeAnswer(r.Context(), owner(r), chi.URLParam(r, "no")), "")
}

func (s *Server) settleScrapped(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	s.orderDone(w, r, s.App.Pieces.SettleScrapped(r.Context(), owner(r), f.Text("code"), f.Text("how") == "leave out"), "Settled.")
}

func (s *Server) delivery(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "delivery", Page{Title: "Delivery of " + v.Order.Title, Sheet: "Delivery", Active: "/orders", D: v,
		Block: []Field{{"Order", v.Order.Number}, {"Pieces", fmt.Sprint(len(v.Pieces))}}, Keys: []Key{{"D", "deliver"}, {"P", "packing list"}, {"F", "find"}}})
}

func (s *Server) deliver(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.fail(w, r, err)
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
		err = s.App.Delivery.Deliver(r.Context(), owner(r), chi.URLParam(r, "no"), on, f.Checked("sure"))
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+chi.URLParam(r, "no")+"/delivery", "Delivered. Close the order when nothing is left to settle.")
}

func (s *Server) closeOrder(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Money.CloseOrder(r.Context(), owner(r), chi.URLParam(r, "no"), formOf(r).Text("why")); err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/orders/"+chi.URLParam(r, "no")+"/delivery", "The order is closed and filed.")
}

// The client's page.

func (s *Server) clientSheet(w http.ResponseWriter, r *http.Request) (quotes.ClientQuote, bool) {
	q, err := s.App.Quotes.ClientQuote(r.Context(), chi.URLParam(r, "token"))
	if err != nil {
		if change.NotFound(err) {
			s.errorPage(w, r, http.StatusNotFound, "There is no quote under this address. Perhaps the link was cut when it was copied.", "")
		} else {
			s.fail(w, r, err)
		}
		return q, false
	}
	if q.Ended != "" {
		s.errorPage(w, r, http.StatusGone, "This quote has ended. "+q.Ended+" Please ask "+q.Quote.Document.Studio.Name+" for the current one.", "")
		return q, false
	}
	return q, true
}

func (s *Server) clientQuote(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	v := clientView{ClientQuote: q, Taken: q.Quote.Taken()}
	if f := (&Form{R: r, Query: true}); q.MayReply { // what would be chosen, before it is
		if taken, err := q.Quote.Document.Take(chosenOf(f, r)); err == nil {
			v.Chosen, v.Taken = chosenOf(f, r), taken
		}
	}
	p := Page{Title: "Quote " + q.Order.Number, D: v, Studio: q.Quote.Document.Studio, Now: s.App.Clock.Now(), Theme: theme(r), Told: s.Sessions.PopString(r.Context(), "told")}
	w.Header().Set("X-Robots-Tag", "noindex")
	block := "bare"
	if byHTMX(r) {
		block = "chosen"
	}
	s.render(w, r, http.StatusOK, "quote", block, p)
}

// clientView is a quote with what is chosen of it.
type clientView struct {
	quotes.ClientQuote
	Chosen studio.Chosen
	Taken  studio.Taken
}

// Total is the price of the choice, Deposit what is asked for it on acceptance.
func (v clientView) Total() studio.Money   { return v.money(v.Taken.TotalMinor) }
func (v clientView) Deposit() studio.Money { return v.money(v.Taken.DepositMinor) }

// Paid is what had been paid when a change was sent, and AskedNow what is still asked on its
// acceptance.
func (v clientView) Paid() studio.Money     { return v.money(v.Quote.Document.PaidMinor) }
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

func (s *Server) clientAnswer(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	accept := f.Text("answer") == "accept"
	ans := quotes.Answer{Accept: accept, Name: f.Text("name"), Agreed: f.Checked("agreed"), From: addressOf(r)}
	if accept {
		ans.Chosen = chosenOf(f, r)
	}
	err := s.App.Quotes.AnswerQuote(r.Context(), chi.URLParam(r, "token"), ans)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/q/"+chi.URLParam(r, "token"), map[bool]string{true: "Thank you. The order is accepted; the studio has been told.", false: "Your answer has been passed on to the studio."}[accept])
}

// chosenOf reads which of what was offered is meant.
func chosenOf(f *Form, r *http.Request) (c studio.Chosen) {
	c.Alternative, _ = strconv.Atoi(f.Text("alternative"))
	options := r.PostForm["option"]
	if f.Query {
		options = r.Form["option"]
	}
	for _, text := range options {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			c.Options = append(c.Options, id)
		}
	}
	return c
}

func addressOf(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

func (s *Server) clientQuestion(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Quotes.AskAboutQuote(r.Context(), chi.URLParam(r, "token"), formOf(r).Text("text")); err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/q/"+chi.URLParam(r, "token"), "Your question has been passed on; the answer will stand here.")
}
