package paint

import (
	"context"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// Plan is how the items of an order are to be painted.
type Plan struct {
	Order    studio.Order
	Items    []ItemPlan
	Recipes  []studio.Recipe // the newest versions
	Open     []studio.Point  // questions that the client has not answered
	Decided  []studio.Point  // colours that are, and answers
	Pictures []studio.Picture
	Others   []store.Planned // items that have a plan to copy
}

// ItemPlan is the paint plan of an item.
type ItemPlan struct {
	Item    studio.Item
	Primer  string
	Regions []RegionRow
	Shares  map[route.StageKind]float64 // percent of what is seen, by stage
	Pieces  int                         // that are still to be painted
}

// RegionRow is a region on its plan.
type RegionRow struct {
	studio.Region
	Recipe  studio.Recipe
	Over    string // what lies under it
	Area    rates.Working
	Mix     rates.Working // for all copies
	Cover   finish.Cover
	Covers  bool // it is known
	Attacks string
	Ways    []finish.RaisedWay
	Signed  studio.Swatch // the swatch that is signed off; none: ID 0
	Tried   bool          // it needs one
	Warns   string        // what this pair of coats did before
}

// mostPlanned is how many plans are offered to be copied.
const mostPlanned = 40

// Plan returns the plan of an order.
func (a *Room) Plan(ctx context.Context, number string) (s Plan, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Order, err = tx.Order(number); err != nil {
			return err
		}
		points, err := tx.Points(s.Order.ID)
		if err != nil {
			return err
		}
		for _, p := range points {
			switch {
			case p.Open() && p.Kind == studio.Question:
				s.Open = append(s.Open, p)
			case !p.Open() || p.Kind == studio.Colour:
				s.Decided = append(s.Decided, p)
			}
		}
		if s.Pictures, err = tx.Pictures(s.Order.ID); err != nil {
			return err
		}
		return s.items(tx)
	})
	return s, err
}

// items works the plans of the items out.
func (s *Plan) items(tx *store.Tx) error {
	h, err := setup.Load(tx)
	if err != nil {
		return err
	}
	recipes, err := tx.Recipes()
	if err != nil {
		return err
	}
	s.Recipes = studio.NewestRecipes(recipes)
	swatches, err := tx.Swatches()
	if err != nil {
		return err
	}
	bad, err := tx.BadPairs()
	if err != nil {
		return err
	}
	items, err := tx.Items(s.Order.ID)
	if err != nil {
		return err
	}
	pieces, err := tx.PiecesOf(s.Order.ID)
	if err != nil {
		return err
	}
	known := knowledge{h, recipes, swatches, bad}
	for _, it := range items {
		if it.Tier != route.Painted {
			continue
		}
		regions, err := tx.Regions(it.ID)
		if err != nil {
			return err
		}
		plan := ItemPlan{Item: it, Shares: map[route.StageKind]float64{}}
		plan.Primer, _ = finish.PrimerFor(it.Scheme, h.Studio.Defaults.Schools)
		for _, p := range pieces {
			if p.ItemID == it.ID && p.Live() && p.Wants(route.Base) {
				plan.Pieces++
			}
		}
		for _, r := range regions {
			plan.Regions = append(plan.Regions, known.row(it, r, regions, plan.Primer))
			plan.Shares[r.Stage] += r.SharePercent * float64(r.Copies(it.Copies)) / float64(max(1, it.Copies))
		}
		s.Items = append(s.Items, plan)
	}
	s.Others, err = tx.PlannedItems(mostPlanned)
	return err
}

// knowledge is what the studio knows of its paints.
type knowledge struct {
	shop     studio.Shop
	recipes  []studio.Recipe
	swatches []studio.Swatch
	bad      []studio.Bad
}

