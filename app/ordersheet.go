package app

import (
	"context"
	"fmt"
	"slices"
	"time"

	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// PricedItem is an item with its estimate.
type PricedItem struct {
	studio.Item
	Estimate studio.Estimated
	Detail   string
	NetMinor int64 // its share of the net price
	Share    quote.Step
	digits   int32
}

// CostWorking says how the item's cost came about, kind by kind.
func (p PricedItem) CostWorking() rates.Working {
	w := rates.Working{Formula: "sum of its lines"}
	for _, kind := range quote.Kinds() {
		if minor := p.Estimate.ByKind(kind); minor != 0 {
			w.Inputs = append(w.Inputs, rates.Of(kind, float64(minor)/pow10(p.digits), "¤", rates.Derived))
		}
	}
	w.Result = rates.Of("cost of the item", float64(p.Estimate.CostMinor)/pow10(p.digits), "¤", rates.Derived)
	return w
}

// OrderSheet is all that stands on an order's sheet.
type OrderSheet struct {
	Shop     studio.Shop
	Order    studio.Order
	Client   studio.Client
	Clients  []studio.Client
	Items    []PricedItem
	Price    quote.Price
	Points   []studio.Point
	Pictures []studio.Picture
	Quotes   []studio.Quote
	Payments []studio.Payment
	Pieces   []studio.Piece
	Log      []studio.Entry
	Jobs     []studio.Job          // files on their way in
	Stops    []string              // licences that keep it from being sold
	Marks    []string              // licences that want an eye
	Options  map[int64]OptionPrice // of items that the client may take besides
	Now      time.Time
}

// Money writes an amount in the studio's currency.
func (s OrderSheet) Money(minor int64) studio.Money { return s.Shop.Studio.Money(minor) }

// Newest returns the newest quote, nil when none was sent.
func (s OrderSheet) Newest() *studio.Quote {
	if len(s.Quotes) == 0 {
		return nil
	}
	return &s.Quotes[0]
}

// AcceptedQuote returns the quote that holds, nil when none was accepted.
func (s OrderSheet) AcceptedQuote() *studio.Quote {
	for i := range s.Quotes {
		if s.Quotes[i].State == studio.QuoteAccepted {
			return &s.Quotes[i]
		}
	}
	return nil
}

// Changed reports whether the items differ from the newest quote, by price or kind.
func (s OrderSheet) Changed() bool {
	q := s.Newest()
	if q == nil || !studio.OneOf(q.State, studio.QuoteSent, studio.QuoteAccepted) {
		return true
	}
	specs := q.Specs()
	if len(specs) != len(s.Items) {
		return true
	}
	sent := map[int64]string{}
	for _, it := range specs {
		sent[it.ID] = spec(it)
	}
	for _, it := range s.Items {
		if spec(it.Item) != sent[it.ID] {
			return true
		}
	}
	return s.termsChanged(q)
}

// termsChanged reports whether the price would be asked on other terms than it was; the
// rate book's own changes do not count, a quote is frozen against them.
func (s OrderSheet) termsChanged(q *studio.Quote) bool {
	was, now := q.Document.Terms, s.Shop.Terms(s.Order.Terms)
	own := s.Order.Terms.MarginPercent
	if s.Order.Terms.WageMinor != q.Document.WageMinor {
		return true
	}
	return own != nil && *own != was.MarginPercent || was.RushPercent != now.RushPercent || was.DiscountPercent != now.DiscountPercent || was.AskedMinor != now.AskedMinor || was.BeforeTax != now.BeforeTax
}

func spec(it studio.Item) string {
	making := it.ItemOptions
	making.Option = false // taken, it is none any more
	making.Extras = own(making.Extras)
	s := fmt.Sprintf("%d %q %s %d %v %+v", it.ID, it.Title, it.Tier, it.Copies, it.Scale, making)
	for _, p := range it.Parts {
		s += fmt.Sprintf(" | %d %d %s %d %v %d", p.ModelID, p.Copies, p.Process, p.MaterialID, p.WallMM, max(1, p.CutInto))
	}
	return s
}

// DepositPaid is what has arrived.
func (s OrderSheet) DepositPaid() (minor int64) {
	for _, p := range s.Payments {
		minor += p.AmountMinor
	}
	return minor
}

// Troubles lists what keeps the order from being quoted.
func (s OrderSheet) Troubles() (out []string) {
	if len(s.Items) == 0 {
		out = append(out, "Add an item: drop its model files.")
	}
	if len(s.Items) > 0 && !slices.ContainsFunc(s.Items, func(it PricedItem) bool { return !it.Option }) {
		out = append(out, "Every item is an option: leave one that is not.")
	}
	for _, it := range s.Items {
		if it.AskWeapon() {
			out = append(out, it.Title+": say whether it looks like a weapon; carriers, venues and countries have rules on look-alikes.")
		}
		for _, t := range it.Estimate.Troubles {
			out = append(out, it.Title+", "+t)
		}
	}
	return out
}

// OrderSheet returns an order's sheet, priced.
func (a *App) OrderSheet(ctx context.Context, number string) (s OrderSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.orderSheet(tx, number)
		return err
	})
	return s, err
}

