package quotes_test

import (
	"crypto/sha256"
	"fmt"
	"slices"
	"testing"
	"time"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// BenchmarkQuotes times an order of forty different parts, priced with its working and its
// range, and a thousand quotes listed with their totals; beside both, in turn, the hashing of
// eight megabytes on the same machine. The goals are 250 ms and 30 ms.
func BenchmarkQuotes(b *testing.B) {
	s := apptest.New(b)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Moth Post Guild", Title: "Forty parts"})
	if err != nil {
		b.Fatal(err)
	}
	for i := range 40 {
		items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{apptest.Upload(fmt.Sprintf("vase-%d.stl", i), apptest.VaseOf(24+0.1*float64(i)))}, false)
		if err != nil {
			b.Fatal(err)
		}
		form := orders.ItemForm{Title: fmt.Sprintf("Vase %d", i), Tier: []string{route.Raw, route.Primed, route.Painted}[i%3], Copies: 1 + i%7, Scale: 1, Making: &studio.ItemOptions{}}
		if err := s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form); err != nil {
			b.Fatal(err)
		}
	}
	many := s.Order(1, route.Raw)
	other, err := s.Quotes.OrderSheet(s.Ctx, many)
	if err != nil {
		b.Fatal(err)
	}
	err = s.Store.Write(s.Ctx, func(tx *store.Tx) error {
		for i := range 1000 {
			q := studio.Quote{OrderID: other.Order.ID, Revision: i + 1, Token: fmt.Sprint(i), State: studio.QuoteReplaced, TotalMinor: int64(1000 * i), Currency: "EUR", Sent: s.Clock.At.Add(time.Duration(i) * time.Minute), ValidUntil: s.Clock.At}
			if err := tx.SaveQuote(&q); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		b.Fatal(err)
	}
	yard := make([]byte, 8<<20)
	work := []struct {
		name string
		do   func() error
	}{
		{"hash", func() error { sha256.Sum256(yard); return nil }},
		{"priced", func() error { _, err := s.Quotes.OrderSheet(s.Ctx, o.Number); return err }},
		{"ranged", func() error {
			sheet, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
			if err == nil {
				sheet.RangeOf()
			}
			return err
		}},
		{"listed", func() error {
			list, err := s.Quotes.QuoteRows(s.Ctx, time.Time{})
			if err == nil && len(list) != 1000 {
				err = fmt.Errorf("%d quotes", len(list))
			}
			return err
		}},
	}
	spent := map[string][]float64{}
	for b.Loop() {
		for _, w := range work {
			start := time.Now()
			if err := w.do(); err != nil {
				b.Fatal(err)
			}
			spent[w.name] = append(spent[w.name], float64(time.Since(start).Microseconds())/1000)
		}
	}
	median := func(name string) float64 {
		list := slices.Sorted(slices.Values(spent[name]))
		return list[len(list)/2]
	}
	b.ReportMetric(median("priced"), "priced-ms")
	b.ReportMetric(median("ranged"), "with-range-ms")
	b.ReportMetric(median("listed"), "listed-ms")
	b.ReportMetric(median("ranged")/median("hash"), "with-range/hash")
	b.ReportMetric(median("listed")/median("hash"), "listed/hash")
	b.ReportMetric(0, "ns/op")
}
