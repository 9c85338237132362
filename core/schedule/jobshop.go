package schedule

import (
	"cmp"
	"slices"
)

// jobShop is a problem whose tasks each have one resource that is always open, follow each other in chains
// and are done alone. Its plans are orders of tasks on the resources. It walks from plan to plan by
// moving a task of the longest path before the first or behind the last of its block, the best move that
// is not forbidden, and forbids the way back for a while [published: Nowicki and Smutnicki, A fast taboo
// search algorithm for the job shop problem, 1996; the moves Balas and Vazacopoulos, Guided local search
// with shifting bottleneck for job shop scheduling, 1998].
type jobShop struct {
	die    Die
	dur    []int64
	lag    []int64 // before what comes after in its chain
	rel    []int64
	jp, js []int32 // before and after in the chain; −1: none
	mach   []int32
	mp, ms []int32 // before and after on the resource; −1: none
	first  []int32 // on each resource
	r, q   []int64 // when it can begin; what comes after its end
	order  []int32
	deg    []int8
	end    int64

	bestEnd  int64
	bestSeq  [][]int32
	elite    [][][]int32
	tabu     [][]int32 // until when a task must not come before another
	step     int32
	still    int // steps since the best was found, or the walk begun again
	path     []int32
	estimate segment
}

// How the walk goes. Source: measured on the ten by ten of Fisher and Thompson, by ten seeds.
const (
	tenureLeast = 8
	tenureMore  = 6
	mostStill   = 1000 // then it begins again from one of the best
	mostElite   = 5
	mostShop    = 3000 // tasks; above, forbidding takes too much room
)

// newJobShop makes one of a problem with a plan, or nil if the problem is more than that.
func newJobShop(p *Problem, at []Placed, die Die) *jobShop {
	n := len(p.Tasks)
	if n > mostShop {
		return nil
	}
	j := &jobShop{die: die, dur: make([]int64, n), lag: make([]int64, n), rel: make([]int64, n), jp: fill(n), js: fill(n), mach: make([]int32, n), mp: fill(n), ms: fill(n),
		first: fill(len(p.Resources)), r: make([]int64, n), q: make([]int64, n), order: make([]int32, 0, n), deg: make([]int8, n)}
	for i, t := range p.Tasks {
		if len(t.On) != 1 || len(t.With) > 0 || len(t.After) > 1 || t.Fixed != nil || t.On[0].S <= 0 || p.Resources[t.On[0].Resource].Hours != nil {
			return nil
		}
		j.dur[i], j.lag[i], j.mach[i], j.rel[i] = t.On[0].S, t.WaitS, int32(t.On[0].Resource), max(0, t.FromS, p.Jobs[t.Job].ReleaseS)
		for _, k := range t.After {
			if j.js[k] >= 0 {
				return nil
			}
			j.jp[i], j.js[k] = int32(k), int32(i)
		}
	}
	j.tabu = make([][]int32, n)
	cells := make([]int32, n*n)
	for i := range j.tabu {
		j.tabu[i] = cells[i*n : (i+1)*n]
	}
	seq := make([][]int32, len(p.Resources))
	for i := range p.Tasks {
		seq[j.mach[i]] = append(seq[j.mach[i]], int32(i))
	}
	for _, list := range seq {
		slices.SortStableFunc(list, func(a, b int32) int { return cmp.Compare(at[a].StartS, at[b].StartS) })
	}
	j.take(seq)
	j.bestEnd, j.bestSeq = j.end, j.seq()
	j.elite = [][][]int32{j.bestSeq}
	return j
}

func fill(n int) []int32 {
	out := make([]int32, n)
	for i := range out {
		out[i] = -1
	}
	return out
}

// take sets the orders on all resources.
func (j *jobShop) take(seq [][]int32) {
	for r, list := range seq {
		j.first[r] = -1
		for k, i := range list {
			j.mp[i], j.ms[i] = -1, -1
			if k > 0 {
				j.mp[i], j.ms[list[k-1]] = list[k-1], i
			} else {
				j.first[r] = i
			}
		}
	}
	j.time()
}

// seq is the orders on all resources.
func (j *jobShop) seq() [][]int32 {
	out := make([][]int32, len(j.first))
	for r, i := range j.first {
		for ; i >= 0; i = j.ms[i] {
			out[r] = append(out[r], i)
		}
	}
	return out
}

// keys are the begins of the best plan.
func (j *jobShop) keys() []float64 {
	now := j.seq()
	j.take(j.bestSeq)
	out := make([]float64, len(j.r))
	for i, s := range j.r {
		out[i] = float64(s)
	}
	j.take(now)
	return out
}

