package process

import "math"

// MostParts is into how many parts a print is ever thought of being cut.
const MostParts = 12

// ExpectedMinutes is the expected machine time of a print that restarts from zero until
// it succeeds, at a constant rate of failures per hour. Noticed at once it is (e^{λT} −
// 1)/λ [published: renewal argument, e.g. Ross, Introduction to Probability Models];
// noticed only at the end, T·e^{λT}. Past e^20 it stays there: nothing would come of it.
func ExpectedMinutes(minutes, perHour float64, atOnce bool) float64 {
	risk := min(20, perHour*minutes/60)
	switch {
	case minutes <= 0:
		return 0
	case !atOnce:
		return minutes * math.Exp(risk)
	case risk < 1e-9:
		return minutes
	}
	return minutes / risk * math.Expm1(risk)
}

// Splitting is what cutting a print into parts depends on.
type Splitting struct {
	Minutes        float64 // of the print in one, its set-up not counted
	FailurePerHour float64
	AtOnce         bool    // a failure is noticed as it happens, not only at the end
	SetUpMinutes   float64 // of hands and machine, for each run
	SeamMinutes    float64 // of hands, for each seam: align, glue, fill, sand
	MachinePerHour float64 // in the studio's currency
	HandsPerHour   float64
	Least          int // parts, so that each fits; 0 and 1: it fits in one
}

// Split is one number of parts with what is to be expected of it.
type Split struct {
	Parts          int     `json:"parts"`
	MachineMinutes float64 `json:"machine_minutes"`
	HandsMinutes   float64 `json:"hands_minutes"`
	Cost           float64 `json:"cost"`
	AtRiskMinutes  float64 `json:"at_risk_minutes"` // of machine, when a part fails near its end
}

// Curve works out 1 to MostParts equal parts, each a run of its own; best is the index of the
// cheapest that fits.
func (s Splitting) Curve() (curve []Split, best int) {
	best = max(0, min(MostParts, s.Least)-1)
	for n := 1; n <= MostParts; n++ {
		each := s.SetUpMinutes + s.Minutes/float64(n)
		tries := math.Exp(min(20, s.FailurePerHour*each/60)) // how often a run is begun
		p := Split{Parts: n, AtRiskMinutes: each,
			MachineMinutes: float64(n) * ExpectedMinutes(each, s.FailurePerHour, s.AtOnce),
			HandsMinutes:   float64(n)*s.SetUpMinutes*tries + float64(n-1)*s.SeamMinutes}
		p.Cost = p.MachineMinutes/60*s.MachinePerHour + p.HandsMinutes/60*s.HandsPerHour
		curve = append(curve, p)
		if n > s.Least && n-1 > best && p.Cost < curve[best].Cost {
			best = n - 1
		}
	}
	return curve, best
}
