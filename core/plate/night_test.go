package plate

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// eightHours are nine to five, every day, counted from nine of the first.
var eightHours = Watch{
	There: func(min float64) float64 {
		if day := math.Floor(min / 1440); min-1440*day >= 480 {
			return 1440 * (day + 1)
		}
		return min
	},
	Until: func(min float64) float64 { return 1440*math.Floor(min/1440) + 480 },
}

// Twelve parts of 118 minutes each, no more than seven to a run. Run after run as long as may be, the
// first would stand from eleven at night; with four by day, seven by night and one in the morning the
// last is off before noon.
func TestLongRunsFallIntoTheNight(t *testing.T) {
	job := Job{Bed: Bed{WidthMM: 200, DepthMM: 200, HeightMM: 100}, SpacingMM: 3, StepDeg: 90, MostMin: 14 * 60,
		RunMin: func(on []Part) float64 { return 118 * float64(len(on)) }}
	for k := range 12 {
		p := rect(fmt.Sprint(k), 30, 30)
		p.Minutes = 118
		job.Parts = append(job.Parts, p)
	}
	blind := Fleet{Jobs: []Job{job}, Watch: Watch{There: eightHours.There}, Steps: 5}.Share()
	require.Len(t, blind.Runs, 2)
	assert.InDelta(t, 1440+5*118, blind.EndsMin, 1e-9)
	seeing := Fleet{Jobs: []Job{job}, Watch: eightHours, Steps: 5}.Share()
	var sizes []int
	for _, r := range seeing.Runs {
		sizes = append(sizes, len(r.Plate.Parts))
	}
	assert.Equal(t, []int{4, 7, 1}, sizes)
	assert.InDelta(t, 1440+118, seeing.EndsMin, 1e-9)

	// What is due before a short run and the long one after it would be off stays on the first plate.
	for k := range job.Parts {
		job.Parts[k].DueMin = 7 * 118
	}
	job.LateMin = 1
	plan := eightHours.First(job, 0, Fleet{Steps: 5}.search)
	assert.Len(t, plan.Plates[0].Parts, 7)
}

// Of resin the tallest part sets the time: the low ones run by day, the tall ones by night.
func TestTallPlatesFallIntoTheNight(t *testing.T) {
	job := Job{Bed: Bed{WidthMM: 70, DepthMM: 40, HeightMM: 200}, SpacingMM: 3, StepDeg: 90, RunMin: func(on []Part) float64 {
		most := 0.0
		for _, p := range on {
			most = max(most, p.HeightMM)
		}
		return 6 * most
	}}
	for k := range 4 {
		p := rect(fmt.Sprint(k), 30, 36)
		if p.HeightMM = 150; k >= 2 {
			p.HeightMM = 70
		}
		job.Parts = append(job.Parts, p)
	}
	plan := eightHours.First(job, 0, Fleet{Steps: 20}.search)
	assert.Equal(t, 420.0, plan.Plates[0].Minutes, "seven hours, off before five")
	late := eightHours.First(job, 470, Fleet{Steps: 20}.search)
	assert.Equal(t, 900.0, late.Plates[0].Minutes, "over night")
	assert.Equal(t, job.Parts[0].HeightMM, job.Parts[late.Plates[0].Tallest].HeightMM)
	always := Watch{}.First(job, 0, Fleet{Steps: 20}.search)
	assert.Len(t, always.Plates, 2)
}

// A machine that must be still from ten at night until seven runs no plate into that: what would not be
// through by then waits for the morning.
func TestQuietHoursAreKept(t *testing.T) {
	job := Job{Bed: Bed{WidthMM: 200, DepthMM: 200, HeightMM: 100}, SpacingMM: 3, StepDeg: 90, MostMin: 15 * 60,
		RunMin: func(on []Part) float64 { return 240 * float64(len(on)) }}
	for k := range 7 {
		p := rect(fmt.Sprint(k), 30, 30)
		p.Minutes = 240
		job.Parts = append(job.Parts, p)
	}
	job.Clear = func(begin, minutes float64) float64 { // of a day that is counted from nine
		loud := math.Mod(begin+2*60, 1440)
		if loud+minutes <= 15*60 {
			return begin
		}
		return begin + 1440 - loud
	}
	shared := Fleet{Jobs: []Job{job}, Watch: eightHours, Steps: 5}.Share()
	parts := 0
	for _, r := range shared.Runs {
		parts += len(r.Plate.Parts)
		assert.Equal(t, r.BeginMin, job.Clear(r.BeginMin, r.Plate.Minutes), "it begins where it may")
		from := math.Mod(r.BeginMin+2*60, 1440)
		assert.LessOrEqual(t, from+r.Plate.Minutes, 15*60.0)
		assert.Equal(t, r.BeginMin, eightHours.There(r.BeginMin), "and somebody is there")
	}
	assert.Equal(t, 7, parts)
}
