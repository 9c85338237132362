package schedule

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// generated is a studio of so many pieces: six machines, four people with hours, ten stages each, with
// waits, of orders that are due over some weeks.
func generated(pieces int, seed uint64) *Problem {
	r := rand.New(rand.NewPCG(seed, 3))
	p := &Problem{Goal: Lateness}
	start := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	for m := range 6 {
		p.Resources = append(p.Resources, Resource{Name: fmt.Sprint("machine ", m)})
	}
	var week Week
	for d := 1; d <= 5; d++ {
		week[d] = []MinuteSpan{{9 * 60, 12*60 + 30}, {13 * 60, 17*60 + 30}}
	}
	hours := CalendarOf(week, start, 700, nil)
	for h := range 4 {
		p.Resources = append(p.Resources, Resource{Name: fmt.Sprint("hands ", h), Hours: hours})
	}
	hands := func(min int) (out []Mode) {
		for h := range 4 {
			out = append(out, Mode{6 + h, int64(60*min) * int64(8+h) / 8})
		}
		return out
	}
	for k := range pieces {
		job := len(p.Jobs)
		p.Jobs = append(p.Jobs, Job{Name: fmt.Sprint(k), DueS: int64(3600 * (40 + r.IntN(1200))), Weight: 1 + float64(r.IntN(3))})
		var run []Mode
		for m := range 6 {
			if r.IntN(2) == 0 || m == 5 && len(run) == 0 {
				run = append(run, Mode{m, int64(60 * (20 + r.IntN(60)))})
			}
		}
		add := func(t Task) {
			t.Job, t.Name = job, fmt.Sprint(len(p.Tasks))
			if k := len(p.Tasks) - 1; k >= 0 && p.Tasks[k].Job == job {
				t.After = []int{k}
			}
			p.Tasks = append(p.Tasks, t)
		}
		add(Task{On: run})
		for s := range 9 {
			add(Task{On: hands(2 + r.IntN(10)), Split: s%2 == 0, WaitS: int64(60 * []int{0, 0, 30, 720}[r.IntN(4)])})
		}
	}
	return p
}

// The first plan of a small studio is free of faults, and the search makes it less late.
func TestAStudioIsPlanned(t *testing.T) {
	p := generated(60, 1)
	for j := range p.Jobs {
		p.Jobs[j].DueS /= 12 // more than can be done
	}
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	first := s.Best()
	assert.Empty(t, Faults(p, first))
	for range 400 {
		s.Step()
	}
	better := s.Best()
	assert.Empty(t, Faults(p, better))
	assert.Less(t, better.Cost.LateS, first.Cost.LateS)
	assert.GreaterOrEqual(t, better.Cost.LateS, p.Bound())

	// What runs already, and what is near, stays where it is.
	again := *p
	again.Tasks = append([]Task{}, p.Tasks...)
	fixed := 0
	for i, x := range better.At {
		if x.StartS < 4*3600 {
			again.Tasks[i].Fixed, fixed = &better.At[i], fixed+1
		}
	}
	require.Positive(t, fixed)
	s, err = NewSearch(&again, die(2))
	require.NoError(t, err)
	assert.Empty(t, Faults(&again, s.Best()))
}

// BenchmarkStudio plans 400 pieces, some 4,000 tasks, for the first time, and once more.
func BenchmarkStudio(b *testing.B) {
	p := generated(400, 1)
	b.Run("first", func(b *testing.B) {
		for b.Loop() {
			_, err := NewSearch(p, die(1))
			require.NoError(b, err)
		}
	})
	s, err := NewSearch(p, die(1))
	require.NoError(b, err)
	b.Run("step", func(b *testing.B) {
		for b.Loop() {
			s.Step()
		}
		b.ReportMetric(s.Best().Cost.LateS/3600, "late-h")
	})
	b.Run("bound", func(b *testing.B) {
		for b.Loop() {
			p.Bound()
		}
	})
}
