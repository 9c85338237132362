package pieces

import (
	"context"
	"strings"

	"sakuji/app/change"
	"sakuji/store"
	"sakuji/studio"
)

// PlaceSheet is a place with what lies there.
type PlaceSheet struct {
	studio.Place
	Pieces []studio.Piece
}

// Places returns every place that is there, with what lies at each.
func (a *Room) Places(ctx context.Context) (out []PlaceSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		places, err := tx.Places()
		if err != nil {
			return err
		}
		pieces, err := tx.PiecesAt(0)
		for _, at := range places {
			if at.Ended {
				continue
			}
			s := PlaceSheet{Place: at}
			for _, p := range pieces {
				if p.PlaceID == at.ID {
					s.Pieces = append(s.Pieces, p)
				}
			}
			out = append(out, s)
		}
		return err
	})
	return out, err
}

// Place returns a place by the code of its label.
func (a *Room) Place(ctx context.Context, code string) (s PlaceSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Place, err = tx.PlaceByCode(code); err != nil {
			return err
		}
		s.Pieces, err = tx.PiecesAt(s.ID)
		return err
	})
	return s, err
}

// AddPlace adds a place, with a code of its own.
func (a *Room) AddPlace(ctx context.Context, who change.Actor, p studio.Place) (studio.Place, error) {
	p.Name = strings.TrimSpace(p.Name)
	err := a.Do(ctx, who, func(c change.Change) error {
		if err := p.Check(); err != nil {
			return change.Refused(err)
		}
		all, err := c.Places()
		if err != nil {
			return err
		}
		p.Code = studio.PlaceCode(len(all))
		if err := c.SavePlace(&p); err != nil {
			return err
		}
		return c.Note("place added", change.About{}, "%s, label %s", p.Name, p.Code)
	})
	return p, err
}

// EndPlace takes a place away on which nothing lies.
func (a *Room) EndPlace(ctx context.Context, who change.Actor, code string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		p, err := c.PlaceByCode(code)
		if err != nil {
			return err
		}
		there, err := c.PiecesAt(p.ID)
		if err != nil {
			return err
		}
		if len(there) > 0 {
			return change.Refuse("%s lies there still: say first where it lies now.", there[0].Code)
		}
		p.Ended = true
		if err := c.SavePlace(&p); err != nil {
			return err
		}
		return c.Note("place ended", change.About{}, "%s", p.Name)
	})
}

// Put says that a piece lies at a place now; an empty code of a place: nowhere that anybody knows.
func (a *Room) Put(ctx context.Context, who change.Actor, code, place string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		var at studio.Place
		var err error
		if place != "" {
			if at, err = c.PlaceByCode(studio.Scanned(place)); change.NotFound(err) {
				return change.Refuse("No place has the label %s. Nothing was put there.", place)
			} else if err != nil {
				return err
			}
		}
		p, err := c.Piece(studio.Scanned(code))
		if change.NotFound(err) {
			return change.Refuse("No piece has the label %s. Nothing was put there.", studio.Scanned(code))
		}
		if err != nil {
			return err
		}
		p, e, err := p.PutAt(c.Act(), at)
		if err != nil {
			return change.Refused(err)
		}
		if err := c.SavePiece(p); err != nil {
			return err
		}
		return c.Log(e)
	})
}
