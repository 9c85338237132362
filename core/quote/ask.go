package quote

import (
	"fmt"
	"math"

	"github.com/shopspring/decimal"

	"sakuji/core/rates"
)

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
			step("asked by hand", p.NetMinor-was, "net as asked − net as estimated", money("net as asked", p.NetMinor), money("net as estimated", was))
		} else {
			formula, in = formula+", to a round price", append(in, money("rounded to", t.RoundMinor))
			step("rounding", p.NetMinor-was, "net of the round price − net as estimated", money("net of the round price", p.NetMinor), money("net as estimated", was))
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

// NetOf is the net of an amount that has tax in it.
func (t Terms) NetOf(minor int64) int64 {
	return decimal.NewFromInt(minor).Div(decimal.NewFromInt(1).Add(percent(t.TaxPercent))).RoundBank(0).IntPart()
}
