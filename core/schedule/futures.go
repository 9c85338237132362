package schedule

import "slices"

// Future is what became of the jobs of a plan in many futures.
type Future struct {
	OnTime  []float64 // share of the futures in which a job is over when it is due; 1 of one that is due never
	EndS    [][]int64 // when each job is over, in each
	Decides []int     // the task whose taking longer has most to do with a job’s being over late; −1: none
}

// Took is how a task turns out: how long it takes, and by how much the wait after it is longer.
type Took struct{ S, MoreWaitS int64 }

// Futures lives a plan through so many times: in each, every task takes as long as vary says, and is done
// in the order of the plan as soon as it can be [published: Monte Carlo simulation of a priority-list
// policy, e.g. Möhring, Radermacher and Weiss, Stochastic scheduling problems, 1984]. What is fixed takes
// what it takes. What decides a job is the task on the chain that fixes its end which overran by most, over
// all futures.
func (p *Problem) Futures(plan Plan, n int, vary func(task int, s int64) Took) Future {
	keys := make([]float64, len(p.Tasks))
	for i, x := range plan.At {
		keys[i] = float64(x.StartS)
	}
	lived := *p
	lived.Tasks = append([]Task{}, p.Tasks...)
	for i := range lived.Tasks {
		lived.Tasks[i].On = slices.Clone(p.Tasks[i].On)
	}
	l := newLaying(&lived)
	out := Future{OnTime: make([]float64, len(p.Jobs)), EndS: make([][]int64, len(p.Jobs)), Decides: make([]int, len(p.Jobs))}
	over := make([]map[int]int64, len(p.Jobs))
	var c *chains
	for range n {
		more := make([]int64, len(p.Tasks))
		for i, t := range p.Tasks {
			took := vary(i, t.Shortest())
			for k, m := range t.On {
				lived.Tasks[i].On[k] = Mode{m.Resource, scaled(m.S, t.Shortest(), took.S)}
			}
			lived.Tasks[i].Split = t.Split || took.S > t.Shortest() // what takes longer than it should goes on the next day
			more[i] = max(0, took.S-t.Shortest()) + took.MoreWaitS
			lived.Tasks[i].WaitS = t.WaitS + took.MoreWaitS
		}
		if l.lay(keys) != nil { // a task that has grown past the hours: it is over after all others
			continue
		}
		c = newChains(&lived, l.at, c)
		ends, last := make([]int64, len(p.Jobs)), make([]int, len(p.Jobs))
		for i, x := range l.at {
			if j := p.Tasks[i].Job; x.EndS >= ends[j] {
				ends[j], last[j] = x.EndS, i
			}
		}
		for j, end := range ends {
			out.EndS[j] = append(out.EndS[j], end)
			if due := p.Jobs[j].DueS; due == 0 || end <= due {
				out.OnTime[j] += 1 / float64(n)
				continue
			}
			if over[j] == nil {
				over[j] = map[int]int64{}
			}
			for _, i := range c.back(last[j]) {
				over[j][i] += more[i]
			}
		}
	}
	for j := range out.Decides {
		out.Decides[j] = -1
		most := int64(0)
		for i := range p.Tasks {
			if s := over[j][i]; s > most {
				out.Decides[j], most = i, s
			}
		}
	}
	return out
}

// UpTo is what of a problem and its plan begins no later than a job's last task: in a future it is done before the
// rest, which changes nothing of it. of says which task of the problem each is.
func (p *Problem) UpTo(plan Plan, job int) (part *Problem, at Plan, of []int) {
	last := int64(-1)
	for i, t := range p.Tasks {
		if t.Job == job {
			last = max(last, plan.At[i].StartS)
		}
	}
	part = &Problem{Resources: p.Resources, Jobs: p.Jobs, Goal: p.Goal, DayFromS: p.DayFromS}
	to := make([]int, len(p.Tasks))
	for i, t := range p.Tasks {
		if to[i] = -1; plan.At[i].StartS > last && t.Fixed == nil {
			continue
		}
		to[i] = len(of)
		of, at.At, part.Tasks = append(of, i), append(at.At, plan.At[i]), append(part.Tasks, t)
	}
	for k := range part.Tasks {
		part.Tasks[k].After = nil
		for _, b := range p.Tasks[of[k]].After {
			if to[b] >= 0 { // what is fixed waits for nothing
				part.Tasks[k].After = append(part.Tasks[k].After, to[b])
			}
		}
	}
	at.Cost = part.cost(at.At)
	return part, at, of
}

// Within is when a job is over in so large a share of the futures; 0: in none of them ever.
func (f Future) Within(job int, share float64) int64 {
	ends := slices.Sorted(slices.Values(f.EndS[job]))
	if len(ends) == 0 {
		return 0
	}
	k := int(share*float64(len(ends))+0.999999) - 1
	return ends[max(0, min(len(ends)-1, k))]
}

// scaled is a time that grows as another does.
func scaled(s, least, to int64) int64 {
	if least <= 0 {
		return s
	}
	return max(1, s*to/least)
}
