package finish

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

func minutes(work []Work, kind route.Kind) float64 {
	for _, w := range work {
		if w.Kind == kind {
			return w.Minutes
		}
	}
	return 0
}

// Effort as practitioners know it: a pair of small resin horns (about half a square
// decimetre) takes about 5 min of sanding each, the same in filament far more.
func TestHandsAgainstPractice(t *testing.T) {
	b := rates.Starting()
	horn := Part{Process: process.Resin, Tier: route.Primed, AreaMM2: 3000}
	assert.InDelta(t, 5, minutes(Plan(b, horn), route.Sand), 1)
	asFilament := horn
	asFilament.Process = process.Filament
	assert.Greater(t, minutes(Plan(b, asFilament), route.Sand), 1.8*minutes(Plan(b, horn), route.Sand))
}

func TestPlanFollowsTheRoute(t *testing.T) {
	b := rates.Starting()
	p := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 41_200, OverhangMM2: 5000, PiecesOnPlate: 4}
	work := Plan(b, p)
	for i, kind := range route.For(p.Process, p.Tier) {
		assert.Equal(t, kind, work[i].Kind)
		assert.Positive(t, work[i].Minutes, kind)
		assert.InDelta(t, work[i].Minutes, work[i].Working.Result.Value, 1e-9)
	}
	assert.InDelta(t, b.V("sand.piece")+4.12*b.V("sand.resin"), minutes(work, route.Sand), 1e-9)
	assert.InDelta(t, (b.V("plate.setup")+b.V("plate.empty"))/4+b.V("plate.piece"), minutes(work, route.Print), 1e-9)
	for _, w := range work {
		if w.Kind == route.Fill {
			assert.EqualValues(t, 5*3600, w.WaitS, "putty: 4 to 6 h")
		}
	}
}

// The handbook formula by hand: 20 % solids at 15 µm spread 13.3 m² a litre; two
// coats on a square decimetre with 40 % on the piece take 3.75 ml.
func TestCoatAmount(t *testing.T) {
	assert.InDelta(t, 3.75, CoatMLPerDM2(rates.Starting(), "primer"), 1e-9)
}

func TestConsumablesGrowWithTheTier(t *testing.T) {
	b := rates.Starting()
	cost := func(tier string) (sum float64) {
		for _, s := range Consumables(b, Part{Process: process.Resin, Tier: tier, AreaMM2: 20_000}) {
			assert.NotEmpty(t, s.Working.Inputs)
			sum += s.Cost
		}
		return sum
	}
	assert.Less(t, cost(route.Raw), cost(route.Primed))
	assert.Less(t, cost(route.Primed), cost(route.Painted))
}
