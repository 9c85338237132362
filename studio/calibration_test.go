package studio

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestLearn(t *testing.T) {
	assert.Equal(t, 1.0, Calibrate(nil).Factor())
	slow := TimedRun{OursMin: 100, RealMin: 120}
	one, many := Calibrate([]TimedRun{slow}), Calibrate([]TimedRun{slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow, slow})
	assert.InDelta(t, math.Pow(1.2, 0.25), one.Factor(), 1e-12, "one lesson of four, three of them doubt")
	assert.InDelta(t, math.Pow(1.2, 17./20), many.Factor(), 1e-12)
	assert.InDelta(t, 0.2, one.Off, 1e-12)
	assert.Equal(t, one, Calibrate([]TimedRun{slow, {OursMin: 100, RealMin: 900}, {OursMin: 0, RealMin: 5}}), "a night left standing teaches nothing")
	assert.Contains(t, many.Text(), "off by 20 % before")
	both := Calibrate([]TimedRun{slow, {OursMin: 120, RealMin: 100}})
	assert.InDelta(t, 1, both.Factor(), 1e-12)
}
