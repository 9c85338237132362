package plate

import "slices"

// Watch is who is there to change plates, in minutes from now; the zero Watch: always somebody.
type Watch struct {
	There func(min float64) float64 // the first moment from one on at which somebody is there
	Until func(min float64) float64 // of such a moment: until when they stay
}

// start is when a plate that could start at a moment is started.
func (w Watch) start(min float64) float64 {
	if w.There == nil {
		return min
	}
	return w.There(min)
}

// begins is when a run of a machine begins that could begin at a moment: with somebody there, and out of
// the hours in which it must not run.
func (w Watch) begins(job Job, min, minutes float64) float64 {
	for range mostPutOff {
		at := w.start(min)
		if job.Clear != nil {
			min = job.Clear(at, minutes)
		} else {
			min = at
		}
		if min == at {
			break
		}
	}
	return min
}

// mostPutOff is how often a run is put off at most: from one end of people's hours to the next of the
// machine's, and so on.
const mostPutOff = 20

// use is for which share of the time a machine prints, from a moment until somebody is there to take
// the run off.
func (w Watch) use(job Job, min, minutes float64) float64 {
	if minutes <= 0 {
		return 0
	}
	return minutes / (w.start(w.begins(job, min, minutes)+minutes) - min)
}

// wellUsed is from which share on nothing better is looked for; leastDayMin is how short a run is at
// the least that is laid to end while somebody is there. Source: from memory.
const (
	wellUsed    = 0.9
	leastDayMin = 45
)

// First plans the parts of a machine that may start at a moment, the plate that is to run then first: it
// is the one that keeps the machine printing the more until somebody takes it off, of those that search
// planned, and, where runs are as long as what lies on them, of those that end before people leave. So
// long runs fall into the night, and short ones into the day. What would lie first otherwise is not made
// late by that. The moment is when the plate is started.
func (w Watch) First(job Job, beginMin float64, search func(Job) Plan) Plan {
	plan := search(job)
	if len(plan.Plates) == 0 || w.Until == nil || w.use(job, beginMin, plan.Plates[0].Minutes) >= wellUsed {
		return plan
	}
	best := w.first(job, plan, beginMin, plan.Plates[0])
	room := w.Until(beginMin) - beginMin - 1 // its end is before they leave
	if job.MostMin <= 0 || room < leastDayMin || room >= job.MostMin {
		return best
	}
	by := job
	by.MostMin = room
	day := search(by)
	if len(day.Plates) == 0 {
		return best
	}
	if day = w.first(job, day, beginMin, plan.Plates[0]); w.use(job, beginMin, day.Plates[0].Minutes) > w.use(job, beginMin, best.Plates[0].Minutes) && !w.delays(job, day.Plates[0], plan.Plates[0], beginMin) {
		return day
	}
	return best
}

// first brings the plate that uses the machine best to the front of a plan, if it does not make late
// what was to be laid.
func (w Watch) first(job Job, plan Plan, beginMin float64, laid Plate) Plan {
	best := 0
	for k, p := range plan.Plates {
		if w.use(job, beginMin, p.Minutes) > w.use(job, beginMin, plan.Plates[best].Minutes)+1e-9 && !w.delays(job, p, laid, beginMin) {
			best = k
		}
	}
	plan.Plates = slices.Clone(plan.Plates)
	first := plan.Plates[best]
	copy(plan.Plates[1:best+1], plan.Plates[:best])
	plan.Plates[0] = first
	return plan
}

// delays reports whether a plate that runs before another makes parts of that late that would not be.
func (w Watch) delays(job Job, before, laid Plate, beginMin float64) bool {
	then := w.start(beginMin+before.Minutes) + laid.Minutes
	return slices.ContainsFunc(laid.Parts, func(k int) bool {
		due := job.Parts[k].DueMin
		return due > 0 && !slices.Contains(before.Parts, k) && due < then
	})
}
