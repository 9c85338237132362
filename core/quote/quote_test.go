package quote

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

func head(copies int) Part {
	b := rates.Starting()
	p := finish.Part{Process: "resin", Tier: route.Painted, AreaMM2: 20_000, PiecesOnPlate: 3}
	return Part{
		Name: "head", Copies: copies, Process: "resin", MaterialGrams: 100, LossGrams: 4,
		PricePerKG: rates.Of("resin", 32, "¤/kg", rates.Practice), MachineMinutes: 120, RunMinutes: 360,
		MachinePerHour: 0.5, FailurePerHour: b.Get("failure.resin"),
		Work: finish.Plan(b, p), Stuff: finish.Consumables(b, p),
	}
}

func TestItemByHand(t *testing.T) {
	b := rates.Starting()
	it := Build(b, []Part{head(2)}, 2)
	assert.EqualValues(t, 666, it.Lines[0].Minor, "2 × 104 g at 32 a kilogram = 6.656")
	assert.EqualValues(t, 200, it.ByKind(Machine), "2 × 2 h at 0.50")
	assert.InDelta(t, 200, it.Grams, 1e-9)
	assert.InDelta(t, 240, it.MachineMinutes, 1e-9)
	var sum int64
	for _, k := range Kinds() {
		assert.Positive(t, it.ByKind(k), k)
		sum += it.ByKind(k)
	}
	assert.Equal(t, it.CostMinor, sum)
	for _, l := range it.Lines {
		assert.NotEmpty(t, l.Working.Formula, l.What)
		assert.NotEmpty(t, l.Working.Inputs, l.What)
		assert.InDelta(t, float64(l.Minor)/100, l.Working.Result.Value, 0.00501, l.What)
		for _, f := range l.Working.Inputs {
			assert.NotEmpty(t, f.Source, "%s: %s", l.What, f.Label)
			assert.NotEmpty(t, f.Unit, "%s: %s", l.What, f.Label)
		}
	}
}

func TestMoneyAlwaysAddsUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var items []Item
		for range rapid.IntRange(1, 8).Draw(t, "items") {
			items = append(items, Item{CostMinor: rapid.Int64Range(0, 10_000_000).Draw(t, "cost")})
		}
		terms := Terms{rapid.Float64Range(0, 80).Draw(t, "margin"), rapid.Float64Range(0, 30).Draw(t, "tax"), 30}
		p, err := Ask(items, terms, 2)
		require.NoError(t, err)
		var shares, cost int64
		for i, s := range p.Shares {
			shares += s
			cost += items[i].CostMinor
			assert.GreaterOrEqual(t, s, items[i].CostMinor-1)
		}
		assert.Equal(t, p.NetMinor, shares)
		assert.Equal(t, p.CostMinor, cost)
		assert.Equal(t, p.TotalMinor, p.NetMinor+p.TaxMinor)
		assert.Equal(t, p.NetMinor, p.CostMinor+p.MarginMinor)
	})
}

// Every figure between cost and price says how it came about, and its inputs give it.
func TestStepsExplainThemselves(t *testing.T) {
	p, err := Ask([]Item{{CostMinor: 80_00}, {CostMinor: 33_33}}, Terms{20, 19, 30}, 2)
	require.NoError(t, err)
	step := map[string]Step{}
	for _, s := range append(p.Steps, p.ShareSteps...) {
		step[s.What] = s
		assert.InDelta(t, float64(s.Minor)/100, s.Working.Result.Value, 1e-9, s.What)
		assert.NotEmpty(t, s.Working.Inputs, s.What)
	}
	in := func(what string, k int) float64 { return step[what].Working.Inputs[k].Value }
	assert.InDelta(t, in("cost", 0)+in("cost", 1), float64(step["cost"].Minor)/100, 1e-9)
	assert.InDelta(t, in("margin", 0)-in("margin", 1), float64(step["margin"].Minor)/100, 1e-9)
	assert.InDelta(t, in("net", 0)/(1-in("net", 1)/100), float64(step["net"].Minor)/100, 0.01)
	assert.InDelta(t, in("tax", 0)*in("tax", 1)/100, float64(step["tax"].Minor)/100, 0.005)
	assert.InDelta(t, in("deposit", 0)*in("deposit", 1)/100, float64(step["deposit"].Minor)/100, 0.005)
	assert.Len(t, p.ShareSteps, 2)
}

// A margin of 20 % is a mark-up of 25 %: people confuse them.
func TestMarginIsOfThePrice(t *testing.T) {
	p, err := Ask([]Item{{CostMinor: 80_00}}, Terms{20, 19, 30}, 2)
	require.NoError(t, err)
	assert.EqualValues(t, 100_00, p.NetMinor)
	assert.EqualValues(t, 119_00, p.TotalMinor)
	assert.EqualValues(t, 35_70, p.DepositMinor)
	_, err = Ask(nil, Terms{MarginPercent: 100}, 2)
	assert.Error(t, err)
}

func TestRoundsHalfToEven(t *testing.T) {
	for amount, want := range map[float64]int64{0.125: 12, 0.135: 14, 0.375: 38, -0.125: -12, 2.5: 250} {
		assert.Equal(t, want, Minor(amount, 2), amount)
	}
	assert.EqualValues(t, 2, Minor(2.5, 0))
	assert.EqualValues(t, MostMinor, Minor(1e300, 2))
	assert.EqualValues(t, MostMinor, Minor(math.Inf(1), 2))
	assert.EqualValues(t, -MostMinor, Minor(-1e300, 2))
	assert.Zero(t, Minor(math.NaN(), 2))
}
