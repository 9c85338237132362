package schedule

// Future is what became of the jobs of a plan in many futures.
type Future struct {
	OnTime []float64 // share of the futures in which a job is over when it is due; 1 of one that is due never
	EndS   [][]int64 // when each job is over, in each
}

// Futures lives a plan through so many times: in each, every task takes as long as vary says, and is done
// in the order of the plan as soon as it can be [published: Monte Carlo simulation of a priority-list
// policy, e.g. Möhring, Radermacher and Weiss, Stochastic scheduling problems, 1984]. What is fixed takes
// what it takes.
func (p *Problem) Futures(plan Plan, n int, vary func(task int, s int64) int64) Future {
	keys := make([]float64, len(p.Tasks))
	for i, x := range plan.At {
		keys[i] = float64(x.StartS)
	}
	lived := *p
	lived.Tasks = append([]Task{}, p.Tasks...)
	l := newLaying(&lived)
	out := Future{OnTime: make([]float64, len(p.Jobs)), EndS: make([][]int64, len(p.Jobs))}
	for range n {
		for i, t := range p.Tasks {
			s := vary(i, t.least())
			on := make([]Mode, len(t.On))
			for k, m := range t.On {
				on[k] = Mode{m.Resource, scaled(m.S, t.least(), s)}
			}
			lived.Tasks[i].On = on
		}
		if l.lay(keys) != nil { // a task that has grown past the hours: it is over after all others
			continue
		}
		ends := make([]int64, len(p.Jobs))
		for i, x := range l.at {
			ends[p.Tasks[i].Job] = max(ends[p.Tasks[i].Job], x.EndS)
		}
		for j, end := range ends {
			out.EndS[j] = append(out.EndS[j], end)
			if due := p.Jobs[j].DueS; due == 0 || end <= due {
				out.OnTime[j] += 1 / float64(n)
			}
		}
	}
	return out
}

// scaled is a time that grows as another does.
func scaled(s, least, to int64) int64 {
	if least <= 0 {
		return s
	}
	return max(1, s*to/least)
}
