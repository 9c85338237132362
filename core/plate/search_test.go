package plate

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/solid"
)

// resin is a run that the tallest part sets: 30 min of change, 2 min a millimetre.
func resin(on []Part) float64 {
	tallest := 0.0
	for _, p := range on {
		tallest = max(tallest, p.HeightMM)
	}
	return 30 + 2*tallest
}

// filament is one whose hours add up.
func filament(on []Part) float64 {
	sum := 20.0
	for _, p := range on {
		sum += p.Minutes
	}
	return sum
}

func die(seed uint64) Die { return rand.New(rand.NewPCG(seed, 1)) }

func searched(job Job, steps int) Plan {
	s := NewSearch(job)
	for range steps {
		s.Step()
	}
	return s.Best()
}

// least is the least that all ways of sharing parts out on plates of so many places take, tried one
// by one: every part goes on each plate that has begun, or begins one.
func least(parts []Part, places int, run func([]Part) float64) float64 {
	best := math.Inf(1)
	var on [][]Part
	var share func(k int)
	share = func(k int) {
		if k == len(parts) {
			sum := 0.0
			for _, p := range on {
				sum += run(p)
			}
			best = min(best, sum)
			return
		}
		for i := range on {
			if len(on[i]) < places {
				on[i] = append(on[i], parts[k])
				share(k + 1)
				on[i] = on[i][:len(on[i])-1]
			}
		}
		on = append(on, []Part{parts[k]})
		share(k + 1)
		on = on[:len(on)-1]
	}
	share(0)
	return best
}

// Parts are grouped by height: with equal outlines, four to a plate, the search comes to what
// trying everything comes to.
func TestGroupsByHeight(t *testing.T) {
	four := Bed{WidthMM: 64, DepthMM: 64, HeightMM: 200}
	rapid.Check(t, func(t *rapid.T) {
		job := Job{Bed: four, SpacingMM: 2, StepDeg: 90, RunMin: resin, Die: die(rapid.Uint64().Draw(t, "seed"))}
		for i := range rapid.IntRange(1, 8).Draw(t, "parts") {
			p := rect(fmt.Sprint(i), 30, 30)
			p.HeightMM = float64(rapid.IntRange(5, 150).Draw(t, "height"))
			job.Parts = append(job.Parts, p)
		}
		if got, want := searched(job, 60).Minutes, least(job.Parts, 4, resin); got > want+1e-6 {
			t.Fatalf("%f min, %f would do", got, want)
		}
	})
}

// A tall one takes company on its plate that would cost a plate of its own elsewhere.
func TestTheTallestSetsTheTime(t *testing.T) {
	job := Job{Bed: bed, SpacingMM: 3, StepDeg: 90, RunMin: resin, Die: die(1)}
	tall, flat := rect("t", 60, 30), rect("f", 60, 30)
	tall.HeightMM, flat.HeightMM = 150, 12
	job.Parts = append(times(4, tall), times(4, flat)...)
	plan := searched(job, 40)
	require.Len(t, plan.Plates, 2)
	assert.InDelta(t, 30+2*150+30+2*12, plan.Minutes, 1e-9, "tall with tall, flat with flat")
	assert.InDelta(t, plan.Minutes, plan.Plates[1].EndsMin, 1e-9)
}

// Halves of one thing never share a plate, and no run is longer than may be lost with it.
func TestLimitsOfAPlate(t *testing.T) {
	job := Job{Bed: Bed{WidthMM: 300, DepthMM: 300, HeightMM: 300}, SpacingMM: 5, StepDeg: 90, RunMin: filament, MostMin: 600, Die: die(1)}
	for k := range 6 {
		p := rect(fmt.Sprint(k), 40, 40)
		p.Minutes, p.Apart = 200, fmt.Sprint("thing ", k/2)
		job.Parts = append(job.Parts, p)
	}
	long := rect("long", 40, 40)
	long.Minutes = 900
	job.Parts = append(job.Parts, long)
	plan := searched(job, 80)
	require.Len(t, plan.Plates, 4, "two to a run of 600 min, and the long one alone")
	for _, on := range plan.Plates {
		things := map[string]bool{}
		for _, k := range on.Parts {
			p := job.Parts[k]
			assert.False(t, things[p.Apart], "both halves on one plate")
			things[p.Apart] = true
			assert.True(t, p.ID != "long" || len(on.Parts) == 1)
		}
		assert.True(t, on.Minutes <= 600 || len(on.Parts) == 1)
	}
}

