package studio

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/quote"
	"sakuji/core/route"
)

// ExtraPiece is a thing that an item takes beside its prints, before it is made.
type ExtraPiece struct {
	Extra quote.Extra
	Kind  PieceKind
	Name  string
	Count int // so many of it
	Plan  []Stage
}

// kindOf is what the pieces of an extra are.
func kindOf(e quote.Extra) PieceKind {
	kinds := map[string]PieceKind{quote.Sculpt: KindSculpt, quote.Trial: KindTrial, quote.Restore: KindRestoration, quote.Base: KindBase, quote.BoughtIn: KindBought, quote.SoftGoods: KindSoft, quote.FileReady: KindFile}
	if k, ok := kinds[e.Kind]; ok {
		return k
	}
	return KindWork
}

// ExtraKinds are the kinds of pieces that come of extras.
func ExtraKinds() []PieceKind {
	return []PieceKind{KindSculpt, KindTrial, KindRestoration, KindBase, KindBought, KindSoft, KindWork, KindFile}
}

// Pair is what a trial is of, "old copper over fine sand": its result is kept for that pair.
func Pair(e quote.Extra) string {
	if e.Kind != quote.Trial {
		return ""
	}
	if e.Over == "" {
		return e.What
	}
	return e.What + " over " + e.Over
}

// IsTrialOf reports whether a trial's piece, by its name, tried a pair.
func IsTrialOf(name, pair string) bool {
	return pair != "" && strings.HasSuffix(strings.ToLower(name), ", "+strings.ToLower(pair))
}

// What says what a piece is, as people call it: what it is printed in, or what else it is.
func (p Piece) What() string {
	names := map[PieceKind]string{KindAssembly: "assembly", KindMaster: "print to cast", KindMould: "mould", KindCast: "casting", KindFile: "file", KindSculpt: "sculpt", KindTrial: "trial", KindSpare: "spare",
		KindRestoration: "restoration", KindBase: "base", KindBought: "bought in", KindSoft: "soft goods", KindWork: "work"}
	if name, ok := names[p.Kind]; ok {
		return name
	}
	return p.Process
}

// StateText says where a piece is, in a word or two: at the bench, which stage is next.
func (p Piece) StateText() string {
	now := p.Now()
	switch {
	case p.State == InParts:
		return p.WaitsFor()
	case p.State == AtBench && now != nil:
		return now.Kind.Traits().Name
	}
	return string(p.State)
}

// ExtraPieces plans what an item takes beside its prints. Extras of one kind and name are one.
func (h Shop) ExtraPieces(it Item) (out []ExtraPiece) {
	for _, e := range h.extrasOf(it) {
		n := e.Pieces(it.Copies)
		if n == 0 {
			continue
		}
		x := ExtraPiece{Extra: e, Kind: kindOf(e), Name: it.Title + ", " + e.What, Count: n, Plan: stripOf(e.Work(h.Book, it.Copies, h.History.Logged[""]))}
		if len(it.Parts) == 0 && n == it.Copies && (e.Kind == quote.Restore || e.What == it.Title) {
			x.Name = e.What // it is the thing
		}
		if e.Kind == quote.BoughtIn {
			if count := max(1, e.Count) * map[bool]float64{true: float64(it.Copies), false: 1}[e.PerCopy]; count > 1 {
				x.Name += fmt.Sprintf(", %d pieces", int(count))
			}
		}
		if e.Kind == quote.Base && len(it.Parts) > 0 {
			x.Plan[0].How = "the figure comes off again: leave its place flat"
			if h.Studio.Defaults.Schools.GlueDown {
				x.Plan[0].How = "the figure is glued down: drill for its pins first"
			}
		}
		for k := range x.Plan {
			if x.Plan[k].Kind == route.Ask {
				x.Plan[k].How = "before it comes to more than " + h.Studio.Money(quote.Minor(e.StopAt, Digits(h.Studio.Currency))).String()
			}
		}
		if e.Kind == quote.Trial {
			x.Name = it.Title + ", " + Pair(e)
		}
		out = append(out, x)
	}
	return out
}

