package app

import (
	"context"
	"math"
	"slices"
	"time"

	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// Pricing is an order's quote sheet.
type Pricing struct {
	OrderSheet
	Variants     []PricedVariant
	Earliest     time.Time // by summed hands in usual hours, machines and waits
	Soonest      time.Time // day and night: what no rush can beat
	People       []studio.Person
	Since        []studio.Change // since the newest quote was sent
	FinishRoutes []finish.Route
}

// Pricing returns an order's quote sheet.
func (a *App) Pricing(ctx context.Context, number string) (s Pricing, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.pricing(tx, number)
		return err
	})
	return s, err
}

func (a *App) pricing(tx *store.Tx, number string) (s Pricing, err error) {
	if s.OrderSheet, err = a.orderSheet(tx, number); err != nil {
		return s, err
	}
	if s.People, err = tx.People(); err != nil {
		return s, err
	}
	s.FinishRoutes = finish.Routes()
	s.Earliest = schedule.Earliest(s.Now, chains(s.Items), hours(s.Shop))
	s.Soonest = schedule.Earliest(s.Now, chains(s.Items), schedule.Always(int(s.Shop.Book.V("day.hands"))))
	if q := s.Newest(); q != nil {
		s.Since = studio.Differences(q.Specs(), bare(s.Items))
	}
	s.Variants, err = variants(tx, s.OrderSheet)
	return s, err
}

// bare are the items without their prices.
func bare(items []PricedItem) (out []studio.Item) {
	for _, it := range items {
		it.Item.Extras = own(it.Extras)
		out = append(out, it.Item)
	}
	return out
}

// RangeOf lives through the order again and again: what it may cost.
func (s OrderSheet) RangeOf() quote.Range {
	return quote.Simulate(s.Shop.Book, costs(s.Items), Dice(uint64(s.Order.ID)), quote.Draws, studio.Digits(s.Shop.Studio.Currency))
}

// RushFor is the rush that a day of delivery asks: so much for each working day sooner than
// usual hours allow; never says that no rush can do it.
func (s Pricing) RushFor(day time.Time) (percent float64, never bool) {
	if !day.Before(s.Earliest) {
		return 0, false
	}
	if day.Before(s.Soonest) {
		return 0, true
	}
	days := math.Ceil(s.Earliest.Sub(day).Hours() / 24)
	return days * s.Shop.Book.V("rush.day"), false
}

// FinishRouteRow is a part under one finish route.
type FinishRouteRow struct {
	finish.Route
	Default  bool // the studio's own choice
	Now      bool // as the item has it
	HandsMin float64
	WaitMin  float64
	Sheets   float64 // of sandpaper
	PuttyG   float64
	Minor    int64 // cost of the item
}

// FinishRoutes prices an item under every finish route, in the order of cost.
func (a *App) FinishRoutes(ctx context.Context, number string, itemID int64) (s OrderSheet, it studio.Item, list []FinishRouteRow, err error) {
	s, err = a.OrderSheet(ctx, number)
	if err != nil {
		return s, it, nil, err
	}
	at := slices.IndexFunc(s.Items, func(p PricedItem) bool { return p.ID == itemID })
	if at < 0 || len(s.Items[at].Parts) == 0 {
		return s, it, nil, store.ErrNotFound
	}
	it = s.Items[at].Item
	if it.Tier == route.Raw {
		return s, it, nil, nil
	}
	house := s.Shop.At(s.Order.Terms)
	usual := house.Studio.Defaults.FinishRoute(it.Parts[0].Process, it.Tier)
	for _, finishRoute := range finish.Routes() {
		one := it
		one.FinishRoute = finishRoute.Key
		e := house.Estimate(one)
		row := FinishRouteRow{Route: finishRoute, Default: finishRoute.Key == usual, Now: finishRoute.Key == it.FinishRoute || it.FinishRoute == "" && finishRoute.Key == usual, HandsMin: e.HandsMinutes, Minor: e.CostMinor}
		for _, step := range e.Chain {
			row.WaitMin += step.WaitMin
		}
		for _, p := range e.Job.Parts {
			for _, sup := range p.Supplies {
				switch sup.Key {
				case "paper":
					row.Sheets += sup.Amount * float64(p.Copies)
				case "putty":
					row.PuttyG += sup.Amount * float64(p.Copies)
				}
			}
		}
		list = append(list, row)
	}
	slices.SortStableFunc(list, func(a, b FinishRouteRow) int { return int(a.Minor - b.Minor) })
	return s, it, list, nil
}

// QuoteRows lists quotes, newest first.
func (a *App) QuoteRows(ctx context.Context, before time.Time) (list []store.QuoteRow, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.QuoteRows(before, QuotesShown)
		return err
	})
	return list, err
}

// QuotesShown is how many quotes a list shows at once.
const QuotesShown = 1000
