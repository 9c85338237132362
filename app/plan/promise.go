package plan

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/studio"
)

// Asked is an order that is asked for: the steps of each of its items.
type Asked [][]schedule.Step

// AskedWay is another way to make an order: one that is asked for with what the client would pay more, one that
// was accepted with what it costs more.
type AskedWay struct {
	Name      string
	Steps     Asked
	MoreMinor int64
}

// Promised is what an order that is asked for can be promised for.
type Promised struct {
	Ready time.Time // by the plan, with all else where it is; zero: nobody can say, for there are no hands, or no machine
	Sure  time.Time // 8 in 10
}

// Rushed is what it would come to if the order that is asked for went before all others.
type Rushed struct {
	Ready time.Time
	Late  []Late // who was promised another day, and is late by it, or later still
}

// How often the plan is lived through for a promise, how much is looked for a rush, in tasks laid, and for how long the plan is
// waited for that a promise stands on. Source: from memory.
const (
	promiseLives = 100
	rushLaid     = 8_000
	promiseUpTo  = time.Minute

	askedStretchMin = 90 // of a stage at a stretch, of an order that is asked for
)

// Promise is when an order could be ready by the real plan, begun now, with nobody’s promise broken: what is
// planned stays where it is, and the order takes the gaps, or makes room as far as nobody is late by it.
// Others that are asked for in its place are promised alike, as sure as the first.
func (a *Room) Promise(ctx context.Context, asked ...Asked) (out []Promised, err error) {
	s, err := a.Plan(ctx, promiseUpTo)
	out = make([]Promised, len(asked))
	if err != nil || len(s.People) == 0 {
		return out, err
	}
	var off time.Duration // from ready to sure
	for k, items := range asked {
		p, plan, kinds, err := s.fitted(ctx, items)
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		if err != nil { // what it takes fits nowhere: nobody can say
			continue
		}
		job := len(p.Jobs) - 1
		if out[k].Ready = s.over(p, plan, job); k == 0 {
			off = s.sure(p, plan, job, kinds, out[0].Ready).Sub(out[0].Ready)
		}
		out[k].Sure = out[k].Ready.Add(max(0, off))
	}
	return out, nil
}

// fitted is a plan with an order that is asked for in it: in the gaps of what is planned, or, where that has it
// ready sooner, among it, with nobody late who was not, and nobody later who was.
func (s Sheet) fitted(ctx context.Context, items Asked) (*schedule.Problem, schedule.Plan, []askedTask, error) {
	p, kinds := s.with(items, true)
	search, err := schedule.NewSearch(p, rand.New(rand.NewPCG(1, 2)))
	if err != nil {
		return nil, schedule.Plan{}, nil, err
	}
	best, job := search.Best(), len(p.Jobs)-1
	free, _ := s.with(items, false)
	free.Jobs[job].DueS, free.Jobs[job].Weight = max(1, free.Soonest()[job]), fitWeight
	if search, err = schedule.NewSearch(free, rand.New(rand.NewPCG(1, 2))); err != nil {
		return p, best, kinds, nil
	}
	if err := search.Look(ctx, fitLaid); err != nil {
		return nil, schedule.Plan{}, nil, err
	}
	if other := search.Best(); s.over(free, other, job).Before(s.over(p, best, job)) && s.unbroken(free, other) {
		return free, other, kinds, nil
	}
	return p, best, kinds, nil
}

// unbroken reports whether every order of the plan is ready in time in another plan, or no later than it was;
// one without a date no later than it was.
func (s Sheet) unbroken(p *schedule.Problem, plan schedule.Plan) bool {
	now, then := make([]int64, len(s.problem.Jobs)), make([]int64, len(p.Jobs))
	for i, x := range s.best.At {
		j := s.problem.Tasks[i].Job
		now[j] = max(now[j], x.EndS)
	}
	for i, x := range plan.At {
		then[p.Tasks[i].Job] = max(then[p.Tasks[i].Job], x.EndS)
	}
	for j, job := range s.problem.Jobs {
		if then[j] > max(job.DueS, now[j]) {
			return false
		}
	}
	return true
}

// What lateness of an order weighs that is fitted in among others, and how much is looked for that, in tasks laid. Source:
// from memory.
const (
	fitWeight = 0.2
	fitLaid   = 4_000
)

