package schedule

import (
	"container/heap"
	"fmt"
	"math"
	"slices"
	"sort"
)

// laying places tasks one after the other, each as early as what is placed already lets it [published:
// the serial schedule generation scheme, Kolisch, 1996]: in a gap if it fits one, on the resource that
// ends it first.
type laying struct {
	p     *Problem
	next  [][]int
	busy  [][]Span // of each resource, in order
	air   [Dusty + 1][]Span
	alone bool              // windows do not count: what comes before might be later, too
	stays [][]load          // what stays on each resource, from when on
	mixed [][]int64         // when what was done with a mix was over, in order: by mix and resource
	tired []map[int64]int64 // how long each resource has borne what tires it, by the day
	pins  []int64           // of tasks that are pinned, and of what those wait for, the order in which they are laid; noPin: of others
	at    []Placed
	done  []bool
	way   []int   // that a task is done in, by its place in On; −1: the one that ends it first
	hold  []int64 // for which a task waits although it could begin: what comes after it may want it later
}

func newLaying(p *Problem) *laying {
	l := &laying{p: p, next: p.next(), busy: make([][]Span, len(p.Resources)), at: make([]Placed, len(p.Tasks)), done: make([]bool, len(p.Tasks)), way: make([]int, len(p.Tasks)), hold: make([]int64, len(p.Tasks))}
	for i := range l.way {
		l.way[i] = -1
	}
	l.tired = make([]map[int64]int64, len(p.Resources))
	for r, res := range p.Resources {
		if res.TiresS > 0 {
			l.tired[r] = map[int64]int64{}
		}
	}
	mixes := 0
	for _, t := range p.Tasks {
		mixes = max(mixes, t.Mix.ID)
	}
	l.mixed, l.stays = make([][]int64, (mixes+1)*len(p.Resources)), make([][]load, len(p.Resources))
	l.pins = p.pins()
	return l
}

// noPin is the place in the order of what is not pinned: after all that is.
const noPin = math.MaxInt64

// pins is the order in which what is pinned is laid, each with all that it waits for; nil: nothing is.
func (p Problem) pins() (out []int64) {
	for _, t := range p.Tasks {
		if t.Pinned && out == nil {
			out = make([]int64, len(p.Tasks))
		}
	}
	if out == nil {
		return nil
	}
	for i, t := range p.Tasks {
		if out[i] = noPin; t.Pinned {
			out[i] = t.PinS
		}
	}
	order := p.topological()
	for _, i := range order { // what follows something that was put later follows it
		for _, b := range p.Tasks[i].After {
			if out[i] != noPin && out[b] != noPin {
				out[i] = max(out[i], out[b])
			}
		}
	}
	for k := len(order) - 1; k >= 0; k-- {
		for _, b := range p.Tasks[order[k]].After {
			out[b] = min(out[b], out[order[k]])
		}
	}
	return out
}

// clear takes all off again.
func (l *laying) clear() {
	for r := range l.busy {
		l.busy[r] = l.busy[r][:0]
	}
	for k := range l.mixed {
		l.mixed[k] = l.mixed[k][:0]
	}
	for r := range l.stays {
		l.stays[r] = l.stays[r][:0]
	}
	for _, days := range l.tired {
		clear(days)
	}
	l.air[Wet], l.air[Dusty] = l.air[Wet][:0], l.air[Dusty][:0]
	clear(l.done)
}

// ErrNever is a task for which there is no time at all.
type ErrNever struct{ Task string }

func (e ErrNever) Error() string {
	return fmt.Sprintf("%s finds no time: its resources are never open for so long", e.Task)
}

// lay places all tasks, of those that may be placed always the one with the least key, what is pinned and
// what that waits for before all others.
func (l *laying) lay(keys []float64) error {
	l.clear()
	for i, t := range l.p.Tasks {
		if t.Fixed != nil {
			l.put(i, *t.Fixed)
		}
	}
	before := make([]int, len(l.p.Tasks))
	ready := keyed{keys: keys, pins: l.pins}
	for i, t := range l.p.Tasks {
		if before[i] = len(t.After); before[i] == 0 {
			ready.list = append(ready.list, i)
		}
	}
	heap.Init(&ready)
	for len(ready.list) > 0 {
		i := heap.Pop(&ready).(int)
		if !l.done[i] {
			at, ok := l.earliest(i)
			if !ok {
				return ErrNever{l.p.named(i)}
			}
			l.put(i, at)
		}
		for _, n := range l.next[i] {
			if before[n]--; before[n] == 0 {
				heap.Push(&ready, n)
			}
		}
	}
	return nil
}

