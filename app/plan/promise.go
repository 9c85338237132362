package plan

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"sakuji/core/schedule"
	"sakuji/studio"
)

// Promise is when an order that takes these steps could be ready by the real plan, begun now: all that is
// planned stays where it is, and the order takes the gaps. The zero time: nobody can say, for there are no
// hands, or no machine.
func (a *Room) Promise(ctx context.Context, items [][]schedule.Step, upTo time.Duration) (time.Time, error) {
	s, err := a.Plan(ctx, upTo)
	if err != nil || len(s.People) == 0 {
		return time.Time{}, err
	}
	p := *s.problem
	p.Tasks, p.Jobs = slices.Clone(p.Tasks), append(slices.Clone(p.Jobs), schedule.Job{Name: "asked for"})
	for i := range p.Tasks {
		p.Tasks[i].Fixed = &s.best.At[i]
	}
	asked := len(p.Tasks)
	for _, steps := range items {
		var after []int
		for _, step := range steps {
			after = s.ask(&p, step, after)
		}
	}
	search, err := schedule.NewSearch(&p, rand.New(rand.NewPCG(1, 2)))
	if err != nil {
		return time.Time{}, nil //nolint:nilerr // what it takes fits nowhere: nobody can say
	}
	var end int64
	for i, x := range search.Best().At[asked:] {
		end = max(end, x.EndS+p.Tasks[asked+i].WaitS)
	}
	return s.Now.Add(time.Duration(end) * time.Second), nil
}

// ask adds a step of an order that is asked for, after others, and says what comes next comes after.
func (s Sheet) ask(p *schedule.Problem, step schedule.Step, after []int) []int {
	job := len(p.Jobs) - 1
	add := func(t schedule.Task) int {
		t.Job, t.Name, t.After = job, step.Name, after
		p.Tasks = append(p.Tasks, t)
		return len(p.Tasks) - 1
	}
	if step.MachineMin > 0 && step.RunMin > 0 {
		var on []schedule.Mode
		for k, m := range s.Shop.InUse() {
			if m.Process == step.Pool {
				on = append(on, schedule.Mode{Resource: k, S: int64(60 * step.RunMin)})
			}
		}
		var runs []int
		for range int(math.Ceil(step.MachineMin * float64(len(on)) / step.RunMin)) { // the step's minutes are those of all of them side by side
			runs = append(runs, add(schedule.Task{On: on}))
		}
		if len(runs) > 0 {
			after = runs
		}
	}
	if step.HandsMin > 0 || step.WaitMin > 0 {
		var hands []schedule.Mode
		for r := len(p.Resources) - len(s.People); r < len(p.Resources); r++ {
			hands = append(hands, schedule.Mode{Resource: r, S: int64(60 * step.HandsMin)})
		}
		after = []int{add(schedule.Task{On: hands, Split: true, WaitS: int64(60 * step.WaitMin)})}
	}
	return after
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
func (a *Room) ReadyBy(ctx context.Context, o studio.Order, items [][]schedule.Step, upTo time.Duration) (time.Time, error) {
	if o.State != studio.Accepted {
		return a.Promise(ctx, items, upTo)
	}
	s, err := a.Plan(ctx, upTo)
	return s.Ready(o.ID), err
}
