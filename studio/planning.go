package studio

import (
	"fmt"
	"slices"
	"time"

	"sakuji/core/route"
	"sakuji/core/schedule"
)

// Planning is all that a plan of the studio is made of.
type Planning struct {
	Now    time.Time
	Orders map[int64]Order // that were accepted, by id
	Pieces []Piece         // in work, with their stages
	Plates []PlannedPlate  // in the order in which they run on their machines
	People []Person        // who work

	Saturdays bool  // they work on Saturdays, too
	First     int64 // an order that goes before all others; 0: none
}

// PlannedPlate is a plate that runs, stands full, is laid, or is foreseen.
type PlannedPlate struct {
	Number    int // 0: nobody has laid it yet
	MachineID int64
	State     PlateState
	Minutes   float64 // of the run; of one that is on, what is left of it
	Pieces    []int64
}

// PlanTask says what a task of the plan is.
type PlanTask struct {
	Doing   string // SetUp, RunOn, EmptyIt, or the name of a stage
	Stage   route.StageKind
	Plate   int   // index into the planning's plates; −1: of none
	Piece   Piece // the first of those that are handled in one go
	Pieces  int
	OrderID int64
}

// What is done beside the stages of pieces.
const (
	SetUp   = "set up"
	RunOn   = "run"
	EmptyIt = "empty"
)

// pausedMin is from how many minutes on a task of hands may pause over night. Source: from memory.
const pausedMin = 45

// firstWeight is what lateness of an order weighs that goes before all others.
const firstWeight = 1000

// planDays is for how many days ahead people's hours are worked out.
const planDays = 1500

// planner builds a problem.
type planner struct {
	Planning
	h        Shop
	p        *schedule.Problem
	tasks    []PlanTask
	machines map[int64]int
	hands    []int
	jobs     map[int64]int
	last     map[int64]int // task that a piece waits for: of its plate, then its own last
	first    map[int64]int
}

// Problem is the plan as a problem of tasks on machines and hands, and what each task is. A machine is
// busy while somebody sets a plate up and empties it; its plates follow one another; pieces go on when
// their plate is empty and their waits are over, what is made of others when those are done.
func (h Shop) Problem(in Planning) (*schedule.Problem, []PlanTask) {
	b := &planner{Planning: in, h: h, p: &schedule.Problem{Goal: schedule.Lateness}, machines: map[int64]int{}, jobs: map[int64]int{}, last: map[int64]int{}, first: map[int64]int{}}
	b.resources()
	if len(b.hands) == 0 {
		return b.p, nil
	}
	b.plates()
	for _, list := range b.batches() {
		b.batch(list)
	}
	b.made()
	return b.p, b.tasks
}

// InUse are the machines that are not put away; a plan's first resources are these.
func (h Shop) InUse() []Machine {
	return slices.DeleteFunc(slices.Clone(h.Machines), func(m Machine) bool { return !m.Active })
}

// resources are the machines in use, and the people.
func (b *planner) resources() {
	for _, m := range b.h.InUse() {
		b.machines[m.ID] = len(b.p.Resources)
		b.p.Resources = append(b.p.Resources, schedule.Resource{Name: m.Name})
	}
	from := int(b.h.Hours().From.Minutes())
	var week schedule.Week
	last := time.Friday
	if b.Saturdays {
		last = time.Saturday
	}
	for d := time.Monday; d <= last; d++ {
		week[d] = []schedule.MinuteSpan{{FromMin: from, ToMin: from + int(60*b.h.Book.V("day.hours"))}}
	}
	hours := schedule.CalendarOf(week, b.Now.In(b.h.Studio.Zone()), planDays, nil)
	for _, p := range b.People {
		b.hands = append(b.hands, len(b.p.Resources))
		b.p.Resources = append(b.p.Resources, schedule.Resource{Name: p.Name, Hours: hours})
	}
}

// job is that of an order.
func (b *planner) job(orderID int64) int {
	j, known := b.jobs[orderID]
	if !known {
		j = len(b.p.Jobs)
		b.jobs[orderID] = j
		o := b.Orders[orderID]
		job := schedule.Job{Name: o.Number}
		if !o.Wanted.IsZero() {
			job.DueS = max(1, int64(o.Wanted.Sub(b.Now).Seconds()))
		}
		if orderID == b.First {
			job.Weight = firstWeight
		}
		b.p.Jobs = append(b.p.Jobs, job)
	}
	return j
}

func (b *planner) add(t schedule.Task, what PlanTask) int {
	t.Job, t.Name = b.job(what.OrderID), fmt.Sprintf("%d %s", len(b.tasks), what.Doing)
	b.p.Tasks, b.tasks = append(b.p.Tasks, t), append(b.tasks, what)
	return len(b.tasks) - 1
}

// anybody is so many minutes of whoever is free.
func (b *planner) anybody(minutes float64) (out []schedule.Mode) {
	for _, r := range b.hands {
		out = append(out, schedule.Mode{Resource: r, S: max(30, int64(60*minutes))})
	}
	return out
}

