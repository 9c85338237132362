package quote

import (
	"fmt"

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
	var v rates.Invalid
	percent := func(p, most float64) bool { return p >= 0 && p <= most }
	v.Need(t.MarginPercent >= 0 && t.MarginPercent < 100, "margin", "a margin of %s %% of the price is not possible", rates.Number(t.MarginPercent))
	v.Need(percent(t.TaxPercent, 100), "tax", "tax is between 0 and 100 %%")
	v.Need(percent(t.DepositPercent, 100), "deposit", "a deposit is between 0 and 100 %%")
	v.Need(percent(t.RushPercent, 500), "rush", "a rush of %s %% is not possible: between 0 and 500", rates.Number(t.RushPercent))
	v.Need(percent(t.DiscountPercent, 100), "discount", "a discount of %s %% is not possible: between 0 and 100", rates.Number(t.DiscountPercent))
	v.Need(t.AskedMinor >= 0 && t.AskedMinor <= MostMinor, "asked", "a price is not less than nothing, and not more than ten million")
	v.Need(t.LeastMinor >= 0, "least", "a least price is not less than nothing")
	v.Need(t.RoundMinor >= 0, "round", "what prices are rounded to is not less than nothing")
	return v.Err()
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
	a := asking{t: t, digits: digits}
	a.cost(items)
	a.net(len(items) > 0)
	a.tax()
	a.round()
	a.margins()
	a.share(items)
	return a.p, nil
}

// asking is a price being worked out: how the net price came about so far, in words and
// figures.
type asking struct {
	p       Price
	t       Terms
	digits  int32
	costs   []rates.Figure // of each item
	formula string
	in      []rates.Figure
}

func (a *asking) money(label string, minor int64) rates.Figure {
	return rates.Of(label, Units(minor, a.digits), "¤", rates.Derived)
}

func ours(label string, percent float64) rates.Figure {
	return rates.Of(label, percent, "%", rates.Ours)
}

func (a *asking) step(what string, minor int64, formula string, inputs ...rates.Figure) {
	a.p.Steps = append(a.p.Steps, Step{what, minor, rates.Working{Formula: formula, Inputs: inputs, Result: a.money(what, minor)}})
}

func (a *asking) allCost() rates.Figure { return a.money("cost of all items", a.p.CostMinor) }

func (a *asking) cost(items []Item) {
	for k, i := range items {
		a.p.CostMinor += i.CostMinor
		a.costs = append(a.costs, a.money(fmt.Sprintf("cost of item %d", k+1), i.CostMinor))
	}
	a.step("cost", a.p.CostMinor, "sum of the items", a.costs...)
}

// net is the cost with its margin, or the least charge, with rush and discount.
func (a *asking) net(any bool) {
	one, t := decimal.NewFromInt(1), a.t
	exact := decimal.NewFromInt(a.p.CostMinor).Div(one.Sub(percent(t.MarginPercent)))
	a.formula, a.in = "cost ÷ (1 − margin)", []rates.Figure{a.allCost(), ours("margin, of the net price", t.MarginPercent)}
	if least := decimal.NewFromInt(t.LeastMinor); any && exact.LessThan(least) {
		exact, a.formula, a.in = least, "least charge", []rates.Figure{a.money("least charge", t.LeastMinor)}
	}
	times := func(what, label, sign string, share float64, by decimal.Decimal) {
		before := exact
		exact = exact.Mul(by)
		a.in = append(a.in, ours(label, share))
		a.step(what, exact.Sub(before).RoundBank(0).IntPart(), sign+"net before × "+what, a.money("net before", before.RoundBank(0).IntPart()), ours(label, share))
	}
	if t.RushPercent > 0 {
		a.formula += " × (1 + rush)"
		times("rush", "rush", "", t.RushPercent, one.Add(percent(t.RushPercent)))
	}
	if t.DiscountPercent > 0 {
		label := "discount"
		if t.DiscountReason != "" {
			label += ": " + t.DiscountReason
		}
		a.formula += " × (1 − discount)"
		times("discount", label, "−", t.DiscountPercent, one.Sub(percent(t.DiscountPercent)))
	}
	a.p.NetMinor = exact.RoundBank(0).IntPart()
}

func (a *asking) tax() {
	a.p.TaxMinor = Share(a.p.NetMinor, a.t.TaxPercent)
	a.p.TotalMinor = a.p.NetMinor + a.p.TaxMinor
}

