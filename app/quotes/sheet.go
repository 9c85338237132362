package quotes

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// OrderSheet is all that stands on an order's sheet.
type OrderSheet struct {
	studio.PriceSheet
	Order    studio.Order
	Client   studio.Client
	Clients  []studio.Client
	Points   []studio.Point
	Pictures []studio.Picture
	Quotes   []studio.Quote
	Payments []studio.Payment
	Pieces   []studio.Piece
	Log      []studio.Entry
	Jobs     []studio.Job // files on their way in
	Stops    []string     // licences that keep it from being sold
	Sealed   []string     // parts that would shut resin in
	Marks    []string     // licences that want an eye
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
	return accepted(s.Quotes)
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
	sent := map[int64]studio.Item{}
	for _, it := range specs {
		sent[it.ID] = it
	}
	for _, it := range s.Items {
		was, ok := sent[it.ID]
		if !ok || !it.Item.Same(was) || q.State != studio.QuoteAccepted && !it.Item.SameWork(was) {
			return true
		}
	}
	return !q.Document.SameTerms(s.Own, s.Terms)
}

// TodayText sets today's estimate beside what was agreed, with what it comes from; nothing
// when they are the same or nothing was agreed.
func (s OrderSheet) TodayText() string {
	q := s.AcceptedQuote()
	if q == nil || s.Today.TotalMinor == q.TotalMinor {
		return ""
	}
	text := fmt.Sprintf("Estimated today: %s, %s than agreed.", s.Money(s.Today.TotalMinor), studio.MoreOrLess(s.Money(s.Today.TotalMinor-q.TotalMinor)))
	if s.Changed() {
		return text
	}
	var moved []string
	for _, m := range s.MovedSince(*q) {
		if len(moved) < 3 {
			moved = append(moved, fmt.Sprintf("%s %s", m.Kind, studio.MoreOrLess(s.Money(m.Minor))))
		}
	}
	if len(moved) > 0 {
		text += " In cost: " + strings.Join(moved, ", ") + ". Rates, stamped hours and runs have moved on since."
	}
	return text
}

// ChangeText says what a change that has not been sent would do to what was agreed.
func (s OrderSheet) ChangeText() string {
	q := s.AcceptedQuote()
	if q == nil || !s.Changed() {
		return ""
	}
	if s.Price.TotalMinor == q.TotalMinor {
		return "With what has changed since, the price stays."
	}
	return fmt.Sprintf("With what has changed since: %s, %s than agreed.", s.Money(s.Price.TotalMinor), studio.MoreOrLess(s.Money(s.Price.TotalMinor-q.TotalMinor)))
}

// Account is what is agreed, what has arrived and what is still to pay.
func (s OrderSheet) Account() studio.Account { return studio.AccountOf(s.AcceptedQuote(), s.Payments) }

// Troubles lists what keeps the order from being quoted.
func (s OrderSheet) Troubles() (out []string) {
	if len(s.Items) == 0 {
		out = append(out, "Add an item: drop its model files.")
	}
	if len(s.Items) > 0 && !slices.ContainsFunc(s.Items, func(it studio.PricedItem) bool { return !it.Option }) {
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
func (a *Room) OrderSheet(ctx context.Context, number string) (s OrderSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.Sheet(tx, number)
		return err
	})
	return s, err
}

// Sheet loads an order's sheet.
func (a *Room) Sheet(tx *store.Tx, number string) (s OrderSheet, err error) {
	s.Now = a.Clock.Now()
	if s.Order, err = tx.Order(number); err != nil {
		return s, err
	}
	if s.Quotes, err = tx.Quotes(s.Order.ID); err != nil {
		return s, err
	}
	if s.PriceSheet, err = Priced(tx, s.Order, s.AcceptedQuote()); err != nil {
		return s, err
	}
	if s.Client, err = tx.Client(s.Order.ClientID); err != nil {
		return s, err
	}
	if s.Clients, err = tx.Clients(); err != nil {
		return s, err
	}
	if s.Stops, s.Marks, err = rights(tx, s.Items, s.Now, s.Shop.Studio.Zone()); err != nil {
		return s, err
	}
	for _, it := range s.Items {
		s.Marks = append(s.Marks, it.Attacks()...)
		for _, p := range it.Parts {
			if why := p.Sealed(); why != "" && p.Waived == "" && route.Printed(it.Tier) {
				s.Sealed = append(s.Sealed, why)
			}
			if mark := p.ToCut(); mark != "" {
				s.Marks = append(s.Marks, mark)
			}
		}
	}
	if mark := s.Client.Marks(); mark != "" && len(s.Items) > 0 {
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
func rights(tx *store.Tx, items []studio.PricedItem, now time.Time, zone *time.Location) (stops, marks []string, err error) {
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