// plates adds the runs, each after the one before it on its machine.
func (b *planner) plates() {
	byID := map[int64]Piece{}
	for _, p := range b.Pieces {
		byID[p.ID] = p
	}
	before := map[int]int{} // on a machine: the task that empties it
	for k, pl := range b.Plates {
		r, is := b.machines[pl.MachineID]
		if !is || len(pl.Pieces) == 0 {
			continue
		}
		what := PlanTask{Plate: k, OrderID: b.soonest(pl, byID)}
		var after []int
		if t, ok := before[r]; ok {
			after = []int{t}
		}
		add := func(doing string, t schedule.Task) {
			t.After, what.Doing = after, doing
			after = []int{b.add(t, what)}
		}
		switch pl.State {
		case PlateRunning:
			add(RunOn, schedule.Task{On: []schedule.Mode{{Resource: r, S: int64(60 * pl.Minutes)}}, Fixed: &schedule.Placed{Resource: r, EndS: int64(60 * pl.Minutes)}})
		case PlateFinished:
		default:
			add(SetUp, schedule.Task{On: b.anybody(b.h.Book.V("plate.setup")), With: []int{r}})
			add(RunOn, schedule.Task{On: []schedule.Mode{{Resource: r, S: int64(60 * pl.Minutes)}}})
		}
		add(EmptyIt, schedule.Task{On: b.anybody(b.h.Book.V("plate.empty") + b.h.Book.V("plate.piece")*float64(len(pl.Pieces))), With: []int{r}})
		before[r] = after[0]
		for _, id := range pl.Pieces {
			b.last[id] = after[0]
		}
	}
}

// soonest is the order of a plate's pieces that is wanted first.
func (b *planner) soonest(pl PlannedPlate, byID map[int64]Piece) (orderID int64) {
	for _, id := range pl.Pieces {
		o := b.Orders[byID[id].OrderID]
		if at := b.Orders[orderID]; orderID == 0 || !o.Wanted.IsZero() && (at.Wanted.IsZero() || o.Wanted.Before(at.Wanted)) {
			orderID = byID[id].OrderID
		}
	}
	return orderID
}

// batches are the pieces of an item that are as far as each other and come off one plate, as many as are
// handled in one go; in the order of the pieces.
func (b *planner) batches() (out [][]Piece) {
	most := max(1, int(b.h.Book.V("batch.pieces")))
	open := map[string]int{}
	for _, p := range b.Pieces {
		if p.Kind == KindSpare { // nobody waits for it
			continue
		}
		key := fmt.Sprint(p.ItemID, p.PartID, p.Kind, p.State, b.plateOf(p), p.Strip().Until().Truncate(time.Hour).Unix())
		for _, s := range b.todo(p) {
			key += " " + string(s.Kind)
		}
		if k, ok := open[key]; ok && len(out[k]) < most {
			out[k] = append(out[k], p)
			continue
		}
		open[key] = len(out)
		out = append(out, []Piece{p})
	}
	return out
}

// plateOf is the task that a piece's plate is emptied in; −1: it lies on none.
func (b *planner) plateOf(p Piece) int {
	if k, ok := b.last[p.ID]; ok {
		return k
	}
	return -1
}

// todo are the stages that hands have before them.
func (b *planner) todo(p Piece) (out []Stage) {
	strip := p.Strip()
	for k := min(strip.Now(), len(strip)); k < len(p.Stages); k++ {
		if s := p.Stages[k]; s.Mark == route.Todo && s.Kind != route.Print {
			out = append(out, s)
		}
	}
	return out
}

// batch adds the stages that pieces have before them, each done on all of them in one go.
func (b *planner) batch(list []Piece) {
	p := list[0]
	var from int64
	for _, p := range list {
		if until := p.Strip().Until(); until.After(b.Now) {
			from = max(from, int64(until.Sub(b.Now).Seconds()))
		}
	}
	after, has := b.last[p.ID]
	for k, s := range b.todo(p) {
		minutes := 0.0
		for _, o := range list {
			minutes += b.todo(o)[k].PlannedMin
		}
		t := schedule.Task{On: b.anybody(minutes), WaitS: int64(s.WaitS), Split: minutes >= pausedMin, FromS: from}
		if has {
			t.After = []int{after}
		}
		after, has, from = b.add(t, PlanTask{Doing: s.Kind.Manner().Name, Stage: s.Kind, Plate: -1, Piece: p, Pieces: len(list), OrderID: p.OrderID}), true, 0
		for _, o := range list {
			if k == 0 {
				b.first[o.ID] = after
			}
			b.last[o.ID] = after
		}
	}
}

// made lets what is made of others follow on them.
func (b *planner) made() {
	first := func(id, after int64) {
		k, ok := b.first[id]
		last, does := b.last[after]
		if ok && does && !slices.Contains(b.p.Tasks[k].After, last) {
			b.p.Tasks[k].After = append(b.p.Tasks[k].After, last)
		}
	}
	for _, p := range b.Pieces {
		if p.Kind == KindSpare {
			continue
		}
		if p.ParentID != 0 {
			first(p.ParentID, p.ID)
		}
		if p.FromID != 0 {
			first(p.ID, p.FromID)
		}
	}
}
