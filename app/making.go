package app

import (
	"context"
	"slices"
	"strings"

	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// SetFinishRoute makes an item's finish route, and with house the studio's own for its process
// and tier.
func (a *App) SetFinishRoute(ctx context.Context, hand Actor, number string, itemID int64, key string, house bool) error {
	finishRoute, ok := finish.RouteOf(key)
	if !ok {
		return refuse("There is no such finish route.")
	}
	return a.onItem(ctx, hand, number, itemID, func(d Change, o *studio.Order, it *studio.Item) error {
		it.FinishRoute = key
		if house && len(it.Parts) > 0 {
			s, err := d.Studio()
			if err != nil {
				return err
			}
			if s.Defaults.FinishRoutes == nil {
				s.Defaults.FinishRoutes = map[string]string{}
			}
			s.Defaults.FinishRoutes[it.Parts[0].Process+" "+it.Tier] = key
			it.FinishRoute = ""
			if err := d.Tx.SaveStudio(s); err != nil {
				return err
			}
			return d.Note("house route", About{Order: o.ID}, "%s, %s: %s", it.Parts[0].Process, route.TierName(it.Tier), finishRoute.Name)
		}
		return d.Note("item changed", About{Order: o.ID}, "%s: %s", it.Title, finishRoute.Name)
	})
}

// onItem changes one item of an order.
func (a *App) onItem(ctx context.Context, hand Actor, number string, itemID int64, f func(Change, *studio.Order, *studio.Item) error) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == itemID })
		if at < 0 {
			return store.ErrNotFound
		}
		if err := f(d, o, &items[at]); err != nil {
			return err
		}
		if err := items[at].Check(); err != nil {
			return refused(err)
		}
		return d.SaveItem(&items[at])
	})
}

// AddPlainItem adds an item without prints: sculpting, a restoration, freight.
func (a *App) AddPlainItem(ctx context.Context, hand Actor, number, title string) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		it := studio.Item{OrderID: o.ID, Position: len(items), Title: strings.TrimSpace(title), Tier: route.Raw, Copies: 1, Scale: 1}
		if err := it.Check(); err != nil {
			return refused(err)
		}
		if err := d.SaveItem(&it); err != nil {
			return err
		}
		return d.Note("item added", About{Order: o.ID}, "%s, without a model", it.Title)
	})
}

// AddExtra adds to an item what it takes besides its prints.
func (a *App) AddExtra(ctx context.Context, hand Actor, number string, itemID int64, e quote.Extra) error {
	e.What = strings.TrimSpace(e.What)
	if strings.HasPrefix(e.What, feeMark) {
		return refuse("Licence fees come from the model’s sheet.")
	}
	if e.Each == 0 && e.Hours == 0 && e.FigureHours == 0 && e.Revisions == 0 && e.Odds == 0 {
		return refuse("%s: give a price or hours.", studio.UpperFirst(e.What))
	}
	return a.onItem(ctx, hand, number, itemID, func(d Change, o *studio.Order, it *studio.Item) error {
		it.Extras = append(it.Extras, e)
		return d.Note("item changed", About{Order: o.ID}, "%s: with %s", it.Title, e.What)
	})
}

// DropExtra takes one away, by its place.
func (a *App) DropExtra(ctx context.Context, hand Actor, number string, itemID int64, at int) error {
	return a.onItem(ctx, hand, number, itemID, func(d Change, o *studio.Order, it *studio.Item) error {
		if at < 0 || at >= len(it.Extras) {
			return refuse("It is gone already.")
		}
		what := it.Extras[at].What
		it.Extras = slices.Delete(slices.Clone(it.Extras), at, at+1)
		return d.Note("item changed", About{Order: o.ID}, "%s: without %s", it.Title, what)
	})
}

// SayWeapon notes whether an item looks like a weapon.
func (a *App) SayWeapon(ctx context.Context, hand Actor, number string, itemID int64, yes bool) error {
	return a.onItem(ctx, hand, number, itemID, func(d Change, o *studio.Order, it *studio.Item) error {
		it.Weapon = map[bool]string{true: "yes", false: "no"}[yes]
		return d.Note("item changed", About{Order: o.ID}, "%s: looks like a weapon: %s", it.Title, it.Weapon)
	})
}

// TakeSaving makes an item as a saving says.
func (a *App) TakeSaving(ctx context.Context, hand Actor, number string, itemID int64, saving studio.Saving) error {
	return a.onItem(ctx, hand, number, itemID, func(d Change, o *studio.Order, it *studio.Item) error {
		at := slices.IndexFunc(it.Parts, func(p studio.Part) bool { return p.ID == saving.PartID })
		if at < 0 {
			return refuse("That part is not on the item any more.")
		}
		if saving.Cast {
			it.Cast = true
			return d.Note("item changed", About{Order: o.ID}, "%s: cast from one print", it.Title)
		}
		it.Parts[at].CutInto = saving.CutInto
		return d.Note("item changed", About{Order: o.ID}, "%s: printed in %d", it.Parts[at].Name, max(1, saving.CutInto))
	})
}
