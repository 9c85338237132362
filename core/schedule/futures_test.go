package schedule

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One task whose time is spread evenly between 60 and 140, due at 120, is on time in three of four
// futures; two of them one after the other on one machine, due at 200, in half, by symmetry.
func TestFuturesOfATask(t *testing.T) {
	p := &Problem{Goal: Lateness, Resources: []Resource{{Name: "bench"}}, Jobs: []Job{{DueS: 120}}, Tasks: []Task{{On: []Mode{{0, 100}}}}}
	d := die(5)
	evenly := func(int, int64) Took { return Took{S: 60 + int64(d.IntN(81))} }
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	const n = 20_000
	assert.InDelta(t, 61.0/81, p.Futures(s.Best(), n, evenly).OnTime[0], 4*math.Sqrt(0.75*0.25/n), "four standard errors")
	p.Tasks = append(p.Tasks, Task{On: []Mode{{0, 100}}, After: []int{0}})
	p.Jobs[0].DueS = 200
	s, err = NewSearch(p, die(1))
	require.NoError(t, err)
	assert.InDelta(t, 0.5+0.5/81, p.Futures(s.Best(), n, evenly).OnTime[0], 4*math.Sqrt(0.25/n), "and the middle one counts")
	never := p.Futures(s.Best(), 10, func(_ int, s int64) Took { return Took{S: 3 * s} })
	assert.Zero(t, never.OnTime[0])
	assert.EqualValues(t, 600, never.EndS[0][0])
	assert.InDelta(t, 1, p.Futures(s.Best(), 10, func(_ int, s int64) Took { return Took{S: s} }).OnTime[0], 1e-9, "as planned")
}

// The task whose overrun makes a job late is found, though another job’s lies before it on the same hands;
// within so large a share of the futures is the quantile of the ends.
func TestWhatDecides(t *testing.T) {
	p := &Problem{Goal: Lateness, Resources: []Resource{{Name: "Ilse"}, {Name: "Jory"}}, Jobs: []Job{{Name: "a"}, {Name: "b", DueS: 260}}}
	p.Tasks = []Task{
		{Job: 0, Name: "sand", On: []Mode{{0, 100}}},
		{Job: 1, Name: "prime", On: []Mode{{0, 100}}, WaitS: 40},
		{Job: 1, Name: "look", On: []Mode{{1, 10}}, After: []int{1}},
		{Job: 1, Name: "beside", On: []Mode{{1, 50}}},
	}
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	plan := s.Best()
	plan.At = []Placed{{0, 0, 100}, {0, 100, 200}, {1, 240, 250}, {1, 0, 50}}
	assert.Equal(t, []int{0, 1, 2}, p.Chain(plan, 1), "the first sands for another")
	k := int64(0)
	f := p.Futures(plan, 100, func(task int, s int64) Took {
		if task == 0 {
			k++
			return Took{S: s + k}
		}
		return Took{S: s}
	})
	assert.Equal(t, []int{-1, 0}, f.Decides)
	assert.InDelta(t, 0.10, f.OnTime[1], 1e-9, "ten seconds can be borne")
	assert.EqualValues(t, 250+80, f.Within(1, 0.8))
	wait := p.Futures(plan, 10, func(task int, s int64) Took { return Took{S: s, MoreWaitS: map[int]int64{1: 100}[task]} })
	assert.EqualValues(t, 350, wait.EndS[1][0], "sent back: it dries once more")
	assert.Equal(t, 1, wait.Decides[1])
}

// BenchmarkFutures lives 400 pieces through two hundred times.
func BenchmarkFutures(b *testing.B) {
	p := generated(400, 1)
	s, err := NewSearch(p, die(1))
	require.NoError(b, err)
	d := die(2)
	for b.Loop() {
		p.Futures(s.Best(), 200, func(_ int, s int64) Took { return Took{S: s * int64(80+d.IntN(60)) / 100} })
	}
}

// A coat that goes faster in a future than its mixing takes is done in no time, and no sooner.
func TestAFutureFasterThanMixing(t *testing.T) {
	p := &Problem{Resources: []Resource{{Name: "Ilse"}}, Jobs: []Job{{Name: "x"}}}
	for range 2 {
		p.Tasks = append(p.Tasks, Task{Name: "coat", On: []Mode{{0, 900}}, Mix: Mix{ID: 1, SavesS: 720, LastsS: 3600}})
	}
	f := p.Futures(planned(t, p, 5), 3, func(int, int64) Took { return Took{S: 300} })
	assert.Equal(t, []int64{300, 300, 300}, f.EndS[0])
}

// What begins after a job's last task changes nothing of when it is over, in any future.
func TestTheFutureOfAJobAlone(t *testing.T) {
	p := generated(40, 3)
	plan := planned(t, p, 20)
	ends := make([]int64, len(p.Jobs))
	for i, x := range plan.At {
		ends[p.Tasks[i].Job] = max(ends[p.Tasks[i].Job], x.EndS)
	}
	longer := func(i int, s int64) Took { return Took{S: s + s*int64(i*7919%13)/10} }
	whole := p.Futures(plan, 2, longer)
	for job := range p.Jobs {
		part, at, of := p.UpTo(plan, job)
		require.Empty(t, Faults(part, at))
		alone := part.Futures(at, 2, func(k int, s int64) Took { return longer(of[k], s) })
		assert.Equal(t, whole.EndS[job], alone.EndS[job])
		if ends[job] < plan.Cost.EndS/2 {
			assert.Less(t, len(of), len(p.Tasks))
		}
	}
}
