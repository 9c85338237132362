package process

import "math"

// MostParts is into how many parts a print is ever thought of being cut.
const MostParts = 12

// WastedMinutes is how long a run goes on for nothing, on average over runs that fail: until
// somebody notices, so many hours later at most, or until its end. Failures come at a constant
// rate per hour; noticed at once the mean is 1/λ − T/(e^{λT} − 1) [published: the mean of a
// truncated exponential distribution, e.g. Ross, Introduction to Probability Models].
func WastedMinutes(minutes, perHour, noticedHours float64) float64 {
	late := 60 * noticedHours
	rate := perHour / 60
	switch {
	case minutes <= 0 || late >= minutes:
		return max(0, minutes)
	case rate*minutes < 1e-4: // as often early as late
		early := minutes - late
		return (early*(early/2+late) + late*minutes) / minutes
	}
	early := minutes - late // a failure until then is noticed before the end
	before := (1-math.Exp(-rate*early)*(1+rate*early))/rate - late*math.Expm1(-rate*early)
	after := minutes * (math.Exp(-rate*early) - math.Exp(-rate*minutes))
	return (before + after) / -math.Expm1(-rate*minutes)
}

// ExpectedMinutes is the expected machine time of a print that restarts from zero until
// it succeeds, at a constant rate of failures per hour. Noticed at once it is (e^{λT} −
// 1)/λ [published: renewal argument, e.g. Ross, Introduction to Probability Models];
// noticed only at the end, T·e^{λT}. Past e^20 runs it stays there: nothing would come of it.
func ExpectedMinutes(minutes, perHour, noticedHours float64) float64 {
	return max(0, minutes) + ExtraRuns(perHour, minutes)*WastedMinutes(minutes, perHour, noticedHours)
}

// Splitting is what cutting a print into parts depends on.
type Splitting struct {
	Minutes        float64 // of the print in one, its set-up not counted
	FailurePerHour float64
	NoticedHours   float64 // a failure is noticed so long after, or at the end
	SetUpMinutes   float64 // of hands and machine, for each run
	SeamMinutes    float64 // of hands, for each seam: align, glue, fill, sand
	MachinePerHour float64 // in the studio's currency
	HandsPerHour   float64
	MaterialPerMin float64 // what a minute of the run lays down
	Least          int     // parts, so that each fits; 0 and 1: it fits in one
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
			MachineMinutes: float64(n) * ExpectedMinutes(each, s.FailurePerHour, s.NoticedHours),
			HandsMinutes:   float64(n)*s.SetUpMinutes*tries + float64(n-1)*s.SeamMinutes}
		p.Cost = p.MachineMinutes/60*s.MachinePerHour + p.MachineMinutes*s.MaterialPerMin + p.HandsMinutes/60*s.HandsPerHour
		curve = append(curve, p)
		if n > s.Least && n-1 > best && p.Cost < curve[best].Cost {
			best = n - 1
		}
	}
	return curve, best
}
