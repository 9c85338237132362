package plate

import (
	"cmp"
	"slices"
)

// Job is parts to be shared out among plates of one machine.
type Job struct {
	Bed       Bed
	SpacingMM float64
	StepDeg   float64 // parts are turned in steps of this; 0: they lie as they stand
	Parts     []Part
	RunMin    func(on []Part) float64                 // what a run with these takes, the change of the plate included; nil: every plate alike
	Clear     func(beginMin, minutes float64) float64 // when a run of so long may begin that could begin then; nil: at once
	MostMin   float64                                 // a run takes no longer, so that no more is lost with it; 0: as long as it likes. A part that takes longer alone runs alone
	SpreadMin float64                                 // what it is worth in minutes of run that parts of one Spread do not all lie on one plate
	LateMin   float64                                 // how many minutes of run a minute of a part's lateness is worth
	Die       Die                                     // what chance the search has; nil: none, and it soon has no more to try
}

// Die is a source of chance; *rand.Rand is one.
type Die interface {
	IntN(n int) int
	Float64() float64
}

// Plate is what shares a run.
type Plate struct {
	Placed  []Placed
	Tallest int     // of the job's parts, the one that reaches highest
	Minutes float64 // of its run, the change included
	EndsMin float64 // when it ends, with one plate run after the other from now on
	Parts   []int   // of the job, in the order in which they are placed
}

// Plan is an answer to a job: its plates in the order in which they run.
type Plan struct {
	Plates  []Plate
	Left    []Left
	Minutes float64 // of all runs
	AtOnce  int     // how many Spreads lie all on one plate
	LateMin float64 // of all parts whose run ends after they were due
	filled  float64 // tells apart answers that cost the same: the fuller some plates, the nearer is one fewer
}

// Search goes on finding better plans for a job. It starts with a complete one; what it finds
// depends on the job and its die alone.
type Search struct {
	job    Job
	layer  *layer
	fits   []int // parts that can be laid at all
	left   []Left
	areas  []float64 // of outlines, in mm²
	boxes  []float64 // of their boxes
	best   Plan
	now    answer
	costs  []Plan // of the answers accepted last: a new one may be as bad as the one so long ago
	starts [][]int
	tries  int
}

// answer is a plan, and how each part may be turned in it.
type answer struct {
	plan Plan
	turn []int8
}

// memory is how many accepted answers a new one is compared with: late acceptance hill climbing
// [published: Burke, Bykov, The late acceptance hill-climbing heuristic, 2017].
const memory = 40

// How a part may be turned: by quarters, in all steps, or in one of them and half a turn.
const (
	byQuarters int8 = iota
	byAll
	byOne
)

// NewSearch begins with a complete plan: the tallest first, of those the largest.
func NewSearch(job Job) *Search {
	n := len(job.Parts)
	s := &Search{job: job, layer: newLayer(job.Bed, job.SpacingMM, job.StepDeg, job.Parts), areas: make([]float64, n), boxes: make([]float64, n)}
	for k, p := range job.Parts {
		s.areas[k], s.boxes[k] = p.Outline.AreaMM2(), boxMM2(p)
		if why := Fits(job.Bed, p, job.StepDeg); why != "" {
			s.left = append(s.left, Left{p.ID, why, true})
			continue
		}
		s.fits = append(s.fits, k)
	}
	larger := func(a, b int) int { return cmp.Compare(s.boxes[b], s.boxes[a]) }
	taller := func(a, b int) int {
		return cmp.Or(cmp.Compare(job.Parts[b].HeightMM, job.Parts[a].HeightMM), larger(a, b))
	}
	sooner := func(a, b int) int { return cmp.Or(cmp.Compare(due(job.Parts[a]), due(job.Parts[b])), taller(a, b)) }
	s.now = answer{turn: make([]int8, n)}
	s.lay(&s.now, s.ordered(taller), n+1)
	s.price(&s.now.plan)
	s.best = s.now.plan
	s.starts = [][]int{s.ordered(larger), s.ordered(sooner)}
	return s
}

// ordered are the parts that can be laid, in an order.
func (s *Search) ordered(less func(a, b int) int) []int {
	order := slices.Clone(s.fits)
	slices.SortStableFunc(order, less)
	return order
}

