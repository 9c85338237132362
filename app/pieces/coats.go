package pieces

import (
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// planned is what recipes and paint plans say of pieces.
type planned struct {
	recipes  []studio.Recipe
	regions  map[int64][]studio.Region // by item
	last     map[int64]int64           // the recipe that was laid last, by piece
	swatches []studio.Swatch
}

// plannedFor finds it for one piece, where its next stage lays something or joins what is painted.
func plannedFor(tx *store.Tx, p studio.Piece) (plan planned, err error) {
	now := p.Now()
	if now == nil || now.Kind != route.JoinAfter && !studio.OneOf(now.Kind, studio.PaintStages()...) {
		return plan, nil
	}
	if plan.recipes, err = tx.Recipes(); err != nil || len(plan.recipes) == 0 {
		return plan, err
	}
	regions, err := tx.Regions(p.ItemID)
	if err != nil {
		return plan, err
	}
	laid, err := tx.Laid(p.ID)
	if err != nil {
		return plan, err
	}
	plan.regions, plan.last = map[int64][]studio.Region{p.ItemID: regions}, map[int64]int64{}
	for _, l := range laid {
		plan.last[p.ID] = l.RecipeID
	}
	plan.swatches, err = tx.SwatchesFor(p.OrderID)
	return plan, err
}

// planned finds it for all pieces at the bench, once.
func (p *paints) planned() (plan planned, err error) {
	if p.known {
		return p.plan, nil
	}
	if plan.recipes, err = p.tx.Recipes(); err != nil {
		return plan, err
	}
	if len(plan.recipes) > 0 {
		plan.regions, plan.last = map[int64][]studio.Region{}, map[int64]int64{}
		regions, err := p.tx.RegionsIn(studio.Accepted)
		if err != nil {
			return plan, err
		}
		for _, r := range regions {
			plan.regions[r.ItemID] = append(plan.regions[r.ItemID], r)
		}
		laid, err := p.tx.LastLaid(studio.AtBench)
		if err != nil {
			return plan, err
		}
		for _, l := range laid {
			plan.last[l.PieceID] = l.RecipeID
		}
		if plan.swatches, err = p.tx.Swatches(); err != nil {
			return plan, err
		}
	}
	p.plan, p.known = plan, true
	return plan, nil
}

// next are the regions of a piece that its next stage paints; at the joining of painted parts, all of them.
func (l planned) next(p studio.Piece) (out []studio.Region) {
	now := p.Now()
	for _, r := range l.regions[p.ItemID] {
		if now != nil && r.Of(p) && (r.Stage == now.Kind || now.Kind == route.JoinAfter) {
			out = append(out, r)
		}
	}
	return out
}

// unsigned says which colours of a piece's next stage nobody has signed off; empty: none.
func (l planned) unsigned(p studio.Piece) string {
	if p.Now() == nil {
		return ""
	}
	return studio.UnsignedText(studio.Unsigned(l.next(p), l.recipes, l.swatches, p.OrderID, p.Now().Kind))
}

// coats sets what the coat that was laid last on a piece is thinned with, and the one that is planned next, where recipes
// say so; of several that are next, one that attacks.
func (l planned) coats(p studio.Piece, d *studio.Drying) {
	if now := p.Now(); now == nil || now.Kind == route.JoinAfter {
		return
	}
	below := d.Paints.Base
	for _, r := range l.recipes {
		if r.ID == l.last[p.ID] {
			below = r.Coat
			d.Under = &r.Coat
		}
	}
	for _, r := range l.next(p) {
		own, ok := studio.RecipeOf(l.recipes, r.RecipeNumber)
		if ok && (d.Over == nil || route.Attacks(below, own.Coat) != "") {
			d.Over, d.Next = &own.Coat, own.Medium
		}
	}
}
