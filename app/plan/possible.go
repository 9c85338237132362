package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"sakuji/app/jobs"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// Possible is what might have an order ready in time: each way is planned.
type Possible struct {
	Order   studio.Order
	Planned time.Time // by the plan as it is
	Alone   time.Time // at the soonest, if nothing else were in the house
	Ways    []PossibleWay
}

// PossibleWay is one of them.
type PossibleWay struct {
	Name  string
	Ready time.Time
	InDue bool // in time
	Late  int  // orders that are late by it, this one counted
}

// tryBudget is how long a way is planned for, beyond the rules.
const tryBudget = 200 * time.Millisecond

// Possible tries them for an order of a number.
func (a *Room) Possible(ctx context.Context, number string, upTo time.Duration) (Possible, error) {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return Possible{}, err
	}
	var order studio.Order
	for _, o := range s.Orders {
		if o.Number == number {
			order = o
		}
	}
	if order.ID == 0 || len(s.People) == 0 {
		return Possible{}, store.ErrNotFound
	}
	return jobs.Ask(ctx, &a.answers, fmt.Sprintf("possible %d %d", order.ID, s.Now.UnixNano()), upTo, func(ctx context.Context) (Possible, error) { return s.possible(order) })
}

// possible plans each way.
func (s Sheet) possible(o studio.Order) (out Possible, err error) {
	out = Possible{Order: o, Planned: s.Ready(o.ID)}
	for j, end := range s.problem.Soonest() {
		if s.problem.Jobs[j].Name == o.Number {
			out.Alone = s.Now.Add(time.Duration(end) * time.Second)
		}
	}
	hours := s.Shop.Book.V("day.hours")
	longer := s.Shop
	longer.Book = longer.Book.With(map[string]float64{"day.hours": min(24, hours+2)})
	more, saturdays, first, all := s.in, s.in, s.in, s.in
	more.People = append(slices.Clone(s.in.People), studio.Person{ID: -1, Name: "one more"})
	saturdays.Saturdays = true
	first.First = o.ID
	all.People, all.Saturdays, all.First = more.People, true, o.ID
	for _, w := range []struct {
		name string
		shop studio.Shop
		in   studio.Planning
	}{
		{"this order before all others", s.Shop, first},
		{"another pair of hands", s.Shop, more},
		{fmt.Sprintf("%.0f h of work a day instead of %.0f", hours+2, hours), longer, s.in},
		{"Saturdays, too", s.Shop, saturdays},
		{"all of these", longer, all},
	} {
		way, err := try(w.name, w.shop, w.in, o)
		if err != nil {
			return out, err
		}
		out.Ways = append(out.Ways, way)
	}
	return out, nil
}

// try plans the studio in a way.
func try(name string, h studio.Shop, in studio.Planning, o studio.Order) (PossibleWay, error) {
	problem, _ := h.Problem(in)
	search, err := schedule.NewSearch(problem, rand.New(rand.NewPCG(1, 1)))
	if err != nil {
		return PossibleWay{}, err
	}
	for end := time.Now().Add(tryBudget); time.Now().Before(end); {
		search.Step()
	}
	plan := search.Best()
	way := PossibleWay{Name: name, Late: len(problem.Late(plan))}
	var end int64
	for i, x := range plan.At {
		if problem.Jobs[problem.Tasks[i].Job].Name == o.Number {
			end = max(end, x.EndS+problem.Tasks[i].WaitS)
		}
	}
	way.Ready = in.Now.Add(time.Duration(end) * time.Second)
	way.InDue = !o.Wanted.IsZero() && !way.Ready.After(o.Wanted)
	return way, nil
}
