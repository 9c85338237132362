package plan

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"sakuji/core/process"
	"sakuji/studio"
)

// Dated is an order with its date in the plan.
type Dated struct {
	Order  studio.Order
	Ready  time.Time // by the plan
	Chance float64   // that it is ready in time, of the futures the plan was lived through in
}

// How often a plan is lived through, and how large it may be for that. Source: from memory.
const (
	lives      = 200
	mostLived  = 6000
	failedRuns = 2.0 // as long as planned: it is printed again
)

// live lives the plan through: hands take as long as at best, or as at worst, of what is likely; a run that
// fails is printed again.
func (s *Sheet) live(what []studio.PlanTask) {
	if len(what) == 0 || len(what) > mostLived {
		return
	}
	die := rand.New(rand.NewPCG(2, 3))
	low, high := s.Shop.Book.V("spread.other.low"), s.Shop.Book.V("spread.other.high")
	future := s.problem.Futures(s.best, lives, func(i int, sec int64) int64 {
		if what[i].Doing == studio.RunOn {
			m, _ := s.Shop.Machine(s.Plates[what[i].Plate].MachineID)
			if die.Float64() < process.FailureChance(s.Shop.Book.V("failure."+m.Process), float64(sec)/60) {
				return int64(failedRuns * float64(sec))
			}
			return sec
		}
		return int64(float64(sec) * triangular(die.Float64(), low, 1, high))
	})
	jobs := map[string]int{}
	for j, job := range s.problem.Jobs {
		jobs[job.Name] = j
	}
	for _, o := range s.Orders {
		if j, ok := jobs[o.Number]; ok && !o.Wanted.IsZero() {
			s.Dated = append(s.Dated, Dated{o, s.Ready(o.ID), future.OnTime[j]})
		}
	}
	slices.SortFunc(s.Dated, func(a, b Dated) int {
		return cmp.Or(cmp.Compare(a.Chance, b.Chance), a.Order.Wanted.Compare(b.Order.Wanted), cmp.Compare(a.Order.Number, b.Order.Number))
	})
}

// triangular is the value of a triangular distribution at a share [published: any text on probability].
func triangular(share, low, likely, high float64) float64 {
	if high <= low {
		return likely
	}
	if at := (likely - low) / (high - low); share < at {
		return low + math.Sqrt(share*(high-low)*(likely-low))
	}
	return high - math.Sqrt((1-share)*(high-low)*(high-likely))
}