// Best is the best plan so far.
func (s *Search) Best() Plan { return s.best }

// Tries is how many plans were tried so far, the first among them.
func (s *Search) Tries() int { return s.tries + 1 }

// Step tries one more plan, and reports whether it is the best so far.
func (s *Search) Step() bool {
	if len(s.now.plan.Plates) == 0 || s.job.Die == nil && len(s.starts) == 0 {
		return false
	}
	s.tries++
	next, ok := s.next()
	if len(s.costs) == 0 {
		s.costs = slices.Repeat([]Plan{s.now.plan}, memory)
	}
	slot := s.tries % memory
	if ok && (!s.worse(next.plan, s.now.plan) || !s.worse(next.plan, s.costs[slot])) {
		s.now = next
	}
	s.costs[slot] = s.now.plan
	if ok && s.worse(s.best, next.plan) {
		s.best = next.plan
		return true
	}
	return false
}

// next is the next answer: another order to begin with, or the answer of now with a few of its
// plates taken apart and laid again.
func (s *Search) next() (a answer, ok bool) {
	if len(s.starts) > 0 {
		a = answer{turn: make([]int8, len(s.job.Parts))}
		s.lay(&a, s.starts[0], len(s.fits)+1)
		s.starts = s.starts[1:]
	} else {
		a = answer{turn: slices.Clone(s.now.turn), plan: Plan{Left: slices.Clone(s.now.plan.Left[len(s.left):])}}
		chosen := s.chosen()
		var pool []int
		for i, on := range s.now.plan.Plates {
			if slices.Contains(chosen, i) {
				pool = append(pool, on.Parts...)
			} else {
				a.plan.Plates = append(a.plan.Plates, on)
			}
		}
		s.turnSome(&a, pool)
		s.shuffle(pool)
		most := len(chosen)
		if s.job.RunMin != nil {
			most++
		}
		var begun []Plate
		if s.job.Die.IntN(3) == 0 {
			begun, pool = s.imitate(pool)
		}
		if !s.lay(&a, pool, most, begun...) {
			return a, false
		}
	}
	s.price(&a.plan)
	return a, true
}

// area is what parts cover together, in mm².
func (s *Search) area(parts []int) (sum float64) {
	for _, k := range parts {
		sum += s.areas[k]
	}
	return sum
}

// imitate begins a plate with parts of a pool that lie as those that look like them do on a plate that
// is filled well, and returns what is left of the pool.
func (s *Search) imitate(pool []int) (begun []Plate, rest []int) {
	plates := s.now.plan.Plates
	like := &plates[s.job.Die.IntN(len(plates))]
	for range 1 + s.job.Die.IntN(len(plates)) {
		if other := &plates[s.job.Die.IntN(len(plates))]; s.area(other.Parts) > s.area(like.Parts) {
			like = other
		}
	}
	rest = slices.Clone(pool)
	out := Plate{}
	for i, k := range like.Parts {
		p := s.job.Parts[k]
		at := slices.IndexFunc(rest, func(o int) bool {
			q := s.job.Parts[o]
			return q.SkirtMM == p.SkirtMM && s.layer.shape(q.Outline) == s.layer.shape(p.Outline) && (len(out.Parts) == 0 || s.mayJoin(out, o))
		})
		if at < 0 {
			continue
		}
		placed := like.Placed[i]
		placed.ID = s.job.Parts[rest[at]].ID
		if len(out.Parts) == 0 {
			out.Tallest = rest[at]
		}
		out.put(s.job, rest[at], placed)
		rest = slices.Delete(rest, at, at+1)
	}
	if len(out.Parts) == 0 {
		return nil, pool
	}
	return []Plate{out}, rest
}

// chosen are the plates that are taken apart next: one, and others that are as tall or any.
func (s *Search) chosen() (out []int) {
	plates := s.now.plan.Plates
	order := make([]int, len(plates))
	for i := range order {
		order[i] = i
	}
	if s.job.Die.IntN(2) == 0 {
		slices.SortStableFunc(order, func(a, b int) int {
			return cmp.Compare(s.job.Parts[plates[a].Tallest].HeightMM, s.job.Parts[plates[b].Tallest].HeightMM)
		})
	} else {
		for i := len(order) - 1; i > 0; i-- {
			k := s.job.Die.IntN(i + 1)
			order[i], order[k] = order[k], order[i]
		}
	}
	n := min(len(order), 1+s.job.Die.IntN(mostApart))
	at := s.job.Die.IntN(len(order) - n + 1)
	return order[at : at+n]
}

