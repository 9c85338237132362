package schedule

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// Die is the chance that a search has; the same one gives the same plan.
type Die interface {
	IntN(n int) int
	Float64() float64
}

// Search looks for a good plan, and may be stopped after any step: it begins with the best of some rules, and
// then takes parts of the plan up again in another order, keeping what is better [published: late
// acceptance, Burke and Bykov, The late acceptance hill-climbing heuristic, 2017]. Where every task has
// one resource and the goal is an early end, it walks by moves on the longest path instead, which finds
// more (see jobShop).
type Search struct {
	p    *Problem
	die  Die
	l    *laying
	best Plan
	now  []Placed
	way  []int   // of the plan that is gone on with, as the laying has it
	hold []int64 // alike
	coat []int   // tasks that what follows should follow soon, or that may be set up for already
	cost float64
	late [lateSteps]float64
	step int
	shop *jobShop
}

// lateSteps is how many steps back a plan must be better than to be gone on with. Source: from memory.
const lateSteps = 24

// NewSearch makes the first plan.
func NewSearch(p *Problem, die Die) (*Search, error) {
	if err := p.Check(); err != nil {
		return nil, err
	}
	s := &Search{p: p, die: die, l: newLaying(p)}
	if len(p.Tasks) == 0 {
		return s, nil
	}
	var first error
	for _, keys := range p.rules() {
		if err := s.l.lay(keys); err != nil {
			first = err
			break
		}
		s.keep()
	}
	if first != nil {
		return nil, first
	}
	s.now, s.way, s.hold, s.cost = slices.Clone(s.best.At), slices.Clone(s.l.way), slices.Clone(s.l.hold), s.best.Cost.of(p.Goal)
	for i, t := range p.Tasks {
		if t.WithinS > 0 || t.MostS > 0 || t.Mix.ID > 0 {
			s.coat = append(s.coat, i)
		}
	}
	for k := range s.late {
		s.late[k] = s.cost
	}
	if p.Goal == Makespan {
		s.shop = newJobShop(p, s.best.At, die)
	}
	return s, nil
}

// keep takes what is laid as the best, if it is.
func (s *Search) keep() {
	if c := s.p.cost(s.l.at); len(s.best.At) == 0 || c.of(s.p.Goal) < s.best.Cost.of(s.p.Goal) {
		s.best = Plan{slices.Clone(s.l.at), c}
	}
}

// Best is the best plan so far.
func (s *Search) Best() Plan { return s.best }

// Step looks on for a moment.
func (s *Search) Step() {
	switch {
	case len(s.p.Tasks) < 2:
	case s.shop != nil:
		if s.shop.walk(shopMoves) {
			if s.l.lay(s.shop.keys()) == nil {
				s.keep()
			}
		}
	default:
		s.again()
	}
}

// Look looks on until so many tasks have been laid again, all of them at each step, or until the context ends, which is
// its error then. It counts work and not time: the same problem and the same die give the same plan on any machine, however
// busy it is.
func (s *Search) Look(ctx context.Context, laid int) error {
	for ; laid > 0 && ctx.Err() == nil; laid -= max(1, len(s.p.Tasks)) {
		s.Step()
	}
	return ctx.Err()
}

// shopMoves is how many moves a step is.
const shopMoves = 2000

// again lays the plan again with some of its tasks in another order.
func (s *Search) again() {
	keys := make([]float64, len(s.now))
	for i, x := range s.now {
		keys[i] = float64(x.StartS)
	}
	s.shake(keys)
	copy(s.l.way, s.way)
	copy(s.l.hold, s.hold)
	s.otherWays()
	s.holdBack(keys)
	if s.l.lay(keys) != nil {
		return
	}
	c := s.p.cost(s.l.at).of(s.p.Goal)
	k := s.step % lateSteps
	s.step++
	if c <= s.cost || c <= s.late[k] {
		s.now, s.cost = slices.Clone(s.l.at), c
		copy(s.way, s.l.way)
		copy(s.hold, s.l.hold)
		s.keep()
	}
	s.late[k] = s.cost
}

// otherWays has a few tasks done on a resource by chance, or on that which ends them first.
func (s *Search) otherWays() {
	if s.die.IntN(2) == 0 {
		return
	}
	for range 1 + s.die.IntN(3) {
		i := s.die.IntN(len(s.p.Tasks))
		if n := len(s.p.Tasks[i].On); n > 1 {
			s.l.way[i] = s.die.IntN(n+1) - 1
		}
	}
}

// holdBack has a coat wait, so that the next one falls into its window, or that it is done right before another
// of the same colour; or lets one go that waits.
func (s *Search) holdBack(keys []float64) {
	if len(s.coat) == 0 || s.die.IntN(4) > 0 {
		return
	}
	i := s.coat[s.die.IntN(len(s.coat))]
	if s.l.hold[i] > 0 {
		s.l.hold[i] = 0
		return
	}
	t := s.p.Tasks[i]
	if k := s.coat[s.die.IntN(len(s.coat))]; t.Mix.ID > 0 && k != i && s.p.Tasks[k].Mix.ID == t.Mix.ID && s.die.IntN(2) == 0 {
		keys[i] = keys[k] - 0.5
		s.l.hold[i] = max(0, s.now[k].StartS-s.p.ready(i, s.now))
		return
	}
	long := t.AgainS
	if t.MostS > 0 {
		long = max(long, holdDays*daySeconds)
	}
	if t.Mix.ID > 0 {
		long = max(long, min(s.best.Cost.EndS/3, daySeconds))
	}
	if long > 0 {
		s.l.hold[i] = 1 + int64(s.die.Float64()*float64(long))
	}
}