// Copies of one thing are not all put at one risk where that costs nothing, and are where it would cost
// more than it is worth.
func TestCopiesAreSpread(t *testing.T) {
	job := Job{Bed: Bed{WidthMM: 64, DepthMM: 34, HeightMM: 200}, SpacingMM: 2, StepDeg: 90, RunMin: resin, SpreadMin: 20, Die: die(1)}
	for k := range 4 { // two to a plate
		p := rect(fmt.Sprint(k), 30, 30)
		p.HeightMM, p.Spread = 50, fmt.Sprint("thing ", k/2)
		job.Parts = append(job.Parts, p)
	}
	plan := searched(job, 60)
	require.Len(t, plan.Plates, 2)
	assert.Zero(t, plan.AtOnce)
	for k := range job.Parts { // things of very different heights: two tall plates take an hour more
		job.Parts[k].HeightMM = []float64{100, 100, 10, 10}[k]
	}
	job.Die = die(1)
	plan = searched(job, 60)
	assert.Equal(t, 2, plan.AtOnce)
	assert.InDelta(t, 30+200+30+20, plan.Minutes, 1e-9)
}

// What is due first runs first, and is not held up by what has time.
func TestDueFirst(t *testing.T) {
	job := Job{Bed: bed, SpacingMM: 3, StepDeg: 90, RunMin: resin, LateMin: 1, Die: die(1)}
	big := rect("b", 120, 70)
	big.HeightMM = 100
	small := rect("s", 120, 70)
	small.HeightMM, small.DueMin = 40, 120
	job.Parts = append(times(2, big), times(1, small)...)
	plan := searched(job, 30)
	require.Len(t, plan.Plates, 3)
	assert.Equal(t, "s0", plan.Plates[0].Placed[0].ID)
	assert.InDelta(t, 0, plan.LateMin, 1e-9)
}

// The same job and seed come to the same plan, and more steps never to a worse one.
func TestSearchIsSeededAndNeverWorse(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	job := Job{Bed: bed, SpacingMM: 2, StepDeg: 15, RunMin: resin, Die: die(9)}
	for k := range 30 {
		p := Part{ID: fmt.Sprint(k), Outline: ell(12+30*r.Float64(), 5), HeightMM: 10 + 60*r.Float64()}
		if k%3 == 0 {
			p.Outline = solid.Outline{{{X: 0, Y: 0}, {X: 30 * (1 + r.Float64()), Y: 0}, {X: 6, Y: 22}}}
		}
		job.Parts = append(job.Parts, p)
	}
	again := job
	again.Die = die(9)
	assert.Equal(t, searched(job, 40), searched(again, 40))
	s, last := NewSearch(job), math.Inf(1)
	for range 60 {
		better := s.Step()
		now := s.Best()
		assert.LessOrEqual(t, now.Minutes, last)
		assert.True(t, better || now.Minutes == last || last == math.Inf(1))
		last = now.Minutes
	}
	assert.Equal(t, 61, s.Tries())
	assert.Empty(t, searched(Job{Bed: bed}, 5).Plates, "no parts, no plates")
	full := bed
	full.KeepOut = []KeepOut{{0, 0, 143, 89}}
	none := searched(Job{Bed: full, Die: die(1), Parts: job.Parts[:2]}, 5)
	assert.Empty(t, none.Plates)
	assert.Contains(t, none.Left[0].Reason, "no place of the bed")
	_, left := Fill(Bed{}, 3, 90, nil, job.Parts[:1])
	assert.True(t, left[0].Never, "a bed of no size")
}