// extrasOf are an item's extras, and the files made ready where it is sold as files.
func (h Shop) extrasOf(it Item) []quote.Extra {
	out := slices.Clone(it.Extras)
	if route.Printed(it.Tier) {
		return out
	}
	for _, p := range it.Parts {
		out = append(out, quote.Extra{Kind: quote.FileReady, What: p.Name, Hours: h.Book.V("file.hours")})
	}
	return out
}

// beside reports whether a piece of an extra goes into or with other pieces of its item, which
// are what is counted: prints, or what is restored.
func (x ExtraPiece) beside(it Item) bool {
	if OneOf(x.Kind, KindRestoration, KindFile) {
		return false
	}
	return len(it.Parts) > 0 || it.Restored()
}

// Restored reports whether the item is something old that is mended: what is printed for it goes
// into it.
func (i Item) Restored() bool {
	return slices.ContainsFunc(i.Extras, func(e quote.Extra) bool { return e.Kind == quote.Restore })
}

// Inserts reports whether goods go inside before the item's assembly is closed.
func (i Item) Inserts() bool {
	return slices.ContainsFunc(i.Extras, func(e quote.Extra) bool { return e.Inside && e.Pieces(i.Copies) > 0 })
}

// NewExtra is a piece of an extra before anything is done of it: it lies at the bench.
func (x ExtraPiece) NewExtra(code string, o Order, it Item) Piece {
	return Piece{Code: code, Kind: x.Kind, OrderID: o.ID, ItemID: it.ID, Beside: x.beside(it), Name: x.Name, Scale: it.Scale, Tier: it.Tier, Attempt: 1, State: AtBench, Stages: slices.Clone(x.Plan)}
}

// Is reports whether a piece is one of the extra's, by kind and name, whatever their number and
// whatever their item was called.
func (x ExtraPiece) Is(p Piece) bool {
	name := bare(p.Name)
	return p.Kind == x.Kind && (name == x.what() || strings.HasSuffix(name, ", "+x.what()))
}

// what is the extra without its item.
func (x ExtraPiece) what() string {
	if pair := Pair(x.Extra); pair != "" {
		return pair
	}
	return x.Extra.What
}

// bare is the name of an extra's piece without its number.
func bare(name string) string {
	if at := strings.LastIndex(name, ", "); at >= 0 && strings.HasSuffix(name, " pieces") {
		return name[:at]
	}
	return name
}

// RefitExtra makes a piece what is asked of its extra now; changed says whether anything was.
func (p Piece) RefitExtra(a Act, x ExtraPiece, it Item) (Piece, Entry, bool) {
	same := p.Name == x.Name && p.Beside == x.beside(it) && samePlan(p.Strip().Planned(), x.Plan)
	if same {
		return p, Entry{}, false
	}
	p.Name, p.Beside = x.Name, x.beside(it)
	p.Stages = Retier(p.Stages, slices.Clone(x.Plan))
	p.resume()
	return p, a.entry("piece changed", "%s: %s", p.Code, p.Name).of(p.OrderID, p.ID, 0), true
}

// samePlan reports whether two plans are of the same stages with the same minutes.
func samePlan(a []route.Stage, b []Stage) bool {
	return slices.EqualFunc(a, b, func(x route.Stage, y Stage) bool { return x.Kind == y.Kind && x.BookMin == y.BookMin })
}

// heldAt are the pieces of its item that a piece waited for at a time, at the stage that is next: a print for the client's
// yes on its sculpt, a glue joint for what goes inside, a parcel for what goes with it, goods for the piece they are put
// into, a repair for its spares.
func (p Piece) heldAt(at time.Time, all []Piece) (out []Piece) {
	now := p.Now()
	if now == nil || !p.Live() || !p.Gated() && now.Kind != route.Print {
		return nil
	}
	for _, o := range all {
		if o.ItemID == p.ItemID && o.ID != p.ID && o.Live() && !o.doneBy(at) && p.waitsAt(now.Kind, o) {
			out = append(out, o)
		}
	}
	return out
}

