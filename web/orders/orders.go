package orders

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/quotes"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) orders(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Orders.Orders(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	progress, err := s.App.Orders.Progress(r.Context())
	if err != nil {
		s.Fail(w, r, err)
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
	s.Show(w, r, "orders", kit.Page{Title: "Orders", Sheet: "Orders", Active: "/orders", D: map[string]any{"Groups": groups, "Progress": progress}, Keys: kit.Keys("↑ ↓", "move", "Enter", "open", "N", "new order", "F", "find")})
}

func (s *Room) newOrder(w http.ResponseWriter, r *http.Request) {
	clients, err := s.App.Orders.Clients(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "order-new", kit.Page{Title: "New order", Sheet: "New order", Active: "/orders", D: map[string]any{"Clients": clients, "Uses": studio.Uses(), "Client": r.FormValue("client")}})
}

func orderForm(r *http.Request) (orders.OrderForm, error) {
	f, err := kit.Decode[struct {
		Client    int64   `form:"client"`
		NewClient string  `form:"new_client" validate:"max=200"`
		Title     string  `form:"title" validate:"max=200"`
		Use       string  `form:"use"`
		Wanted    string  `form:"wanted"`
		Stale     string  `form:"stale"`
		Budget    string  `form:"budget"`
		Note      string  `form:"note"`
		Weight    float64 `form:"weight"`
		Sure      bool    `form:"sure"`
	}](r)
	return orders.OrderForm{ClientID: f.Client, NewClient: f.NewClient, Title: f.Title, Use: f.Use, Wanted: f.Wanted, Stale: f.Stale, Budget: f.Budget, Note: f.Note, Weight: f.Weight, Sure: f.Sure}, err
}

func (s *Room) addOrder(w http.ResponseWriter, r *http.Request) {
	form, err := orderForm(r)
	var o studio.Order
	if err == nil {
		o, err = s.App.Orders.NewOrder(r.Context(), kit.Owner(r), form)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+o.Number, "Order "+o.Number+" is taken in. Drop its model files to price it.")
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
	Running      kit.JobsView
	FinishRoutes []finish.Route
}

// Weights are how much its being late may matter.
func (v orderView) Weights() []studio.Weight { return studio.Weights() }

func (s *Room) orderView(r *http.Request) (v orderView, p kit.Page, err error) {
	v.OrderSheet, err = s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		return v, p, err
	}
	v.Kinds, v.Uses, v.Tiers, v.FinishRoutes = quote.Kinds(), studio.Uses(), route.Tiers(), finish.Routes(v.Shop.Book)
	v.Running = kit.JobsView{List: v.Jobs, Stream: "/jobs/order/" + v.Order.Number, Back: "/orders/" + v.Order.Number, Owner: true}
	for _, it := range v.Items {
		v.Longest = max(v.Longest, it.Estimate.CostMinor)
	}
	if q := v.Newest(); q != nil {
		v.Link = s.ClientLink(r, *q)
	}
	rev := "–"
	if q := v.Newest(); q != nil {
		rev = fmt.Sprint(q.Revision)
	}
	p = kit.Page{Title: v.Order.Title, Sheet: "Order", Active: "/orders", Block: kit.Block("Order", v.Order.Number, "Rev", rev), D: &v,
		Keys: kit.Keys("A", "add files", "Q", "quote sheet", "S", "send quote", "D", "delivery", "F", "find")}
	return v, p, nil
}

func (s *Room) order(w http.ResponseWriter, r *http.Request) {
	_, p, err := s.orderView(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "order", p)
}

// orderDone ends a change on an order's sheet.
func (s *Room) orderDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+chi.URLParam(r, "no"), told)
}

func (s *Room) saveOrder(w http.ResponseWriter, r *http.Request) {
	form, err := orderForm(r)
	if err == nil {
		err = s.App.Orders.ChangeOrder(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), form)
	}
	s.orderDone(w, r, err, "Saved.")
}

func (s *Room) repeatOrder(w http.ResponseWriter, r *http.Request) {
	o, err := s.App.Orders.RepeatOrder(r.Context(), kit.Owner(r), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/orders/"+o.Number, "This is a new order like "+chi.URLParam(r, "no")+", at today’s rates. Give it a date.")
}

func (s *Room) cancelOrder(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Quotes.CancelOrder(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.Word(r, "why")), "The order is cancelled; its pieces and its logbook are kept.")
}

func (s *Room) addItems(w http.ResponseWriter, r *http.Request) {
	no := chi.URLParam(r, "no")
	s.TakeFiles(w, r, "/orders/"+no, func(files []models.Kept, values url.Values) (string, error) {
		return s.App.Orders.Receive(r.Context(), kit.Owner(r), no, files, values.Get("each") != "")
	})
}

func (s *Room) saveItem(w http.ResponseWriter, r *http.Request) {
	form, err := kit.ItemForm(r)
	if err == nil {
		err = s.App.Orders.ChangeItem(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item"), form)
	}
	if err != nil || !kit.ByHTMX(r) {
		s.orderDone(w, r, err, "The price is new.")
		return
	}
	_, p, err := s.orderView(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Fragment(w, r, "order", "repriced", p)
}

func (s *Room) removeItem(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Orders.RemoveItem(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "item")), "The item is off the order.")
}

func (s *Room) addPoint(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Kind string `form:"kind"`
		Text string `form:"text"`
	}](r)
	if err == nil {
		err = s.App.Orders.AddPoint(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), f.Kind, f.Text)
	}
	s.orderDone(w, r, err, "Noted.")
}

func (s *Room) settlePoint(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Orders.SettlePoint(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), kit.PathID(r, "point"), kit.Word(r, "answer")), "Recorded.")
}

func (s *Room) addPictures(w http.ResponseWriter, r *http.Request) {
	files, clean, err := kit.Uploads(w, r, "files")
	defer clean()
	told := ""
	if err == nil {
		var added int
		var problems []string
		added, problems, err = s.App.Orders.AddPictures(r.Context(), kit.Owner(r), chi.URLParam(r, "no"), files)
		if err == nil && added == 0 && len(problems) > 0 {
			err = &change.Refusal{Text: strings.Join(problems, " ")}
		}
		told = studio.Say(added, "picture") + " kept with the order. " + strings.Join(problems, " ")
	}
	s.orderDone(w, r, err, told)
}

// seeAnswer takes the client's answer off Today and shows the order.
func (s *Room) seeAnswer(w http.ResponseWriter, r *http.Request) {
	s.orderDone(w, r, s.App.Quotes.SeeAnswer(r.Context(), kit.Owner(r), chi.URLParam(r, "no")), "")
}