// Rush plans the studio with an order that is asked for before all others, and says whom that makes late.
func (a *Room) Rush(ctx context.Context, items Asked) (out Rushed, err error) {
	s, err := a.Plan(ctx, promiseUpTo)
	if err != nil || len(s.People) == 0 {
		return out, err
	}
	p, _ := s.with(items, false)
	job := len(p.Jobs) - 1
	p.Jobs[job].DueS, p.Jobs[job].Weight = 1, rushWeight
	search, err := schedule.NewSearch(p, rand.New(rand.NewPCG(1, 3)))
	if err != nil {
		return out, nil //nolint:nilerr // what it takes fits nowhere: nobody can say
	}
	if err := search.Look(ctx, rushLaid); err != nil {
		return out, err
	}
	plan := search.Best()
	out.Ready = s.over(p, plan, job)
	before := map[string]int64{}
	for _, l := range s.Late {
		before[l.Order.Number] = l.S
	}
	for _, l := range p.Late(plan) {
		for _, o := range s.Orders {
			if o.Number == p.Jobs[l.Job].Name && l.S > before[o.Number]+int64(worthS) {
				out.Late = append(out.Late, Late{o, o.Wanted.Add(time.Duration(l.S) * time.Second), l.S})
			}
		}
	}
	return out, nil
}

// rushWeight is what lateness of an order weighs that goes before all others.
const rushWeight = 1000

// over is when a job of a plan is over, the waits after it, too.
func (s Sheet) over(p *schedule.Problem, plan schedule.Plan, job int) time.Time {
	var end int64
	for i, x := range plan.At {
		if p.Tasks[i].Job == job {
			end = max(end, x.EndS+p.Tasks[i].WaitS)
		}
	}
	return s.Now.Add(time.Duration(end) * time.Second)
}

// sure lives a plan through with an order that is asked for in it.
func (s Sheet) sure(p *schedule.Problem, plan schedule.Plan, job int, kinds []askedTask, ready time.Time) time.Time {
	for i := range s.what {
		p.Tasks[i].Fixed = s.problem.Tasks[i].Fixed
	}
	die := rand.New(rand.NewPCG(4, 5))
	vary, own := s.vary(s.what, die), make([]finish.Effort, len(kinds))
	for k, of := range kinds {
		own[k] = finish.EffortOf(s.Shop.Book, of.kind, s.Shop.History.Logged[of.process][of.kind])
	}
	p, plan, of := p.UpTo(plan, job)
	future := p.Futures(plan, promiseLives, func(k int, sec int64) schedule.Took {
		i := of[k]
		if i < len(s.what) {
			return vary(i, sec)
		}
		step := kinds[i-len(s.what)]
		if step.failsPerHour > 0 && die.Float64() < process.FailureChance(step.failsPerHour, float64(sec)/60) {
			return schedule.Took{S: int64(failedRuns * float64(sec))}
		}
		if step.kind == route.Print {
			return schedule.Took{S: sec}
		}
		return schedule.Took{S: int64(float64(sec) * quote.Turned(own[i-len(s.what)], die.NormFloat64()))}
	})
	var wait int64 // after its last task
	for i, x := range plan.At {
		if p.Tasks[i].Job == job && s.Now.Add(time.Duration(x.EndS+p.Tasks[i].WaitS)*time.Second).Equal(ready) {
			wait = p.Tasks[i].WaitS
		}
	}
	return s.Now.Add(time.Duration(future.Within(job, sureShare)+wait) * time.Second)
}

// askedTask is what a task of an order is that is asked for.
type askedTask struct {
	kind         route.StageKind
	process      string
	failsPerHour float64
}

// with is the problem with an order that is asked for as its last job; all else is kept where it is, or may
// move.
func (s Sheet) with(items Asked, keep bool) (*schedule.Problem, []askedTask) {
	p := s.afresh(s.in.Moves)
	for i := range p.Tasks {
		if keep {
			p.Tasks[i].Fixed = &s.best.At[i]
		}
	}
	kinds := asking{s.Shop, s.People}.add(p, items, schedule.Job{Name: "asked for"})
	return p, kinds
}

// asking adds an order that is asked for to a problem of a studio.
type asking struct {
	shop   studio.Shop
	people []studio.Person
}

