package quote

import (
	"math"
	"slices"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Kinds of extras: what an item costs besides its prints.
const (
	Trial     = "trial"   // a small print to learn something by
	Sculpt    = "sculpt"  // hours of sculpting, with revisions
	Licence   = "licence" // a fee
	BoughtIn  = "bought"  // bought-in parts
	Freight   = "freight"
	Restore   = "restore" // hours on an old piece
	Base      = "base"    // hours on what it stands on
	SoftGoods = "soft"    // cut from a pattern: leather, cloth, padding
	Other     = "other"
	FileReady = "file" // a file made ready; of items that are sold as files, never typed
)

// Extra is one such thing. Money is in the studio's currency.
type Extra struct {
	Kind    string  `json:"kind"`
	What    string  `json:"what"`
	Each    float64 `json:"each,omitempty"`  // money for one
	Count   float64 `json:"count,omitempty"` // how many; of a copy, when PerCopy
	Pack    float64 `json:"pack,omitempty"`  // sold by so many; 0: one by one
	PerCopy bool    `json:"per_copy,omitempty"`
	Hours   float64 `json:"hours,omitempty"`  // once, and PerCopy for each copy
	Inside  bool    `json:"inside,omitempty"` // goods that are put in before the piece is closed
	Ground  string  `json:"ground,omitempty"` // of a base: Plain, Textured, Flocked or Poured
	Over    string  `json:"over,omitempty"`   // of a trial: what it is tried over, or with

	// Sculpting: the base is shared by a set, each further figure takes its extra.
	Figures     int     `json:"figures,omitempty"`
	FigureHours float64 `json:"figure_hours,omitempty"`
	Revisions   int     `json:"revisions,omitempty"`

	// Restoring: the odds, 0 to 1, of finding worse, what that takes then, and where work
	// stops to ask the client.
	Odds       float64 `json:"odds,omitempty"`
	WorseHours float64 `json:"worse_hours,omitempty"`
	StopAt     float64 `json:"stop_at,omitempty"`
}

// Check says what is wrong with an extra.
func (e Extra) Check() error {
	var v rates.Invalid
	v.Need(e.What != "", "what", "say what it is")
	v.Need(slices.Contains([]string{Plain, Textured, Flocked, Poured}, e.Ground), "ground", "a ground is plain, textured, flocked or poured")
	within := func(field, what string, x, most float64, unit string) {
		v.Need(x >= 0 && x <= most, field, "%s: between 0 and %s%s", what, rates.Number(most), unit)
	}
	within("each", "price", e.Each, rates.Greatest, "")
	within("stop_at", "stop and ask", e.StopAt, rates.Greatest, "")
	within("count", "how many", e.Count, 100_000, "")
	within("pack", "in a pack", e.Pack, 100_000, "")
	within("hours", "hours", e.Hours, 10_000, " h")
	within("figure_hours", "hours of a further figure", e.FigureHours, 10_000, " h")
	within("worse_hours", "hours then", e.WorseHours, 10_000, " h")
	within("figures", "figures", float64(e.Figures), 1000, "")
	within("revisions", "revisions", float64(e.Revisions), 100, "")
	within("odds", "odds", 100*e.Odds, 100, " %")
	return v.Err()
}

// LikelyHours are the hands it takes by the book, for so many copies: a sculpt is made once,
// whatever is printed of it; what may turn out worse counts by its odds.
func (e Extra) LikelyHours(b rates.Book, copies float64) float64 {
	if e.Kind == Sculpt {
		return e.Hours + float64(max(0, e.Figures-1))*e.FigureHours + float64(e.Revisions)*b.V("revision.hours")
	}
	if !e.PerCopy {
		copies = 1
	}
	hours := e.Hours
	if e.Kind == Restore {
		hours += e.Odds * e.WorseHours
	}
	return hours * copies
}

func (b *builder) extra(e Extra, copies float64, logged map[route.StageKind]finish.Logged) {
	count, times := max(1, e.Count), 1.0
	if e.PerCopy {
		times = copies
	}
	if e.Each > 0 {
		n := count * times
		in := []rates.Figure{rates.Of(e.What, e.Each, "¤", rates.Ours), rates.Of("how many", n, "×", rates.Ours)}
		formula := "price × how many"
		if e.Pack > 1 {
			packs := math.Ceil(n/e.Pack - 1e-9)
			formula, in = "price of a pack × packs", append(in, rates.Of("in a pack", e.Pack, "×", rates.Ours), rates.Of("packs", packs, "×", rates.Derived))
			n = packs
		}
		b.add(Bought, e.What, e.Each*n, 0, rates.Working{Formula: formula, Inputs: in})
	}
	hours, formula := e.LikelyHours(b.book, copies), "hours × wage"
	in := []rates.Figure{rates.Of("hours", e.Hours, "h", rates.Ours)}
	if e.PerCopy && copies > 1 {
		formula, in = "hours × copies × wage", append(in, rates.Of("copies", copies, "×", rates.Derived))
	}
	wage := b.book.Get("wage")
	switch e.Kind {
	case Sculpt:
		wage = b.book.Get("wage.sculpt")
		formula = "(base + further figures × hours + revisions × hours) × wage"
		in = []rates.Figure{rates.Of("base sculpt", e.Hours, "h", rates.Ours), rates.Of("further figures", float64(max(0, e.Figures-1)), "×", rates.Ours), rates.Of("a further figure", e.FigureHours, "h", rates.Ours),
			rates.Of("revisions", float64(e.Revisions), "×", rates.Ours), b.book.Get("revision.hours")}
	case Restore:
		wage = b.book.Get("wage.paint")
		formula = "(hours + odds of worse × hours then) × wage"
		in = append(in, rates.Of("odds of finding worse", 100*e.Odds, "%", rates.Ours), rates.Of("hours then", e.WorseHours, "h", rates.Ours))
	case Base:
		wage = b.book.Get("wage.paint")
	}
	if hours <= 0 {
		return
	}
	minutes, effort := e.expected(b.book, int(copies), logged)
	b.item.HandsMinutes += minutes
	amount := minutes / 60 * wage.Value
	b.add(Hands, e.What, amount, minutes, rates.Working{Formula: formula + " × expected of likely", Inputs: append(append(in, wage), effort.Inputs...)})
	worse := e.Odds * e.WorseHours * times * effort.Mean * wage.Value
	b.risky("other", e.What, amount-worse, 1, effort)
	if e.Kind == Restore && worse > 0 {
		b.item.risks = append(b.item.risks, risk{what: e.What + ": worse", piece: b.piece, amount: worse, odds: e.Odds, each: worse / e.Odds})
	}
}

// expected is what all of an extra's things take of hands, in minutes, and how it may turn out:
// as its longest stage may.
func (e Extra) expected(b rates.Book, copies int, logged map[route.StageKind]finish.Logged) (minutes float64, effort finish.Effort) {
	longest := -1.0
	for _, w := range e.Work(b, copies, logged) {
		minutes += w.Minutes * float64(max(1, e.Pieces(copies)))
		if w.BookMin > longest {
			longest, effort = w.BookMin, w.Effort
		}
	}
	return minutes, effort
}

// Floor is the least price at which an hour of hands earns its wage, and what an hour
// earns at a net price: for work whose worth is told by something else than its hours.
func (i Item) Floor(netMinor int64) (floorMinor int64, perHour float64) {
	if i.HandsMinutes > 0 {
		perHour = float64(netMinor-i.CostMinor+i.ByKind(Hands)) / (i.HandsMinutes / 60)
	}
	return i.CostMinor, perHour
}