// netOf is the net price of one that is told.
func (a *asking) netOf(told int64) int64 {
	if a.t.BeforeTax {
		return told
	}
	return a.t.NetOf(told)
}

// round brings the price that is told to a round one, or to the one named by hand.
func (a *asking) round() {
	told := a.p.TotalMinor
	if a.t.BeforeTax {
		told = a.p.NetMinor
	}
	friendly := told
	if r := a.t.RoundMinor; r > 1 && told > 0 {
		friendly = max(r, decimal.NewFromInt(told).Div(decimal.NewFromInt(r)).RoundBank(0).IntPart()*r)
		if least := a.t.LeastMinor; a.p.NetMinor >= least && a.netOf(friendly) < least { // it holds
			friendly += r
		}
	}
	if a.t.AskedMinor > 0 {
		friendly = a.t.AskedMinor
	}
	if friendly == told {
		return
	}
	was := a.p.NetMinor
	if a.t.BeforeTax {
		a.p.NetMinor = friendly
		a.tax()
	} else {
		a.p.TotalMinor = friendly
		a.p.NetMinor = a.netOf(friendly)
		a.p.TaxMinor = a.p.TotalMinor - a.p.NetMinor
	}
	if a.t.AskedMinor > 0 {
		a.formula, a.in = "asked by hand, less tax", []rates.Figure{a.money("asked by hand", a.t.AskedMinor)}
		a.step("asked by hand", a.p.NetMinor-was, "net as asked − net as estimated", a.money("net as asked", a.p.NetMinor), a.money("net as estimated", was))
		return
	}
	a.formula, a.in = a.formula+", to a round price", append(a.in, a.money("rounded to", a.t.RoundMinor))
	a.step("rounding", a.p.NetMinor-was, "net of the round price − net as estimated", a.money("net of the round price", a.p.NetMinor), a.money("net as estimated", was))
}

// Earn works out what is left over of the net price, of it and on the cost.
func (p *Price) Earn() {
	p.MarginMinor = p.NetMinor - p.CostMinor
	if p.NetMinor > 0 {
		p.MarginPercent = Margin(p.NetMinor, p.CostMinor)
	}
	if p.CostMinor > 0 {
		p.MarkUpPercent = MarkUp(p.NetMinor, p.CostMinor)
	}
}

// Margin is what is left of a net price, in per cent of it; MarkUp is the same in per cent of the cost.
func Margin(netMinor, costMinor int64) float64 {
	return 100 * float64(netMinor-costMinor) / float64(netMinor)
}

// MarkUp is to a cost what Margin is to a price.
func MarkUp(netMinor, costMinor int64) float64 {
	return 100 * float64(netMinor-costMinor) / float64(costMinor)
}

// margins says what is left over, and what the client pays when.
func (a *asking) margins() {
	p := &a.p
	p.Earn()
	p.DepositMinor = a.t.Deposit(p.TotalMinor)
	net, total, tax := a.money("net", p.NetMinor), a.money("price", p.TotalMinor), ours("tax", a.t.TaxPercent)
	a.step("margin", p.MarginMinor, "net − cost", net, a.allCost())
	a.step("net", p.NetMinor, a.formula, a.in...)
	a.step("tax", p.TaxMinor, "net × tax", net, tax)
	a.step("deposit", p.DepositMinor, "price × deposit", total, ours("deposit", a.t.DepositPercent))
	p.Working = rates.Working{Formula: a.formula + ", then tax", Inputs: append(append([]rates.Figure{}, a.in...), net, tax, a.money("tax", p.TaxMinor)), Result: total}
}

// share gives each item its part of the net price.
func (a *asking) share(items []Item) {
	a.p.Shares = shares(items, a.p.NetMinor, a.p.CostMinor)
	for k, minor := range a.p.Shares {
		a.p.ShareSteps = append(a.p.ShareSteps, Step{"net price of the item", minor, rates.Working{
			Formula: "net × cost of the item ÷ cost of all, rounded so that the items add up", Inputs: []rates.Figure{a.money("net", a.p.NetMinor), a.costs[k], a.allCost()}, Result: a.money("net price of the item", minor)}})
	}
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

// Deposit is what is asked on acceptance of a price with its tax.
func (t Terms) Deposit(totalMinor int64) int64 { return Share(totalMinor, t.DepositPercent) }

// NetOf is the net of an amount that has tax in it.
func (t Terms) NetOf(minor int64) int64 {
	return decimal.NewFromInt(minor).Div(decimal.NewFromInt(1).Add(percent(t.TaxPercent))).RoundBank(0).IntPart()
}
