package process

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The closed forms against a simulation of restarts, both ways of noticing a failure.
func TestExpectedMinutesAgainstSimulation(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	const hours, perHour, tries = 24.0, 0.06, 200_000
	var atOnce, atEnd float64
	for range tries {
		for {
			fails := r.ExpFloat64() / perHour
			if fails >= hours {
				atOnce, atEnd = atOnce+hours, atEnd+hours
				break
			}
			atOnce, atEnd = atOnce+fails, atEnd+hours
		}
	}
	assert.InEpsilon(t, atOnce/tries, ExpectedMinutes(hours*60, perHour, 0)/60, 0.01)
	assert.InEpsilon(t, atEnd/tries, ExpectedMinutes(hours*60, perHour, hours)/60, 0.01)
	assert.InEpsilon(t, (math.Exp(1.44)-1)/0.06, ExpectedMinutes(hours*60, perHour, 0)/60, 1e-9, "Ross's closed form")
	assert.Equal(t, 90.0, ExpectedMinutes(90, 0, 0))
	assert.Equal(t, 0.0, ExpectedMinutes(0, 1, 0))
}

// What a failed run wastes against a simulation: noticed at once, within some hours, at the end.
func TestWastedAgainstSimulation(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for _, perHour := range []float64{0.0005, 0.012, 0.2} {
		for _, noticed := range []float64{0, 5, 30, 62, 100} {
			const hours = 63.0
			var sum, n float64
			for n < 60_000 {
				fails := -math.Log(1-r.Float64()*-math.Expm1(-perHour*hours)) / perHour // of runs that fail
				sum, n = sum+min(hours, fails+noticed), n+1
			}
			assert.InEpsilon(t, sum/n, WastedMinutes(hours*60, perHour, noticed)/60, 0.02, "λ %v, noticed after %v h", perHour, noticed)
		}
	}
	assert.InEpsilon(t, WastedMinutes(600, 0.99e-5*6, 3), WastedMinutes(600, 1.01e-5*6, 3), 1e-4, "either side of where the formula changes")
	assert.Zero(t, WastedMinutes(0, 1, 1))
}

// The best number of parts is that of a search by hand over n(e^{λT/n} − 1)/λ plus seams.
func TestSplitCurve(t *testing.T) {
	s := Splitting{Minutes: 60 * 60, FailurePerHour: 0.03, SeamMinutes: 40, MachinePerHour: 1, HandsPerHour: 26}
	curve, best := s.Curve()
	want, at := math.Inf(1), 0
	for n := 1.0; n <= MostParts; n++ {
		cost := n*(math.Exp(0.03*60/n)-1)/0.03 + (n-1)*40/60*26
		assert.InEpsilon(t, cost, curve[int(n)-1].Cost, 1e-9)
		if cost < want {
			want, at = cost, int(n)-1
		}
	}
	assert.Equal(t, at, best)
	assert.Equal(t, 2, curve[best].Parts)
	s.NoticedHours = 1000
	_, later := s.Curve()
	assert.Greater(t, later, best, "noticed only in the morning, more cuts pay")
	s.SeamMinutes = 2000
	_, none := s.Curve()
	assert.Zero(t, none)
	s.FailurePerHour, s.SeamMinutes, s.SetUpMinutes = 0, 5, 10
	curve, none = s.Curve()
	assert.Zero(t, none, "a machine that never fails gains nothing by cuts")
	assert.Equal(t, 3610.0, curve[0].MachineMinutes)
	assert.InDelta(t, 3*(10+1200), curve[2].MachineMinutes, 1e-9)
	s.Least = 4
	curve, least := s.Curve()
	assert.Equal(t, 4, curve[least].Parts, "it must be cut to fit: the cheapest that does")
	s.FailurePerHour, s.SeamMinutes = 0.2, 1
	curve, most := s.Curve()
	assert.Greater(t, curve[most].Parts, 4, "and into more where that pays")
}