// mostApart is how many plates are taken apart at once.
const mostApart = 4

// turnSome lets some of the parts, or all that look alike, be turned otherwise.
func (s *Search) turnSome(a *answer, pool []int) {
	if s.job.Die.IntN(4) == 0 {
		for _, k := range pool {
			a.turn[k] = byAll
		}
	}
	ways := int(byOne) + min(60, max(1, len(s.layer.turns())/2))
	for range s.job.Die.IntN(3) {
		k := pool[s.job.Die.IntN(len(pool))]
		turn := int8(s.job.Die.IntN(ways))
		a.turn[k] = turn
		if s.job.Die.IntN(2) == 0 {
			shape := s.layer.shape(s.job.Parts[k].Outline)
			for _, o := range pool {
				if s.layer.shape(s.job.Parts[o].Outline) == shape {
					a.turn[o] = turn
				}
			}
		}
	}
}

// shuffle puts parts in an order to be laid in: by height, by size or as they lay, each with some
// chance in it.
func (s *Search) shuffle(pool []int) {
	by, noise := s.job.Die.IntN(3), 0.5*s.job.Die.Float64()
	key := make(map[int]float64, len(pool))
	for i, k := range pool {
		v := s.boxes[k]
		switch by {
		case 0:
			v = s.job.Parts[k].HeightMM
		case 1:
			v = float64(len(pool) - i)
		}
		key[k] = v * (1 + noise*(2*s.job.Die.Float64()-1))
	}
	slices.SortStableFunc(pool, func(a, b int) int { return cmp.Compare(key[b], key[a]) })
}

// cost is what a plan takes in minutes.
func (s *Search) cost(p Plan) float64 {
	return p.Minutes + s.job.LateMin*p.LateMin + s.job.SpreadMin*float64(p.AtOnce)
}

// worse reports whether a costs more than b, or as much with its plates less filled.
func (s *Search) worse(a, b Plan) bool {
	if ca, cb := s.cost(a), s.cost(b); ca > cb+1e-6 || ca < cb-1e-6 {
		return ca > cb
	}
	return a.filled < b.filled-tiny
}

// lay lays parts in an order on plates that were begun and on new ones, each on the first that has
// room for it and may take it; it gives up when that takes more plates than these.
func (s *Search) lay(a *answer, order []int, most int, begun ...Plate) bool {
	on := begun
	var fields []*field
	for _, pl := range begun {
		f := s.layer.emptyField()
		for i, k := range pl.Parts {
			f.takeAt(s.layer, Laid{s.job.Parts[k], pl.Placed[i]})
		}
		fields = append(fields, f)
	}
	for _, k := range order {
		p, degs, laid := s.job.Parts[k], s.degs(a.turn[k]), false
		for i := 0; i < len(on) && !laid; i++ {
			if s.mayJoin(on[i], k) {
				var at Placed
				if at, laid = fields[i].lay(s.layer, p, degs); laid {
					on[i].put(s.job, k, at)
				}
			}
		}
		if laid {
			continue
		}
		if len(on) == most {
			return false
		}
		f := s.layer.emptyField()
		at, ok := f.lay(s.layer, p, degs)
		if !ok {
			at, ok = f.lay(s.layer, p, s.layer.turns())
		}
		if !ok { // only where places of the bed are kept free
			a.plan.Left = append(a.plan.Left, Left{p.ID, "no place of the bed has room for it", true})
			continue
		}
		fields, on = append(fields, f), append(on, Plate{Tallest: k})
		on[len(on)-1].put(s.job, k, at)
	}
	a.plan.Plates = append(a.plan.Plates, on...)
	return true
}

