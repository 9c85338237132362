// Package plan is dates: the plan of the whole studio, what runs when on which machine, and what
// whose hands do.
package plan

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/pieces"
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
	mu      sync.Mutex
	last    *Sheet // the plan that was made last
	made    time.Time
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
	Orders map[int64]studio.Order
	NoTime string  // what finds no time by the hours that are set; empty: all does
	Change int64   // the last thing that had happened when it was made
	Gap    float64 // lateness by weight that no bound explains, in hours

	key     string // what it was made of
	in      studio.Planning
	problem *schedule.Problem
	what    []studio.PlanTask
	best    schedule.Plan
}

// Task is one of the plan, where it lies.
type Task struct {
	studio.PlanTask
	MachineID, PersonID int64
	From, To            time.Time
	WaitTo              time.Time // what follows waits until then
	Minutes             float64   // of it, without the hours in which nobody is there
}

// Late is an order that the plan does not have ready in time.
type Late struct {
	Order studio.Order
	Ready time.Time
	S     int64
}

// How much is looked for a plan, in tasks that are laid (schedule.Search.Look), and for how long it stays the plan while nothing
// happens. Source: from memory; some 30 µs a task in a studio with 400 tasks ahead.
const (
	planLaid   = 12_000
	replanLaid = 6_000 // of everything, where people have agreed on one: somebody waits
	planFresh  = 5 * time.Minute
	worthS     = 3600 // less of lateness, by weight
	worthFlow  = 0.97 // of the time that orders are in the house
)

// Plan returns the plan of the studio as it stands; it waits for it as long as upTo.
func (a *Room) Plan(ctx context.Context, upTo time.Duration) (Sheet, error) {
	last, err := a.LastChange(ctx)
	if err != nil {
		return Sheet{}, err
	}
	now := a.Clock.Now().Truncate(time.Second)
	key := fmt.Sprintf("plan %d %d", last, now.Truncate(planFresh).Unix())
	return jobs.Ask(ctx, &a.answers, key, upTo, func(ctx context.Context) (Sheet, error) {
		s, err := a.plan(ctx, now)
		if s.key, s.Change = key, last; err == nil {
			a.mu.Lock()
			a.last, a.made = &s, time.Now()
			a.mu.Unlock()
		}
		return s, err
	})
}

// latestFor is for how long the plan that was made last will do for who cannot wait: while many stamp at once,
// it is not made again for each. Source: from memory.
const latestFor = 3 * time.Second

