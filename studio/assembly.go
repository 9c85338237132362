package studio

import (
	"slices"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/core/schedule"
)

// Joined reports whether what one copy of the item is made of is joined in the studio: the
// pieces of each copy are then a tree, an assembly over its prints.
func (i Item) Joined() bool {
	n := 0
	for _, p := range i.Parts {
		n += p.Copies
	}
	return n > 1 && !i.Apart && route.Printed(i.Tier) && (i.Tier != route.Raw || i.cutSeams() > 0)
}

// cutSeams is how many seams of one copy come of parts being cut to be printed.
func (i Item) cutSeams() (seams float64) {
	seen := map[string]bool{}
	for _, p := range i.Parts {
		if p.Model.How != Cut {
			continue
		}
		if seams += float64(p.Copies); !seen[p.Model.Batch] {
			seen[p.Model.Batch] = true
			seams -= float64(p.Copies)
		}
	}
	return seams
}

// Principal is the part that an item is named and drawn after, and on which what is counted of
// it lies: the one with the most surface to be seen.
func (i Item) Principal() (of Part) {
	most := -1.0
	for _, p := range i.Parts {
		seen := p.Model.Shape.Faces.OuterMM2
		if !p.Model.Shape.Faces.Known() {
			seen = p.Model.Measures.AreaMM2
		}
		if p.Unseen() {
			seen = 0
		}
		if seen > most {
			of, most = p, seen
		}
	}
	return of
}

// countedOn is what of an item's features lies on a part: colours and weathering go over all of
// it, what is counted once lies on the principal part.
func (i Item) countedOn(p Part) finish.Features {
	f := i.Features
	if len(i.Parts) > 1 && p.ID != i.Principal().ID {
		return finish.Features{Colours: f.Colours, Weather: f.Weather}
	}
	return f
}

// AssemblyStages plans the strip of one assembly of an item: it is put together, then coloured,
// joined with what was coloured apart, fitted out and packed whole. The hands of its colours are
// those of all its parts that are joined before.
func (h Shop) AssemblyStages(it Item, items []Item) []Stage {
	together := h.sessionsOf(items)
	var first, whole []finish.Work
	if seam := h.seamOf(it, together); seam != nil {
		work, _ := finish.Join(h.Book, *seam)
		at := slices.IndexFunc(work, func(w finish.Work) bool { return w.Kind == route.JoinAfter || w.Kind == route.Pack })
		if at < 0 {
			at = len(work)
		}
		first, whole = work[:at], work[at:]
	}
	for _, p := range it.Parts {
		after := it.after(p)
		for _, w := range finish.Plan(h.Book, h.sharing(p, it, together)) {
			if n := float64(p.Copies); w.Kind.Traits().Whole && !(after && route.Colours(w.Kind)) {
				w.Minutes, w.BookMin = w.Minutes*n, w.BookMin*n
				whole = append(whole, w)
			}
		}
	}
	kinds := route.Whole(h.Studio.Defaults.Schools.ClearUnderLines, h.Studio.Defaults.Schools.FitBeforeClear)
	slices.SortStableFunc(whole, func(a, b finish.Work) int { return slices.Index(kinds, a.Kind) - slices.Index(kinds, b.Kind) })
	return stripOf(append(slices.Clone(first), merged(whole)...))
}

// merged does what is of one kind and follows on itself at one go.
func merged(work []finish.Work) (out []finish.Work) {
	for _, w := range work {
		if last := len(out) - 1; last >= 0 && out[last].Kind == w.Kind {
			o := &out[last]
			o.Minutes, o.BookMin, o.WaitS = o.Minutes+w.Minutes, o.BookMin+w.BookMin, max(o.WaitS, w.WaitS)
			continue
		}
		out = append(out, w)
	}
	return out
}

// ChildCode is the label of the next piece that an assembly is made of: its own with a letter.
func ChildCode(assembly string, taken []string) string {
	n := 0
	for _, code := range taken {
		if rest, ok := strings.CutPrefix(code, assembly); ok && rest != "" && strings.Trim(rest, letters) == "" {
			n++
		}
	}
	suffix := ""
	for n++; n > 0; n = (n - 1) / len(letters) {
		suffix = string(letters[(n-1)%len(letters)]) + suffix
	}
	return assembly + suffix
}

const letters = "abcdefghijklmnopqrstuvwxyz"

