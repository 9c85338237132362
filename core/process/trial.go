package process

import (
	"cmp"
	"math"
	"slices"

	"sakuji/core/rates"
)

// Exposed is a test piece as it came out of one exposure.
type Exposed struct {
	ExposureS float64
	PinMM     float64 // the thinnest post that stands
	SlotMM    float64 // the narrowest slot that is open
}

// BestExposure is the exposure at which the thinnest post that stands is as thin as the narrowest slot
// that is open: less leaves posts soft, more lets slots grow shut. Between two tries it is read off in
// their logarithms, as light hardens resin by the logarithm of its dose [published: Jacobs, Rapid
// Prototyping and Manufacturing, 1992, the working curve].
func BestExposure(tries []Exposed) (seconds float64, err error) {
	tries = slices.Clone(tries)
	slices.SortFunc(tries, func(a, b Exposed) int { return cmp.Compare(a.ExposureS, b.ExposureS) })
	for i, e := range tries {
		switch {
		case !(e.ExposureS > 0 && e.PinMM > 0 && e.SlotMM > 0):
			return 0, rates.Amiss("exposure", "every try has its exposure, the thinnest post that stands and the narrowest slot that is open")
		case i > 0 && e.ExposureS == tries[i-1].ExposureS:
			return 0, rates.Amiss("exposure", "%s s was tried twice", rates.Number(e.ExposureS))
		}
	}
	if len(tries) < 2 {
		return 0, rates.Amiss("exposure", "two exposures at least: one says nothing about the other side")
	}
	over := func(e Exposed) float64 { return math.Log(e.SlotMM / e.PinMM) } // above 0: too much
	for i := 1; i < len(tries); i++ {
		a, b := tries[i-1], tries[i]
		if la, lb := over(a), over(b); la <= 0 && lb >= 0 {
			if lb == la {
				return math.Sqrt(a.ExposureS * b.ExposureS), nil
			}
			t := -la / (lb - la)
			return math.Exp(math.Log(a.ExposureS) + t*(math.Log(b.ExposureS)-math.Log(a.ExposureS))), nil
		}
	}
	switch first, last := tries[0], tries[len(tries)-1]; {
	case over(first) < 0 && over(last) < 0:
		return 0, rates.Amiss("exposure", "posts fail before slots do even at %s s: try longer ones", rates.Number(last.ExposureS))
	case over(first) > 0 && over(last) > 0:
		return 0, rates.Amiss("exposure", "slots close before posts fail even at %s s: try shorter ones", rates.Number(first.ExposureS))
	}
	return 0, rates.Amiss("exposure", "more exposure should close slots and let thinner posts stand: read the pieces again")
}

// BestFlow is the flow, in per cent, by which a wall of one line comes out as wide as it is asked for:
// its mean over the places where it was measured. Source: common practice.
func BestFlow(nowPercent, lineMM float64, wallMM []float64) (percent float64, err error) {
	if len(wallMM) < 3 {
		return 0, rates.Amiss("wall", "measure the wall at three places at least")
	}
	low, high, sum := math.Inf(1), 0.0, 0.0
	for _, w := range wallMM {
		low, high, sum = min(low, w), max(high, w), sum+w
	}
	mean := sum / float64(len(wallMM))
	switch {
	case low <= 0 || mean > 3*lineMM || mean < lineMM/3:
		return 0, rates.Amiss("wall", "a wall of one line is about %s mm wide, not %s", rates.Number(lineMM), rates.Number(mean))
	case high-low > mostSpread*mean:
		return 0, rates.Amiss("wall", "between %s and %s mm: such a wall is not even enough to be measured by", rates.Number(low), rates.Number(high))
	}
	return nowPercent * lineMM / mean, nil
}

// mostSpread is by how much of its mean a wall may differ from place to place. Source: from memory.
const mostSpread = 0.25