// ready is when a task may begin by its job and what it comes after.
func (p *Problem) ready(i int, at []Placed) int64 {
	t := &p.Tasks[i]
	from := max(0, t.FromS, p.Jobs[t.Job].ReleaseS)
	for _, k := range t.After {
		from = max(from, at[k].EndS+p.Tasks[k].WaitS)
	}
	return from
}

// window is from when on a task may begin that would at a moment: where a coat's window is shut by then,
// when it may be coated again.
func (l *laying) window(t *Task, start int64) int64 {
	for again := !l.alone; again; {
		again = false
		for _, k := range t.After {
			b, end := &l.p.Tasks[k], l.at[k].EndS
			if b.WithinS > 0 && start > end+b.WithinS && start < end+b.AgainS {
				start, again = end+b.AgainS, true
			}
		}
	}
	return start
}

// earliest is where a task ends first.
func (l *laying) earliest(i int) (best Placed, ok bool) {
	t := &l.p.Tasks[i]
	from := l.p.ready(i, l.at) + l.hold[i]
	ways := t.On
	if k := l.way[i]; k >= 0 {
		ways = t.On[k : k+1]
	}
	for _, m := range ways {
		start, end, fits := l.fit(m, t, from)
		if fits && (!ok || end < best.EndS || end == best.EndS && start < best.StartS) {
			best, ok = Placed{m.Resource, start, end}, true
		}
	}
	return best, ok
}

// fit finds the first time for a way to do a task.
func (l *laying) fit(m Mode, t *Task, from int64) (start, end int64, ok bool) {
	hours := l.p.Resources[m.Resource].Hours
again:
	s := l.takes(m, t, from)
	start, end, ok = hours.start(from, s, t.Split)
	if then := l.takes(m, t, start); ok && then != s { // it is to be set up again by then, or need not be any more
		s = then
		start, end, ok = hours.start(start, s, t.Split)
	}
	if !ok {
		return 0, 0, false
	}
	if at := l.window(t, start); at > start {
		from = at
		goto again
	}
	if to, taken := l.taken(m.Resource, start, end, s); taken {
		from = to
		goto again
	}
	if most := l.p.Resources[m.Resource].TiresS; t.Tires && most > 0 {
		if d := l.p.day(start); l.tired[m.Resource][d] > 0 && l.tired[m.Resource][d]+s > most {
			from = (d+1)*daySeconds - l.p.DayFromS
			goto again
		}
	}
	if t.Air != AnyAir && s > 0 {
		if to, taken := taken(l.air[t.Air.other()], start, end+t.DustS, s+t.DustS); taken {
			from = max(to, start+1)
			goto again
		}
	}
	for _, w := range t.With {
		if to, taken := l.taken(w, start, end+t.KeepS, s+t.KeepS); taken {
			from = max(to, start+1)
			goto again
		}
		if t.Split || l.p.Resources[w].Hours == nil {
			continue
		}
		if at, _, opens := l.p.Resources[w].Hours.start(start, end-start, false); !opens {
			return 0, 0, false
		} else if at > start {
			from = at
			goto again
		}
	}
	if until, full := l.full(t.Stay, end); full {
		from = start + until - end
		goto again
	}
	return start, end, true
}

// takes is how long a way to do a task takes that begins then: less, where it is set up for it already.
func (l *laying) takes(m Mode, t *Task, start int64) int64 {
	if t.Mix.ID == 0 {
		return m.S
	}
	if l.alone {
		return max(0, m.S-t.Mix.SavesS)
	}
	ends := l.mixed[t.Mix.ID*len(l.p.Resources)+m.Resource]
	k, _ := slices.BinarySearch(ends, start+1)
	if k > 0 && start-ends[k-1] <= t.Mix.LastsS {
		return max(0, m.S-t.Mix.SavesS)
	}
	return m.S
}

// load is how many places of a resource are taken from a moment on, until the next.
type load struct {
	fromS  int64
	places int
}

// full says whether there are too few places for what stays from a moment on, and until when at the least.
func (l *laying) full(s Stay, from int64) (until int64, is bool) {
	if s.S == 0 || l.alone {
		return 0, false
	}
	loads, most := l.stays[s.Resource], l.p.places(s.Resource)
	k := sort.Search(len(loads), func(i int) bool { return loads[i].fromS > from }) - 1
	for k = max(0, k); k < len(loads) && loads[k].fromS < from+s.S; k++ {
		if loads[k].places+s.Places > most && k+1 < len(loads) && loads[k+1].fromS > from {
			until, is = loads[k+1].fromS, true
		}
	}
	return until, is
}

