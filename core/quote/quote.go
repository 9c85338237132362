// Package quote builds a price up from what a thing costs: material, machines,
// hands, failures, what is bought in, and overhead for each item; then margin, rush,
// discount, tax and deposit for the whole, and a range for what it may cost. It rounds
// once, half to even, at the end of a line; every line carries its working. It never
// decides what to ask, only what follows from the rates.
package quote

import (
	"math"
	"slices"

	"github.com/shopspring/decimal"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// The kinds of cost, in the order they are shown.
const (
	Material = "material"
	Machine  = "machines"
	Hands    = "hands"
	Failure  = "failures"
	Bought   = "bought in"
	Overhead = "overhead"
)

// Kinds lists the kinds of cost in order.
func Kinds() []string { return []string{Material, Machine, Hands, Failure, Bought, Overhead} }

// Part is what one part contributes, for all its copies in an item.
type Part struct {
	Name           string
	Copies         int
	Process        string
	MaterialGrams  float64 // of one copy, supports included
	LossGrams      float64 // of one copy's share of a plate
	PlateLossGrams float64 // of a plate that carries nothing else
	PricePerKG     rates.Figure
	MaterialInputs []rates.Figure // how the grams came about
	MachineMinutes float64        // of one copy: its share of a shared run
	RunMinutes     float64        // of the run it is printed in: the time that is at risk
	MachineInputs  []rates.Figure
	MachinePerHour float64
	RateInputs     []rates.Figure
	OccupiedPerHr  rates.Figure // charged for an occupied hour beside its cost
	WearEach       float64      // of film or nozzle, one copy's share
	WearInputs     []rates.Figure
	FailurePerHour rates.Figure
	Noticed        rates.Figure // hours after which a failure is noticed, or at the end
	FirstRuns      float64      // further tries expected because it was never printed
	CutInto        int          // printed in so many pieces, each a run of its own, which Work minds; 0 and 1: in one
	Wage           rates.Figure
	SentBack       rates.Figure // further rounds that a look is expected to ask for
	Work           []finish.Work
	MasterWork     []finish.Work // of the one print, where copies are cast of it
	Supplies       []finish.Supply
	Casting        *Casting // cast from one print instead of printed each
}

// pieces is in how many runs a copy is printed.
func (p Part) pieces() float64 { return float64(max(1, p.CutInto)) }

// Job is one item of an order: its parts, how they are joined, and what else it takes.
type Job struct {
	Parts  []Part
	Copies int
	Seam   *finish.Seam
	Extras []Extra
	Logged map[route.StageKind]finish.Logged // what stamps say of the stages of extras
}

// Line is one amount of an item's cost.
type Line struct {
	Kind    string        `json:"kind"`
	What    string        `json:"what"`
	Minor   int64         `json:"minor"` // amount in minor units
	Minutes float64       `json:"minutes,omitempty"`
	Alone   int64         `json:"alone,omitempty"` // what it came to if it had to run alone
	Working rates.Working `json:"working"`
}

// Item is the cost of one line of the order.
type Item struct {
	Lines          []Line  `json:"lines"`
	CostMinor      int64   `json:"cost_minor"`
	HandsMinutes   float64 `json:"hands_minutes"`
	MachineMinutes float64 `json:"machine_minutes"`
	Grams          float64 `json:"grams"`
	AloneMinor     int64   `json:"alone_minor,omitempty"` // more than its cost, if no plate were shared
	risks          []risk
}

// ByKind sums the item's lines of a kind.
func (i Item) ByKind(kind string) (minor int64) {
	for _, l := range i.Lines {
		if l.Kind == kind {
			minor += l.Minor
		}
	}
	return minor
}

// MinutesByKind sums the minutes of the item's lines of a kind.
func (i Item) MinutesByKind(kind string) (minutes float64) {
	for _, l := range i.Lines {
		if l.Kind == kind {
			minutes += l.Minutes
		}
	}
	return minutes
}

// MostMinor is the most that one line can come to; sums of lines then stay within
// what an integer holds.
const MostMinor = 10_000_000_000_000

// Units is an amount of minor units in whole ones.
func Units(minor int64, digits int32) float64 { return float64(minor) / math.Pow10(int(digits)) }

// Minor rounds an amount to minor units, half to even, MostMinor at most.
func Minor(amount float64, digits int32) int64 {
	most := Units(MostMinor, digits)
	switch {
	case math.IsNaN(amount):
		return 0
	case amount > most:
		return MostMinor
	case amount < -most:
		return -MostMinor
	}
	return decimal.NewFromFloat(amount).Shift(digits).RoundBank(0).IntPart()
}

// builder works out one item.
type builder struct {
	book   rates.Book
	digits int32
	item   Item
	piece  int // what goes wrong together
}

func (b *builder) add(kind, what string, amount, minutes float64, w rates.Working) {
	w.Result = rates.Of(what, amount, "¤", rates.Derived)
	b.item.Lines = append(b.item.Lines, Line{Kind: kind, What: what, Minor: Minor(amount, b.digits), Minutes: minutes, Working: w})
}

// risky notes that an amount for so many copies may turn out otherwise. What the book is off
// by is common to all of its kind; half of what is left is the part's, and the other half each
// copy's, which is evened out over many.
func (b *builder) risky(kind, what string, amount, copies float64, e finish.Effort) {
	own := e.Deviation * math.Sqrt(partly+(1-partly)/max(1, copies))
	all := math.Hypot(own, e.Common)
	if amount <= 0 || all <= 0 {
		return
	}
	share := e.Common / all
	if e.Common > 0 || copies > 1 {
		e.Low, e.High, e.Deviation = 0, 0, all
	}
	b.item.risks = append(b.item.risks, risk{kind: kind, what: what, piece: b.piece, amount: amount, shape: shapeOf(e), common: share * share})
}

// partly is how much of a spread from piece to piece is the part's, whatever the copy.
// Source: from memory.
const partly = 0.5

// Build works out the cost of the items of an order. Consumables are bought by the pack,
// and what is left in those opened for the order is shared out by what each item uses.
// digits is how many decimals the currency has.
func Build(b rates.Book, jobs []Job, digits int32) []Item {
	packs := opened(b, jobs)
	out := make([]Item, len(jobs))
	piece := 0
	for i, j := range jobs {
		w := builder{book: b, digits: digits, piece: piece}
		for _, p := range j.Parts {
			name := func(what string) string {
				if len(j.Parts) > 1 {
					return p.Name + ": " + what
				}
				return what
			}
			w.part(p, packs, name)
			w.piece++
		}
		if j.Seam != nil {
			w.join(*j.Seam, j.copies(), packs)
		}
		for _, e := range j.Extras {
			w.extra(e, j.copies(), j.Logged)
			w.piece++
		}
		piece = w.piece + 1
		w.overhead()
		out[i] = w.item
	}
	return out
}

func (j Job) copies() float64 { return float64(max(1, j.Copies)) }

func (b *builder) part(p Part, packs map[string]pack, name func(string) string) {
	if p.Casting != nil {
		b.cast(p, packs, name)
		return
	}
	material, machine, atRisk := b.printed(p, float64(p.Copies), name)
	b.failing(p, material, machine, atRisk, name)
	for _, w := range p.Work {
		b.work(w, p.Wage, float64(p.Copies), name)
	}
	b.sentBack(p, name)
	b.supplies(p, packs, name)
}

// sentBack adds the rounds that looks are expected to ask for beyond those of the finish route:
// from the filling or sanding before a look to the look.
func (b *builder) sentBack(p Part, name func(string) string) {
	if p.SentBack.Value <= 0 {
		return
	}
	var round, all float64 // money of a copy
	for _, w := range p.Work {
		cost := w.Minutes / 60 * p.wage(b.book, w).Value
		switch {
		case w.Kind == route.Fill, w.Kind == route.Sand && round == 0:
			round = cost
		case round > 0:
			round += cost
		}
		if w.Kind == route.Look {
			all, round = all+round, 0
		}
	}
	amount := all * p.SentBack.Value * float64(p.Copies)
	if amount <= 0 {
		return
	}
	b.add(Failure, name("what looks send back"), amount, 0, rates.Working{Formula: "hands of the rounds that are looked at × further rounds × copies",
		Inputs: []rates.Figure{rates.Of("hands of the rounds, a copy", all, "¤", rates.Derived), p.SentBack, rates.Of("copies", float64(p.Copies), "×", rates.Derived)}})
	b.risky("other", name("what looks send back"), amount, float64(p.Copies), finish.SpreadOf(b.book, "other"))
}

// printed adds what n prints take, and returns what a failed run of all of them wastes.
func (b *builder) printed(p Part, n float64, name func(string) string) (material, machine, atRisk float64) {
	copies := rates.Of("copies", n, "×", rates.Derived)
	material = (p.MaterialGrams + p.LossGrams) * n / 1000 * p.PricePerKG.Value
	b.item.Grams += p.MaterialGrams * n
	b.add(Material, name(p.Process), material, 0, rates.Working{
		Formula: "(part with supports + loss) × price × copies",
		Inputs: append(append([]rates.Figure{}, p.MaterialInputs...),
			rates.Of("share of what a plate loses", p.LossGrams, "g", rates.Derived), p.PricePerKG, copies),
	})
	b.risky("material", name("material"), material, n, finish.SpreadOf(b.book, "material"))
	machine = p.MachineMinutes / 60 * p.MachinePerHour * n
	b.item.MachineMinutes += p.MachineMinutes * n
	b.add(Machine, name("machine time"), machine, p.MachineMinutes*n, rates.Working{
		Formula: "share of the run × machine hour × copies",
		Inputs: append(append(append([]rates.Figure{}, p.MachineInputs...),
			rates.Of("machine hour", p.MachinePerHour, "¤/h", rates.Derived)), append(append([]rates.Figure{}, p.RateInputs...), copies)...),
	})
	b.risky("machine", name("machine time"), machine, n, finish.SpreadOf(b.book, "machine"))
	alone := machine
	if p.MachineMinutes > 0 {
		alone = p.RunMinutes / 60 * p.MachinePerHour * n
	}
	alone += (p.PlateLossGrams - p.LossGrams) * n / 1000 * p.PricePerKG.Value
	if at := len(b.item.Lines) - 1; process.Of(p.Process).TallestSets && alone > machine {
		b.item.Lines[at].Alone = Minor(alone, b.digits)
		b.item.AloneMinor += Minor(alone-machine, b.digits)
	}
	if charge := p.OccupiedPerHr.Value; charge > 0 {
		b.add(Machine, name("occupied hours"), p.MachineMinutes/60*charge*n, 0, rates.Working{Formula: "share of the run × charge × copies",
			Inputs: append(append([]rates.Figure{}, p.MachineInputs...), p.OccupiedPerHr, copies)})
		machine += p.MachineMinutes / 60 * charge * n
	}
	if p.WearEach > 0 {
		b.add(Machine, name("wear"), p.WearEach*n, 0, rates.Working{Formula: "wear of a plate × share × copies", Inputs: append(append([]rates.Figure{}, p.WearInputs...), copies)})
		machine += p.WearEach * n
	}
	for _, w := range p.Work {
		if w.Kind == "print" {
			atRisk = w.Minutes / 60 * p.wage(b.book, w).Value * n
		}
	}
	return material, machine, atRisk
}

// failing adds what failed runs are expected to waste: material and machine until somebody
// notices, and the hands at the plate.
func (b *builder) failing(p Part, material, machine, atRisk float64, name func(string) string) {
	pieces := p.pieces()
	run := p.RunMinutes / pieces
	extra := process.ExtraRuns(p.FailurePerHour.Value, run) + p.FirstRuns
	wasted := 1.0
	if run > 0 {
		wasted = process.WastedMinutes(run, p.FailurePerHour.Value, p.Noticed.Value) / run
	}
	loss := (material+machine)*wasted + atRisk // the hands of all pieces: the work at the plate says so
	formula := "(e^(failures per hour × hours) − 1 + first tries) × ((material + machine) × wasted until noticed + hands at the machine)"
	in := []rates.Figure{p.FailurePerHour, rates.Of("run", run/60, "h", rates.Derived), p.Noticed, rates.Of("wasted until noticed", 100*wasted, "%", rates.Derived)}
	if pieces > 1 {
		in = append(in, rates.Of("printed in pieces", pieces, "×", rates.Ours))
	}
	if p.FirstRuns > 0 {
		in = append(in, b.book.Get("failure.first"))
	}
	b.add(Failure, name("failed runs"), extra*loss, 0, rates.Working{Formula: formula, Inputs: append(in,
		rates.Of("material", material, "¤", rates.Derived), rates.Of("machine", machine, "¤", rates.Derived),
		rates.Of("hands at the machine", atRisk, "¤", rates.Derived))})
	if loss > 0 && extra > 0 {
		share := 1.0
		if p.RunMinutes > 0 && p.MachineMinutes > 0 {
			share = min(1, p.MachineMinutes/p.RunMinutes)
		}
		runs := int(max(1, min(400, math.Ceil(share*float64(p.Copies)*pieces-1e-9))))
		b.item.risks = append(b.item.risks, risk{what: name("failed runs"), piece: b.piece, amount: extra * loss, runs: runs, each: loss / float64(runs), tries: extra})
	}
}

// wage is what an hour of a stage costs: the person's, if one is named for it, else the
// book's for the skill.
func (p Part) wage(b rates.Book, w finish.Work) rates.Figure {
	if p.Wage.Value > 0 {
		return p.Wage
	}
	return b.Get(w.Kind.Traits().Wage)
}

func (b *builder) work(w finish.Work, person rates.Figure, copies float64, name func(string) string) {
	minutes := w.Minutes * copies
	if minutes <= 0 {
		return
	}
	b.item.HandsMinutes += minutes
	wage := Part{Wage: person}.wage(b.book, w)
	working := w.Working
	working.Formula = "(" + working.Formula + ") × wage × copies"
	working.Inputs = append(append([]rates.Figure{}, working.Inputs...), wage, rates.Of("copies", copies, "×", rates.Derived))
	what := w.Kind.Traits().Name
	b.add(Hands, name(what), minutes/60*wage.Value, minutes, working)
	b.risky(what, name(what), minutes/60*wage.Value, copies, w.Effort)
}

// pack is what an order opens of a consumable.
type pack struct {
	used, opened, factor float64
	figure               rates.Figure
}

// opened adds up what all items use of each consumable, and how many packs that opens.
func opened(b rates.Book, jobs []Job) map[string]pack {
	type need struct{ used, size, least float64 }
	needs := map[string]need{}
	use := func(s finish.Supply, n float64) {
		if s.Amount <= 0 || s.Pack <= 0 {
			return
		}
		d := needs[s.Key]
		d.used, d.size, d.least = d.used+s.Amount*n, s.Pack, max(d.least, s.Packs)
		needs[s.Key] = d
	}
	for _, j := range jobs {
		for _, p := range j.Parts {
			for _, s := range p.Supplies {
				use(s, p.using(s))
			}
		}
		if j.Seam != nil {
			if _, s := finish.Join(b, *j.Seam); s.Key != "" {
				use(s, j.copies())
			}
		}
	}
	packs := map[string]pack{}
	for key, d := range needs {
		// Colours are bought one by one: each takes its share and opens whole pots of it.
		n := d.least * math.Ceil(d.used/d.least/d.size-1e-9)
		left := n*d.size - d.used
		packs[key] = pack{used: d.used, opened: n, factor: 1 + b.V("open.share")/100*left/d.used, figure: rates.Of("opened for the order", n, "packs", rates.Derived)}
	}
	return packs
}

func (b *builder) supplies(p Part, packs map[string]pack, name func(string) string) {
	for _, s := range p.Supplies {
		b.supply(s, p.using(s), packs, name)
	}
}

// using is how many of a part's copies use a thing up: the one print of a casting is washed,
// filled and sanded, its copies are only primed and painted.
func (p Part) using(s finish.Supply) float64 {
	if p.Casting != nil && !slices.Contains([]string{"primer", "paint", "shade", "clear", "tape"}, s.Key) {
		return 1
	}
	return float64(p.Copies)
}

func (b *builder) supply(s finish.Supply, copies float64, packs map[string]pack, name func(string) string) {
	if s.Amount <= 0 {
		return
	}
	w := s.Working
	w.Formula = "(" + w.Formula + ") × price × copies"
	w.Inputs = append(append([]rates.Figure{}, w.Inputs...), rates.Of("a piece", s.Amount, s.Unit, rates.Derived), rates.Of("copies", copies, "×", rates.Derived))
	cost := s.Amount * copies * s.PerUnit
	if p, ok := packs[s.Key]; ok {
		cost *= p.factor
		w.Formula += " × with what is left in the packs"
		w.Inputs = append(w.Inputs, rates.Of("all items use", p.used, s.Unit, rates.Derived), p.figure, b.book.Get("open.share"), rates.Of("with what is left in the packs", p.factor, "×", rates.Derived))
	}
	b.add(Material, name(s.What), cost, 0, w)
}

func (b *builder) join(s finish.Seam, copies float64, packs map[string]pack) {
	work, glue := finish.Join(b.book, s)
	named := func(what string) string { return "join: " + what }
	for _, w := range work {
		if w.Kind == route.Pack {
			named = func(what string) string { return what }
		}
		b.work(w, rates.Figure{}, copies, named)
	}
	b.supply(glue, copies, packs, func(what string) string { return what })
}

func (b *builder) overhead() {
	var direct int64
	for _, l := range b.item.Lines {
		direct += l.Minor
	}
	cost := Units(direct, b.digits)
	b.add(Overhead, "overhead", cost*b.book.V("overhead")/100, 0, rates.Working{
		Formula: "direct cost × overhead",
		Inputs:  []rates.Figure{rates.Of("direct cost", cost, "¤", rates.Derived), b.book.Get("overhead")},
	})
	b.item.CostMinor = direct + b.item.Lines[len(b.item.Lines)-1].Minor
	for i := range b.item.risks { // it grows with what it lies on
		b.item.risks[i].amount *= 1 + b.book.V("overhead")/100
		b.item.risks[i].each *= 1 + b.book.V("overhead")/100
	}
}
