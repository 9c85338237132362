package process

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/mathext"
)

// The worked examples of Gelman et al., Bayesian Data Analysis, 3rd ed.: asthma deaths of section 2.6
// (prior Gamma(3, 5); three deaths in 2.0 hundred thousand years, then thirty in 20), and births with
// placenta previa of section 2.4 (437 girls of 980, a uniform prior).
func TestPosteriorsOfTheTextbook(t *testing.T) {
	before := Rate{3, 5}
	assert.InDelta(t, 0.6, before.PerHour(), 1e-12)
	one := before.And(3, 2)
	assert.InDelta(t, 0.86, one.PerHour(), 0.005)
	assert.InDelta(t, 0.30, 1-mathext.GammaIncReg(one.Events, one.Hours), 0.005, "the chance that it is above 1")
	assert.InDelta(t, 1, one.Below(mathext.GammaIncReg(one.Events, one.Hours)), 1e-9)
	ten := before.And(30, 20)
	assert.InDelta(t, 1.32, ten.PerHour(), 0.005)
	assert.InDelta(t, 0.93, 1-mathext.GammaIncReg(ten.Events, ten.Hours), 0.005)

	girls := Share{437 + 1, 980 - 437 + 1}
	assert.InDelta(t, 0.446, girls.Mean(), 0.0005)
	assert.InDelta(t, 0.415, girls.Below(0.025), 0.0005)
	assert.InDelta(t, 0.477, girls.Below(0.975), 0.0005)

	assert.Zero(t, Rate{}.PerHour())
	assert.Zero(t, Rate{0, 10}.Below(0.9))
	assert.Zero(t, Share{}.Mean())
	assert.Equal(t, 1.0, Share{3, 0}.Below(0.1))
}
