package plate

import (
	"cmp"
	"math"
	"slices"
)

// Fleet is machines that share the same parts side by side: a job each, with their own bed and
// times. The jobs name the parts alike.
type Fleet struct {
	Jobs    []Job
	FreeMin []float64 // from when a machine may start, in minutes from now
	Watch   Watch     // who starts them
	Steps   int       // of search for each plate
	Look    int       // how many parts are looked at for each plate, the soonest due and tallest first; 0: all
}

// Run is a plate on one machine of a fleet.
type Run struct {
	Job               int
	Plate             Plate
	BeginMin, EndsMin float64
}

// Shared is what a fleet makes of its parts.
type Shared struct {
	Runs    []Run
	Left    []Left  // on no machine
	EndsMin float64 // of the last run
	Minutes float64 // of all runs
}

// Share lays plate after plate, each on the machine that would end it first, packed again for its
// bed [published: list scheduling, Graham, Bounds on multiprocessing timing anomalies, 1969].
func (f Fleet) Share() (out Shared) {
	free := slices.Clone(f.FreeMin)
	for len(free) < len(f.Jobs) {
		free = append(free, 0)
	}
	reasons := map[string]Left{}
	for rest := f.ids(); len(rest) > 0; {
		best := Run{Job: -1, EndsMin: math.Inf(1)}
		clear(reasons)
		for i, job := range f.Jobs {
			job.Parts = f.next(job, rest)
			begin := f.Watch.start(free[i])
			plan := f.Watch.First(job, begin, f.search)
			for _, l := range plan.Left {
				reasons[l.ID] = l
			}
			if len(plan.Plates) == 0 {
				continue
			}
			on := plan.Plates[0]
			begin = f.Watch.begins(job, begin, on.Minutes)
			if end := begin + on.Minutes; end < best.EndsMin {
				best = Run{Job: i, Plate: on, BeginMin: begin, EndsMin: end}
			}
		}
		if best.Job < 0 {
			for id := range rest {
				out.Left = append(out.Left, f.reason(id, reasons))
			}
			slices.SortFunc(out.Left, func(a, b Left) int { return cmp.Compare(a.ID, b.ID) })
			break
		}
		for _, at := range best.Plate.Placed {
			delete(rest, at.ID)
		}
		free[best.Job] = best.EndsMin
		out.Runs = append(out.Runs, best)
		out.Minutes += best.Plate.Minutes
		out.EndsMin = max(out.EndsMin, best.EndsMin)
	}
	return out
}

// search plans the parts of a machine.
func (f Fleet) search(job Job) Plan {
	s := NewSearch(job)
	for range f.Steps {
		s.Step()
	}
	return s.Best()
}

// reason says why a part is on no machine: as a search said, or as the last machine does.
func (f Fleet) reason(id string, said map[string]Left) Left {
	if l, ok := said[id]; ok {
		return l
	}
	l := Left{ID: id, Reason: "no machine takes it", Never: true}
	for _, job := range f.Jobs {
		for _, p := range job.Parts {
			if p.ID == id {
				if why := Fits(job.Bed, p, job.StepDeg); why != "" {
					l.Reason = why
				}
			}
		}
	}
	return l
}

// next are the parts of those that are left that the next plate of a machine is chosen from.
func (f Fleet) next(job Job, rest map[string]bool) []Part {
	parts := slices.DeleteFunc(slices.Clone(job.Parts), func(p Part) bool { return !rest[p.ID] || f.Look > 0 && Fits(job.Bed, p, job.StepDeg) != "" })
	if f.Look <= 0 || len(parts) <= f.Look {
		return parts
	}
	slices.SortStableFunc(parts, func(a, b Part) int {
		return cmp.Or(cmp.Compare(due(a), due(b)), cmp.Compare(b.HeightMM, a.HeightMM))
	})
	return parts[:f.Look]
}

// ids are all parts' names.
func (f Fleet) ids() map[string]bool {
	out := map[string]bool{}
	for _, j := range f.Jobs {
		for _, p := range j.Parts {
			out[p.ID] = true
		}
	}
	return out
}
