package plan

import (
	"cmp"
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"sakuji/app/jobs"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/studio"
)

// Dated is an order with its date in the plan.
type Dated struct {
	Order   studio.Order
	Ready   time.Time // by the plan
	Chance  float64   // that it is ready in time, of the futures the plan was lived through in
	Sure    time.Time // when it is ready in 8 in 10 of them
	Decides string    // what of being late hangs on most; empty: nothing
}

// sureShare is what share of the futures a sure date holds in.
const sureShare = 0.8

// How often a plan is lived through, and how large it may be for that. Source: from memory.
const (
	lives      = 200
	mostLived  = 6000
	failedRuns = 2.0 // as long as planned: it is printed again
)

// Dates lives the plan through, and says how sure each order’s date is, the least sure first. Hands take as
// long as the price has it, too: each stage by its own spread and what the logbook says of it, and all of
// them off alike by what the book may be off. A run that fails, as often as its machine has failed with its
// material, is printed again; a look sends back as often as the studio’s looks have.
func (a *Room) Dates(ctx context.Context, s Sheet, upTo time.Duration) ([]Dated, error) {
	if len(s.what) == 0 || len(s.what) > mostLived {
		return nil, nil
	}
	return jobs.Ask(ctx, &a.answers, "lived "+s.key, upTo, func(context.Context) ([]Dated, error) { return s.lived(), nil })
}

func (s *Sheet) lived() (out []Dated) {
	future := s.problem.Futures(s.best, lives, s.vary(s.what, rand.New(rand.NewPCG(2, 3))))
	jobs := map[string]int{}
	for j, job := range s.problem.Jobs {
		jobs[job.Name] = j
	}
	for _, o := range s.Orders {
		j, ok := jobs[o.Number]
		if !ok || o.Wanted.IsZero() {
			continue
		}
		d := Dated{Order: o, Ready: s.Ready(o.ID), Chance: future.OnTime[j]}
		if end := future.Within(j, sureShare); end > 0 {
			d.Sure = s.Now.Add(time.Duration(end) * time.Second)
		}
		if k := future.Decides[j]; k >= 0 {
			d.Decides = s.told(s.what[k], o.ID)
		}
		out = append(out, d)
	}
	slices.SortFunc(out, func(a, b Dated) int {
		return cmp.Or(cmp.Compare(a.Chance, b.Chance), a.Order.Wanted.Compare(b.Order.Wanted), cmp.Compare(a.Order.Number, b.Order.Number))
	})
	return out
}

// vary is how the tasks of a plan turn out, by the die.
func (s *Sheet) vary(what []studio.PlanTask, die *rand.Rand) func(i int, sec int64) schedule.Took {
	fails, efforts := s.failures(), s.efforts(what)
	alike := 0.0
	backs := s.lookBacks(what)
	return func(i int, sec int64) schedule.Took {
		if i == 0 { // another future
			alike = die.NormFloat64()
		}
		if what[i].Doing == studio.RunOn {
			if die.Float64() < process.FailureChance(fails[what[i].Plate], float64(sec)/60) {
				return schedule.Took{S: int64(failedRuns * float64(sec))}
			}
			return schedule.Took{S: sec}
		}
		e := efforts[i]
		off := e.Common / e.Mean
		took := schedule.Took{S: int64(float64(sec) * quote.Turned(e, die.NormFloat64()) * math.Exp(off*alike-off*off/2))} // a log-normal of mean 1
		if b := backs[i]; b.chance > 0 && die.Float64() < b.chance {                                                       // sent back: it is smoothed and dries once more
			took.S += b.handsS
			took.MoreWaitS = b.waitS
		}
		return took
	}
}

// told names a task for somebody who asks about an order.
func (s *Sheet) told(t studio.PlanTask, orderID int64) string {
	text := s.titled(t)
	if t.Doing == studio.RunOn {
		m, _ := s.Shop.Machine(s.Plates[t.Plate].MachineID)
		text += " on " + m.Name
	}
	if t.OrderID != orderID {
		text += ", of " + s.Orders[t.OrderID].Title
	}
	return text
}

// lookBack is how often a look sends pieces back, and what that takes again.
type lookBack struct {
	chance        float64
	handsS, waitS int64
}

// lookBacks are those of the looks of a plan: filling, sanding and priming once more, as often as the
// logbook says of the process; of a studio without looks, never.
func (s *Sheet) lookBacks(what []studio.PlanTask) []lookBack {
	out := make([]lookBack, len(what))
	for i, t := range what {
		if t.Stage != route.Look {
			continue
		}
		out[i].chance = min(1, s.Shop.SentBack(t.Piece.Process).Value)
		again := map[route.StageKind]studio.Stage{}
		for _, x := range t.Piece.Stages {
			if x.Kind == route.Look {
				break
			}
			if studio.OneOf(x.Kind, route.Fill, route.Sand, route.Prime) {
				again[x.Kind] = x // the last of each kind
			}
		}
		for _, x := range again {
			out[i].handsS += int64(60 * x.PlannedMin * float64(max(1, t.Pieces)))
			out[i].waitS += x.WaitS
		}
	}
	return out
}

// failures are how often the runs of each plate fail, per hour.
func (s *Sheet) failures() []float64 {
	material := map[int64]int64{}
	for _, p := range s.in.Pieces {
		material[p.ID] = p.MaterialID
	}
	out := make([]float64, len(s.Plates))
	for k, pl := range s.Plates {
		if m, ok := s.Shop.Machine(pl.MachineID); ok && len(pl.Pieces) > 0 {
			of, _ := s.Shop.Material(material[pl.Pieces[0]], m.Process)
			out[k] = s.Shop.FailurePerHour(m, of).Value
		}
	}
	return out
}

// efforts are how each task may turn out; what is done at a plate, as plates do.
func (s *Sheet) efforts(what []studio.PlanTask) []finish.Effort {
	out := make([]finish.Effort, len(what))
	for i, t := range what {
		kind, processName := cmp.Or(t.Stage, route.Print), t.Piece.Process
		if t.Plate >= 0 {
			m, _ := s.Shop.Machine(s.Plates[t.Plate].MachineID)
			processName = m.Process
		}
		out[i] = finish.EffortOf(s.Shop.Book, kind, s.Shop.History.Logged[processName][kind])
	}
	return out
}
