package pieces

import (
	"context"
	"fmt"
	"time"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// airDays is how far back the air matters: nothing takes longer to harden, covered and cold. Source: from memory.
const airDays = 60

// Air is the air that pieces dry in.
func Air(tx *store.Tx, now time.Time) (out finish.Air, err error) {
	own, _, err := tx.OwnRates()
	if err != nil {
		return out, err
	}
	out.Book = rates.Starting().With(own)
	said, err := tx.Air(now.AddDate(0, 0, -airDays))
	for _, r := range said {
		out.Readings = append(out.Readings, r.Reading)
	}
	return out, err
}

// paints finds what the coats of pieces are made of; the items of an order are asked for once.
type paints struct {
	tx    *store.Tx
	items map[int64]finish.Paints
	asked map[int64]bool
	plan  *planned
}

func paintsOf(tx *store.Tx) *paints {
	return &paints{tx: tx, items: map[int64]finish.Paints{}, asked: map[int64]bool{}}
}

func (p *paints) of(piece studio.Piece) (finish.Paints, error) {
	if !p.asked[piece.OrderID] {
		p.asked[piece.OrderID] = true
		items, err := p.tx.BareItems(piece.OrderID)
		if err != nil {
			return finish.Paints{}, err
		}
		for _, it := range items {
			p.items[it.ID] = it.Paints
		}
	}
	return p.items[piece.ItemID], nil
}

// drying is what a piece dries in.
func drying(tx *store.Tx, now time.Time, p studio.Piece) (d studio.Drying, err error) {
	if d.Air, err = Air(tx, now); err == nil {
		d.Paints, err = paintsOf(tx).of(p)
	}
	if err == nil {
		err = byRecipe(tx, p, &d)
	}
	return d, err
}

// byRecipe finds what the coat that lies on a piece is thinned with, and the one that is planned next, where recipes say
// so.
func byRecipe(tx *store.Tx, p studio.Piece, d *studio.Drying) error {
	now := p.Now()
	if now == nil || now.Kind == route.JoinAfter {
		return nil
	}
	regions, err := regionsAt(tx, p, now.Kind)
	if err != nil {
		return err
	}
	laid, err := tx.LaidOn(p.ID)
	if err != nil || len(laid)+len(regions) == 0 {
		return err
	}
	recipes, err := tx.Recipes()
	last := int64(0)
	if n := len(laid); n > 0 {
		last = laid[n-1].RecipeID
	}
	coatsOf(d, recipes, regions, last)
	return err
}

// coatsOf sets what the coat that was laid last is thinned with, and the one that is next: of several that are next, one that
// attacks.
func coatsOf(d *studio.Drying, recipes []studio.Recipe, next []studio.Region, lastID int64) {
	below := d.Paints.Base
	for _, r := range recipes {
		if r.ID == lastID {
			below = r.Coat
			d.Under = &r.Coat
		}
	}
	for _, r := range next {
		own, ok := studio.RecipeOf(recipes, r.RecipeNumber)
		if ok && (d.Over == nil || route.Attacks(below, own.Coat) != "") {
			d.Over, d.Next = &own.Coat, own.Medium
		}
	}
}

// planned is what recipes and paint plans say of the pieces at the bench, asked for once.
type planned struct {
	recipes  []studio.Recipe
	regions  map[int64][]studio.Region // by item
	last     map[int64]int64           // the recipe that was laid last, by piece
	swatches []studio.Swatch
}

// planned finds it.
func (p *paints) planned() (*planned, error) {
	if p.plan != nil {
		return p.plan, nil
	}
	plan, err := &planned{regions: map[int64][]studio.Region{}, last: map[int64]int64{}}, error(nil)
	if plan.recipes, err = p.tx.Recipes(); err != nil {
		return nil, err
	}
	if len(plan.recipes) > 0 {
		regions, err := p.tx.RegionsIn(studio.Accepted)
		if err != nil {
			return nil, err
		}
		for _, r := range regions {
			plan.regions[r.ItemID] = append(plan.regions[r.ItemID], r)
		}
		laid, err := p.tx.LastLaid(studio.AtBench)
		if err != nil {
			return nil, err
		}
		for _, l := range laid {
			plan.last[l.PieceID] = l.RecipeID
		}
		if plan.swatches, err = p.tx.Swatches(); err != nil {
			return nil, err
		}
	}
	p.plan = plan
	return plan, nil
}

// next are the regions of a piece that its next stage paints; at the joining of painted parts, all of them.
func (l *planned) next(p studio.Piece) (out []studio.Region) {
	now := p.Now()
	for _, r := range l.regions[p.ItemID] {
		if now != nil && r.Of(p) && (r.Stage == now.Kind || now.Kind == route.JoinAfter) {
			out = append(out, r)
		}
	}
	return out
}

// unsigned says which colours of a piece's next stage nobody has signed off; empty: none.
func (p *paints) unsigned(piece studio.Piece) (string, error) {
	plan, err := p.planned()
	if err != nil || piece.Now() == nil {
		return "", err
	}
	return studio.UnsignedText(studio.Unsigned(plan.next(piece), plan.recipes, plan.swatches, piece.OrderID, piece.Now().Kind)), nil
}

// wait is what a piece at the bench waits for, by its strip and by what lies on it; nil: nothing.
func wait(a finish.Air, all *paints, p studio.Piece, now time.Time) (*route.WaitError, error) {
	of, err := all.of(p)
	if err != nil {
		return nil, err
	}
	d := studio.Drying{Air: a, Paints: of}
	plan, err := all.planned()
	if err != nil {
		return nil, err
	}
	if next := p.Now(); next != nil && next.Kind != route.JoinAfter {
		coatsOf(&d, plan.recipes, plan.next(p), plan.last[p.ID])
	}
	return d.Waits(p, now), nil
}

// NoteAir keeps what the air in the studio is now: what dries is ready sooner or later by it. It says for how many
// pieces that is so.
func (a *Room) NoteAir(ctx context.Context, who change.Actor, r studio.AirReading) (sooner, later int, err error) {
	err = a.Do(ctx, who, func(c change.Change) error {
		sooner, later = 0, 0
		r.At, r.ByID = c.Now, who.ID
		if err := r.Check(); err != nil {
			return change.Refused(err)
		}
		if err := c.AddAir(&r); err != nil {
			return err
		}
		in, err := Air(c.Tx, c.Now)
		if err != nil {
			return err
		}
		pieces, err := c.PiecesIn(studio.AtBench)
		if err != nil {
			return err
		}
		for _, p := range pieces {
			p, until := studio.Drying{Air: in}.Again(p, c.Now)
			switch last := p.Last(); {
			case until.IsZero():
				continue
			case last.Until.Before(until):
				sooner++
			default:
				later++
			}
			if err := c.SaveStages(&p); err != nil {
				return err
			}
		}
		return c.Note("air noted", change.About{}, "%s%s", r.Text(), changed(sooner, later))
	})
	return sooner, later, err
}

// changed says how many pieces a reading moves.
func changed(sooner, later int) (text string) {
	if later > 0 {
		text += fmt.Sprintf("; %s longer", waits(later))
	}
	if sooner > 0 {
		text += fmt.Sprintf("; %s less long", waits(sooner))
	}
	return text
}

func waits(n int) string {
	if n == 1 {
		return "1 piece waits"
	}
	return fmt.Sprintf("%d pieces wait", n)
}
