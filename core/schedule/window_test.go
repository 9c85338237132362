package schedule

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A coat that takes the next within 1 h or after 24 h: who cannot come within the hour comes a day later,
// not in between [common practice for enamel and lacquer from a can].
func TestACoatsWindow(t *testing.T) {
	p := &Problem{
		Resources: []Resource{{Name: "Ilse", Hours: &Calendar{Open: []Span{{0, 8 * 3600}, {24 * 3600, 32 * 3600}, {48 * 3600, 56 * 3600}}}}},
		Jobs:      []Job{{Name: "helm"}},
		Tasks: []Task{
			{Name: "coat", On: []Mode{{0, 1800}}, FromS: 6*3600 + 1800, WaitS: 600, WithinS: 3600, AgainS: 24 * 3600},
			{Name: "coat again", On: []Mode{{0, 1800}}, After: []int{0}},
		},
	}
	plan := planned(t, p, 10)
	assert.Equal(t, int64(6*3600+1800+1800+600+1800), plan.At[1].EndS, "within the hour, before she goes")
	p.Tasks[0].FromS = 7 * 3600
	plan = planned(t, p, 10)
	assert.Equal(t, plan.At[0].EndS+24*3600, plan.At[1].StartS, "not at nine the next morning: the window is shut until half past three")
}

// A skin that is hard to sand once it has lain for six hours is brushed on the next morning, not in the evening
// before, when nobody would sand it in time; where that made the order late, it is brushed on all the same.
func TestWhatShouldFollowSoon(t *testing.T) {
	p := &Problem{Goal: Lateness,
		Resources: []Resource{{Name: "Ilse", Hours: &Calendar{Open: []Span{{0, 8 * 3600}, {24 * 3600, 32 * 3600}}}}},
		Jobs:      []Job{{Name: "suit", DueS: 30 * 3600}},
		Tasks: []Task{
			{Name: "skin", On: []Mode{{0, 3600}}, FromS: 6 * 3600, WaitS: 3600, MostS: 6 * 3600},
			{Name: "sand", On: []Mode{{0, 3600}}, After: []int{0}},
		},
	}
	plan := planned(t, p, 2000)
	assert.GreaterOrEqual(t, plan.At[0].StartS, int64(24*3600), "in the morning")
	assert.Zero(t, plan.Cost.OverS)
	p.Jobs[0].DueS, p.Jobs[0].Weight = 25*3600, 50
	plan = planned(t, p, 2000)
	assert.Less(t, plan.At[0].StartS, int64(8*3600))
	assert.Zero(t, plan.Cost.LateS)
	assert.Positive(t, plan.Cost.OverS)
}

// What raises dust keeps off a wet coat until that is dry to the touch; the booth stays taken until then.
func TestDustAndWetCoats(t *testing.T) {
	p := &Problem{
		Resources: []Resource{{Name: "Ilse"}, {Name: "Jory"}, {Name: "booth"}},
		Jobs:      []Job{{Name: "heron"}, {Name: "base"}, {Name: "lanterns"}},
		Tasks: []Task{
			{Job: 0, Name: "prime", On: []Mode{{0, 1800}}, With: []int{2}, KeepS: 900, Air: Wet, DustS: 900},
			{Job: 1, Name: "glue sand", On: []Mode{{1, 3600}}, Air: Dusty},
			{Job: 2, Name: "prime", On: []Mode{{0, 1800}}, With: []int{2}, KeepS: 900, Air: Wet, DustS: 900},
		},
	}
	plan := planned(t, p, 60)
	assert.EqualValues(t, 3600+1800+900+1800, plan.Cost.EndS, "the sand first, then the coats one after the other")
	p.Tasks[1].Air = AnyAir
	assert.EqualValues(t, 2*1800+900, planned(t, p, 60).Cost.EndS, "in another room it is done beside them")
}

// What is pinned lies where it was put, if what it waits for lets it; others make room.
func TestAPinnedTaskKeepsItsPlace(t *testing.T) {
	p := generated(20, 5)
	before := planned(t, p, 50)
	k := len(p.Tasks) - 4
	p.Tasks[k].FromS, p.Tasks[k].Pinned = before.At[k].StartS+5*24*3600, true
	p.Tasks[k].On = p.Tasks[k].On[1:2]
	plan := planned(t, p, 50)
	assert.Equal(t, p.Tasks[k].On[0].Resource, plan.At[k].Resource)
	at, _, ok := p.Resources[plan.At[k].Resource].Hours.start(p.Tasks[k].FromS, p.Tasks[k].On[0].S, p.Tasks[k].Split)
	require.True(t, ok)
	assert.Equal(t, at, plan.At[k].StartS, "as soon as that person is there")
}