// doneBy reports whether a piece was done with at a time.
func (p Piece) doneBy(at time.Time) bool {
	last := p.Last()
	return p.State == PieceDone && (last == nil || !last.Done.After(at))
}

// waitsAt reports whether a piece waits at a stage for another that is not done.
func (p Piece) waitsAt(kind route.StageKind, o Piece) bool {
	switch {
	case kind == route.Print:
		return o.Kind == KindSculpt
	case kind == route.Mend && p.Kind == KindRestoration:
		return OneOf(o.Kind, KindPrint, KindCast, KindAssembly)
	case p.Beside && kind == route.Insert:
		return o.Kind == KindAssembly && o.State == InParts
	case p.Beside && kind == route.Fit:
		n := o.Now()
		return !o.Beside && o.ParentID == 0 && !OneOf(o.Kind, StaysHere()...) && n != nil && !OneOf(n.Kind, route.Fit, route.Pack)
	case o.ParentID == p.ID: // its own parts are there before it is joined after paint, or packed
		return kind == route.JoinAfter || kind == route.Pack
	case p.ParentID != 0 && route.Colours(kind): // a dry fit comes before the first coat
		return o.ID == p.ParentID && o.puts(route.DryFit) && !o.passed(route.DryFit)
	case p.Beside || p.ParentID != 0:
		return false
	case kind == route.Insert:
		return o.Beside && o.puts(route.Insert)
	case kind == route.Pack:
		return o.Beside && OneOf(o.Kind, KindBase, KindBought, KindSoft)
	}
	return false
}

// puts reports whether goods have a stage at which they are put in.
func (p Piece) puts(kind route.StageKind) bool {
	return slices.ContainsFunc(p.Stages, func(s Stage) bool { return s.Kind == kind })
}

// GoesInside are the goods that are put into a piece before it is closed: those that are in, and
// those still to go in. Nothing for a piece that is not closed over anything.
func (p Piece) GoesInside(all []Piece) (in, left []Piece) {
	if p.Beside || !p.puts(route.Insert) {
		return nil, nil
	}
	for _, o := range all {
		switch {
		case o.ItemID != p.ItemID || !o.Beside || !o.puts(route.Insert) || !o.Live():
		case o.passed(route.Insert):
			in = append(in, o)
		default:
			left = append(left, o)
		}
	}
	return in, left
}

// Gated reports whether the stage that is next may wait for other pieces.
func (p Piece) Gated() bool {
	now := p.Now()
	return now != nil && (now.Kind.Traits().Gate || p.ParentID != 0 && route.Colours(now.Kind))
}

// Held says in words what holds a piece up; empty for nothing.
func Held(by []Piece) string {
	if len(by) == 0 {
		return ""
	}
	var codes []string
	for _, p := range by[:min(3, len(by))] {
		codes = append(codes, p.Code+" "+p.Name)
	}
	if n := len(by) - len(codes); n > 0 {
		codes = append(codes, fmt.Sprintf("%d more", n))
	}
	return "waits for " + joinAnd(codes)
}

// HeldPiece is a piece that waits for a plate and must not be laid on one yet, and why not.
type HeldPiece struct {
	Piece     Piece
	Why       string
	Cause     string // of its file's failures, where that is why
	MachineID int64  // that it failed on last; 0: it is asked for with another piece
}

// HeldBack says why a piece of a part must not be laid on a plate as it is; empty: it may. sculpts
// are those of its item that the client has not said yes to.
func (p Piece) HeldBack(part Part, model Model, sculpts []Piece) string {
	part.Model = model
	switch {
	case len(sculpts) > 0:
		return "the client’s yes to " + sculpts[0].Code + " is still open"
	case part.ToCut() != "" && model.How != Cut:
		return part.ToCut()
	case part.Waived == "":
		return part.Sealed()
	}
	return ""
}
