// Package plan is dates: the plan of the whole studio, what runs when on which machine, and what
// whose hands do.
package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/plates"
	"sakuji/app/setup"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where the plan is.
type Room struct {
	change.Base
	plates  *plates.Room
	answers jobs.Answers
}

// New makes the room.
func New(base change.Base, p *plates.Room) *Room { return &Room{Base: base, plates: p} }

// Sheet is the plan.
type Sheet struct {
	Shop   studio.Shop
	Now    time.Time
	People []studio.Person
	Plates []studio.PlannedPlate
	Tasks  []Task // by their begin
	Late   []Late
	Dated  []Dated // orders with a date, the least sure first
	Orders map[int64]studio.Order
	Gap    float64 // lateness by weight that no bound explains, in hours

	in      studio.Planning
	problem *schedule.Problem
	best    schedule.Plan
}

// Task is one of the plan, where it lies.
type Task struct {
	studio.PlanTask
	MachineID, PersonID int64
	From, To            time.Time
	WaitTo              time.Time // what follows waits until then
}

// Late is an order that the plan does not have ready in time.
type Late struct {
	Order studio.Order
	Ready time.Time
	S     int64
}

// How long a plan is looked for, and for how long it stays the plan while nothing happens. Source: from
// memory.
const (
	planBudget = 400 * time.Millisecond
	planFresh  = 5 * time.Minute
)

// Plan returns the plan of the studio as it stands; it waits for it as long as upTo.
func (a *Room) Plan(ctx context.Context, upTo time.Duration) (Sheet, error) {
	last, err := a.LastChange(ctx)
	if err != nil {
		return Sheet{}, err
	}
	now := a.Clock.Now()
	return jobs.Ask(ctx, &a.answers, fmt.Sprintf("plan %d %d", last, now.Truncate(planFresh).Unix()), upTo, func(ctx context.Context) (Sheet, error) { return a.plan(ctx, now) })
}

// plan loads all of it and plans it.
func (a *Room) plan(ctx context.Context, now time.Time) (s Sheet, err error) {
	s = Sheet{Now: now, Orders: map[int64]studio.Order{}}
	foreseen, err := a.plates.Foreseen(ctx)
	if err != nil {
		return s, err
	}
	in := studio.Planning{Now: now, Orders: s.Orders}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		people, err := tx.People()
		if err != nil {
			return err
		}
		in.People = slices.DeleteFunc(people, func(p studio.Person) bool { return !p.Active })
		if in.Plates, err = a.plates.Planned(tx); err != nil {
			return err
		}
		if in.Pieces, err = tx.PiecesIn(studio.InWork()...); err != nil {
			return err
		}
		for _, p := range in.Pieces {
			if _, known := s.Orders[p.OrderID]; known {
				continue
			}
			if s.Orders[p.OrderID], err = tx.OrderByID(p.OrderID); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return s, err
	}
	in.Plates = append(in.Plates, foreseen...)
	s.People, s.Plates, s.in = in.People, in.Plates, in
	problem, what := s.Shop.Problem(in)
	search, err := schedule.NewSearch(problem, rand.New(rand.NewPCG(1, 1)))
	if err != nil {
		return s, err
	}
	for end := time.Now().Add(planBudget); time.Now().Before(end) && ctx.Err() == nil; {
		search.Step()
	}
	s.problem, s.best = problem, search.Best()
	s.take(problem, what, s.best)
	s.live(what)
	return s, nil
}

// take reads a plan of the problem.
func (s *Sheet) take(p *schedule.Problem, what []studio.PlanTask, plan schedule.Plan) {
	at := func(sec int64) time.Time { return s.Now.Add(time.Duration(sec) * time.Second) }
	machines := s.Shop.InUse()
	for i, x := range plan.At {
		t := Task{PlanTask: what[i], From: at(x.StartS), To: at(x.EndS), WaitTo: at(x.EndS + p.Tasks[i].WaitS)}
		if x.Resource < len(machines) {
			t.MachineID = machines[x.Resource].ID
		} else {
			t.PersonID = s.People[x.Resource-len(machines)].ID
		}
		for _, w := range p.Tasks[i].With {
			t.MachineID = machines[w].ID
		}
		s.Tasks = append(s.Tasks, t)
	}
	slices.SortStableFunc(s.Tasks, func(a, b Task) int { return a.From.Compare(b.From) })
	byNumber := map[string]studio.Order{}
	for _, o := range s.Orders {
		byNumber[o.Number] = o
	}
	for _, l := range p.Late(plan) {
		o := byNumber[p.Jobs[l.Job].Name]
		s.Late = append(s.Late, Late{o, o.Wanted.Add(time.Duration(l.S) * time.Second), l.S})
	}
	s.Gap = (plan.Cost.LateS - p.Bound()) / 3600
}

// Minutes is by how much it is late.
func (l Late) Minutes() float64 { return float64(l.S) / 60 }