// holdDays is for how many days a task is held back at the most: a weekend is one. Source: from memory.
const holdDays = 3

// shake changes the order of some tasks: one beside another, those of a job that is late or any, of what lies near in time on a
// resource, or of a few here and there.
func (s *Search) shake(keys []float64) {
	long := float64(max(1, s.best.Cost.EndS))
	switch s.die.IntN(5) {
	case 0:
		for range 1 + s.die.IntN(3) { // one right before another, or right behind it
			i, k := s.die.IntN(len(keys)), s.die.IntN(len(keys))
			keys[i] = keys[k] + float64(2*s.die.IntN(2)-1)*0.5
		}
	case 1, 2:
		j := s.someJob()
		by := -s.die.Float64() * long / 3
		if s.die.IntN(4) == 0 {
			by = -by
		}
		for i, t := range s.p.Tasks {
			if t.Job == j {
				keys[i] += by
			}
		}
	case 3:
		i := s.die.IntN(len(keys))
		r, at := s.now[i].Resource, float64(s.now[i].StartS)
		wide := long * (0.02 + 0.1*s.die.Float64())
		for k, x := range s.now {
			if x.Resource == r && math.Abs(float64(x.StartS)-at) < wide {
				keys[k] = at + wide*(2*s.die.Float64()-1)
			}
		}
	default:
		for range 1 + s.die.IntN(max(1, min(12, len(keys)/8))) {
			i := s.die.IntN(len(keys))
			keys[i] += long / 6 * (2*s.die.Float64() - 1)
		}
	}
}

// someJob is a job that is late, mostly; or any.
func (s *Search) someJob() int {
	if s.p.Goal == Lateness && s.best.Cost.LateS > 0 && s.die.IntN(3) > 0 {
		ends := make([]int64, len(s.p.Jobs))
		for i, x := range s.now {
			ends[s.p.Tasks[i].Job] = max(ends[s.p.Tasks[i].Job], x.EndS)
		}
		var late []int
		for j, job := range s.p.Jobs {
			if job.DueS > 0 && ends[j] > job.DueS {
				late = append(late, j)
			}
		}
		if len(late) > 0 {
			return late[s.die.IntN(len(late))]
		}
	}
	return s.die.IntN(len(s.p.Jobs))
}

// rules are orders to begin with: by what is due first, by what has the least slack, by what has the most
// still to come, by the tasks' own order [published: Haupt, A survey of priority rule-based scheduling,
// 1989].
func (p *Problem) rules() [][]float64 {
	ahead := p.ahead() // work and waits from a task's begin to the end of what hangs on it
	due := make([]float64, len(p.Tasks))
	slack := make([]float64, len(p.Tasks))
	most := make([]float64, len(p.Tasks))
	order := make([]float64, len(p.Tasks))
	for i, t := range p.Tasks {
		by := float64(p.Jobs[t.Job].DueS)
		if by == 0 {
			by = 1e12
		}
		w := p.Jobs[t.Job].weight()
		due[i], slack[i], most[i], order[i] = by/w, (by-float64(ahead[i]))/w, -float64(ahead[i]), float64(i)
	}
	out := [][]float64{slack, due, most, order}
	if p.Goal == Makespan {
		out = [][]float64{most, order, slack}
	}
	seen, all := p.seenOrder(ahead)
	switch {
	case all: // they are kept where they are
		return [][]float64{seen}
	case seen != nil: // a good one is known: two more will do to begin with
		out = append(out[:2], seen)
	}
	return out
}

// seenOrder is the order of the plan that people have seen, what is new in it by when it has to begin at the
// latest; nil: they have seen none. all: whatever they have seen is pinned.
func (p *Problem) seenOrder(ahead []int64) (out []float64, all bool) {
	out = make([]float64, len(p.Tasks))
	some := false
	all = true
	for i, t := range p.Tasks {
		all = all && (t.Seen.EndS == 0 || t.Pinned || t.Fixed != nil)
		switch due := p.Jobs[t.Job].DueS; {
		case t.Seen.EndS > 0:
			out[i], some = float64(t.Seen.StartS), true
		case due > 0:
			out[i] = float64(due - ahead[i])
		default:
			out[i] = 1e12
		}
	}
	if !some {
		return nil, false
	}
	return out, all
}

// ahead is the longest way from the begin of each task to the end of all that hangs on it, waits counted.
func (p *Problem) ahead() []int64 {
	order, next := p.topological(), p.next()
	out := make([]int64, len(p.Tasks))
	for k := len(order) - 1; k >= 0; k-- {
		i := order[k]
		var after int64
		for _, n := range next[i] {
			after = max(after, p.Tasks[i].WaitS+out[n])
		}
		out[i] = p.Tasks[i].least() + after
	}
	return out
}

// Late are the jobs of a plan that are over after they are due, by how many seconds, the worst first.
func (p *Problem) Late(plan Plan) (out []LateJob) {
	ends := make([]int64, len(p.Jobs))
	for i, x := range plan.At {
		ends[p.Tasks[i].Job] = max(ends[p.Tasks[i].Job], x.EndS)
	}
	for j, job := range p.Jobs {
		if job.DueS > 0 && ends[j] > job.DueS {
			out = append(out, LateJob{j, ends[j] - job.DueS})
		}
	}
	slices.SortStableFunc(out, func(a, b LateJob) int { return cmp.Compare(b.S, a.S) })
	return out
}

// LateJob is one of them.
type LateJob struct {
	Job int
	S   int64
}
