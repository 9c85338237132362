package app

import (
	"context"
	"math"
	"strconv"
	"strings"

	"sakuji/core/finish"
	"sakuji/studio"
)

// SaveTerms sets what an order's price has of its own. A discount's code gives its per cent.
func (a *App) SaveTerms(ctx context.Context, hand Actor, number string, t studio.Terms) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		s, err := d.Studio()
		if err != nil && !NotFound(err) {
			return err
		}
		t.DiscountWhy = strings.TrimSpace(t.DiscountWhy)
		if off, ok := s.Defaults.DiscountCodes[strings.ToUpper(t.DiscountWhy)]; ok && t.Discount == 0 {
			t.Discount, t.DiscountWhy = off, strings.ToUpper(t.DiscountWhy)
		}
		if err := t.Check(); err != nil {
			return refused(err)
		}
		o.Terms = t
		if err := d.SaveOrder(o); err != nil {
			return err
		}
		return d.Note("rates changed", About{Order: o.ID}, "terms of order %s: rush %v %%, discount %v %% %s", number, t.RushPercent, t.Discount, t.DiscountWhy)
	})
}

// SaveDefaults keeps the studio’s finish routes and its discount codes, one to a line: a code and
// its per cent.
func (a *App) SaveDefaults(ctx context.Context, hand Actor, ways studio.Defaults, codes string) error {
	for _, key := range ways.FinishRoutes {
		if _, ok := finish.RouteOf(key); !ok {
			return refuse("There is no finish route %q.", key)
		}
	}
	ways.DiscountCodes = map[string]float64{}
	for i, l := range strings.Split(strings.TrimSpace(codes), "\n") {
		if l = strings.TrimSpace(l); l == "" {
			continue
		}
		words := strings.Fields(strings.TrimSuffix(l, "%"))
		off := math.NaN()
		if len(words) == 2 {
			off, _ = strconv.ParseFloat(strings.Replace(words[1], ",", ".", 1), 64)
		}
		if !(off > 0 && off <= 100) {
			return refuse("Codes, line %d: %q is not a code and its per cent, such as GUILD 10. Nothing was changed.", i+1, l)
		}
		ways.DiscountCodes[strings.ToUpper(words[0])] = off
	}
	return a.do(ctx, hand, func(d Change) error {
		s, err := d.Studio()
		if err != nil {
			return refuse("Set the studio up first: its name and currency stand on every quote.")
		}
		s.Defaults = ways
		if err := d.Tx.SaveStudio(s); err != nil {
			return err
		}
		return d.Note("rates changed", About{}, "the house’s finish routes and discount codes")
	})
}
