package studio

import (
	"fmt"

	"sakuji/core/finish"
	"sakuji/core/route"
)

// CastPlan is what the copies of a part that is cast are made in: one print, moulds of it, and
// castings in their rounds.
type CastPlan struct {
	Master, Mould, Copy []Stage // the strip of each
	Moulds              int
	Life                int // copies that a mould yields
}

// CastPlan plans the casting of a part.
func (h Shop) CastPlan(p Part, it Item, items []Item) (out CastPlan) {
	fp := h.printed(p, it, h.sessionsOf(items))
	out.Master = stripOf(finish.CastMaster(finish.Plan(h.Book, master(fp))))
	out.Mould = stripOf(finish.Mould(h.Book))
	out.Copy = stripOf(append([]finish.Work{finish.Pour(h.Book)}, finish.CastCopy(finish.Plan(h.Book, fp))...))
	out.Moulds, out.Life = int(finish.Moulds(h.Book, float64(fp.Copies))), int(max(1, h.Book.V("mould.life")))
	return out
}

// master is the one print of a part that is cast: smooth, for what it shows every copy shows.
func master(fp finish.Part) finish.Part {
	if fp.Copies, fp.Sessions = 1, nil; fp.Tier == route.Raw {
		fp.Tier = route.Primed
	}
	return fp
}

// stripOf makes a strip of planned work.
func stripOf(work []finish.Work) StageList {
	var out StageList
	for _, w := range work {
		out = append(out, Stage{Stage: route.Stage{Kind: w.Kind, Mark: route.Todo, PlannedMin: w.Minutes, BookMin: w.BookMin, WaitS: w.WaitS}})
	}
	return out.numbered()
}

// NewCasting is a print to cast, a mould or a casting, before it is made.
func NewCasting(kind PieceKind, code string, o Order, it Item, part Part, fromID int64, plan []Stage) Piece {
	p := NewPiece(code, o, it, part, plan)
	p.Kind, p.FromID = kind, fromID
	switch kind {
	case KindMaster:
		p.Name += ", the print to cast"
	case KindMould:
		p.Name += ", mould"
		p.State = InParts
	case KindCast:
		p.State = InParts
	}
	return p
}

// ClientGets reports whether a piece is something the client is handed: not what lies inside
// another, nor what others were made of.
func (p Piece) ClientGets() bool {
	return p.ParentID == 0 && !OneOf(p.Kind, StaysHere()...)
}

// StaysHere are the kinds of pieces that never leave the studio.
func StaysHere() []PieceKind { return []PieceKind{KindMaster, KindMould} }

// source is what a mould or a casting is made of, or what was made in its place.
func (p Piece) source(all []Piece) (of Piece, ok bool) {
	for _, o := range all {
		if o.ID == p.FromID && o.ID != 0 {
			of, ok = o, true
		}
	}
	for again := ok; again; {
		again = false
		for _, o := range all {
			if o.ReplacesID == of.ID {
				of, again = o, true
				break
			}
		}
	}
	return of, ok
}

// WaitsFor says what a piece whose making waits for others waits for.
func (p Piece) WaitsFor() string {
	switch p.Kind {
	case KindMould:
		return "waits for its print"
	case KindCast:
		return "waits for its mould"
	}
	return "waits for its parts"
}

// MayReopen says whether what others are made of may be worked on again: once they have been
// begun, they are what is worked on.
func (p Piece) MayReopen(all []Piece) error {
	for _, o := range all {
		of, made := o.source(all)
		if (o.ID == p.ParentID || made && of.ID == p.ID) && o.Live() && o.Last() != nil {
			return fmt.Errorf("%s is in %s already: take that back first", p.Code, o.Code)
		}
	}
	return nil
}
