package process

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// By the working curve the hardened depth goes with the logarithm of the dose: posts thin and slots
// close along it, and where both are as wide lies between the tries.
func TestTheExposureBetweenTwoTries(t *testing.T) {
	pin := func(s float64) float64 { return 0.40 * math.Pow(s/2.5, -0.8) }
	slot := func(s float64) float64 { return 0.40 * math.Pow(s/2.5, 1.1) }
	var tries []Exposed
	for _, s := range []float64{4, 1.5, 2, 3} { // in any order
		tries = append(tries, Exposed{s, pin(s), slot(s)})
	}
	got, err := BestExposure(tries)
	assert.NoError(t, err)
	assert.InDelta(t, 2.5, got, 1e-9)

	_, err = BestExposure([]Exposed{{1, pin(1), slot(1)}, {1.5, pin(1.5), slot(1.5)}})
	assert.ErrorContains(t, err, "try longer")
	_, err = BestExposure([]Exposed{{4, pin(4), slot(4)}, {6, pin(6), slot(6)}})
	assert.ErrorContains(t, err, "try shorter")
	_, err = BestExposure([]Exposed{{2, 0.2, 0.4}, {3, 0.4, 0.2}})
	assert.ErrorContains(t, err, "read the pieces again")
	_, err = BestExposure([]Exposed{{2, 0.3, 0.3}})
	assert.ErrorContains(t, err, "two exposures")
	_, err = BestExposure([]Exposed{{2, 0.3, 0.3}, {2, 0.4, 0.4}})
	assert.ErrorContains(t, err, "twice")
	_, err = BestExposure([]Exposed{{2, 0.3, 0}, {3, 0.4, 0.4}})
	assert.ErrorContains(t, err, "every try")
}

func TestTheFlowOfAWall(t *testing.T) {
	got, err := BestFlow(100, 0.45, []float64{0.49, 0.50, 0.51})
	assert.NoError(t, err)
	assert.InDelta(t, 90, got, 1e-9)
	for says, wall := range map[string][]float64{"three places": {0.5, 0.5}, "a wall of one line": {2, 2, 2}, "not even enough": {0.3, 0.5, 0.6}} {
		_, err := BestFlow(100, 0.45, wall)
		assert.ErrorContains(t, err, says)
	}
}