// Nobody sands for longer in a day than they can; what is left is done by somebody else, or the day after.
func TestSandingTires(t *testing.T) {
	p := &Problem{DayFromS: 9 * 3600, Jobs: []Job{{Name: "suit"}}}
	for _, who := range []string{"Ilse", "Jory"} {
		r := Resource{Name: who, TiresS: 4 * 3600, Hours: &Calendar{}}
		for d := range int64(9) {
			r.Hours.Open = append(r.Hours.Open, Span{d * daySeconds, d*daySeconds + 8*3600})
		}
		p.Resources = append(p.Resources, r)
	}
	for range 9 { // of two hours
		p.Tasks = append(p.Tasks, Task{Name: "sand", On: []Mode{{0, 7200}, {1, 7200}}, Tires: true})
	}
	assert.EqualValues(t, 2*daySeconds+2*3600, planned(t, p, 50).Cost.EndS, "two each a day: four, four, and the last one")
	p.Tasks[0].On = []Mode{{0, 5 * 3600}}
	_, err := NewSearch(p, die(1))
	assert.ErrorContains(t, err, "it tires for longer than Ilse can bear in a day")
}

// Of plans that are alike, that is taken which people have seen.
func TestThePlanThatWasSeenIsKept(t *testing.T) {
	p := &Problem{Goal: Lateness, Resources: []Resource{{Name: "Ilse"}, {Name: "Jory"}}, Jobs: []Job{{Name: "a"}, {Name: "b"}}}
	for j := range 2 {
		p.Tasks = append(p.Tasks, Task{Job: j, Name: "sand", On: []Mode{{0, 600}, {1, 600}}})
	}
	p.Tasks[0].Seen, p.Tasks[1].Seen = Placed{1, 0, 600}, Placed{0, 0, 600}
	plan := planned(t, p, 300)
	assert.Equal(t, []Placed{{1, 0, 600}, {0, 0, 600}}, plan.At)
	assert.Zero(t, plan.Cost.ChangeS)
}

// reached searches for so many steps, or until a plan is as short as that.
func reached(t *testing.T, p *Problem, end int64, steps int, seed uint64) Plan {
	t.Helper()
	s, err := NewSearch(p, die(seed))
	require.NoError(t, err)
	for k := 0; k < steps && s.Best().Cost.EndS > end; k++ {
		s.Step()
	}
	require.Empty(t, Faults(p, s.Best()), "seed %d", seed)
	require.GreaterOrEqual(t, s.Best().Cost.EndS, end, "seed %d: shorter than what is shortest", seed)
	require.LessOrEqual(t, p.Bound(), float64(end), "seed %d", seed)
	return s.Best()
}

func planned(t *testing.T, p *Problem, steps int) Plan {
	t.Helper()
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	for range steps {
		s.Step()
	}
	require.Empty(t, Faults(p, s.Best()))
	return s.Best()
}

// Random tiny problems with windows, air, kept stations and pins: no plan has a fault, none is better than
// the best of all begins that can be thought of, and the search finds that.
func TestWindowsAndAirAgainstAllBegins(t *testing.T) {
	const cases, horizon = 60, 26
	for seed := range uint64(cases) {
		r := rand.New(rand.NewPCG(seed, 11))
		p := &Problem{Goal: Makespan, Resources: []Resource{{Name: "a"}, {Name: "b"}, {Name: "booth"}}, Jobs: []Job{{Name: "x"}}}
		for i := range 4 {
			task := Task{Name: fmt.Sprint(i), On: []Mode{{r.IntN(2), 1 + r.Int64N(3)}}, Air: Air(r.IntN(3)), DustS: r.Int64N(2), WaitS: r.Int64N(2)}
			if i > 0 && r.IntN(3) > 0 {
				task.After = []int{r.IntN(i)}
			}
			if r.IntN(2) == 0 {
				task.WithinS = task.WaitS + r.Int64N(2)
				task.AgainS = task.WithinS + r.Int64N(6)
			}
			if r.IntN(3) == 0 {
				task.With, task.KeepS = []int{2}, r.Int64N(3)
			}
			p.Tasks = append(p.Tasks, task)
		}
		hungAndMixed(r, p)
		best := bestBegins(p, horizon)
		assert.Equal(t, best, reached(t, p, best, 20_000, seed).Cost.EndS, "seed %d", seed)
	}
}

// hungAndMixed gives some tasks of a problem, which has a resource more by it, something to be set up, and some
// a place on a line where they stay.
func hungAndMixed(r *rand.Rand, p *Problem) {
	line := len(p.Resources)
	p.Resources = append(p.Resources, Resource{Name: "line", Places: 2 + r.IntN(2)})
	for i := range p.Tasks {
		t := &p.Tasks[i]
		if r.IntN(2) == 0 {
			t.Mix = Mix{ID: 1 + r.IntN(2), SavesS: r.Int64N(t.Shortest()), LastsS: r.Int64N(4)}
		}
		if r.IntN(2) == 0 {
			t.Stay = Stay{Resource: line, Places: 1 + r.IntN(2), S: r.Int64N(5)}
		}
	}
}