// Latest is the plan that was made last, for who cannot wait for a new one; while something has happened
// since, that is being made. False: there is none yet.
func (a *Room) Latest(ctx context.Context) (Sheet, bool) {
	a.mu.Lock()
	last, made := a.last, a.made
	a.mu.Unlock()
	if last != nil && time.Since(made) < latestFor {
		return *last, true
	}
	if s, err := a.Plan(ctx, 0); err == nil {
		return s, true
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.last == nil {
		return Sheet{}, false
	}
	return *a.last, true
}

// plan loads all of it and plans it.
func (a *Room) plan(ctx context.Context, now time.Time) (s Sheet, err error) {
	s = Sheet{Now: now}
	foreseen, err := a.plates.Foreseen(ctx)
	if err != nil {
		return s, err
	}
	if err = a.Store.Read(ctx, func(tx *store.Tx) error { return a.load(tx, &s) }); err != nil {
		return s, err
	}
	s.in.Plates = append(s.in.Plates, foreseen...)
	s.People, s.Plates, s.Orders = s.in.People, s.in.Plates, s.in.Orders
	var never schedule.ErrNever
	if err = s.search(ctx); errors.As(err, &never) { // hours that leave no room for something: the rest is planned all the same
		s.NoTime = never.Error()
		s.in.Loose = true
		err = s.search(ctx)
	}
	if err != nil {
		return s, err
	}
	s.take()
	if s.best.Cost.LateS > 0 {
		s.Gap = (s.best.Cost.LateS - s.afresh(nil).Bound()) / 3600
	}
	return s, nil
}

// search looks for a plan. Where people have agreed on one, and an order would be late by it, another takes its
// place if that is worth it: otherwise theirs goes on, with what is new in the gaps.
func (s *Sheet) search(ctx context.Context) error {
	look := func(in studio.Planning, laid int) (out Sheet, err error) {
		out.problem, out.what = s.Shop.Problem(in)
		search, err := schedule.NewSearch(out.problem, rand.New(rand.NewPCG(1, 1)))
		if err != nil {
			return out, err
		}
		err = search.Look(ctx, laid) // a plan that was broken off is none: it would be another each time
		out.best = search.Best()
		return out, err
	}
	kept := s.in
	kept.Keep = true
	best, err := look(kept, 0)
	agreed := err == nil && mostlySeen(best.problem)
	if err == nil && (!agreed || !s.in.Keep && best.best.Cost.LateS > 0) {
		var other Sheet
		laid := planLaid
		if agreed { // theirs is good already
			laid = replanLaid
		}
		if other, err = look(s.in, laid); err == nil && (!agreed || worthIt(other.best.Cost, best.best.Cost)) {
			best = other
		}
	}
	s.problem, s.what, s.best = best.problem, best.what, best.best
	return err
}

// afresh is the problem without what people have agreed on, and with these moves alone: what might be, not what
// is kept. Its tasks are those of the plan, in their order.
func (s Sheet) afresh(moves []studio.PlanMove) *schedule.Problem {
	in := s.in
	in.Agreed, in.Keep, in.Moves = nil, false, moves
	p, _ := s.Shop.Problem(in)
	return p
}

// mostlySeen reports whether most of what is to do was in the plan that people agreed on: theirs is old else.
func mostlySeen(p *schedule.Problem) bool {
	seen := 0
	for _, t := range p.Tasks {
		if t.Seen.EndS > 0 {
			seen++
		}
	}
	return 2*seen > len(p.Tasks)
}

// worthIt reports whether a plan is so much better that people are told to change theirs.
func worthIt(other, kept schedule.Cost) bool {
	return other.LateS < kept.LateS-worthS || other.LateS <= kept.LateS && other.FlowS < worthFlow*kept.FlowS
}

// load reads what a plan is made of, but for the plates that are foreseen.
func (a *Room) load(tx *store.Tx, s *Sheet) (err error) {
	in := studio.Planning{Now: s.Now, Orders: map[int64]studio.Order{}, Items: map[int64]studio.Item{}}
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
	if in.Models, err = tx.PieceModels(in.Pieces...); err != nil {
		return err
	}
	for _, p := range in.Pieces {
		if _, known := in.Orders[p.OrderID]; known {
			continue
		}
		if in.Orders[p.OrderID], err = tx.OrderByID(p.OrderID); err != nil {
			return err
		}
		items, err := tx.BareItems(p.OrderID)
		if err != nil {
			return err
		}
		for _, it := range items {
			in.Items[it.ID] = it
		}
	}
	if in.Away, err = tx.Absences(s.Now); err != nil {
		return err
	}
	if in.Fine, err = tx.FineDays(s.Now.In(s.Shop.Studio.Zone()).Format(time.DateOnly)); err != nil {
		return err
	}
	if in.Moves, err = tx.Moves(); err != nil {
		return err
	}
	if in.Air, err = pieces.Air(tx, s.Now); err != nil {
		return err
	}
	if in.Ready, err = pieces.Readiness(tx, s.Now, in.Pieces); err != nil {
		return err
	}
	if in.Paint, err = tx.RegionsIn(studio.Accepted); err != nil {
		return err
	}
	in.Agreed, err = tx.Agreed()
	in.Keep = s.Shop.Studio.Defaults.Keep
	s.in = in
	return err
}

// take reads a plan of the problem.
func (s *Sheet) take() {
	p, what, plan := s.problem, s.what, s.best
	at := func(sec int64) time.Time { return s.Now.Add(time.Duration(sec) * time.Second) }
	machines := s.Shop.InUse()
	for i, x := range plan.At {
		t := Task{PlanTask: what[i], From: at(x.StartS), To: at(x.EndS), WaitTo: at(x.EndS + p.Tasks[i].WaitS),
			Minutes: float64(p.Resources[x.Resource].Hours.OpenS(x.StartS, x.EndS)) / 60}
		if x.Resource < len(machines) {
			t.MachineID = machines[x.Resource].ID
		} else {
			t.PersonID = s.People[x.Resource-len(p.Resources)+len(s.People)].ID
		}
		for _, w := range p.Tasks[i].With {
			if w < len(machines) {
				t.MachineID = machines[w].ID
			}
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
}

// TooLate reports whether its occasion is over by then.
func (l Late) TooLate() bool { return !l.Order.Stale.IsZero() && l.Ready.After(l.Order.Stale) }

// Minutes is by how much it is late.
func (l Late) Minutes() float64 { return float64(l.S) / 60 }
