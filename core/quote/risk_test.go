package quote

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"sakuji/core/finish"
	"sakuji/core/rates"
)

func dice(seed uint64) Dice {
	return func(stream uint64) Die { return rand.New(rand.NewPCG(seed, stream)) }
}

// The shape between best and worst is gonum's beta distribution with PERT's mean and
// deviation, quantile for quantile; drawn from, it has them.
func TestShapeIsPERTsBeta(t *testing.T) {
	mean, dev := finish.PERT(0.6, 1, 2.4)
	s := shapeOf(finish.Effort{Low: 0.6, High: 2.4, Mean: mean, Deviation: dev})
	x, v := (mean-0.6)/1.8, dev*dev/1.8/1.8
	k := x*(1-x)/v - 1
	beta := distuv.Beta{Alpha: x * k, Beta: (1 - x) * k}
	assert.InDelta(t, mean, 0.6+1.8*beta.Mean(), 1e-9)
	assert.InDelta(t, dev, 1.8*beta.StdDev(), 1e-9)
	for _, p := range []float64{0.001, 0.05, 0.3, 0.5, 0.8, 0.95, 0.999} {
		assert.InDelta(t, (0.6+1.8*beta.Quantile(p))/mean, s.at(distuv.UnitNormal.Quantile(p)), 1e-3, p)
	}
	r := rand.New(rand.NewPCG(4, 4))
	var drawn []float64
	for range 200_000 {
		drawn = append(drawn, s.at(r.NormFloat64())*mean)
	}
	m, d := stat.MeanStdDev(drawn, nil)
	assert.InDelta(t, mean, m, 0.004)
	assert.InDelta(t, dev, d, 0.004)
	logged := shapeOf(finish.Effort{Mean: 1.4, Deviation: 0.5})
	drawn = drawn[:0]
	for range 200_000 {
		drawn = append(drawn, logged.at(r.NormFloat64()))
	}
	m, d = stat.MeanStdDev(drawn, nil)
	assert.InDelta(t, 1, m, 0.005)
	assert.InDelta(t, 0.5/1.4, d, 0.01)
}

// Our quantiles are gonum's own of the same draws.
func TestQuantilesAgainstGonum(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	x := make([]float64, 1001)
	for i := range x {
		x[i] = r.ExpFloat64()
	}
	slices.Sort(x)
	for _, p := range []float64{0.1, 0.25, 0.5, 0.8, 0.9, 0.99} {
		near := x[min(1000, int(p*1000)+1)] - x[int(p*1000)-1] // gonum's lies between the same draws, half a rank aside
		assert.InDelta(t, stat.Quantile(p, stat.LinInterp, x, nil), quantile(x, p), near, p)
		assert.GreaterOrEqual(t, quantile(x, p), stat.Quantile(p-0.001, stat.Empirical, x, nil))
	}
	assert.Equal(t, x[500], quantile(x, 0.5))
}

// What runs waste, by the restart formula: lived through run by run, minute by minute, the
// mean is (e^(λT) − 1) of a run when a failure is noticed at its end.
func TestFailuresBySimulation(t *testing.T) {
	const perHour, hours = 0.03, 14.0
	want := math.Expm1(perHour * hours)
	r := rand.New(rand.NewPCG(9, 9))
	var lived float64
	const n = 200_000
	for range n {
		for r.ExpFloat64()/perHour < hours {
			lived++
		}
	}
	assert.InDelta(t, want, lived/n, 0.006)
	for _, runs := range []int{1, 7, 24, 25, 300} {
		var sum, squares float64
		const times = 60_000
		for range times {
			f := failures(r, runs, want)
			sum += f
			squares += f * f
		}
		m := sum / times
		assert.InEpsilon(t, want*float64(runs), m, 0.02, runs)
		assert.InEpsilon(t, float64(runs)*want*(1+want), squares/times-m*m, 0.06, runs)
	}
}

// Fifty runs that fail once in forty fail 1.25 times in all, and in 29 of 100 orders not at
// once (negative binomial, by hand: 1.025 to the −50th).
func TestFailuresOfManyRuns(t *testing.T) {
	r := dice(9)(1)
	var sum, none float64
	const times = 100_000
	for range times {
		f := failures(r, 50, 0.025)
		sum += f
		if f == 0 {
			none++
		}
	}
	assert.InDelta(t, 1.25, sum/times, 0.015)
	assert.InDelta(t, math.Pow(1.025, -50), none/times, 0.005)
	assert.InDelta(t, 900*0.5, func() (mean float64) {
		for range 2000 {
			mean += failures(r, 900, 0.5) / 2000
		}
		return mean
	}(), 3)
}