// time works out when each task begins at the soonest, and what comes after it.
func (j *jobShop) time() {
	order := j.order[:0]
	for i := range j.dur {
		j.deg[i] = 0
		if j.jp[i] >= 0 {
			j.deg[i]++
		}
		if j.mp[i] >= 0 {
			j.deg[i]++
		}
		if j.deg[i] == 0 {
			order = append(order, int32(i))
		}
	}
	for k := 0; k < len(order); k++ {
		i := order[k]
		at := j.rel[i]
		if p := j.jp[i]; p >= 0 {
			at = max(at, j.r[p]+j.dur[p]+j.lag[p])
		}
		if p := j.mp[i]; p >= 0 {
			at = max(at, j.r[p]+j.dur[p])
		}
		j.r[i] = at
		if n := j.js[i]; n >= 0 {
			if j.deg[n]--; j.deg[n] == 0 {
				order = append(order, n)
			}
		}
		if n := j.ms[i]; n >= 0 {
			if j.deg[n]--; j.deg[n] == 0 {
				order = append(order, n)
			}
		}
	}
	j.order = order
	j.end = 0
	for k := len(order) - 1; k >= 0; k-- {
		i := order[k]
		var after int64
		if n := j.js[i]; n >= 0 {
			after = j.lag[i] + j.dur[n] + j.q[n]
		}
		if n := j.ms[i]; n >= 0 {
			after = max(after, j.dur[n]+j.q[n])
		}
		j.q[i] = after
		j.end = max(j.end, j.r[i]+j.dur[i]+after)
	}
}

// walk makes so many moves, and reports whether a better plan was found.
func (j *jobShop) walk(moves int) (better bool) {
	for range moves {
		if !j.move() {
			j.restart()
			continue
		}
		switch {
		case j.end < j.bestEnd:
			j.bestEnd, j.bestSeq, j.still, better = j.end, j.seq(), 0, true
			j.elite = append(j.elite, j.bestSeq)
			if len(j.elite) > mostElite {
				j.elite = j.elite[1:]
			}
		case j.still > mostStill:
			j.restart()
		default:
			j.still++
		}
	}
	return better
}

// restart begins the walk again from one of the best, a few swaps away.
func (j *jobShop) restart() {
	j.still = 0
	for i := range j.tabu {
		clear(j.tabu[i])
	}
	j.take(j.elite[j.die.IntN(len(j.elite))])
	for range 4 + j.die.IntN(16) {
		j.critical()
		if len(j.path) < 2 {
			return
		}
		k := j.die.IntN(len(j.path) - 1)
		for range j.path {
			if u, v := j.path[k], j.path[k+1]; j.swappable(u, v) {
				j.behind(u, v)
				j.time()
				break
			}
			k = (k + 1) % (len(j.path) - 1)
		}
	}
}

// swappable reports whether two that follow each other on a longest path follow on their resource, and
// not in their chain.
func (j *jobShop) swappable(u, v int32) bool { return j.ms[u] == v && j.js[u] != v }

// critical finds a longest path, by chance among several.
func (j *jobShop) critical() {
	j.path = j.path[:0]
	at, n := int32(-1), 0
	for i := range j.dur {
		if j.r[i] == j.rel[i] && j.r[i]+j.dur[i]+j.q[i] == j.end {
			if n++; j.die.IntN(n) == 0 {
				at = int32(i)
			}
		}
	}
	for at >= 0 {
		j.path = append(j.path, at)
		end := j.r[at] + j.dur[at]
		next := int32(-1)
		if s := j.ms[at]; s >= 0 && j.r[s] == end && j.r[s]+j.dur[s]+j.q[s] == j.end {
			next = s
		}
		if s := j.js[at]; s >= 0 && j.r[s] == end+j.lag[at] && j.r[s]+j.dur[s]+j.q[s] == j.end && (next < 0 || j.die.IntN(2) == 0) {
			next = s
		}
		at = next
	}
}

// segment is room to estimate moves in.
type segment struct {
	list []int32
	r    []int64
}

// move makes the best move on a longest path that is not forbidden; false: there is none.
func (j *jobShop) move() bool {
	j.step++
	j.critical()
	var best struct {
		u, v   int32
		behind bool
		end    int64
	}
	best.u, best.end = -1, 1<<62
	same := 0
	try := func(u, v int32, behind bool) {
		end := j.guess(u, v, behind)
		if end > best.end || j.forbidden(u, v, behind) && end >= j.bestEnd {
			return
		}
		if end < best.end {
			same = 0
		}
		if same++; j.die.IntN(same) == 0 {
			best.u, best.v, best.behind, best.end = u, v, behind, end
		}
	}
	blocks := 0
	for k := 0; k < len(j.path); {
		m := k
		for m+1 < len(j.path) && j.ms[j.path[m]] == j.path[m+1] {
			m++
		}
		if m > k {
			blocks++
			j.block(j.path[k:m+1], try)
		}
		k = m + 1
	}
	if blocks == 0 {
		return false
	}
	if best.u < 0 { // all are forbidden: one by chance
		k := j.die.IntN(len(j.path))
		for range j.path {
			if k+1 < len(j.path) && j.swappable(j.path[k], j.path[k+1]) {
				best.u, best.v, best.behind = j.path[k], j.path[k+1], true
				break
			}
			k = (k + 1) % len(j.path)
		}
	}
	if best.u < 0 {
		return false
	}
	j.forbid(best.u, best.v, best.behind)
	if best.behind {
		j.behind(best.u, best.v)
	} else {
		j.before(best.u, best.v)
	}
	j.time()
	return true
}

