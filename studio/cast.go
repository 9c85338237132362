package studio

import (
	"fmt"
	"slices"

	"sakuji/core/finish"
	"sakuji/core/process"
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
	for k := range out.Mould {
		if out.Mould[k].Kind == route.Rubber {
			out.Mould[k].How = rubbering(p)
		}
	}
	out.Copy = stripOf(append([]finish.Work{finish.Pour(h.Book)}, it.own(p, finish.CastCopy(finish.Plan(h.Book, fp)))...))
	out.Moulds, out.Life = int(finish.Moulds(h.Book, float64(fp.Copies))), int(max(1, h.Book.V("mould.life")))
	return out
}

// rubbering says how a mould is flooded: a hollow or infilled print collapses under vacuum. Source:
// common practice.
func rubbering(p Part) string {
	if process.Of(p.Process).Drawn || p.WallMM > 0 || p.Model.How == Hollow {
		return "no vacuum: the print is not solid and collapses. Pour slowly, from one corner, a thin stream"
	}
	return "under vacuum, with room for the rubber to swell to three times; top it up"
}

// master is the one print of a part that is cast: smooth, for what it shows every copy shows.
func master(fp finish.Part) finish.Part {
	if fp.Copies, fp.Sessions = 1, nil; !route.Smoothed(fp.Tier) {
		fp.Tier, fp.Route = route.Primed, ""
	}
	return fp
}

// stripOf makes a strip of planned work.
func stripOf(work []finish.Work) StageList {
	var out StageList
	for _, w := range finish.Stages(work) {
		out = append(out, Stage{Stage: route.Stage{Kind: w.Kind, Mark: route.Todo, PlannedMin: w.Minutes, BookMin: w.BookMin, How: w.How, WaitS: w.WaitS}})
	}
	return out.numbered()
}

// ClientGets reports whether a piece is something the client is handed: not what lies inside or
// beside another, nor what others were made of.
func (p Piece) ClientGets() bool {
	return p.ParentID == 0 && !p.Beside && !OneOf(p.Kind, StaysHere()...)
}

// StaysHere are the kinds of pieces that never leave the studio.
func StaysHere() []PieceKind {
	return []PieceKind{KindMaster, KindMould, KindSculpt, KindTrial, KindWork, KindSpare}
}

// source is what a mould or a casting is made of, or what was made in its place.
func (p Piece) source(all []Piece) (of Piece, ok bool) {
	if p.FromID == 0 {
		return of, false
	}
	at := slices.IndexFunc(all, func(o Piece) bool { return o.ID == p.FromID })
	for ; at >= 0; at = slices.IndexFunc(all, func(o Piece) bool { return o.ReplacesID == of.ID }) {
		of, ok = all[at], true
	}
	return of, ok
}

// Sourceless reports whether a piece that is not begun is to be made of something that nobody
// makes any more.
func (p Piece) Sourceless(all []Piece) bool {
	of, ok := p.source(all)
	return p.FromID != 0 && p.Last() == nil && !(ok && (of.Live() || of.Short(all)))
}

// Begun reports whether a piece is printed or poured, or on its way to be.
func (p Piece) Begun() bool { return p.State == OnPlate || p.State == PieceDone || p.Last() != nil }

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

// coloured reports whether the last stamp is on a coat of the part's own.
func (p Piece) coloured() bool {
	last := p.Last()
	return last != nil && route.Colours(last.Kind)
}

// MayReopen says whether what others are made of may be worked on again: once they have been
// begun, they are what is worked on.
func (p Piece) MayReopen(all []Piece) error {
	for _, o := range all {
		of, made := o.source(all)
		built := o.ID == p.ParentID && !(p.coloured() && !o.passed(route.JoinAfter) && o.State != PieceDone) // painted apart, it is not joined yet
		if (built || made && of.ID == p.ID) && o.Live() && o.Last() != nil {
			return fmt.Errorf("%s is in %s already: take that back first", p.Code, o.Code)
		}
	}
	return nil
}