func TestRange(t *testing.T) {
	b := rates.Starting()
	jobs := []Job{{Parts: []Part{head(1)}, Copies: 1}, {Parts: []Part{head(4)}, Copies: 1}, {Copies: 1, Extras: []Extra{{Kind: Restore, What: "mending", Hours: 6, Odds: 0.3, WorseHours: 10}}}}
	items := Build(b, jobs, 2)
	r := Simulate(b, items, dice(7), Draws, 2)
	var cost int64
	for _, it := range items {
		cost += it.CostMinor
	}
	assert.Equal(t, cost, r.ExpectedMinor)
	assert.InEpsilon(t, float64(cost), stat.Mean(r.sorted, nil), 0.01, "the draws' mean is what the lines add up to")
	assert.InDelta(t, stat.Quantile(0.8, stat.Empirical, r.sorted, nil), float64(r.EightInTenMinor), 5)
	assert.Greater(t, r.EightInTenMinor, r.ExpectedMinor)
	assert.True(t, slices.IsSorted(r.Quantiles))
	assert.InDelta(t, 0.2, r.LossChance(r.EightInTenMinor), 0.001)
	assert.Equal(t, 1.0, r.LossChance(0))
	assert.Equal(t, r.Quantiles, r.Fine(100))
	assert.Zero(t, r.LossChance(1<<60))
	var share float64
	for i, d := range r.Drivers {
		share += d.Share
		if i > 0 {
			assert.LessOrEqual(t, d.Share, r.Drivers[i-1].Share)
		}
	}
	assert.InDelta(t, 1, share, 1e-9)
	again := Simulate(b, items, dice(7), Draws, 2)
	assert.Equal(t, r.Quantiles, again.Quantiles, "the same seed, the same range")
	assert.NotEqual(t, r.Quantiles, Simulate(b, items, dice(8), Draws, 2).Quantiles)
}

// Stages of one part lean the same way: the more so, the wider the range.
func TestTogetherIsWider(t *testing.T) {
	width := func(together float64) float64 {
		b := rates.Starting().With(map[rates.Key]float64{"spread.together": together})
		r := Simulate(b, Build(b, []Job{{Parts: []Part{head(1)}, Copies: 1}}, 2), dice(3), Draws, 2)
		return float64(r.Quantiles[90] - r.Quantiles[10])
	}
	assert.Greater(t, width(0.9), 1.2*width(0))
}

// What is common to an order goes wrong together: two dozen items of one copy and one item of
// two dozen are about as sure as each other, and neither is as sure as two dozen orders.
func TestWhatIsCommonVariesTogether(t *testing.T) {
	b := rates.Starting()
	spread := func(b rates.Book, items, copies int) float64 {
		var jobs []Job
		for range items {
			jobs = append(jobs, Job{Parts: []Part{headBy(b, copies)}, Copies: copies})
		}
		r := Simulate(b, Build(b, jobs, 2), dice(5), Draws, 2)
		m, d := stat.MeanStdDev(r.sorted, nil)
		return d / m
	}
	many, one, single := spread(b, 24, 1), spread(b, 1, 24), spread(b, 1, 1)
	assert.InEpsilon(t, one, many, 0.4)
	assert.Greater(t, many, 0.08)
	assert.Less(t, many, single)
	sure := b.With(map[rates.Key]float64{"spread.common": 0, "spread.model": 0})
	assert.Less(t, spread(sure, 24, 1), 0.04, "if the book were known to be right")
}

// Eight in ten means eight in ten: studios whose true hours are off the book for each kind of
// work by as much as is said, half of that for all kinds alike, each living through an order.
func TestEightInTenHolds(t *testing.T) {
	b := rates.Starting()
	jobs := []Job{{Parts: []Part{head(2)}, Copies: 2}, {Parts: []Part{head(1)}, Copies: 1}}
	items := Build(b, jobs, 2)
	limit := Simulate(b, items, dice(1), Draws, 2).EightInTenMinor
	r := rand.New(rand.NewPCG(77, 1))
	under, orders := 0, 4000
	for range orders {
		house := r.NormFloat64()
		off := map[string]float64{}
		var cost float64
		for _, it := range items {
			cost += float64(it.CostMinor)
			for _, k := range it.risks {
				if k.shape == nil {
					continue // failures: counted as expected
				}
				if _, ok := off[k.kind]; !ok {
					s := 0.22
					if k.kind == "material" || k.kind == "machine" {
						s = 0.08
					}
					off[k.kind] = math.Exp(s*(house+r.NormFloat64())/math.Sqrt2 - s*s/2)
				}
				own := 0.2 // about PERT's deviation of most kinds
				cost += 100 * k.amount * (off[k.kind]*math.Exp(own*r.NormFloat64()-own*own/2) - 1)
			}
		}
		if cost < float64(limit) {
			under++
		}
	}
	assert.InDelta(t, 0.8, float64(under)/float64(orders), 0.05)
}

func TestNothingAtRisk(t *testing.T) {
	b := rates.Starting()
	r := Simulate(b, []Item{{CostMinor: 500}}, dice(1), 100, 2)
	assert.EqualValues(t, 500, r.EightInTenMinor)
	assert.Empty(t, r.Drivers)
	assert.Zero(t, Range{}.LossChance(5))
	assert.Zero(t, Simulate(b, nil, dice(1), 100, 2).ExpectedMinor)
}
