package schedule

import (
	"bufio"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func die(seed uint64) Die { return rand.New(rand.NewPCG(seed, 7)) }

// shop reads a job shop of the literature: a line for each job, machine and minutes by turns. A minute is
// a second here.
func shop(t testing.TB, name string) *Problem {
	t.Helper()
	f, err := os.Open("testdata/" + name + ".txt")
	require.NoError(t, err)
	defer f.Close()
	p := &Problem{}
	for lines := bufio.NewScanner(f); lines.Scan(); {
		if strings.HasPrefix(lines.Text(), "#") {
			continue
		}
		words := strings.Fields(lines.Text())
		job := len(p.Jobs)
		p.Jobs = append(p.Jobs, Job{Name: fmt.Sprint("job ", job)})
		for k := 0; k+1 < len(words); k += 2 {
			r, err := strconv.Atoi(words[k])
			require.NoError(t, err)
			s, err := strconv.Atoi(words[k+1])
			require.NoError(t, err)
			for len(p.Resources) <= r {
				p.Resources = append(p.Resources, Resource{Name: fmt.Sprint("machine ", len(p.Resources))})
			}
			task := Task{Job: job, Name: fmt.Sprint(k / 2), On: []Mode{{r, int64(s)}}}
			if k > 0 {
				task.After = []int{len(p.Tasks) - 1}
			}
			p.Tasks = append(p.Tasks, task)
		}
	}
	return p
}

// optima are those of Fisher and Thompson's three, published in 1963 and proved since.
var optima = map[string]int64{"ft06": 55, "ft10": 930, "ft20": 1165}

// reach searches until a plan is as short as that, or a time is over.
func reach(t testing.TB, p *Problem, end int64, most time.Duration, seed uint64) (Plan, time.Duration) {
	t.Helper()
	began := time.Now()
	s, err := NewSearch(p, die(seed))
	require.NoError(t, err)
	for s.Best().Cost.EndS > end && time.Since(began) < most {
		s.Step()
	}
	return s.Best(), time.Since(began)
}

func TestPublishedOptima(t *testing.T) {
	for name, best := range optima {
		p := shop(t, name)
		plan, took := reach(t, p, best, 60*time.Second, 1)
		assert.Equal(t, best, plan.Cost.EndS, "%s, after %v", name, took)
		assert.Empty(t, Faults(p, plan), name)
		assert.LessOrEqual(t, p.Bound(), float64(best), name)
	}
	// Carlier and Pinson, 1989: the preemptive bound of the ten by ten is 808.
	assert.Equal(t, 808.0, shop(t, "ft10").Bound())
}

// BenchmarkFisherThompson tells how long it takes to the optimum, the middle of five seeds.
func BenchmarkFisherThompson(b *testing.B) {
	for _, name := range []string{"ft06", "ft10", "ft20"} {
		b.Run(name, func(b *testing.B) {
			var ms []float64
			for b.Loop() {
				for seed := range uint64(5) {
					p := shop(b, name)
					plan, took := reach(b, p, optima[name], 60*time.Second, seed)
					require.Equal(b, optima[name], plan.Cost.EndS)
					ms = append(ms, float64(took.Microseconds())/1000)
				}
			}
			worst, sum := 0.0, 0.0
			for _, x := range ms {
				worst, sum = max(worst, x), sum+x
			}
			b.ReportMetric(sum/float64(len(ms)), "mean-ms")
			b.ReportMetric(worst, "worst-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// Two machines, all jobs the first and then the second: Johnson's rule gives the shortest plan [published:
// Johnson, Optimal two- and three-stage production schedules, 1954].
func TestJohnsonsRule(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 9).Draw(t, "jobs")
		p := &Problem{Resources: make([]Resource, 2)}
		var a, b []int64
		for j := range n {
			a, b = append(a, int64(rapid.IntRange(1, 20).Draw(t, "a"))), append(b, int64(rapid.IntRange(1, 20).Draw(t, "b")))
			p.Jobs = append(p.Jobs, Job{})
			p.Tasks = append(p.Tasks, Task{Job: j, On: []Mode{{0, a[j]}}}, Task{Job: j, On: []Mode{{1, b[j]}}, After: []int{2 * j}})
		}
		var first, last []int
		for j := range n { // short first tasks first, short second tasks last
			if a[j] <= b[j] {
				first = append(first, j)
			} else {
				last = append(last, j)
			}
		}
		sortBy(first, a, 1)
		sortBy(last, b, -1)
		var one, two int64
		for _, j := range append(first, last...) {
			one += a[j]
			two = max(one, two) + b[j]
		}
		s, err := NewSearch(p, die(1))
		if err != nil {
			t.Fatal(err)
		}
		for k := 0; k < 40 && s.Best().Cost.EndS > two; k++ {
			s.Step()
		}
		if got := s.Best().Cost.EndS; got != two {
			t.Fatalf("%d, where the rule gives %d", got, two)
		}
		if bound := p.Bound(); bound > float64(two) {
			t.Fatalf("a bound of %v above the best of %d", bound, two)
		}
	})
}

func sortBy(list []int, of []int64, way int64) {
	for i := range list {
		for k := i; k > 0 && way*of[list[k]] < way*of[list[k-1]]; k-- {
			list[k], list[k-1] = list[k-1], list[k]
		}
	}
}

// Longest first on equal machines is at most 4/3 − 1/(3m) of the best, and reaches it in Graham's own
// example [published: Graham, Bounds on multiprocessing timing anomalies, 1969]: two machines, 3, 3, 2, 2,
// 2 take 6.
func TestEqualMachines(t *testing.T) {
	p := &Problem{Resources: make([]Resource, 2)}
	for _, s := range []int64{3, 3, 2, 2, 2} {
		p.Jobs = append(p.Jobs, Job{})
		p.Tasks = append(p.Tasks, Task{Job: len(p.Jobs) - 1, On: []Mode{{0, s}, {1, s}}})
	}
	l := newLaying(p)
	require.NoError(t, l.lay([]float64{-3, -3, -2, -2, -2}))
	assert.EqualValues(t, 7, p.cost(l.at).EndS, "longest first: 7/6, the bound itself")
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	for range 200 {
		s.Step()
	}
	assert.EqualValues(t, 6, s.Best().Cost.EndS)
	assert.Equal(t, 6.0, p.Bound())
}

// The trade's worked example: plates of 20, 20, 18 and 18 h on two machines take 38 h, with a third that
// does a plate in 13 h 26 h.
func TestFourPlates(t *testing.T) {
	plates := func(third bool) *Problem {
		p := &Problem{Resources: []Resource{{Name: "one"}, {Name: "two"}, {Name: "three"}}}
		for _, h := range []int64{20, 20, 18, 18} {
			p.Jobs = append(p.Jobs, Job{})
			t := Task{Job: len(p.Jobs) - 1, On: []Mode{{0, h * 3600}, {1, h * 3600}}}
			if third {
				t.On = append(t.On, Mode{2, 13 * 3600})
			}
			p.Tasks = append(p.Tasks, t)
		}
		return p
	}
	for third, hours := range map[bool]int64{false: 38, true: 26} {
		p := plates(third)
		s, err := NewSearch(p, die(1))
		require.NoError(t, err)
		for range 300 {
			s.Step()
		}
		assert.Equal(t, hours*3600, s.Best().Cost.EndS)
		assert.Empty(t, Faults(p, s.Best()))
	}
}

// Random small problems with everything in them: every plan is free of faults, no better than the bound,
// and as good as the best of all orders and ways, laid without any gap being filled.
func TestSmallProblemsAgainstAllOrders(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := drawn(t, rapid.IntRange(1, 5).Draw(t, "tasks"))
		s, err := NewSearch(p, die(3))
		if err != nil {
			t.Fatal(err)
		}
		best := exhaustive(p)
		goal := func(c Cost) float64 {
			if p.Goal == Lateness {
				return c.LateS
			}
			return float64(c.EndS)
		}
		for k := 0; k < 8000 && goal(s.Best().Cost) > best; k++ {
			s.Step()
		}
		got := s.Best()
		if faults := Faults(p, got); len(faults) > 0 {
			t.Fatal(faults)
		}
		if goal(got.Cost) > best+1e-6 {
			t.Fatalf("%v, where %v can be had: %+v", goal(got.Cost), best, p)
		}
		if b := p.Bound(); b > best+1e-6 {
			t.Fatalf("a bound of %v above the best, %v", b, best)
		}
	})
}

// drawn is a problem of everything: ways, hours, company, waits, weights.
func drawn(t *rapid.T, n int) *Problem {
	p := &Problem{Goal: Goal(rapid.IntRange(0, 1).Draw(t, "goal"))}
	for r := range 3 {
		res := Resource{Name: fmt.Sprint(r)}
		if rapid.Bool().Draw(t, "hours") {
			res.Hours = &Calendar{}
			for d := range int64(60) {
				res.Hours.add(Span{24*d + 8, 24*d + 16})
			}
		}
		p.Resources = append(p.Resources, res)
	}
	for range 2 {
		p.Jobs = append(p.Jobs, Job{ReleaseS: int64(rapid.IntRange(0, 10).Draw(t, "release")), DueS: int64(rapid.IntRange(0, 60).Draw(t, "due")), Weight: float64(rapid.IntRange(1, 3).Draw(t, "weight"))})
	}
	for i := range n {
		task := Task{Job: rapid.IntRange(0, 1).Draw(t, "job"), Name: fmt.Sprint(i), Split: rapid.Bool().Draw(t, "split"), WaitS: int64(rapid.IntRange(0, 5).Draw(t, "wait"))}
		for r := range 2 {
			if r == 0 || rapid.Bool().Draw(t, "way") {
				task.On = append(task.On, Mode{r, int64(rapid.IntRange(1, 8).Draw(t, "s"))})
			}
		}
		if !task.Split && rapid.IntRange(0, 3).Draw(t, "with") == 0 {
			task.With = []int{2}
		}
		if i > 0 && rapid.Bool().Draw(t, "after") {
			task.After = []int{rapid.IntRange(0, i-1).Draw(t, "before")}
		}
		p.Tasks = append(p.Tasks, task)
	}
	return p
}

// exhaustive tries every order and every way; each task begins after all that was laid before it on its
// resources.
func exhaustive(p *Problem) float64 {
	best := 1e18
	at := make([]Placed, len(p.Tasks))
	done := make([]bool, len(p.Tasks))
	var next func(left int, free [3]int64)
	next = func(left int, free [3]int64) {
		if left == 0 {
			c := p.cost(at)
			if v := map[Goal]float64{Makespan: float64(c.EndS), Lateness: c.LateS}[p.Goal]; v < best {
				best = v
			}
			return
		}
		for i, t := range p.Tasks {
			from, ok := p.Jobs[t.Job].ReleaseS, !done[i]
			for _, b := range t.After {
				ok = ok && done[b]
				from = max(from, at[b].EndS+p.Tasks[b].WaitS)
			}
			if !ok {
				continue
			}
			for _, m := range t.On {
				for s := max(from, free[m.Resource]); ; s++ { // second by second
					end, fits := lastsFrom(p, t, m, s)
					with := true
					for _, w := range t.With {
						with = with && s >= free[w] && p.Resources[w].Hours.OpenS(s, end) == end-s
					}
					if !fits || !with {
						continue
					}
					after := free
					after[m.Resource] = end
					for _, w := range t.With {
						after[w] = end
					}
					at[i], done[i] = Placed{m.Resource, s, end}, true
					next(left-1, after)
					done[i] = false
					break
				}
			}
		}
	}
	next(len(p.Tasks), [3]int64{})
	return best
}

// lastsFrom is when a task is over that begins at a second, counted second by second.
func lastsFrom(p *Problem, t Task, m Mode, from int64) (end int64, ok bool) {
	h := p.Resources[m.Resource].Hours
	if h.OpenS(from, from+1) == 0 {
		return 0, false
	}
	left := m.S
	for end = from; left > 0; end++ {
		if h.OpenS(end, end+1) == 1 {
			left--
		} else if !t.Split {
			return 0, false
		}
	}
	return end, true
}

func TestWhatCannotBePlannedIsTold(t *testing.T) {
	one := func(change func(p *Problem)) error {
		p := &Problem{Resources: []Resource{{Name: "bench", Hours: &Calendar{Open: []Span{{0, 100}, {200, 300}}}}}, Jobs: []Job{{Name: "0408"}}, Tasks: []Task{{Name: "sand", On: []Mode{{0, 60}}}, {Name: "paint", On: []Mode{{0, 60}}, After: []int{0}}}}
		change(p)
		_, err := NewSearch(p, die(1))
		return err
	}
	assert.NoError(t, one(func(*Problem) {}))
	assert.ErrorContains(t, one(func(p *Problem) { p.Tasks[0].On[0].S = 150 }), "0408/sand finds no time")
	assert.ErrorContains(t, one(func(p *Problem) { p.Tasks[0].After = []int{1} }), "waits for itself")
	assert.ErrorContains(t, one(func(p *Problem) { p.Tasks[1].On = nil }), "no resource does it")
	assert.ErrorContains(t, one(func(p *Problem) { p.Tasks[1].Job = 4 }), "of no job")
	assert.ErrorContains(t, one(func(p *Problem) { p.Tasks[1].With = []int{9} }), "with nobody")
	assert.NoError(t, one(func(p *Problem) { p.Tasks[0].On[0].S, p.Tasks[0].Split = 150, true; p.Tasks = p.Tasks[:1] }))
}

// A week's hours, over a change of the clock: the last Sunday of March 2026 has 23 hours in Vienna.
func TestAWeeksHours(t *testing.T) {
	vienna, err := time.LoadLocation("Europe/Vienna")
	require.NoError(t, err)
	week := Week{0: {{9 * 60, 17 * 60}}, 6: {{22 * 60, 6 * 60}}}
	start := time.Date(2026, 3, 28, 12, 0, 0, 0, vienna) // a Saturday, noon
	h := CalendarOf(week, start, 9, func(day time.Time) bool { return day.Day() == 4 })
	assert.Equal(t, []Span{{10 * 3600, 17 * 3600}, {20 * 3600, 28 * 3600}, {188 * 3600, 196 * 3600}}, h.Open, "the night is an hour shorter by the clock of the sun; the next Saturday is off")
}

// A search that is told how much to look finds the same plan however often it is asked; one that is broken off says so.
func TestLookingCountsWork(t *testing.T) {
	p := generated(60, 3)
	find := func() Plan {
		s, err := NewSearch(p, die(1))
		require.NoError(t, err)
		require.NoError(t, s.Look(t.Context(), 3000))
		return s.Best()
	}
	assert.Equal(t, find(), find())
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	first := s.Best()
	over, end := context.WithCancel(t.Context())
	end()
	assert.ErrorIs(t, s.Look(over, 3000), context.Canceled)
	assert.Equal(t, first, s.Best())
}