// block tries the moves of a block: each behind its last and before its first, where that makes no
// circle.
func (j *jobShop) block(b []int32, try func(u, v int32, behind bool)) {
	first, last := b[0], b[len(b)-1]
	for k, u := range b {
		if k < len(b)-1 {
			if n := j.js[u]; n >= 0 && j.mach[n] == j.mach[u] && j.r[n] <= j.r[last] {
				// its own next lies between
			} else if k == len(b)-2 || n < 0 || j.q[last]+j.dur[last] >= j.q[n]+j.dur[n] {
				try(u, last, true)
			}
		}
		if k > 1 || k == 1 && len(b) > 2 {
			if p := j.jp[u]; p >= 0 && j.mach[p] == j.mach[u] && j.r[p] >= j.r[first] {
				// the one before it lies between
			} else if k == 1 || p < 0 || j.r[first]+j.dur[first] >= j.r[p]+j.dur[p] {
				try(u, first, false)
			}
		}
	}
}

// forbidden reports whether a move undoes what was done a moment ago.
func (j *jobShop) forbidden(u, v int32, behind bool) bool {
	if behind {
		for x := j.ms[u]; ; x = j.ms[x] {
			if j.tabu[x][u] > j.step {
				return true
			}
			if x == v {
				return false
			}
		}
	}
	for x := j.mp[u]; ; x = j.mp[x] {
		if j.tabu[u][x] > j.step {
			return true
		}
		if x == v {
			return false
		}
	}
}

// forbid forbids the way back for a while.
func (j *jobShop) forbid(u, v int32, behind bool) {
	until := j.step + int32(tenureLeast+j.die.IntN(tenureMore))
	if behind {
		for x := j.ms[u]; ; x = j.ms[x] {
			j.tabu[u][x] = until
			if x == v {
				return
			}
		}
	}
	for x := j.mp[u]; ; x = j.mp[x] {
		j.tabu[x][u] = until
		if x == v {
			return
		}
	}
}

// behind moves a task right behind another that comes after it.
func (j *jobShop) behind(u, v int32) {
	a, b := j.mp[u], j.ms[u]
	j.link(a, b, j.mach[u])
	c := j.ms[v]
	j.link(v, u, j.mach[u])
	j.link(u, c, j.mach[u])
}

// before moves a task right before another that comes before it.
func (j *jobShop) before(u, v int32) {
	a, b := j.mp[u], j.ms[u]
	j.link(a, b, j.mach[u])
	c := j.mp[v]
	j.link(u, v, j.mach[u])
	j.link(c, u, j.mach[u])
}

// link lets one task follow another on their resource; −1 is its begin, or its end.
func (j *jobShop) link(a, b, r int32) {
	if a >= 0 {
		j.ms[a] = b
	} else {
		j.first[r] = b
	}
	if b >= 0 {
		j.mp[b] = a
	}
}

// guess is how long the longest path through the moved tasks would be [published: Taillard, Parallel taboo
// search techniques for the job shop scheduling problem, 1994].
func (j *jobShop) guess(u, v int32, behind bool) (end int64) {
	list, r := j.estimate.list[:0], j.estimate.r[:0]
	var before, after int32
	if behind {
		before, after = j.mp[u], j.ms[v]
		for x := j.ms[u]; ; x = j.ms[x] {
			list = append(list, x)
			if x == v {
				break
			}
		}
		list = append(list, u)
	} else {
		before, after = j.mp[v], j.ms[u]
		list = append(list, u)
		for x := v; x != u; x = j.ms[x] {
			list = append(list, x)
		}
	}
	var done int64
	if before >= 0 {
		done = j.r[before] + j.dur[before]
	}
	for _, x := range list {
		at := max(done, j.rel[x])
		if p := j.jp[x]; p >= 0 {
			at = max(at, j.r[p]+j.dur[p]+j.lag[p])
		}
		r = append(r, at)
		done = at + j.dur[x]
	}
	var left int64
	if after >= 0 {
		left = j.dur[after] + j.q[after]
	}
	for k := len(list) - 1; k >= 0; k-- {
		x := list[k]
		q := left
		if n := j.js[x]; n >= 0 {
			q = max(q, j.lag[x]+j.dur[n]+j.q[n])
		}
		end = max(end, r[k]+j.dur[x]+q)
		left = j.dur[x] + q
	}
	j.estimate.list, j.estimate.r = list, r
	return end
}
