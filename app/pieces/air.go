package pieces

import (
	"context"
	"fmt"
	"time"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/rates"
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
	plan  planned
	known bool // the plan is
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

// drying is what a piece dries in, and what is planned to be laid on it.
func drying(tx *store.Tx, now time.Time, p studio.Piece) (d studio.Drying, plan planned, err error) {
	if d.Air, err = Air(tx, now); err == nil {
		d.Paints, err = paintsOf(tx).of(p)
	}
	if err == nil {
		plan, err = plannedFor(tx, p)
	}
	plan.coats(p, &d)
	return d, plan, err
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