// degs are the angles a way of turning allows.
func (s *Search) degs(turn int8) []float64 {
	all := s.layer.turns()
	switch {
	case turn == byAll:
		return all
	case turn >= byOne && len(all) > 1:
		deg := all[int(turn-byOne)%len(all)]
		for _, other := range all {
			if d := other - deg; d == 180 || d == -180 {
				return []float64{deg, other}
			}
		}
		return []float64{deg}
	}
	n := 0
	for n < len(all) && n < 4 && (n == 0 || int(all[n])%90 == 0 && all[n] == float64(int(all[n]))) {
		n++
	}
	return all[:n]
}

// mayJoin reports whether a plate may take a part, room or not.
func (s *Search) mayJoin(on Plate, k int) bool {
	p := s.job.Parts[k]
	if p.Apart != "" && slices.ContainsFunc(on.Parts, func(o int) bool { return s.job.Parts[o].Apart == p.Apart }) {
		return false
	}
	return s.job.MostMin <= 0 || s.job.RunMin == nil || s.job.RunMin(s.parts(append(slices.Clone(on.Parts), k))) <= s.job.MostMin
}

// put notes a part on a plate.
func (p *Plate) put(j Job, k int, at Placed) {
	p.Parts, p.Placed = append(p.Parts, k), append(p.Placed, at)
	if j.Parts[k].HeightMM > j.Parts[p.Tallest].HeightMM {
		p.Tallest = k
	}
}

func (s *Search) parts(of []int) []Part {
	out := make([]Part, len(of))
	for i, k := range of {
		out[i] = s.job.Parts[k]
	}
	return out
}

// price works out what a plan takes: its plates run one after another, what is due first first.
func (s *Search) price(p *Plan) {
	p.Left = append(slices.Clone(s.left), p.Left...)
	soonest := func(on Plate) float64 {
		at := due(s.job.Parts[on.Parts[0]])
		for _, k := range on.Parts {
			at = min(at, due(s.job.Parts[k]))
		}
		return at
	}
	slices.SortStableFunc(p.Plates, func(a, b Plate) int { return cmp.Compare(soonest(a), soonest(b)) })
	bedMM2 := max(1, s.job.Bed.WidthMM*s.job.Bed.DepthMM)
	for i := range p.Plates {
		on := &p.Plates[i]
		on.Minutes = 1
		if s.job.RunMin != nil {
			on.Minutes = s.job.RunMin(s.parts(on.Parts))
		}
		p.Minutes += on.Minutes
		on.EndsMin = p.Minutes
		area := s.area(on.Parts)
		for _, k := range on.Parts {
			if d := s.job.Parts[k].DueMin; d > 0 {
				p.LateMin += max(0, on.EndsMin-d)
			}
		}
		p.filled += area / bedMM2 * area / bedMM2
	}
	p.AtOnce = s.atOnce(p.Plates)
}

// atOnce counts the Spreads of several parts that lie all on one of several plates.
func (s *Search) atOnce(plates []Plate) (n int) {
	if len(plates) < 2 || s.job.SpreadMin <= 0 {
		return 0
	}
	type lies struct{ plate, parts, plates int }
	on := map[string]lies{}
	for i, pl := range plates {
		for _, k := range pl.Parts {
			word := s.job.Parts[k].Spread
			if word == "" {
				continue
			}
			l, known := on[word]
			if l.parts++; !known || l.plate != i {
				l.plate, l.plates = i, l.plates+1
			}
			on[word] = l
		}
	}
	for _, l := range on {
		if l.parts > 1 && l.plates == 1 {
			n++
		}
	}
	return n
}

// due is when a part is wanted; those that are wanted whenever come last.
func due(p Part) float64 {
	if p.DueMin > 0 {
		return p.DueMin
	}
	return never
}

// never is later than any run ends, in minutes.
const never = 1e12

// bySize are the parts' indices, those with the largest boxes first.
func bySize(parts []Part) []int {
	order, sizes := make([]int, len(parts)), make([]float64, len(parts))
	for k, p := range parts {
		order[k], sizes[k] = k, boxMM2(p)
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(sizes[b], sizes[a]) })
	return order
}

// boxMM2 is the area of a part's box: what lies in its hollows comes after it.
func boxMM2(p Part) float64 {
	low, high := p.Outline.Size()
	return (high.X - low.X) * (high.Y - low.Y)
}
