package orders

import (
	"context"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// SetFinishRoute makes an item's finish route, and with house the studio's own for its process
// and tier.
func (a *Room) SetFinishRoute(ctx context.Context, who change.Actor, number string, itemID int64, key string, house bool) error {
	name := finish.RouteName(key)
	if name == "" {
		return change.Refuse("There is no such finish route.")
	}
	return a.onItem(ctx, who, number, itemID, func(d change.Change, o *studio.Order, it *studio.Item) error {
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
			return d.Note("house route", change.About{Order: o.ID}, "%s, %s: %s", it.Parts[0].Process, route.TierName(it.Tier), name)
		}
		return d.Note("item changed", change.About{Order: o.ID}, "%s: %s", it.Title, name)
	})
}

// onItem changes one item of an order.
func (a *Room) onItem(ctx context.Context, who change.Actor, number string, itemID int64, f func(change.Change, *studio.Order, *studio.Item) error) error {
	return a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
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
		return save(d, &items[at])
	})
}

// AddPlainItem adds an item without prints: sculpting, a restoration, freight.
func (a *Room) AddPlainItem(ctx context.Context, who change.Actor, number, title string) error {
	return a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		it := studio.Item{OrderID: o.ID, Position: len(items), Title: strings.TrimSpace(title), Tier: route.Raw, Copies: 1, Scale: 1}
		if err := save(d, &it); err != nil {
			return err
		}
		return d.Note("item added", change.About{Order: o.ID}, "%s, without a model", it.Title)
	})
}

// AddExtra adds to an item what it takes besides its prints.
func (a *Room) AddExtra(ctx context.Context, who change.Actor, number string, itemID int64, e quote.Extra) error {
	e.What = strings.TrimSpace(e.What)
	if e.Each == 0 && e.Hours == 0 && e.FigureHours == 0 && e.Revisions == 0 && e.Odds == 0 {
		return change.RefuseField("each", "%s: give a price or hours.", studio.UpperFirst(e.What))
	}
	if err := e.Check(); err != nil {
		return change.Refused(err)
	}
	return a.onItem(ctx, who, number, itemID, func(d change.Change, o *studio.Order, it *studio.Item) error {
		it.Extras = append(it.Extras, e)
		return d.Note("item changed", change.About{Order: o.ID}, "%s: with %s", it.Title, e.What)
	})
}

// DropExtra takes one away, by its place.
func (a *Room) DropExtra(ctx context.Context, who change.Actor, number string, itemID int64, at int) error {
	return a.onItem(ctx, who, number, itemID, func(d change.Change, o *studio.Order, it *studio.Item) error {
		if at < 0 || at >= len(it.Extras) {
			return change.Refuse("It is gone already.")
		}
		what := it.Extras[at].What
		it.Extras = slices.Delete(slices.Clone(it.Extras), at, at+1)
		return d.Note("item changed", change.About{Order: o.ID}, "%s: without %s", it.Title, what)
	})
}

// SayWeapon notes whether an item looks like a weapon.
func (a *Room) SayWeapon(ctx context.Context, who change.Actor, number string, itemID int64, yes bool) error {
	return a.onItem(ctx, who, number, itemID, func(d change.Change, o *studio.Order, it *studio.Item) error {
		it.Weapon = map[bool]string{true: "yes", false: "no"}[yes]
		return d.Note("item changed", change.About{Order: o.ID}, "%s: looks like a weapon: %s", it.Title, it.Weapon)
	})
}

// TakeSaving makes an item as a saving says.
func (a *Room) TakeSaving(ctx context.Context, who change.Actor, number string, itemID int64, saving studio.Saving) error {
	return a.onItem(ctx, who, number, itemID, func(d change.Change, o *studio.Order, it *studio.Item) error {
		at := slices.IndexFunc(it.Parts, func(p studio.Part) bool { return p.ID == saving.PartID })
		if at < 0 {
			return change.Refuse("That part is not on the item any more.")
		}
		if saving.Cast {
			it.Cast = true
			return d.Note("item changed", change.About{Order: o.ID}, "%s: cast from one print", it.Title)
		}
		it.Parts[at].CutInto = saving.CutInto
		return d.Note("item changed", change.About{Order: o.ID}, "%s: printed in %d", it.Parts[at].Name, max(1, saving.CutInto))
	})
}
