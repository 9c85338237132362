package quotes

import (
	"context"
	"math"
	"slices"
	"strings"

	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// CheckedOrder is a past order priced anew beside what it really cost.
type CheckedOrder struct {
	Order    studio.Order
	Now      int64 // cost at today's rates, what the order had then
	ThenNet  int64 // net price that was agreed
	Then     int64 // cost as it was quoted
	Real     int64
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

// CheckRates prices the last orders that are out of the studio at today's rates and sets
// them beside what they really cost: stamped hours at their wages, booked material, run
// hours, and overhead on all. With numbers named, those orders.
func (a *Room) CheckRates(ctx context.Context, numbers ...string) (out []CheckedOrder, h studio.Shop, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if h, err = setup.Load(tx); err != nil {
			return err
		}
		orders, err := tx.Orders(studio.Closed, studio.Delivered)
		if err != nil {
			return err
		}
		slices.SortStableFunc(orders, func(a, b studio.Order) int { return b.Delivered.Compare(a.Delivered) })
		for _, o := range orders {
			if len(numbers) > 0 && !slices.Contains(numbers, o.Number) || len(numbers) == 0 && len(out) == 3 {
				continue
			}
			c, ok, err := checkOrder(tx, h, o)
			if err != nil {
				return err
			}
			if ok {
				out = append(out, c)
			}
		}
		return nil
	})
	return out, h, err
}

func checkOrder(tx *store.Tx, h studio.Shop, o studio.Order) (c CheckedOrder, ok bool, err error) {
	quotes, err := tx.Quotes(o.ID)
	if err != nil {
		return c, false, err
	}
	at := slices.IndexFunc(quotes, func(q studio.Quote) bool { return q.State == studio.QuoteAccepted })
	if at < 0 {
		return c, false, nil
	}
	taken := quotes[at].Taken()
	c.Order, c.ThenNet = o, taken.NetMinor
	var items []studio.Item
	for _, di := range taken.Items {
		c.Then += di.Cost.CostMinor
		it := di.Spec
		it.Parts = slices.Clone(it.Parts)
		for k := range it.Parts {
			if it.Parts[k].Model, err = tx.ModelOriented(it.Parts[k].ModelID, it.Parts[k].OrientationID); err != nil {
				return c, false, err
			}
		}
		items = append(items, it)
	}
	if items, err = withFees(tx, h, items); err != nil {
		return c, false, err
	}
	digits := studio.Digits(h.Studio.Currency)
	now := map[string]int64{}
	nowMin := map[string]float64{}
	for _, e := range h.EstimateAll(items) {
		c.Now += e.CostMinor
		for _, l := range e.Lines {
			now[l.Kind] += l.Minor
			nowMin[l.Kind] += l.Minutes
		}
	}
	pieces, err := tx.PiecesOf(o.ID)
	if err != nil {
		return c, false, err
	}
	var hands, minutes float64
	for _, p := range pieces {
		for _, s := range p.Stages {
			wage := h.Book.V(finish.Skill(s.Kind))
			if own, ok := h.History.Wages[s.PersonID]; ok {
				wage = own.Value
			}
			minutes += s.Minutes
			hands += s.Minutes / 60 * wage
		}
	}
	c.Hands = rates.Working{Formula: "stamped minutes × wages", Inputs: []rates.Figure{rates.Of("stamped, repeats included", minutes/60, "h", rates.Logged), h.Book.Get("wage"), h.Book.Get("wage.paint")}, Result: rates.Of("hands", hands, "¤", rates.Derived)}
	booked, err := tx.BookedFor(o.ID)
	if err != nil {
		return c, false, err
	}
	var material float64
	c.Material.Formula = "booked grams × price"
	for _, m := range h.Materials {
		if g := booked[m.ID]; g > 0 {
			material += g / 1000 * m.Figures.V("price")
			c.Material.Inputs = append(c.Material.Inputs, rates.Of(m.Name+", failures included", g, "g", rates.Logged), m.Figures["price"])
		}
	}
	// What no stamp books — paint, paper, alcohol — is taken as reckoned.
	var soft float64
	for _, e := range h.EstimateAll(items) {
		for _, l := range e.Lines {
			if l.Kind == quote.Material && !isPrint(l.What) {
				soft += float64(l.Minor) / math.Pow10(int(digits))
			}
		}
	}
	material += soft
	c.Material.Formula += " + consumables as estimated"
	c.Material.Inputs = append(c.Material.Inputs, rates.Of("consumables as estimated", soft, "¤", rates.Derived))
	c.Material.Result = rates.Of("material", material, "¤", rates.Derived)
	shares, err := tx.RunsOf(o.ID)
	if err != nil {
		return c, false, err
	}
	runs := studio.MachineMinutesOf(shares)
	var machine, machineMin float64
	c.Machine.Formula = "run hours by pieces on the plate × machine hour"
	for _, m := range h.Machines {
		if min := runs[m.ID]; min > 0 {
			perHour, _ := m.HourCost(h.Book)
			machine += min / 60 * perHour
			machineMin += min
			c.Machine.Inputs = append(c.Machine.Inputs, rates.Of(m.Name+", failed runs included", min/60, "h", rates.Logged), rates.Of("machine hour", perHour, "¤/h", rates.Derived))
		}
	}
	c.Machine.Result = rates.Of("machines", machine, "¤", rates.Derived)
	minor := func(amount float64) int64 { return quote.Minor(amount, digits) }
	c.Lines = []CheckedLine{
		{"material, with what failed", now[quote.Material], minor(material), 0, 0},
		{"machines, with what failed", now[quote.Machine] + now[quote.Failure], minor(machine), nowMin[quote.Machine], machineMin},
		{"hands", now[quote.Hands], minor(hands), nowMin[quote.Hands], minutes},
		{"bought in", now[quote.Bought], now[quote.Bought], 0, 0},
	}
	for _, l := range c.Lines {
		c.Real += l.Real
	}
	over := quote.Share(c.Real, h.Book.V("overhead"))
	c.Lines = append(c.Lines, CheckedLine{"overhead", now[quote.Overhead], over, 0, 0})
	c.Real += over
	return c, true, nil
}

// isPrint reports whether a line of material is resin or filament itself.
func isPrint(what string) bool {
	_, after, named := strings.Cut(what, ": ")
	if !named {
		after = what
	}
	return studio.OneOf(after, process.Resin, process.Filament)
}
