package schedule

import (
	"cmp"
	"slices"
	"sort"
)

// chains finds what fixes when a task begins: for each resource what lies on it, in order.
type chains struct {
	p   *Problem
	at  []Placed
	use [][]int // of each resource, by their end
}

// newChains prepares it; on is used again where there is one.
func newChains(p *Problem, at []Placed, on *chains) *chains {
	if on == nil {
		on = &chains{use: make([][]int, len(p.Resources))}
	}
	on.p, on.at = p, at
	for r := range on.use {
		on.use[r] = on.use[r][:0]
	}
	for i, x := range at {
		if x.EndS == x.StartS {
			continue
		}
		on.use[x.Resource] = append(on.use[x.Resource], i)
		for _, w := range p.Tasks[i].With {
			on.use[w] = append(on.use[w], i)
		}
	}
	for _, list := range on.use {
		slices.SortFunc(list, func(a, b int) int { return cmp.Compare(at[a].EndS, at[b].EndS) })
	}
	return on
}

// before is the task that a task begins no sooner than; −1: none.
func (c *chains) before(i int) int {
	best, until := -1, int64(0)
	take := func(k int, s int64) {
		if s > until || best < 0 && s > 0 {
			best, until = k, s
		}
	}
	for _, k := range c.p.Tasks[i].After {
		take(k, c.at[k].EndS+c.p.Tasks[k].WaitS)
	}
	on := func(r int) {
		list := c.use[r]
		k := sort.Search(len(list), func(k int) bool { return c.at[list[k]].EndS > c.at[i].StartS })
		for k--; k >= 0; k-- {
			if list[k] != i {
				take(list[k], c.at[list[k]].EndS)
				return
			}
		}
	}
	on(c.at[i].Resource)
	for _, w := range c.p.Tasks[i].With {
		on(w)
	}
	return best
}

// Chain is what fixes when a job is over in a plan: from its last task back, each time what that had to wait
// for, the first of them first. It is another job’s task where that was on the same hands or machine.
func (p *Problem) Chain(plan Plan, job int) []int {
	return newChains(p, plan.At, nil).back(p.last(plan.At, job))
}

func (c *chains) back(i int) (out []int) {
	for ; i >= 0 && len(out) <= len(c.at); i = c.before(i) {
		out = append(out, i)
	}
	slices.Reverse(out)
	return out
}

// last is the task of a job that is over last; −1: it has none.
func (p *Problem) last(at []Placed, job int) int {
	best := -1
	for i, t := range p.Tasks {
		if t.Job == job && (best < 0 || at[i].EndS+t.WaitS > at[best].EndS+p.Tasks[best].WaitS) {
			best = i
		}
	}
	return best
}
