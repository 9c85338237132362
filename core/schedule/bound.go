package schedule

import (
	"cmp"
	"container/heap"
	"slices"
)

// Bound is what no plan can be better than: for an early end the seconds at which one is over at the
// soonest, for lateness the lateness by weight. It takes the longest chain of tasks and waits within the
// hours of their resources, and, for an early end, the work of each resource that nothing else can do, by
// Jackson's preemptive schedule [published: Carlier and Pinson, An algorithm for solving the job-shop
// problem, 1989], and that of resources that share theirs.
func (p *Problem) Bound() float64 {
	if len(p.Tasks) == 0 {
		return 0
	}
	heads, ends := p.heads()
	if p.Goal == Lateness {
		late := 0.0
		for j, s := range p.Soonest() {
			late += p.Jobs[j].late(s)
		}
		return late
	}
	ahead := p.ahead()
	var least int64
	tails := make([]int64, len(p.Tasks))
	for i, t := range p.Tasks {
		tails[i] = ahead[i] - t.least()
		least = max(least, ends[i], heads[i]+ahead[i])
	}
	for r := range p.Resources {
		least = max(least, p.preemptive(r, heads, tails))
	}
	return float64(max(least, p.shared(heads, tails)))
}

// Soonest is when each job is over at the soonest, if nothing else is in the way.
func (p *Problem) Soonest() []int64 {
	out := make([]int64, len(p.Jobs))
	_, ends := p.heads()
	for i, t := range p.Tasks {
		out[t.Job] = max(out[t.Job], ends[i])
	}
	return out
}

// heads are when each task can begin at the soonest, if nothing else is in the way, and when it is over
// then.
func (p *Problem) heads() (begin, end []int64) {
	begin, end = make([]int64, len(p.Tasks)), make([]int64, len(p.Tasks))
	l := newLaying(p)
	l.alone = true
	for _, i := range p.topological() {
		if f := p.Tasks[i].Fixed; f != nil {
			l.at[i] = *f
		} else if at, ok := l.earliest(i); ok {
			l.at[i] = at
			begin[i] = p.ready(i, l.at)
			end[i] = at.EndS
			continue
		}
		begin[i], end[i] = l.at[i].StartS, l.at[i].EndS
	}
	return begin, end
}

// preemptive is when a resource is through with what only it can do, if it could leave a task for a more
// urgent one; with what comes after each.
func (p *Problem) preemptive(r int, heads, tails []int64) (end int64) {
	type work struct {
		head, left, tail int64
	}
	var list []work
	for i, t := range p.Tasks {
		if len(t.On) == 1 && t.On[0].Resource == r && t.least() > 0 {
			list = append(list, work{heads[i], t.least(), tails[i]})
		}
	}
	slices.SortFunc(list, func(a, b work) int { return cmp.Compare(a.head, b.head) })
	ready := tailed{}
	var now int64
	for k := 0; k < len(list) || len(ready) > 0; {
		if len(ready) == 0 {
			now = max(now, list[k].head)
		}
		for k < len(list) && list[k].head <= now {
			heap.Push(&ready, [2]int64{list[k].tail, list[k].left})
			k++
		}
		top := &ready[0]
		long := top[1]
		if k < len(list) {
			long = min(long, list[k].head-now)
		}
		now += long
		if top[1] -= long; top[1] == 0 {
			end = max(end, now+top[0])
			heap.Pop(&ready)
		}
	}
	return end
}

// tailed is work that is ready, that with the longest tail first: tail and what is left of it.
type tailed [][2]int64

func (q tailed) Len() int           { return len(q) }
func (q tailed) Swap(i, j int)      { q[i], q[j] = q[j], q[i] }
func (q tailed) Less(i, j int) bool { return q[i][0] > q[j][0] }
func (q *tailed) Push(x any)        { *q = append(*q, x.([2]int64)) }
func (q *tailed) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// shared is when resources are through that do the same tasks: what is ready first, all of their work
// spread evenly, and the least that comes after.
func (p *Problem) shared(heads, tails []int64) (end int64) {
	type pool struct {
		n                int64
		head, tail, work int64
	}
	pools := map[string]*pool{}
	for i, t := range p.Tasks {
		key := make([]byte, 0, 4*len(t.On))
		set := make([]int, len(t.On))
		for k, m := range t.On {
			set[k] = m.Resource
		}
		slices.Sort(set)
		set = slices.Compact(set)
		for _, r := range set {
			key = append(key, byte(r), byte(r>>8), ',')
		}
		o := pools[string(key)]
		if o == nil {
			o = &pool{n: int64(len(set)), head: heads[i], tail: tails[i]}
			pools[string(key)] = o
		}
		o.head, o.tail, o.work = min(o.head, heads[i]), min(o.tail, tails[i]), o.work+t.least()
	}
	for _, o := range pools {
		end = max(end, o.head+(o.work+o.n-1)/o.n+o.tail)
	}
	return end
}
