// Package stock is what the studio prints with: lots that come, are opened, weighed and used up,
// what is spoken for, and what to buy.
package stock

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where the stock is.
type Room struct{ change.Base }

// New makes the room.
func New(base change.Base) *Room { return &Room{base} }

// Sheet is what there is of every material in use.
type Sheet struct {
	Shop  studio.Shop
	Stock []studio.Stock
	Baths []studio.Bath
	Now   time.Time
}

// Sheet returns it.
func (a *Room) Sheet(ctx context.Context) (s Sheet, err error) {
	s.Now = a.Clock.Now()
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		if s.Baths, err = tx.Baths(); err != nil {
			return err
		}
		lots, err := tx.Lots()
		if err != nil {
			return err
		}
		reserved, err := reserved(tx, s.Shop)
		for _, m := range s.Shop.Materials {
			of := studio.Stock{Material: m, Lots: studio.Usable(lots, m.ID), ReservedG: reserved[m.ID], LeastG: m.LeastG}
			for _, l := range of.Lots {
				of.LeftG += l.LeftG()
			}
			if m.Active || len(of.Lots) > 0 {
				s.Stock = append(s.Stock, of)
			}
		}
		return err
	})
	return s, err
}

// reserved is what pieces that are still to be printed take, by material.
func reserved(tx *store.Tx, h studio.Shop) (map[int64]float64, error) {
	pieces, err := tx.PiecesIn(studio.Waiting, studio.OnPlate)
	if err != nil {
		return nil, err
	}
	models, err := tx.PieceModels(pieces...)
	out := map[int64]float64{}
	for _, p := range pieces {
		m, ok := models[p.ID]
		at := slices.IndexFunc(h.Machines, func(m studio.Machine) bool { return m.Process == p.Process && m.Active })
		if ok && at >= 0 {
			material, _ := h.Material(p.MaterialID, p.Process)
			out[material.ID] += h.PrintOf(p.Copy(m), h.Machines[at], material).Grams
		}
	}
	return out, err
}

// Received notes a lot that came.
func (a *Room) Received(ctx context.Context, who change.Actor, l studio.Lot) error {
	return a.Do(ctx, who, func(d change.Change) error {
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(h.Materials, func(m studio.Material) bool { return m.ID == l.MaterialID })
		if at < 0 {
			return store.ErrNotFound
		}
		l.ID, l.Label, l.Received = 0, strings.TrimSpace(l.Label), d.Now
		if err := l.Check().Err(); err != nil {
			return change.Refused(err)
		}
		if err := d.SaveLot(&l); err != nil {
			return err
		}
		return d.Note("lot received", change.About{}, "%s of %s, %s g", l.Label, h.Materials[at].Name, rates.Number(l.Grams))
	})
}

