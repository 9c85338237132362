// Package quote builds a price up from what a thing costs: material, machines,
// hands, failures, what is bought in, and overhead for each item; then margin, rush,
// discount, tax and deposit for the whole, and a range for what it may cost. It rounds
// once, half to even, at the end of a line; every line carries its working. It never
// decides what to ask, only what follows from the rates.
package quote

import (
	"fmt"
	"math"

	"github.com/shopspring/decimal"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
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
	WearEach       float64 // of film or nozzle, one copy's share
	WearInputs     []rates.Figure
	FailurePerHour rates.Figure
	FirstRuns      float64 // further tries expected because it was never printed
	CutInto        int     // printed in so many pieces, each a run of its own, which Work minds; 0 and 1: in one
	Wage           rates.Figure
	Work           []finish.Work
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

// Minor rounds an amount to minor units, half to even, MostMinor at most.
func Minor(amount float64, digits int32) int64 {
	most := MostMinor / math.Pow10(int(digits))
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

// risky notes that an amount may turn out otherwise.
func (b *builder) risky(what string, amount float64, e finish.Effort) {
	if amount > 0 && e.Deviation > 0 {
		b.item.risks = append(b.item.risks, risk{what: what, piece: b.piece, amount: amount, shape: shapeOf(e)})
	}
}

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
		if j.Seam != nil && j.Seam.Seams > 0 {
			w.join(*j.Seam, j.copies(), packs)
		}
		for _, e := range j.Extras {
			w.extra(e, j.copies())
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
	b.supplies(p.Supplies, float64(p.Copies), packs, name)
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
	b.risky(name("material"), material, finish.SpreadOf(b.book, "material"))
	machine = p.MachineMinutes / 60 * p.MachinePerHour * n
	b.item.MachineMinutes += p.MachineMinutes * n
	b.add(Machine, name("machine time"), machine, p.MachineMinutes*n, rates.Working{
		Formula: "share of the run × machine hour × copies",
		Inputs: append(append(append([]rates.Figure{}, p.MachineInputs...),
			rates.Of("machine hour", p.MachinePerHour, "¤/h", rates.Derived)), append(append([]rates.Figure{}, p.RateInputs...), copies)...),
	})
	b.risky(name("machine time"), machine, finish.SpreadOf(b.book, "machine"))
	alone := machine
	if p.MachineMinutes > 0 {
		alone = p.RunMinutes / 60 * p.MachinePerHour * n
	}
	alone += (p.PlateLossGrams - p.LossGrams) * n / 1000 * p.PricePerKG.Value
	if at := len(b.item.Lines) - 1; p.Process == process.Resin && alone > machine {
		b.item.Lines[at].Alone = Minor(alone, b.digits)
		b.item.AloneMinor += Minor(alone-machine, b.digits)
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

// failing adds what failed runs are expected to waste.
func (b *builder) failing(p Part, material, machine, atRisk float64, name func(string) string) {
	pieces := p.pieces()
	run := p.RunMinutes / pieces
	extra := process.ExtraRuns(p.FailurePerHour.Value, run) + p.FirstRuns
	loss := material + machine + atRisk // the hands of all pieces: the work at the plate says so
	formula := "(e^(failures per hour × hours) − 1 + first tries) × (material + machine + hands at the machine)"
	in := []rates.Figure{p.FailurePerHour, rates.Of("run", run/60, "h", rates.Derived)}
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
	return b.Get(finish.Skill(w.Kind))
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
	what := w.Kind.Manner().Name
	b.add(Hands, name(what), minutes/60*wage.Value, minutes, working)
	b.risky(name(what), minutes/60*wage.Value, w.Effort)
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
				use(s, float64(p.Copies))
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

func (b *builder) supplies(list []finish.Supply, copies float64, packs map[string]pack, name func(string) string) {
	for _, s := range list {
		b.supply(s, copies, packs, name)
	}
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
	w, glue := finish.Join(b.book, s)
	same := func(what string) string { return what }
	minutes := w.Minutes * copies
	b.item.HandsMinutes += minutes
	wage := b.book.Get("wage")
	working := w.Working
	working.Formula = "(" + working.Formula + ") × wage × copies"
	working.Inputs = append(append([]rates.Figure{}, working.Inputs...), wage, rates.Of("copies", copies, "×", rates.Derived))
	b.add(Hands, "join", minutes/60*wage.Value, minutes, working)
	b.risky("join", minutes/60*wage.Value, w.Effort)
	b.supply(glue, copies, packs, same)
}

func (b *builder) overhead() {
	var direct int64
	for _, l := range b.item.Lines {
		direct += l.Minor
	}
	cost := float64(direct) / math.Pow10(int(b.digits))
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

// Casting is one print, a mould of it, and copies cast.
type Casting struct {
	VolumeMM3 float64 // of one copy
}

// cost works out what a mould and a copy cost: hours, rubber; minutes, casting resin.
func (c Casting) cost(b rates.Book) (mould, mouldMin, copy, copyMin float64) {
	litres := c.VolumeMM3 / 1e6
	mouldMin, copyMin = b.V("mould.hours")*60, b.V("cast.minutes")
	mould = mouldMin/60*b.V("wage") + litres*b.V("mould.rubber")*b.V("mould.price")
	copy = copyMin/60*b.V("wage") + litres*(1+b.V("cast.loss")/100)*b.V("cast.price")
	return mould, mouldMin, copy, copyMin
}

// cast adds a master that is printed and finished once, moulds, and copies; what comes
// after the mould is painted like any copy.
func (b *builder) cast(p Part, packs map[string]pack, name func(string) string) {
	master := p
	master.Copies = 1
	material, machine, atRisk := b.printed(master, 1, name)
	b.failing(master, material, machine, atRisk, name)
	n := float64(p.Copies)
	mould, mouldMin, copy, copyMin := p.Casting.cost(b.book)
	moulds := math.Ceil(n / max(1, b.book.V("mould.life")))
	wage := b.book.Get("wage")
	b.item.HandsMinutes += moulds*mouldMin + n*copyMin
	volume := rates.Of("volume of a copy", p.Casting.VolumeMM3/1000, "cm³", rates.Mesh)
	b.add(Hands, name("moulds"), moulds*mould, moulds*mouldMin, rates.Working{Formula: "moulds × (hours × wage + volume × rubber around it × price)",
		Inputs: []rates.Figure{rates.Of("copies", n, "×", rates.Derived), b.book.Get("mould.life"), b.book.Get("mould.hours"), wage, volume, b.book.Get("mould.rubber"), b.book.Get("mould.price")}})
	b.add(Hands, name("casting"), n*copy, n*copyMin, rates.Working{Formula: "copies × (minutes × wage + volume × (1 + loss) × price)",
		Inputs: []rates.Figure{rates.Of("copies", n, "×", rates.Derived), b.book.Get("cast.minutes"), wage, volume, b.book.Get("cast.loss"), b.book.Get("cast.price")}})
	b.risky(name("casting"), n*copy+moulds*mould, finish.SpreadOf(b.book, "other"))
	for _, w := range p.Work {
		switch w.Kind {
		case "base", "mask", "shade", "light", "detail", "weather", "clear", "fit", "pack":
			b.work(w, p.Wage, n, name)
		default:
			b.work(w, p.Wage, 1, name)
		}
	}
	b.supplies(p.Supplies, n, packs, name)
}

// BreakEven is from how many copies casting costs less than printing each; 0 when it never
// does up to the most that is asked about.
func BreakEven(b rates.Book, p Part, volumeMM3 float64, most int) (from int) {
	cost := func(n int, cast bool) float64 {
		one := p
		one.Copies, one.Casting = n, nil
		if cast {
			one.Casting = &Casting{volumeMM3}
		}
		one.Supplies = nil // the same either way, near enough
		return float64(Build(b, []Job{{Parts: []Part{one}, Copies: n}}, 2)[0].CostMinor)
	}
	if cost(most, true) >= cost(most, false) {
		return 0
	}
	low, high := 1, most // casting is dear at first and then gains with every copy
	for low < high {
		if mid := (low + high) / 2; cost(mid, true) < cost(mid, false) {
			high = mid
		} else {
			low = mid + 1
		}
	}
	return low
}

// Terms are what stands between cost and price.
type Terms struct {
	MarginPercent   float64 `json:"margin_percent"` // of the net price
	TaxPercent      float64 `json:"tax_percent"`
	DepositPercent  float64 `json:"deposit_percent"`
	LeastMinor      int64   `json:"least_minor,omitempty"` // net
	RushPercent     float64 `json:"rush_percent,omitempty"`
	DiscountPercent float64 `json:"discount_percent,omitempty"`
	DiscountReason  string  `json:"discount_reason,omitempty"`
	RoundMinor      int64   `json:"round_minor,omitempty"` // the price comes to a multiple of it
	BeforeTax       bool    `json:"before_tax,omitempty"`  // prices are told without tax: it is the net that is rounded
	AskedMinor      int64   `json:"asked_minor,omitempty"` // a price named by hand, tax included (before tax: net); 0: none
}

// Check says what of the terms is not possible.
func (t Terms) Check() error {
	switch {
	case !(t.MarginPercent >= 0 && t.MarginPercent < 100):
		return fmt.Errorf("a margin of %s %% of the price is not possible", rates.Number(t.MarginPercent))
	case !(t.TaxPercent >= 0 && t.TaxPercent <= 100), !(t.DepositPercent >= 0 && t.DepositPercent <= 100):
		return fmt.Errorf("tax and deposit are between 0 and 100 %%")
	case !(t.RushPercent >= 0 && t.RushPercent <= 500):
		return fmt.Errorf("a rush of %s %% is not possible: between 0 and 500", rates.Number(t.RushPercent))
	case !(t.DiscountPercent >= 0 && t.DiscountPercent <= 100):
		return fmt.Errorf("a discount of %s %% is not possible: between 0 and 100", rates.Number(t.DiscountPercent))
	case t.AskedMinor < 0 || t.AskedMinor > MostMinor || t.LeastMinor < 0 || t.RoundMinor < 0:
		return fmt.Errorf("a price is not less than nothing")
	}
	return nil
}

// Price is what is asked.
type Price struct {
	CostMinor     int64         `json:"cost_minor"`
	MarginMinor   int64         `json:"margin_minor"`
	MarginPercent float64       `json:"margin_percent"`  // what is left of the net price, after all
	MarkUpPercent float64       `json:"mark_up_percent"` // the same on cost: people confuse them
	NetMinor      int64         `json:"net_minor"`
	TaxMinor      int64         `json:"tax_minor"`
	TotalMinor    int64         `json:"total_minor"`
	DepositMinor  int64         `json:"deposit_minor"`
	Shares        []int64       `json:"shares"` // of the net price, by item; they add up to it
	Working       rates.Working `json:"working"`
	Steps         []Step        `json:"steps"`
	ShareSteps    []Step        `json:"share_steps"` // how each item's share came about
}

// Step is a figure between cost and price.
type Step struct {
	What    string        `json:"what"`
	Minor   int64         `json:"minor"`
	Working rates.Working `json:"working"`
}

// Ask works out the price of items: net = cost ÷ (1 − margin), so that the margin is a
// share of what is asked and not a mark-up on cost; the least charge; rush and discount
// on that; tax; and the whole rounded to a friendly figure, from which net and tax are
// taken back. The deposit is of the total.
func Ask(items []Item, t Terms, digits int32) (Price, error) {
	if err := t.Check(); err != nil {
		return Price{}, err
	}
	var p Price
	for _, i := range items {
		p.CostMinor += i.CostMinor
	}
	money := func(label string, minor int64) rates.Figure {
		return rates.Of(label, float64(minor)/math.Pow10(int(digits)), "¤", rates.Derived)
	}
	ours := func(label string, percent float64) rates.Figure { return rates.Of(label, percent, "%", rates.Ours) }
	step := func(what string, minor int64, formula string, inputs ...rates.Figure) {
		p.Steps = append(p.Steps, Step{what, minor, rates.Working{Formula: formula, Inputs: inputs, Result: money(what, minor)}})
	}
	one := decimal.NewFromInt(1)
	cost, margin := money("cost of all items", p.CostMinor), ours("margin, of the net price", t.MarginPercent)
	var costs []rates.Figure
	for k, i := range items {
		costs = append(costs, money(fmt.Sprintf("cost of item %d", k+1), i.CostMinor))
	}
	step("cost", p.CostMinor, "sum of the items", costs...)

	exact := decimal.NewFromInt(p.CostMinor).Div(one.Sub(percent(t.MarginPercent)))
	formula, in := "cost ÷ (1 − margin)", []rates.Figure{cost, margin}
	if least := decimal.NewFromInt(t.LeastMinor); len(items) > 0 && exact.LessThan(least) {
		exact, formula, in = least, "least charge", []rates.Figure{money("least charge", t.LeastMinor)}
	}
	before := exact
	if t.RushPercent > 0 {
		exact = exact.Mul(one.Add(percent(t.RushPercent)))
		formula, in = formula+" × (1 + rush)", append(in, ours("rush", t.RushPercent))
		step("rush", exact.Sub(before).RoundBank(0).IntPart(), "net before × rush", money("net before", before.RoundBank(0).IntPart()), ours("rush", t.RushPercent))
	}
	if t.DiscountPercent > 0 {
		before = exact
		exact = exact.Mul(one.Sub(percent(t.DiscountPercent)))
		why := "discount"
		if t.DiscountReason != "" {
			why += ": " + t.DiscountReason
		}
		formula, in = formula+" × (1 − discount)", append(in, ours(why, t.DiscountPercent))
		step("discount", exact.Sub(before).RoundBank(0).IntPart(), "−net before × discount", money("net before", before.RoundBank(0).IntPart()), ours(why, t.DiscountPercent))
	}
	p.NetMinor = exact.RoundBank(0).IntPart()
	taxed := one.Add(percent(t.TaxPercent))
	p.TaxMinor = Share(p.NetMinor, t.TaxPercent)
	p.TotalMinor = p.NetMinor + p.TaxMinor
	told := p.TotalMinor
	if t.BeforeTax {
		told = p.NetMinor
	}
	friendly := told
	if r := t.RoundMinor; r > 1 && told > 0 {
		friendly = max(r, decimal.NewFromInt(told).Div(decimal.NewFromInt(r)).RoundBank(0).IntPart()*r)
	}
	if t.AskedMinor > 0 {
		friendly = t.AskedMinor
	}
	if friendly != told {
		was := p.NetMinor
		if t.BeforeTax {
			p.NetMinor = friendly
			p.TaxMinor = Share(p.NetMinor, t.TaxPercent)
			p.TotalMinor = p.NetMinor + p.TaxMinor
		} else {
			p.TotalMinor = friendly
			p.NetMinor = decimal.NewFromInt(friendly).Div(taxed).RoundBank(0).IntPart()
			p.TaxMinor = p.TotalMinor - p.NetMinor
		}
		if t.AskedMinor > 0 {
			formula, in = "asked by hand, less tax", []rates.Figure{money("asked by hand", t.AskedMinor)}
			step("asked by hand", p.NetMinor-was, "net as asked − net as reckoned", money("net as asked", p.NetMinor), money("net as reckoned", was))
		} else {
			formula, in = formula+", to a round price", append(in, money("rounded to", t.RoundMinor))
			step("rounding", p.NetMinor-was, "net of the round price − net as reckoned", money("net of the round price", p.NetMinor), money("net as reckoned", was))
		}
	}
	p.MarginMinor = p.NetMinor - p.CostMinor
	if p.NetMinor > 0 {
		p.MarginPercent = 100 * float64(p.MarginMinor) / float64(p.NetMinor)
	}
	if p.CostMinor > 0 {
		p.MarkUpPercent = 100 * float64(p.MarginMinor) / float64(p.CostMinor)
	}
	p.Shares = shares(items, p.NetMinor, p.CostMinor)
	p.DepositMinor = Share(p.TotalMinor, t.DepositPercent)
	net, total := money("net", p.NetMinor), money("price", p.TotalMinor)
	tax := ours("tax", t.TaxPercent)
	step("margin", p.MarginMinor, "net − cost", net, cost)
	step("net", p.NetMinor, formula, in...)
	step("tax", p.TaxMinor, "net × tax", net, tax)
	step("deposit", p.DepositMinor, "price × deposit", total, ours("deposit", t.DepositPercent))
	for k := range items {
		p.ShareSteps = append(p.ShareSteps, Step{"net price of the item", p.Shares[k], rates.Working{
			Formula: "net × cost of the item ÷ cost of all, rounded so that the items add up", Inputs: []rates.Figure{net, costs[k], cost}, Result: money("net price of the item", p.Shares[k])}})
	}
	p.Working = rates.Working{Formula: formula + ", then tax", Inputs: append(append([]rates.Figure{}, in...), net, tax, money("tax", p.TaxMinor)), Result: total}
	return p, nil
}

// shares splits the net price by the items' costs; rounding the running sum keeps them
// adding up.
func shares(items []Item, net, cost int64) []int64 {
	out := make([]int64, len(items))
	running := decimal.Zero
	for k, i := range items {
		part := decimal.NewFromInt(1).Div(decimal.NewFromInt(int64(len(items)))) // of nothing, each the same
		if cost > 0 {
			part = decimal.NewFromInt(i.CostMinor).Div(decimal.NewFromInt(cost))
		}
		before := running.RoundBank(0).IntPart()
		running = running.Add(decimal.NewFromInt(net).Mul(part))
		out[k] = running.RoundBank(0).IntPart() - before
	}
	if n := len(out); n > 0 { // the last takes what division lost
		var sum int64
		for _, s := range out {
			sum += s
		}
		out[n-1] += net - sum
	}
	return out
}

// Share is so much per cent of an amount, rounded half to even.
func Share(minor int64, percentage float64) int64 {
	return decimal.NewFromInt(minor).Mul(percent(percentage)).RoundBank(0).IntPart()
}

func percent(v float64) decimal.Decimal { return decimal.NewFromFloat(v).Shift(-2) }
