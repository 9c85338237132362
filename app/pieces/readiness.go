package pieces

import (
	"time"

	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// arounds finds what the readiness of pieces goes by; what several share is asked for once.
type arounds struct {
	tx     *store.Tx
	air    finish.Air
	paints *paints
	of     map[int64][]studio.Piece // by item
}

// aroundsOf begins with the pieces that are in work, or with those of an order.
func aroundsOf(tx *store.Tx, now time.Time, pieces []studio.Piece) (a *arounds, err error) {
	a = &arounds{tx: tx, paints: paintsOf(tx), of: map[int64][]studio.Piece{}}
	for _, p := range pieces {
		a.of[p.ItemID] = append(a.of[p.ItemID], p)
	}
	a.air, err = Air(tx, now)
	return a, err
}

// around is what the readiness of a piece goes by, but for what it has shut in: that takes its model, and passes with a reason.
func (a *arounds) around(p studio.Piece) (by studio.Around, err error) {
	by.Pieces = a.of[p.ItemID]
	if p.State != studio.AtBench {
		return by, nil
	}
	d := studio.Drying{Air: a.air}
	if d.Paints, err = a.paints.of(p); err != nil {
		return by, err
	}
	plan, err := a.paints.planned()
	if err != nil {
		return by, err
	}
	plan.coats(p, &d)
	by.Drying, by.Unsigned = &d, plan.unsigned(p)
	return by, err
}

// aroundOne is what the readiness of a single piece goes by: the pieces of its order are read only where its stage may wait
// for them.
func aroundOne(tx *store.Tx, now time.Time, p studio.Piece) (by studio.Around, err error) {
	if p.Gated() {
		if by.Pieces, err = tx.PiecesOf(p.OrderID); err != nil {
			return by, err
		}
	}
	d, plan, err := drying(tx, now, p)
	if err != nil {
		return by, err
	}
	by.Drying, by.Unsigned = &d, plan.unsigned(p)
	if next := p.Now(); next != nil && next.Kind == route.Cure {
		by.Sealed, err = sealed(tx, p)
	}
	return by, err
}

// Readiness says of pieces in work whether hands may take them, and what they wait for, by their ids.
func Readiness(tx *store.Tx, now time.Time, pieces []studio.Piece) (map[int64]studio.Readiness, error) {
	a, err := aroundsOf(tx, now, pieces)
	if err != nil {
		return nil, err
	}
	out := map[int64]studio.Readiness{}
	for _, p := range pieces {
		by, err := a.around(p)
		if err != nil {
			return nil, err
		}
		out[p.ID] = p.Readiness(now, by)
	}
	return out, nil
}
