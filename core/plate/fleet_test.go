package plate

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The trade's worked example: four plates of 20, 20, 18 and 18 h take two equal machines 38 h; a
// third that takes a plate in 13 h brings them to 26 h, and its own bed is packed again.
func TestWorkedExampleOfAThirdMachine(t *testing.T) {
	bed := Bed{WidthMM: 70, DepthMM: 40, HeightMM: 200}
	slow := func(on []Part) float64 { // 20 h for the tall, 18 h for the rest
		h := 18.0
		for _, p := range on {
			if p.HeightMM > 100 {
				h = 20
			}
		}
		return 60 * h
	}
	job := Job{Bed: bed, SpacingMM: 3, StepDeg: 90, RunMin: slow}
	for k := range 8 { // two to a plate
		p := rect(fmt.Sprint(k), 30, 36)
		p.HeightMM = 150
		if k >= 4 {
			p.HeightMM = 90
		}
		job.Parts = append(job.Parts, p)
	}
	two := Fleet{Jobs: []Job{job, job}}.Share()
	require.Len(t, two.Runs, 4)
	assert.InDelta(t, 38*60, two.EndsMin, 1e-9)
	assert.InDelta(t, 76*60, two.Minutes, 1e-9)
	fast := job
	fast.RunMin = func([]Part) float64 { return 13 * 60 }
	three := Fleet{Jobs: []Job{job, job, fast}}.Share()
	assert.InDelta(t, 26*60, three.EndsMin, 1e-9)
	fast.Bed = Bed{WidthMM: 136, DepthMM: 40, HeightMM: 200} // four to its plate
	fast.Die = die(1)
	wide := Fleet{Jobs: []Job{job, job, fast}, Steps: 30}.Share()
	require.Len(t, wide.Runs, 3)
	assert.LessOrEqual(t, wide.EndsMin, 20*60.0, "its wider bed takes four: two plates of two are left, of 20 h or of 18")

	// Nobody is there by night: what ends then is changed at eight the next morning.
	day := func(min float64) float64 {
		if h := int(min/60) % 24; h >= 9 {
			return (float64(int(min/60)/24) + 1) * 24 * 60
		}
		return min
	}
	assert.InDelta(t, (24+18)*60, Fleet{Jobs: []Job{job, job}, Watch: Watch{There: day}}.Share().EndsMin, 1e-9)
	busy := Fleet{Jobs: []Job{job, job}, FreeMin: []float64{0, 600 * 60}}.Share()
	for _, r := range busy.Runs {
		assert.Zero(t, r.Job, "the other is taken for long")
	}
	tall := rect("tall", 20, 20)
	tall.HeightMM = 999
	job.Parts = append(job.Parts, tall)
	assert.Equal(t, "tall", Fleet{Jobs: []Job{job}}.Share().Left[0].ID)
	few := Fleet{Jobs: []Job{job, job}, Look: 3}.Share() // what fits nowhere does not stand in the way of the rest
	assert.Len(t, few.Runs, 4)
	assert.Equal(t, "tall", few.Left[0].ID)
	assert.Contains(t, few.Left[0].Reason, "999 mm tall")
	assert.Empty(t, Fleet{}.Share().Runs)
}