// Three coats of the same colour one after the other are mixed for once, though another task lies between;
// for what comes after the cup has dried it is mixed again, and so does another person.
func TestAColourIsMixedOnce(t *testing.T) {
	mix := Mix{ID: 1, SavesS: 720, LastsS: 3600}
	p := &Problem{
		Resources: []Resource{{Name: "Ilse"}, {Name: "Jory"}},
		Jobs:      []Job{{Name: "lanterns"}},
		Tasks: []Task{
			{Name: "green", On: []Mode{{0, 1800}}, Mix: mix},
			{Name: "empty a plate", On: []Mode{{0, 1200}}, After: []int{0}},
			{Name: "green", On: []Mode{{0, 1800}}, Mix: mix, After: []int{1}},
			{Name: "green", On: []Mode{{0, 1800}}, Mix: mix, After: []int{2}, FromS: 3 * 3600},
			{Name: "green", On: []Mode{{1, 1800}}, Mix: mix},
		},
	}
	plan := planned(t, p, 20)
	long := func(i int) int64 { return plan.At[i].EndS - plan.At[i].StartS }
	assert.Equal(t, []int64{1800, 1080, 1800, 1800}, []int64{long(0), long(2), long(3), long(4)})
	plan.At[3].EndS -= 720
	assert.NotEmpty(t, Faults(p, plan), "who says that it is mixed still")
}

// Of two people who are free, the one takes a coat who has its colour in the cup; and what needs another colour
// lets two of the same go one after the other.
func TestThePlanSavesMixing(t *testing.T) {
	p := &Problem{Goal: Lateness, Resources: []Resource{{Name: "Ilse"}}, Jobs: []Job{{Name: "x"}}}
	for k := range 8 { // green and red in turns
		p.Tasks = append(p.Tasks, Task{Name: "coat", On: []Mode{{0, 1200}}, Mix: Mix{ID: 1 + k%2, SavesS: 720, LastsS: 60}})
	}
	assert.EqualValues(t, 8*1200-6*720, planned(t, p, 3000).Cost.EndS, "four green ones, then four red ones")
}

// A line with room for ten: twelve pieces hang on it for an hour each time they are sprayed, in sixes.
func TestHangingPlaces(t *testing.T) {
	p := &Problem{Resources: []Resource{{Name: "Ilse"}, {Name: "line", Places: 10}}, Jobs: []Job{{Name: "snails"}}}
	for range 3 {
		p.Tasks = append(p.Tasks, Task{Name: "prime", On: []Mode{{0, 600}}, Stay: Stay{Resource: 1, Places: 6, S: 3600}})
	}
	plan := planned(t, p, 20)
	assert.EqualValues(t, 600+2*3600, plan.Cost.EndS, "the next six are done when the line is free")
	p.Resources[1].Places = 12
	plan = planned(t, p, 20)
	assert.EqualValues(t, 600+3600, plan.Cost.EndS, "two sixes hang side by side")
	plan.At[2] = Placed{0, 1800, 2400}
	plan.Cost = p.cost(plan.At)
	assert.Equal(t, []string{"snails/prime: 18 places are taken of the 12 of line"}, Faults(p, plan))
	p.Tasks[0].Stay.Places = 13
	_, err := NewSearch(p, die(1))
	assert.EqualError(t, err, "task snails/prime: line has fewer places than it needs")
}

// An order for an occasion is planned before one that is as late: after the occasion nobody wants it.
func TestAfterTheOccasionLatenessCountsMore(t *testing.T) {
	p := &Problem{Goal: Lateness, Resources: []Resource{{Name: "Ilse"}}, Jobs: []Job{{Name: "opera", DueS: 600, StaleS: 3600}, {Name: "shelf", DueS: 600}},
		Tasks: []Task{{Job: 1, Name: "paint", On: []Mode{{0, 3000}}}, {Job: 0, Name: "paint", On: []Mode{{0, 3600}}}}}
	plan := planned(t, p, 200)
	assert.EqualValues(t, 3600, plan.At[1].EndS, "first, though it takes longer")
	assert.InDelta(t, 3000+6000, plan.Cost.LateS, 1e-9)
	p.Jobs[0].StaleS = 0
	assert.EqualValues(t, 6600, planned(t, p, 200).At[1].EndS, "the shorter one first")
	p.Jobs[0].StaleS = 1800
	assert.InDelta(t, 3000+9*1800+2400, p.Bound(), 1e-9, "each takes that long at the least")
}

// bestBegins tries every second at which each task might begin.
func bestBegins(p *Problem, horizon int64) int64 {
	best := horizon
	plan := Plan{At: make([]Placed, len(p.Tasks))}
	var next func(i int)
	next = func(i int) {
		if i == len(p.Tasks) {
			plan.Cost = p.cost(plan.At)
			if plan.Cost.EndS < best && len(Faults(p, plan)) == 0 {
				best = plan.Cost.EndS
			}
			return
		}
		m := p.Tasks[i].On[0]
		from := int64(0)
		for _, b := range p.Tasks[i].After { // sooner is a fault anyhow
			from = max(from, plan.At[b].EndS)
		}
		for _, long := range []int64{m.S, p.Tasks[i].least()} {
			for s := from; s+long < best; s++ {
				plan.At[i] = Placed{m.Resource, s, s + long}
				next(i + 1)
			}
		}
	}
	next(0)
	return best
}
