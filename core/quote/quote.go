// Package quote builds a price up from what a thing costs: material, machines,
// hands, failures and overhead for each item, then margin, tax and deposit for the
// whole. It rounds once, half to even, at the end of a line; every line carries
// its working. It never decides what to ask, only what follows from the rates.
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
	Overhead = "overhead"
)

// Kinds lists the kinds of cost in order.
func Kinds() []string { return []string{Material, Machine, Hands, Failure, Overhead} }

// Part is what one part contributes, for all its copies in an item.
type Part struct {
	Name           string
	Copies         int
	Process        string
	MaterialGrams  float64 // of one copy, supports included
	LossGrams      float64 // of one copy's share of a plate
	PricePerKG     rates.Figure
	MaterialInputs []rates.Figure // how the grams came about
	MachineMinutes float64        // of one copy: its share of a shared run
	RunMinutes     float64        // of the run it is printed in: the time that is at risk
	MachineInputs  []rates.Figure
	MachinePerHour float64
	RateInputs     []rates.Figure
	FailurePerHour rates.Figure
	Work           []finish.Work
	Stuff          []finish.Stuff
}

// Line is one amount of an item's cost.
type Line struct {
	Kind    string        `json:"kind"`
	What    string        `json:"what"`
	Minor   int64         `json:"minor"` // amount in minor units
	Minutes float64       `json:"minutes,omitempty"`
	Working rates.Working `json:"working"`
}

