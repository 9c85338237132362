package process

import "gonum.org/v1/gonum/mathext"

// Rate is what is known of how often something happens in an hour: events counted in hours, those that
// were believed before anything was counted among them. With them its chance is gamma-distributed
// [published: Gelman et al., Bayesian Data Analysis, 3rd ed., section 2.6].
type Rate struct{ Events, Hours float64 }

// And is the rate with what was counted since.
func (r Rate) And(events, hours float64) Rate { return Rate{r.Events + events, r.Hours + hours} }

// PerHour is its mean.
func (r Rate) PerHour() float64 {
	if r.Hours <= 0 {
		return 0
	}
	return r.Events / r.Hours
}

// Below is the value that the rate is below with a chance between 0 and 1.
func (r Rate) Below(chance float64) float64 {
	if r.Events <= 0 || r.Hours <= 0 {
		return 0
	}
	return mathext.GammaIncRegInv(r.Events, chance) / r.Hours
}

// Share is what is known of how large a part of all is of one kind: counts of it and of the rest, what
// was believed before among them. With them its chance is beta-distributed [published: the same,
// section 2.4].
type Share struct{ Of, Rest float64 }

// Mean is its mean, 0..1.
func (s Share) Mean() float64 {
	if s.Of+s.Rest <= 0 {
		return 0
	}
	return s.Of / (s.Of + s.Rest)
}

// Below is the value that the share is below with a chance between 0 and 1.
func (s Share) Below(chance float64) float64 {
	if s.Of <= 0 || s.Rest <= 0 {
		return s.Mean()
	}
	return mathext.InvRegIncBeta(s.Of, s.Rest, chance)
}