func (a *App) orderSheet(tx *store.Tx, number string) (s OrderSheet, err error) {
	s.Now = a.Clock.Now()
	if s.Order, err = tx.Order(number); err != nil {
		return s, err
	}
	if s.Shop, err = shop(tx); err != nil {
		return s, err
	}
	if s.Client, err = tx.Client(s.Order.ClientID); err != nil {
		return s, err
	}
	if s.Clients, err = tx.Clients(); err != nil {
		return s, err
	}
	items, err := tx.Items(s.Order.ID)
	if err != nil {
		return s, err
	}
	if items, err = withFees(tx, s.Shop, items); err != nil {
		return s, err
	}
	if s.Items, s.Price, s.Options, err = price(s.Shop, items, s.Order.Terms); err != nil {
		return s, err
	}
	if s.Stops, s.Marks, err = rights(tx, items, s.Now, s.Shop.Studio.Zone()); err != nil {
		return s, err
	}
	if mark := s.Client.Marks(); mark != "" && len(items) > 0 {
		s.Marks = append(s.Marks, mark)
	}
	if s.Jobs, err = tx.OpenJobs(s.Order.ID, 0, 0); err != nil {
		return s, err
	}
	if s.Points, err = tx.Points(s.Order.ID); err != nil {
		return s, err
	}
	if s.Pictures, err = tx.Pictures(s.Order.ID); err != nil {
		return s, err
	}
	if s.Quotes, err = tx.Quotes(s.Order.ID); err != nil {
		return s, err
	}
	if s.Payments, err = tx.Payments(s.Order.ID); err != nil {
		return s, err
	}
	if s.Pieces, err = tx.PiecesOf(s.Order.ID); err != nil {
		return s, err
	}
	s.Log, err = tx.LogOfOrder(s.Order.ID, 40)
	return s, err
}

// rights asks the licence of every design on the order.
func rights(tx *store.Tx, items []studio.Item, now time.Time, zone *time.Location) (stops, marks []string, err error) {
	seen := map[int64]bool{}
	for _, it := range items {
		for _, p := range it.Parts {
			if seen[p.Model.DesignID] {
				continue
			}
			seen[p.Model.DesignID] = true
			d, err := tx.Design(p.Model.DesignID)
			if err != nil {
				return nil, nil, err
			}
			if why := d.Stops(now, zone); why != "" {
				stops = append(stops, why)
			}
			if mark := d.Marks(); mark != "" {
				marks = append(marks, mark)
			}
		}
	}
	return stops, marks, nil
}

// Orders returns the orders in the states named, all for none.
func (a *App) Orders(ctx context.Context, states ...string) (list []studio.Order, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Orders(states...)
		return err
	})
	return list, err
}

// Progress says how far an order in work is, e.g. "18 of 24 done".
func (a *App) Progress(ctx context.Context) (text map[int64]string, err error) {
	text = map[int64]string{}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		done, all, err := tx.Done()
		for id, n := range all {
			text[id] = fmt.Sprintf("%d of %d done", done[id], n)
		}
		return err
	})
	return text, err
}