// on loads a lot, lets something happen to it and saves it.
func (a *Room) on(ctx context.Context, who change.Actor, id int64, what string, f func(l studio.Lot, now time.Time) (studio.Lot, error)) error {
	return a.Do(ctx, who, func(d change.Change) error {
		lots, err := d.Lots()
		if err != nil {
			return err
		}
		at := slices.IndexFunc(lots, func(l studio.Lot) bool { return l.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		before := lots[at].LeftG()
		l, err := f(lots[at], d.Now)
		if err != nil {
			return change.Refused(err)
		}
		if err := d.SaveLot(&l); err != nil {
			return err
		}
		return d.Note(what, change.About{}, "%s: %s g left, %s g by the book", l.Label, rates.Number(l.LeftG()), rates.Number(before))
	})
}

// Weigh notes what is left of a lot.
func (a *Room) Weigh(ctx context.Context, who change.Actor, id int64, grams float64) error {
	return a.on(ctx, who, id, "lot weighed", func(l studio.Lot, now time.Time) (studio.Lot, error) { return l.Weigh(grams, now) })
}

// WeighFull notes what a scale shows of a lot with its bottle or spool.
func (a *Room) WeighFull(ctx context.Context, who change.Actor, id int64, grossG, tareG float64) error {
	return a.on(ctx, who, id, "lot weighed", func(l studio.Lot, now time.Time) (studio.Lot, error) { return l.WeighFull(grossG, tareG, now) })
}

// Mix makes a lot of a material out of so many grams of others, and books what it takes.
func (a *Room) Mix(ctx context.Context, who change.Actor, materialID int64, label string, grams map[int64]float64) error {
	return a.Do(ctx, who, func(d change.Change) error {
		materials, err := d.Materials()
		if err != nil {
			return err
		}
		at := slices.IndexFunc(materials, func(m studio.Material) bool { return m.ID == materialID })
		if at < 0 {
			return change.Refuse("Choose what the mix is printed as.")
		}
		lots, err := d.Lots()
		if err != nil {
			return err
		}
		for _, l := range lots {
			of := slices.IndexFunc(materials, func(m studio.Material) bool { return m.ID == l.MaterialID })
			if grams[l.ID] != 0 && of >= 0 && materials[of].Process != materials[at].Process {
				return change.RefuseField(fmt.Sprintf("grams[%d]", l.ID), "%s is %s: it is not mixed into %s. Nothing was booked.", l.Label, materials[of].Process, materials[at].Process)
			}
		}
		l, err := studio.MixedOf(materials[at], label, grams, lots, d.Now)
		if err != nil {
			return change.Refused(err)
		}
		if err := d.SaveLot(&l); err != nil {
			return err
		}
		for _, p := range l.Mix {
			from := lots[slices.IndexFunc(lots, func(o studio.Lot) bool { return o.ID == p.LotID })]
			if from.Opened.IsZero() {
				from.Opened = d.Now
				if err := d.SaveLot(&from); err != nil {
					return err
				}
			}
			if err := d.Book(studio.Booking{MaterialID: from.MaterialID, LotID: from.ID, Grams: p.Grams, At: d.Now}); err != nil {
				return err
			}
		}
		return d.Note("lot mixed", change.About{}, "%s, %s g: %s", l.Label, rates.Number(l.Grams), l.Recipe())
	})
}

// End notes that a lot is empty or thrown away.
func (a *Room) End(ctx context.Context, who change.Actor, id int64) error {
	return a.on(ctx, who, id, "lot ended", func(l studio.Lot, now time.Time) (studio.Lot, error) {
		l.Ended = now
		return l, nil
	})
}

// SetLeast says below what a material is bought.
func (a *Room) SetLeast(ctx context.Context, who change.Actor, materialID int64, grams float64) error {
	return a.Do(ctx, who, func(d change.Change) error {
		materials, err := d.Materials()
		if err != nil {
			return err
		}
		at := slices.IndexFunc(materials, func(m studio.Material) bool { return m.ID == materialID })
		switch {
		case at < 0:
			return store.ErrNotFound
		case !(grams >= 0 && grams <= 1e6):
			return change.Refused(rates.Amiss("least", "between nothing and 1,000 kg"))
		}
		materials[at].LeastG = grams
		if err := d.Tx.SaveLeast(materials[at]); err != nil {
			return err
		}
		return d.Note("least of a material", change.About{}, "%s: %s g", materials[at].Name, rates.Number(grams))
	})
}

// Filled notes a bath that was filled; one of the same name that is in use is emptied by that.
func (a *Room) Filled(ctx context.Context, who change.Actor, b studio.Bath) error {
	return a.Do(ctx, who, func(d change.Change) error {
		b.ID, b.Name, b.Filled = 0, strings.TrimSpace(b.Name), d.Now
		if err := b.Check().Err(); err != nil {
			return change.Refused(err)
		}
		before, err := d.Baths()
		if err != nil {
			return err
		}
		for _, old := range before {
			if studio.Folded(old.Name) == studio.Folded(b.Name) {
				old.Ended = d.Now
				if err := d.SaveBath(&old); err != nil {
					return err
				}
			}
		}
		if err := d.SaveBath(&b); err != nil {
			return err
		}
		return d.Note("bath filled", change.About{}, "%s: %s l of %s %%", b.Name, rates.Number(b.Litres), rates.Number(b.StrengthPercent))
	})
}

// Made is what was made from a lot, or washed in a bath.
func (a *Room) Made(ctx context.Context, lotID, bathID int64) (pieces []store.PieceIn, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if bathID != 0 {
			pieces, err = tx.PiecesThrough(bathID)
		} else {
			pieces, err = tx.PiecesFrom(lotID)
		}
		return err
	})
	return pieces, err
}