// loaded is loads in order, and so many places more for a stretch.
func loaded(list []load, s Span, places int) []load {
	at := func(when int64) (k int) {
		k = sort.Search(len(list), func(i int) bool { return list[i].fromS >= when })
		if k == len(list) || list[k].fromS > when {
			before := 0
			if k > 0 {
				before = list[k-1].places
			}
			list = slices.Insert(list, k, load{when, before})
		}
		return k
	}
	from := at(s.FromS)
	to := at(s.ToS)
	for k := from; k < to; k++ {
		list[k].places += places
	}
	return list
}

// taken says until when something else lies within a stretch on a resource, and leaves no room for so many
// seconds after it.
func (l *laying) taken(r int, from, to, s int64) (until int64, is bool) {
	return taken(l.busy[r], from, to, s)
}

// taken says it of stretches in order.
func taken(busy []Span, from, to, s int64) (until int64, is bool) {
	k := sort.Search(len(busy), func(i int) bool { return busy[i].ToS > from })
	if k == len(busy) || busy[k].FromS >= to {
		return 0, false
	}
	for until = busy[k].ToS; k+1 < len(busy) && busy[k+1].FromS-until < s; until = busy[k].ToS {
		k++
	}
	return until, true
}

// put places a task.
func (l *laying) put(i int, at Placed) {
	l.at[i], l.done[i] = at, true
	if at.EndS == at.StartS {
		return
	}
	l.occupy(at.Resource, Span{at.StartS, at.EndS})
	t := &l.p.Tasks[i]
	if t.Mix.ID > 0 {
		k := t.Mix.ID*len(l.p.Resources) + at.Resource
		n, _ := slices.BinarySearch(l.mixed[k], at.EndS)
		l.mixed[k] = slices.Insert(l.mixed[k], n, at.EndS)
	}
	if t.Stay.S > 0 {
		l.stays[t.Stay.Resource] = loaded(l.stays[t.Stay.Resource], Span{at.EndS, at.EndS + t.Stay.S}, t.Stay.Places)
	}
	for _, w := range t.With {
		l.occupy(w, Span{at.StartS, at.EndS + t.KeepS})
	}
	if t.Tires && l.tired[at.Resource] != nil {
		l.tired[at.Resource][l.p.day(at.StartS)] += at.EndS - at.StartS
	}
	if t.Air != AnyAir {
		l.air[t.Air] = united(l.air[t.Air], Span{at.StartS, at.EndS + t.DustS})
	}
}

// united is stretches in order, none touching another, and one more.
func united(list []Span, s Span) []Span {
	k := sort.Search(len(list), func(i int) bool { return list[i].ToS >= s.FromS })
	n := k
	for ; n < len(list) && list[n].FromS <= s.ToS; n++ {
		s = Span{min(s.FromS, list[n].FromS), max(s.ToS, list[n].ToS)}
	}
	return slices.Replace(list, k, n, s)
}

func (l *laying) occupy(r int, s Span) {
	busy := l.busy[r]
	k := sort.Search(len(busy), func(i int) bool { return busy[i].FromS >= s.FromS })
	busy = append(busy, Span{})
	copy(busy[k+1:], busy[k:])
	busy[k] = s
	l.busy[r] = busy
}

// keyed is tasks by the least key, those of the same in their order; pinned ones first.
type keyed struct {
	list []int
	keys []float64
	pins []int64
}

func (q keyed) Len() int      { return len(q.list) }
func (q keyed) Swap(i, j int) { q.list[i], q.list[j] = q.list[j], q.list[i] }
func (q keyed) Less(i, j int) bool {
	a, b := q.list[i], q.list[j]
	if q.pins != nil && q.pins[a] != q.pins[b] {
		return q.pins[a] < q.pins[b]
	}
	if q.keys[a] == q.keys[b] {
		return a < b
	}
	return q.keys[a] < q.keys[b]
}
func (q *keyed) Push(x any) { q.list = append(q.list, x.(int)) }
func (q *keyed) Pop() any {
	last := q.list[len(q.list)-1]
	q.list = q.list[:len(q.list)-1]
	return last
}
