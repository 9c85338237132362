package quotes

import (
	"context"
	"slices"
	"time"

	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
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
	judged       []store.Judged
}

// mostJudged is how far back results of trials are looked for.
const mostJudged = 400

// Tried are the results of trials of an extra's pair, the newest first.
func (s Pricing) Tried(e quote.Extra) (out []store.Judged) {
	for _, j := range s.judged {
		if studio.IsTrialOf(j.Name, studio.Pair(e)) {
			out = append(out, j)
		}
	}
	return out
}

// Pricing returns an order's quote sheet.
func (a *Room) Pricing(ctx context.Context, number string) (s Pricing, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.pricing(tx, number)
		return err
	})
	return s, err
}

func (a *Room) pricing(tx *store.Tx, number string) (s Pricing, err error) {
	if s.OrderSheet, err = a.Sheet(tx, number); err != nil {
		return s, err
	}
	if s.People, err = tx.People(); err != nil {
		return s, err
	}
	s.FinishRoutes = finish.Routes(s.Shop.Book)
	if s.judged, err = tx.Judged(studio.KindTrial, route.Judge, mostJudged); err != nil {
		return s, err
	}
	s.Earliest, s.Soonest = s.PriceSheet.Earliest(s.Now), s.PriceSheet.Soonest(s.Now)
	if q := s.Newest(); q != nil {
		s.Since = studio.Differences(q.Specs(), s.Specs())
	}
	s.Variants, err = variants(tx, s.OrderSheet)
	return s, err
}

// RangeOf simulates the order: what it may cost.
func (s OrderSheet) RangeOf() quote.Range { return s.Range(Dice(uint64(s.Order.ID))) }

// RushFor is the rush that a day of delivery asks; never says that no rush can do it.
func (s Pricing) RushFor(day time.Time) (percent float64, never bool) {
	return s.PriceSheet.RushFor(day, s.Earliest, s.Soonest)
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
func (a *Room) FinishRoutes(ctx context.Context, number string, itemID int64) (s OrderSheet, it studio.Item, list []FinishRouteRow, err error) {
	s, err = a.OrderSheet(ctx, number)
	if err != nil {
		return s, it, nil, err
	}
	priced, ok := s.Item(itemID)
	if !ok || len(priced.Parts) == 0 {
		return s, it, nil, store.ErrNotFound
	}
	it = priced.Item
	if !route.Smoothed(it.Tier) {
		return s, it, nil, nil
	}
	usual := s.Shop.Studio.Defaults.FinishRoute(it.Parts[0].Process, it.Tier)
	for _, finishRoute := range finish.Routes(s.Shop.Book) {
		one := it
		one.FinishRoute = finishRoute.Key
		e := s.Shop.Estimate(one)
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
func (a *Room) QuoteRows(ctx context.Context, before time.Time) (list []store.QuoteRow, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.QuoteRows(before, QuotesShown)
		return err
	})
	return list, err
}

// QuotesShown is how many quotes a list shows at once.
const QuotesShown = 1000
