package plates

import (
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"sakuji/app/change"
	"sakuji/core/plate"
	"sakuji/studio"
)

// Moves is where a person wants pieces of a plate to lie.
type Moves struct {
	Version string // of the sheet that was moved on, as Version tells it; empty: whatever it is now
	Pieces  []Move
}

// Move is one piece of them.
type Move struct {
	Code     string  `json:"code"`
	XMM      float64 `json:"x_mm"`
	YMM      float64 `json:"y_mm"`
	AngleDeg float64 `json:"angle_deg"`
	Locked   bool    `json:"locked"`
}

// Version tells apart the states of a plate: what lies on it and where.
func (s PlateSheet) Version() string { return version(s.Plate) }

func version(pl studio.Plate) string {
	h := fnv.New64a()
	for _, o := range pl.Pieces {
		fmt.Fprintf(h, "%d %v %v %v %v;", o.PieceID, o.XMM, o.YMM, o.AngleDeg, o.Locked)
	}
	return fmt.Sprintf("%x", h.Sum64())
}

// Arrange puts pieces of a plate where a person wants them: all of them, or none where one would
// come too near to another or leave the bed.
func (a *Room) Arrange(ctx context.Context, who change.Actor, number int, moves Moves) error {
	return a.onLaidPlate(ctx, who, number, func(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate) error {
		if moves.Version != "" && moves.Version != version(pl) {
			return change.Refuse("Plate %d was changed since you opened it. Look at it again; nothing was moved.", number)
		}
		pieces, err := d.PiecesOnPlate(pl.ID)
		if err != nil {
			return err
		}
		pl.Pieces = slices.Clone(pl.Pieces)
		for _, m := range moves.Pieces {
			if math.IsNaN(m.XMM+m.YMM+m.AngleDeg) || math.IsInf(m.XMM+m.YMM+m.AngleDeg, 0) {
				return change.Refuse("%s: say where it lies.", m.Code)
			}
			at := slices.IndexFunc(pieces, func(p studio.Piece) bool { return p.Code == m.Code })
			if at < 0 {
				var p studio.Piece
				if pl, p, err = bring(d, h, machine, pl, pieces, m.Code); err != nil {
					return err
				}
				at, pieces = len(pieces), append(pieces, p)
			}
			o := &pl.Pieces[at]
			o.XMM, o.YMM, o.AngleDeg, o.Locked = m.XMM, m.YMM, math.Mod(math.Mod(m.AngleDeg, 360)+360, 360), m.Locked
		}
		if err := clashes(d, h, machine, pl, pieces); err != nil {
			return err
		}
		if err := d.SavePlate(pl); err != nil {
			return err
		}
		return d.Note("moved on a plate", change.About{Plate: pl.ID}, "%s on plate %d", studio.Say(len(moves.Pieces), "piece"), number)
	})
}

// bring lays a piece that waits on a plate, wherever it is put then.
func bring(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate, on []studio.Piece, code string) (studio.Plate, studio.Piece, error) {
	groups, _, err := Waiting(d.Tx, h)
	if err != nil {
		return pl, studio.Piece{}, err
	}
	material, _ := h.Material(pl.MaterialID, machine.Process)
	by := studio.PrintProfile{}
	if all := studio.Profiles(on); len(all) > 0 {
		by = all[0]
	}
	waiting := shareable(groups, machine, material, by)
	at := slices.IndexFunc(waiting, func(p studio.Piece) bool { return p.Code == code })
	if at < 0 {
		return pl, studio.Piece{}, change.Refuse("%s neither lies on plate %d nor waits for one like it. Nothing was moved.", code, pl.Number)
	}
	p := waiting[at]
	if pl, p, err = pl.Lay(p, studio.OnPlatePiece{}); err != nil {
		return pl, p, change.Refused(err)
	}
	return pl, p, d.SavePiece(p)
}

// clashes refuses what lies where it must not.
func clashes(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate, pieces []studio.Piece) error {
	models, err := d.PieceModels(pieces...)
	if err != nil {
		return err
	}
	var laid []plate.Laid
	for i, p := range pieces {
		laid = append(laid, onBed(machine, p, models[p.ID], pl.Pieces[i]))
	}
	found := plate.Check(machine.Bed(), h.Book.V("spacing"), laid)
	if len(found) == 0 {
		return nil
	}
	c := found[0]
	if c.Other != "" {
		return change.Refuse("%s and %s come too near. Nothing was moved.", c.ID, c.Other)
	}
	return change.Refuse("%s: %s. Nothing was moved.", c.ID, c.Reason)
}