// PartsOf are the pieces that an assembly is made of, whatever became of them.
func (p Piece) PartsOf(all []Piece) (out []Piece) {
	for _, c := range all {
		if c.ParentID == p.ID && p.ID != 0 {
			out = append(out, c)
		}
	}
	return out
}

// Gather brings a piece in line with what it is made of: it lies at the bench once all of that
// is done, none is missing and none wants settling, and waits for it until then. It reports
// whether anything changed. What has been begun goes on.
func (p Piece) Gather(all []Piece) (Piece, bool) {
	if p.Kind != KindAssembly && p.FromID == 0 || !OneOf(p.State, InParts, AtBench) || p.Last() != nil {
		return p, false
	}
	ready := false
	if of, ok := p.source(all); ok {
		ready = of.State == PieceDone
	}
	if len(p.Missing(all)) > 0 {
		return p.now(InParts)
	}
	if ready = ready || slices.ContainsFunc(p.PartsOf(all), Piece.Live); !ready {
		return p.now(InParts)
	}
	return p.now(AtBench)
}

func (p Piece) now(s PieceState) (Piece, bool) {
	changed := p.State != s
	p.State = s
	return p, changed
}

// Missing says what an assembly still waits for: its parts that are not done, nor lie there to be
// fitted before their own colours.
func (p Piece) Missing(all []Piece) (out []Piece) {
	for _, c := range p.PartsOf(all) {
		if c.Short(all) || c.Live() && !c.fitsDry() {
			out = append(out, c)
		}
	}
	return out
}

// fitsDry reports whether a part is as far as its assembly wants it for the dry fit: done, or smooth
// and about to be coloured by itself.
func (p Piece) fitsDry() bool {
	now := p.Now()
	return p.State == PieceDone || p.State == AtBench && now != nil && route.Colours(now.Kind)
}

// ColouredApart reports whether a part has coats of its own, and is joined after them.
func (p Piece) ColouredApart() bool {
	return p.ParentID != 0 && slices.ContainsFunc(p.Stages, func(s Stage) bool { return route.Colours(s.Kind) })
}

// passed reports whether a stage of a kind is stamped.
func (p Piece) passed(kind route.StageKind) bool {
	return slices.ContainsFunc(p.Stages, func(s Stage) bool { return s.Kind == kind && s.Mark == route.Done })
}

// ChainsOf is what the pieces of each order still have before them, a chain of steps for each
// print; an assembly follows on the longest of its parts, a mould on its print and the first
// casting on its mould. open counts what clients get.
func ChainsOf(pieces []Piece, now time.Time, runMin map[int64]float64) (chains map[int64][][]schedule.Step, open map[int64]int) {
	chains, open = map[int64][][]schedule.Step{}, map[int64]int{}
	long := func(steps []schedule.Step) (minutes float64) {
		for _, s := range steps {
			minutes += s.HandsMin + s.WaitMin
		}
		return minutes
	}
	last := map[int64]int{} // where in its order the longest chain of an assembly's parts stands
	for _, p := range pieces {
		if p.Kind == KindAssembly || p.FromID != 0 {
			continue
		}
		steps := p.Ahead(now, runMin[p.ID])
		chains[p.OrderID] = append(chains[p.OrderID], steps)
		at := len(chains[p.OrderID]) - 1
		if p.Kind == KindMaster {
			last[p.ID] = at
		}
		if before, ok := last[p.ParentID]; p.ParentID != 0 && (!ok || long(steps) > long(chains[p.OrderID][before])) {
			last[p.ParentID] = at
		}
	}
	follow := func(p Piece, on int64) (at int) {
		steps := p.Ahead(now, 0)
		at, ok := last[on]
		if ok {
			chains[p.OrderID][at] = append(chains[p.OrderID][at], steps...)
			delete(last, on) // the next casting only needs hands
			return at
		}
		chains[p.OrderID] = append(chains[p.OrderID], steps)
		return len(chains[p.OrderID]) - 1
	}
	for _, p := range pieces { // what is cast follows on what it is made of
		if p.ClientGets() {
			open[p.OrderID]++
		}
		if p.FromID == 0 {
			continue
		}
		at := follow(p, p.FromID)
		if p.Kind == KindMould {
			last[p.ID] = at
		}
		if before, ok := last[p.ParentID]; p.ParentID != 0 && (!ok || long(chains[p.OrderID][at]) > long(chains[p.OrderID][before])) {
			last[p.ParentID] = at
		}
	}
	for _, p := range pieces { // and an assembly on its parts
		if p.Kind == KindAssembly {
			follow(p, p.ID)
		}
	}
	return chains, open
}