// row works a region out.
func (k knowledge) row(it studio.Item, r studio.Region, regions []studio.Region, primer string) RegionRow {
	row := RegionRow{Region: r, Over: primer + " primer", Area: k.shop.RegionMM2(it, r), Ways: k.shop.Ways(r, it)}
	row.Recipe, _ = studio.RecipeOf(k.recipes, r.RecipeNumber)
	row.Cover, row.Covers = r.CoverOf(it, regions, k.recipes, k.swatches)
	if at := slices.IndexFunc(regions, func(o studio.Region) bool { return o.ID == r.OverID }); at >= 0 && r.OverID != 0 {
		row.Over = regions[at].Name
		below, _ := studio.RecipeOf(k.recipes, regions[at].RecipeNumber)
		row.Attacks = route.Attacks(below.Coat, row.Recipe.Coat)
		row.Warns = studio.Warns(k.bad, regions[at].RecipeNumber, r.RecipeNumber)
	}
	row.Tried = row.Recipe.Tried()
	if signed, ok := studio.Signed(k.swatches, row.Recipe.ID, it.OrderID); ok {
		row.Signed = signed
	}
	row.Mix = finish.MixML(k.shop.Book, row.Recipe.Laying(r.Coats), row.Area.Result.Value*float64(r.Copies(it.Copies)))
	return row
}

// SaveRegion adds a region to the paint plan of an item, at its end, or changes one.
//
// seen is what the sheet showed of it (Region.Seen); empty: whatever is there.
func (a *Room) SaveRegion(ctx context.Context, who change.Actor, number string, r studio.Region, seen string) error {
	r.Name, r.Stop = strings.TrimSpace(r.Name), strings.TrimSpace(r.Stop)
	return a.onPlan(ctx, who, number, r.ItemID, func(c change.Change, it studio.Item, regions []studio.Region) error {
		at := slices.IndexFunc(regions, func(o studio.Region) bool { return o.ID == r.ID })
		switch {
		case r.ID == 0:
			r.Position = len(regions)
		case at < 0:
			return store.ErrNotFound
		case seen != "" && seen != regions[at].Seen():
			return change.Refuse("Somebody has changed %s meanwhile. Look at the plan again; what you typed is still on this sheet.",
				regions[at].Name)
		default:
			was := regions[at]
			r.Position, r.StopSHA = was.Position, was.StopSHA
			if r.PartID == was.PartID && was.AreaMM2 > 0 {
				r.AreaMM2, r.EdgeMM, r.Marks, r.Mirror = was.AreaMM2, was.EdgeMM, was.Marks, was.Mirror
			}
		}
		recipes, err := c.Recipes()
		if err != nil {
			return err
		}
		recipe, ok := studio.RecipeOf(recipes, r.RecipeNumber)
		if ok && r.Coats == 0 {
			r.Coats = recipe.Coats
		}
		if err := r.Check(); err != nil {
			return change.Refused(err)
		}
		if !ok {
			return change.RefuseField("recipe", "There is no such recipe. Nothing was saved.")
		}
		if r.PartID != 0 && !slices.ContainsFunc(it.Parts, func(p studio.Part) bool { return p.ID == r.PartID }) {
			return change.RefuseField("part", "That part is not of this item any more. Nothing was saved.")
		}
		if err := under(regions, r); err != nil {
			return err
		}
		if err := c.SaveRegion(&r); err != nil {
			return err
		}
		return c.Note("paint planned", change.About{Order: it.OrderID}, "%s, %s: %s, %s", it.Title, r.Name, recipe.Name, studio.Say(r.Coats, "coat"))
	})
}

// under says what is wrong with what a region is to lie on: itself, or one that lies on it.
func under(regions []studio.Region, r studio.Region) error {
	for below, steps := r.OverID, 0; below != 0; steps++ {
		at := slices.IndexFunc(regions, func(o studio.Region) bool { return o.ID == below })
		if at < 0 {
			return change.RefuseField("over", "What it lies on is not in the plan any more. Nothing was saved.")
		}
		if below == r.ID || steps > len(regions) {
			return change.RefuseField("over", "%s cannot lie on what lies on it. Nothing was saved.", r.Name)
		}
		below = regions[at].OverID
	}
	return nil
}

