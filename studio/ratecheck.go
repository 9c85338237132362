package studio

import (
	"strings"

	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
)

// CheckedOrder is a past order priced again beside what it really cost.
type CheckedOrder struct {
	Order    Order
	Now      int64 // cost at today's rates, what the order had then
	ThenNet  int64 // net price that was agreed
	Then     int64 // cost as it was quoted
	Real     int64
	Limit    int64 // what it should stay under 8 times in 10, at today's rates
	Lines    []CheckedLine
	Material rates.Working
	Machine  rates.Working
	Hands    rates.Working
}

// CheckedLine sets one kind of cost side by side.
type CheckedLine struct {
	What      string
	Now, Real int64
	NowMin    float64
	RealMin   float64
}

// Off is by what share today's rates miss what it really cost.
func (c CheckedOrder) Off() float64 {
	if c.Real == 0 {
		return 0
	}
	return float64(c.Now)/float64(c.Real) - 1
}

// Under reports whether it cost less than it was said to 8 times in 10.
func (c CheckedOrder) Under() bool { return c.Real <= c.Limit }

// Took is what an order took: its pieces with their stamps, booked material by its id, runs.
type Took struct {
	Pieces []Piece
	Grams  map[int64]float64
	Runs   []RunShare
}

// CheckOrder sets what the items of a past order cost at today's rates beside what they
// actually cost: stamped hours at their wages, booked material, run hours by the pieces on
// each plate, and overhead on all. The dice say what it may come to.
func (h Shop) CheckOrder(o Order, taken Taken, items []Item, took Took, dice quote.Dice) CheckedOrder {
	c := CheckedOrder{Order: o, ThenNet: taken.NetMinor}
	for _, it := range taken.Items {
		c.Then += it.Cost.CostMinor
	}
	digits := Digits(h.Studio.Currency)
	now, nowMin := map[string]int64{}, map[string]float64{}
	soft := 0.0 // what no stamp books, paint, paper, alcohol, is taken as estimated
	estimates := h.estimates(items)
	c.Limit = quote.Simulate(h.Book, costsOf(estimates), dice, quote.Draws, digits).EightInTenMinor
	for _, e := range estimates {
		c.Now += e.CostMinor
		for _, l := range e.Lines {
			now[l.Kind] += l.Minor
			nowMin[l.Kind] += l.Minutes
			if l.Kind == quote.Material && !isPrint(l.What) {
				soft += quote.Units(l.Minor, digits)
			}
		}
	}
	var handsMin, machineMin float64
	c.Hands, handsMin = h.handsTook(took.Pieces)
	c.Material = h.materialTook(took.Grams, soft)
	c.Machine, machineMin = h.machinesTook(took.Runs)
	minor := func(w rates.Working) int64 { return quote.Minor(w.Result.Value, digits) }
	c.Lines = []CheckedLine{
		{"material, with what failed", now[quote.Material], minor(c.Material), 0, 0},
		{"machines, with what failed", now[quote.Machine] + now[quote.Failure], minor(c.Machine), nowMin[quote.Machine], machineMin},
		{"hands", now[quote.Hands], minor(c.Hands), nowMin[quote.Hands], handsMin},
		{"bought in", now[quote.Bought], now[quote.Bought], 0, 0},
	}
	for _, l := range c.Lines {
		c.Real += l.Real
	}
	over := quote.Share(c.Real, h.Book.V("overhead"))
	c.Lines = append(c.Lines, CheckedLine{"overhead", now[quote.Overhead], over, 0, 0})
	c.Real += over
	return c
}

func (h Shop) handsTook(pieces []Piece) (w rates.Working, minutes float64) {
	cost := 0.0
	for _, p := range pieces {
		for _, s := range p.Stages {
			wage := h.Book.V(s.Kind.Traits().Wage)
			if own, ok := h.History.Wages[s.PersonID]; ok {
				wage = own.Value
			}
			minutes += s.Minutes
			cost += s.Minutes / 60 * wage
		}
	}
	return rates.Working{Formula: "stamped minutes × wages", Inputs: []rates.Figure{rates.Of("stamped, repeats included", minutes/60, "h", rates.Logged), h.Book.Get("wage"), h.Book.Get("wage.paint")},
		Result: rates.Of("hands", cost, "¤", rates.Derived)}, minutes
}

func (h Shop) materialTook(grams map[int64]float64, soft float64) (w rates.Working) {
	cost := soft
	for _, m := range h.Materials {
		if g := grams[m.ID]; g > 0 {
			cost += g / 1000 * m.Figures.V("price")
			w.Inputs = append(w.Inputs, rates.Of(m.Name+", failures included", g, "g", rates.Logged), m.Figures["price"])
		}
	}
	w.Formula = "booked grams × price + consumables as estimated"
	w.Inputs = append(w.Inputs, rates.Of("consumables as estimated", soft, "¤", rates.Derived))
	w.Result = rates.Of("material", cost, "¤", rates.Derived)
	return w
}

func (h Shop) machinesTook(shares []RunShare) (w rates.Working, minutes float64) {
	runs, cost := MachineMinutesOf(shares), 0.0
	w.Formula = "run hours by pieces on the plate × machine hour"
	for _, m := range h.Machines {
		if min := runs[m.ID]; min > 0 {
			perHour, _ := m.HourCost(h.Book)
			cost += min / 60 * perHour
			minutes += min
			w.Inputs = append(w.Inputs, rates.Of(m.Name+", failed runs included", min/60, "h", rates.Logged), rates.Of("machine hour", perHour, "¤/h", rates.Derived))
		}
	}
	w.Result = rates.Of("machines", cost, "¤", rates.Derived)
	return w, minutes
}

// isPrint reports whether a line of material is resin or filament itself.
func isPrint(what string) bool {
	_, after, named := strings.Cut(what, ": ")
	if !named {
		after = what
	}
	return process.Known(after)
}