// add adds it as the last job.
func (a asking) add(p *schedule.Problem, items Asked, job schedule.Job) (kinds []askedTask) {
	p.Jobs = append(p.Jobs, job)
	for _, steps := range items {
		var after []int
		for _, step := range steps {
			var more []askedTask
			after, more = a.step(p, step, after)
			kinds = append(kinds, more...)
		}
	}
	return kinds
}

// step adds a step of it, after others, and says what comes next comes after.
func (a asking) step(p *schedule.Problem, step schedule.Step, after []int) (next []int, kinds []askedTask) {
	job := len(p.Jobs) - 1
	add := func(t schedule.Task, of askedTask) int {
		t.Job, t.Name, t.After = job, step.Name, after
		p.Tasks, kinds = append(p.Tasks, t), append(kinds, of)
		return len(p.Tasks) - 1
	}
	if step.MachineMin > 0 && step.RunMin > 0 {
		var on []schedule.Mode
		fails, together := 0.0, 0
		for k, m := range a.shop.InUse() {
			if m.Process != step.Pool {
				continue
			}
			if m.ID > 0 { // the step's minutes are those of all that are there, side by side
				together++
			}
			if m.Prints(step.MaterialID) {
				of, _ := a.shop.Material(step.MaterialID, m.Process)
				on, fails = append(on, schedule.Mode{Resource: k, S: int64(60 * step.RunMin)}), max(fails, a.shop.FailurePerHour(m, of).Value)
			}
		}
		var runs []int
		for range int(math.Ceil(step.MachineMin * float64(together) / step.RunMin)) {
			if len(on) > 0 {
				runs = append(runs, add(schedule.Task{On: on}, askedTask{route.Print, step.Pool, fails}))
			}
		}
		if len(runs) > 0 {
			after = runs
		}
	}
	if step.HandsMin > 0 || step.WaitMin > 0 {
		kind := route.StageKind(step.Name)
		if k := strings.LastIndex(step.Name, ": "); k >= 0 {
			kind = route.StageKind(step.Name[k+2:])
		}
		parts := max(1, int(math.Ceil(step.HandsMin/askedStretchMin))) // a station is not taken for days on end
		for part := range parts {
			t := schedule.Task{On: a.hands(p, kind, step.HandsMin/float64(parts)), Split: true}
			if part+1 == parts {
				t.WaitS = int64(60 * step.WaitMin)
			}
			if station := studio.Surrounded(&t, kind); station != "" {
				t.With = []int{slices.IndexFunc(p.Resources, func(r schedule.Resource) bool { return r.Name == station })}
			}
			after = []int{add(t, askedTask{kind, step.Pool, 0})}
		}
	}
	return after, kinds
}

// hands are the people who do a kind of stage; all, where nobody does.
func (a asking) hands(p *schedule.Problem, kind route.StageKind, minutes float64) (out []schedule.Mode) {
	first := len(p.Resources) - len(a.people)
	some := slices.ContainsFunc(a.people, func(p studio.Person) bool { return p.Does(kind.Traits().Craft) })
	for k, person := range a.people {
		if person.Does(kind.Traits().Craft) || !some {
			out = append(out, schedule.Mode{Resource: first + k, S: int64(60 * minutes)})
		}
	}
	return out
}

// Ready is when the plan has all of an order done; zero: it has nothing of it.
func (s Sheet) Ready(orderID int64) (at time.Time) {
	for _, t := range s.Tasks {
		if t.OrderID == orderID && t.WaitTo.After(at) {
			at = t.WaitTo
		}
	}
	return at
}

// ReadyBy is when an order is ready by the real plan: as it is planned once it was accepted, and before,
// if it were begun now and took the gaps.
func (a *Room) ReadyBy(ctx context.Context, o studio.Order, items Asked, upTo time.Duration) (Promised, error) {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return Promised{}, err
	}
	if o.State != studio.Accepted {
		list, err := a.Promise(ctx, items)
		return list[0], err
	}
	out := Promised{Ready: s.Ready(o.ID)}
	out.Sure = out.Ready
	dated, err := a.Dates(ctx, s, upTo)
	for _, d := range dated {
		if d.Order.ID == o.ID && d.Sure.After(out.Ready) {
			out.Sure = d.Sure
		}
	}
	return out, err
}