// DropRegion takes a region out of a plan; what was laid of it stays in the record.
func (a *Room) DropRegion(ctx context.Context, who change.Actor, number string, itemID, id int64) error {
	return a.onRegion(ctx, who, number, itemID, id, func(c change.Change, it studio.Item, regions []studio.Region, at int) error {
		if err := c.DropRegion(id); err != nil {
			return err
		}
		return c.Note("paint planned", change.About{Order: it.OrderID}, "%s: %s is taken out", it.Title, regions[at].Name)
	})
}

// MoveRegion moves a region before the one above it.
func (a *Room) MoveRegion(ctx context.Context, who change.Actor, number string, itemID, id int64) error {
	return a.onRegion(ctx, who, number, itemID, id, func(c change.Change, it studio.Item, regions []studio.Region, at int) error {
		if at == 0 {
			return nil
		}
		regions[at-1], regions[at] = regions[at], regions[at-1]
		for k := range regions {
			if regions[k].Position = k; k == at || k == at-1 {
				if err := c.SaveRegion(&regions[k]); err != nil {
					return err
				}
			}
		}
		return c.Note("paint planned", change.About{Order: it.OrderID}, "%s: %s before %s", it.Title, regions[at-1].Name, regions[at].Name)
	})
}

// CopyPlan copies the paint plan of another item behind that of an item: sister pieces are painted alike.
func (a *Room) CopyPlan(ctx context.Context, who change.Actor, number string, itemID, fromID int64) error {
	return a.onPlan(ctx, who, number, itemID, func(c change.Change, it studio.Item, regions []studio.Region) error {
		n, err := orders.CopyPaint(c, fromID, it.ID, nil)
		if err == nil && n == 0 {
			err = change.Refuse("That item has no paint plan. Nothing was copied.")
		}
		if err != nil {
			return err
		}
		return c.Note("paint planned", change.About{Order: it.OrderID}, "%s: %s copied", it.Title, studio.Say(n, "region"))
	})
}

// StopPicture notes a picture of where to stop, which was kept.
func (a *Room) StopPicture(ctx context.Context, who change.Actor, number string, itemID, id int64, sha string) error {
	return a.onRegion(ctx, who, number, itemID, id, func(c change.Change, it studio.Item, regions []studio.Region, at int) error {
		if _, err := a.NoteFile(c, sha); err != nil {
			return err
		}
		r := regions[at]
		r.StopSHA = sha
		if err := c.SaveRegion(&r); err != nil {
			return err
		}
		return c.Note("paint planned", change.About{Order: it.OrderID}, "%s, %s: a picture of where to stop", it.Title, r.Name)
	})
}

// onRegion changes a region of the paint plan of an item; at is which of them it is.
func (a *Room) onRegion(ctx context.Context, who change.Actor, number string, itemID, id int64, f func(c change.Change, it studio.Item, regions []studio.Region, at int) error) error {
	return a.onPlan(ctx, who, number, itemID, func(c change.Change, it studio.Item, regions []studio.Region) error {
		at := slices.IndexFunc(regions, func(o studio.Region) bool { return o.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		return f(c, it, regions, at)
	})
}

// onPlan changes the paint plan of an item.
func (a *Room) onPlan(ctx context.Context, who change.Actor, number string, itemID int64, f func(c change.Change, it studio.Item, regions []studio.Region) error) error {
	return a.Do(ctx, who, func(c change.Change) error {
		o, err := c.Order(number)
		if err != nil {
			return err
		}
		items, err := c.BareItems(o.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == itemID })
		if at < 0 {
			return store.ErrNotFound
		}
		regions, err := c.Regions(itemID)
		if err != nil {
			return err
		}
		return f(c, items[at], regions)
	})
}