// Item is the cost of one line of the order.
type Item struct {
	Lines          []Line  `json:"lines"`
	CostMinor      int64   `json:"cost_minor"`
	HandsMinutes   float64 `json:"hands_minutes"`
	MachineMinutes float64 `json:"machine_minutes"`
	Grams          float64 `json:"grams"`
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

// Build works out the cost of an item of these parts. digits is how many decimals
// the currency has.
func Build(b rates.Book, parts []Part, digits int32) Item {
	var it Item
	add := func(kind, what string, amount, minutes float64, w rates.Working) {
		w.Result = rates.Of(what, amount, "¤", rates.Derived)
		it.Lines = append(it.Lines, Line{kind, what, Minor(amount, digits), minutes, w})
	}
	for _, p := range parts {
		n := float64(p.Copies)
		copies := rates.Of("copies", n, "×", rates.Derived)
		name := func(what string) string {
			if len(parts) > 1 {
				return p.Name + ": " + what
			}
			return what
		}
		grams := (p.MaterialGrams + p.LossGrams) * n
		material := grams / 1000 * p.PricePerKG.Value
		it.Grams += p.MaterialGrams * n
		add(Material, name(p.Process), material, 0, rates.Working{
			Formula: "(part with supports + loss) × price × copies",
			Inputs: append(append([]rates.Figure{}, p.MaterialInputs...),
				rates.Of("share of what a plate loses", p.LossGrams, "g", rates.Derived), p.PricePerKG, copies),
		})
		for _, s := range p.Stuff {
			w := s.Working
			w.Formula += " × copies"
			w.Inputs = append(append([]rates.Figure{}, w.Inputs...), copies)
			add(Material, name(s.What), s.Cost*n, 0, w)
		}
		machine := p.MachineMinutes / 60 * p.MachinePerHour * n
		it.MachineMinutes += p.MachineMinutes * n
		add(Machine, name("machine time"), machine, p.MachineMinutes*n, rates.Working{
			Formula: "share of the run × machine hour × copies",
			Inputs: append(append(append([]rates.Figure{}, p.MachineInputs...),
				rates.Of("machine hour", p.MachinePerHour, "¤/h", rates.Derived)), append(p.RateInputs, copies)...),
		})
		var atRisk float64 // hands that a failed run wastes
		for _, w := range p.Work {
			minutes := w.Minutes * n
			it.HandsMinutes += minutes
			if w.Kind == "print" {
				atRisk = w.Minutes / 60 * b.V("wage") * n
			}
			working := w.Working
			working.Formula = "(" + working.Formula + ") × wage × copies"
			working.Inputs = append(append([]rates.Figure{}, working.Inputs...), b.Get("wage"), copies)
			add(Hands, name(w.Kind.Manner().Name), minutes/60*b.V("wage"), minutes, working)
		}
		extra := process.ExtraRuns(p.FailurePerHour.Value, p.RunMinutes)
		add(Failure, name("failed runs"), extra*(material+machine+atRisk), 0, rates.Working{
			Formula: "(e^(failures per hour × hours) − 1) × (material + machine + hands at the machine)",
			Inputs: []rates.Figure{p.FailurePerHour, rates.Of("run", p.RunMinutes/60, "h", rates.Derived),
				rates.Of("material", material, "¤", rates.Derived), rates.Of("machine", machine, "¤", rates.Derived),
				rates.Of("hands at the machine", atRisk, "¤", rates.Derived)},
		})
	}
	var direct int64
	for _, l := range it.Lines {
		direct += l.Minor
	}
	cost := float64(direct) / math.Pow10(int(digits))
	add(Overhead, "overhead", cost*b.V("overhead")/100, 0, rates.Working{
		Formula: "direct cost × overhead",
		Inputs:  []rates.Figure{rates.Of("direct cost", cost, "¤", rates.Derived), b.Get("overhead")},
	})
	it.CostMinor = direct + it.Lines[len(it.Lines)-1].Minor
	return it
}

// Terms are what stands between cost and price.
type Terms struct {
	MarginPercent  float64 `json:"margin_percent"` // of the net price
	TaxPercent     float64 `json:"tax_percent"`
	DepositPercent float64 `json:"deposit_percent"`
}

// Price is what is asked.
type Price struct {
	CostMinor    int64         `json:"cost_minor"`
	MarginMinor  int64         `json:"margin_minor"`
	NetMinor     int64         `json:"net_minor"`
	TaxMinor     int64         `json:"tax_minor"`
	TotalMinor   int64         `json:"total_minor"`
	DepositMinor int64         `json:"deposit_minor"`
	Shares       []int64       `json:"shares"` // of the net price, by item; they add up to it
	Working      rates.Working `json:"working"`
	Steps        []Step        `json:"steps"`
	ShareSteps   []Step        `json:"share_steps"` // how each item's share came about
}

// Step is a figure between cost and price.
type Step struct {
	What    string        `json:"what"`
	Minor   int64         `json:"minor"`
	Working rates.Working `json:"working"`
}

// Ask works out the price of items: net = cost ÷ (1 − margin), so that the margin
// is a share of what is asked and not a mark-up on cost; then tax on the net, and
// the deposit on the total.
func Ask(items []Item, t Terms, digits int32) (Price, error) {
	if t.MarginPercent < 0 || t.MarginPercent >= 100 {
		return Price{}, fmt.Errorf("a margin of %s %% of the price is not possible", rates.Number(t.MarginPercent))
	}
	var p Price
	for _, i := range items {
		p.CostMinor += i.CostMinor
	}
	keep := decimal.NewFromInt(1).Sub(percent(t.MarginPercent))
	running := decimal.Zero // rounding the running sum keeps the shares adding up
	for _, i := range items {
		before := running.RoundBank(0).IntPart()
		running = running.Add(decimal.NewFromInt(i.CostMinor).Div(keep))
		p.Shares = append(p.Shares, running.RoundBank(0).IntPart()-before)
	}
	p.NetMinor = running.RoundBank(0).IntPart()
	p.MarginMinor = p.NetMinor - p.CostMinor
	p.TaxMinor = decimal.NewFromInt(p.NetMinor).Mul(percent(t.TaxPercent)).RoundBank(0).IntPart()
	p.TotalMinor = p.NetMinor + p.TaxMinor
	p.DepositMinor = decimal.NewFromInt(p.TotalMinor).Mul(percent(t.DepositPercent)).RoundBank(0).IntPart()
	money := func(label string, minor int64) rates.Figure {
		return rates.Of(label, float64(minor)/math.Pow10(int(digits)), "¤", rates.Derived)
	}
	margin := rates.Of("margin, of the net price", t.MarginPercent, "%", rates.Ours)
	tax := rates.Of("tax", t.TaxPercent, "%", rates.Ours)
	deposit := rates.Of("deposit", t.DepositPercent, "%", rates.Ours)
	step := func(what string, minor int64, formula string, inputs ...rates.Figure) Step {
		return Step{what, minor, rates.Working{Formula: formula, Inputs: inputs, Result: money(what, minor)}}
	}
	var costs []rates.Figure
	for k, i := range items {
		costs = append(costs, money(fmt.Sprintf("cost of item %d", k+1), i.CostMinor))
		p.ShareSteps = append(p.ShareSteps, step("net price of the item", p.Shares[k], "cost ÷ (1 − margin), rounded so that the items add up", costs[k], margin))
	}
	cost, net, total := money("cost of all items", p.CostMinor), money("net", p.NetMinor), money("price", p.TotalMinor)
	p.Steps = []Step{
		step("cost", p.CostMinor, "sum of the items", costs...),
		step("margin", p.MarginMinor, "net − cost", net, cost),
		step("net", p.NetMinor, "cost ÷ (1 − margin)", cost, margin),
		step("tax", p.TaxMinor, "net × tax", net, tax),
		step("deposit", p.DepositMinor, "price × deposit", total, deposit),
	}
	p.Working = rates.Working{Formula: "cost ÷ (1 − margin), then tax", Inputs: []rates.Figure{cost, margin, net, tax, money("tax", p.TaxMinor)}, Result: total}
	return p, nil
}

func percent(v float64) decimal.Decimal { return decimal.NewFromFloat(v).Shift(-2) }
