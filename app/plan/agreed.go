package plan

import (
	"cmp"
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// Difference is what is other than people agreed on.
type Difference struct {
	When    time.Time // when it happens now
	Title   string
	Told    string // in words
	OrderID int64  // it is about when that is ready; 0: about a task
	Worse   bool   // it is late by it, or later still
	Better  bool
}

// How much later or sooner a task begins before it is told of, and for how many days ahead tasks are told of
// one by one. Source: from memory.
const (
	toldFrom  = 45 * time.Minute
	alongFrom = 10 * time.Minute // of what moves along with a task
	toldDays  = 7
)

// Differences is how the plan differs from the one that people agreed on: when orders are ready, then what
// moves in the coming days, in order of time.
func (s Sheet) Differences() (out []Difference) {
	zone := s.Shop.Studio.Zone()
	before, then := map[string]studio.AgreedTask{}, map[int64]time.Time{}
	for _, a := range s.in.Agreed {
		before[a.Task] = a
		if a.To.After(then[a.OrderID]) {
			then[a.OrderID] = a.To
		}
	}
	if len(before) == 0 {
		return nil
	}
	for _, o := range s.Orders {
		if d, is := s.readyDiffers(o, then[o.ID]); is {
			out = append(out, d)
		}
	}
	slices.SortFunc(out, func(a, b Difference) int {
		return cmp.Or(cmp.Compare(worth(a), worth(b)), a.When.Compare(b.When), strings.Compare(a.Title, b.Title))
	})
	orders := len(out)
	told := map[string]int{}
	for _, t := range s.Tasks {
		if t.Doing == studio.RunOn && s.Plates[t.Plate].State == studio.PlateRunning {
			continue
		}
		a, known := before[t.Key]
		by := t.From.Sub(a.From).Abs()
		moved := a.PersonID != t.PersonID && t.PersonID != 0
		if !known || t.From.Sub(s.Now) > toldDays*24*time.Hour || !moved && by < toldFrom {
			continue
		}
		d := Difference{When: t.From, Title: s.titleOf(t), Told: studio.ClockText(t.From.In(zone), s.Now.In(zone)) + " instead of " + studio.ClockText(a.From.In(zone), s.Now.In(zone))}
		if moved {
			d.Told = "goes from " + s.nameOf(a.PersonID) + " to " + s.nameOf(t.PersonID) + ", " + studio.ClockText(t.From.In(zone), s.Now.In(zone))
		}
		key := d.Title + d.Told
		if _, twice := told[key]; !twice {
			told[key] = len(out)
			out = append(out, d)
		}
	}
	slices.SortStableFunc(out[orders:], func(a, b Difference) int { return a.When.Compare(b.When) })
	return out
}

func worth(d Difference) int {
	switch {
	case d.Worse:
		return 0
	case d.Better:
		return 2
	}
	return 1
}

// readyDiffers says how an order is ready otherwise than at a time.
func (s Sheet) readyDiffers(o studio.Order, then time.Time) (d Difference, is bool) {
	ready := s.end(o.ID)
	if then.IsZero() && !ready.IsZero() {
		return Difference{When: ready, Title: o.Title, OrderID: o.ID, Told: "is new, ready " + s.day(ready), Worse: late(o, ready)}, true
	}
	if ready.IsZero() || s.day(then) == s.day(ready) && late(o, then) == late(o, ready) {
		return d, false
	}
	d = Difference{When: ready, Title: o.Title, OrderID: o.ID, Told: "ready " + s.day(ready) + " instead of " + s.day(then), Better: ready.Before(then)}
	switch {
	case late(o, ready):
		d.Told, d.Worse = d.Told+", after it is wanted", !d.Better
	case late(o, then):
		d.Told += ", in time again"
	case !o.Wanted.IsZero():
		d.Told += ", still in time"
	}
	return d, true
}

func late(o studio.Order, ready time.Time) bool { return !o.Wanted.IsZero() && ready.After(o.Wanted) }

func (s Sheet) day(t time.Time) string { return t.In(s.Shop.Studio.Zone()).Format("Mon 2 Jan") }

// end is when the last task of an order is over.
func (s Sheet) end(orderID int64) (at time.Time) {
	for _, t := range s.Tasks {
		if t.OrderID == orderID && t.To.After(at) {
			at = t.To
		}
	}
	return at
}

func (s Sheet) nameOf(personID int64) string { return s.nameOr(personID, "nobody") }

func (s Sheet) nameOr(personID int64, otherwise string) string {
	if p, ok := s.person(personID); ok {
		return p.Name
	}
	return otherwise
}

// titleOf names a task.
func (s Sheet) titleOf(t Task) string {
	if t.Plate < 0 {
		return t.Piece.Name + ": " + t.Doing
	}
	x := s.atPlate(t, Session{})
	return x.Title
}

// AgreedOn is when people agreed on a plan last; zero: never.
func (s Sheet) AgreedOn() time.Time { return s.Shop.Studio.Defaults.Agreed }

// Kept reports whether the agreed plan is kept as it is.
func (s Sheet) Kept() bool { return s.in.Keep }

// Agree makes the plan as it stands the one that people have agreed on.
func (a *Room) Agree(ctx context.Context, who change.Actor, upTo time.Duration) error {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return err
	}
	differences := len(s.Differences())
	return a.Do(ctx, who, func(d change.Change) error {
		list := s.asAgreed()
		if err := d.SaveAgreed(list); err != nil {
			return err
		}
		st, err := d.Studio()
		if err != nil {
			return err
		}
		st.Defaults.Agreed = d.Now
		if err := d.SaveStudio(st); err != nil {
			return err
		}
		return d.Note("plan agreed", change.About{}, "%s, %s", studio.Say(len(list), "task"), studio.Say(differences, "change"))
	})
}

// asAgreed is the plan as people agree on it, each task once.
func (s Sheet) asAgreed() (out []studio.AgreedTask) {
	known := map[string]bool{}
	for _, t := range s.Tasks {
		if !known[t.Key] {
			known[t.Key] = true
			out = append(out, studio.AgreedTask{Task: t.Key, PersonID: t.PersonID, MachineID: t.MachineID, OrderID: t.OrderID, Title: s.titleOf(t), From: t.From, To: t.To})
		}
	}
	return out
}

// Keep has people keep the order and the hands of the plan that they agreed on, so that only what cannot be
// is other; or no longer.
func (a *Room) Keep(ctx context.Context, who change.Actor, keep bool) error {
	return a.Do(ctx, who, func(d change.Change) error {
		list, err := d.Agreed()
		if err != nil {
			return err
		}
		if len(list) == 0 {
			return change.Refuse("Nobody has agreed on a plan yet, so there is none to keep.")
		}
		st, err := d.Studio()
		if err != nil {
			return err
		}
		st.Defaults.Keep = keep
		if err := d.SaveStudio(st); err != nil {
			return err
		}
		told := "as it was agreed on"
		if !keep {
			told = "no longer: it may change for a better one"
		}
		return d.Note("plan kept", change.About{}, "%s", told)
	})
}

// Move is where tasks are to go: one after the other, from a moment on.
type Move struct {
	Keys     []string
	PersonID int64 // 0: whoever
	At       time.Time
}

// Trial is what a move would come to.
type Trial struct {
	Title    string
	Who      string
	From, To time.Time // where it would lie
	Wanted   time.Time // from when it was put
	Others   int       // tasks that move along
	Orders   []Difference
}

// Held reports whether it cannot lie where it was put: what it waits for, or the hands, are not there yet.
func (t Trial) Held() bool { return t.From.Sub(t.Wanted) >= time.Minute }

// Try plans the studio with a move, everything else in the order in which it is; nothing is changed by it.
func (a *Room) Try(ctx context.Context, m Move, upTo time.Duration) (out Trial, err error) {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return out, err
	}
	first, err := s.movable(m)
	if err != nil {
		return out, err
	}
	in := s.in
	in.Agreed, in.Keep = s.asAgreed(), true
	in.Moves = slices.Clone(in.Moves)
	for _, key := range m.Keys {
		in.Moves = append(in.Moves, studio.PlanMove{Task: key, PersonID: m.PersonID, At: m.At})
	}
	then := s
	then.in, then.Tasks, then.Late = in, nil, nil
	then.problem, then.what = s.Shop.Problem(in)
	search, err := schedule.NewSearch(then.problem, rand.New(rand.NewPCG(1, 1)))
	if err != nil {
		return out, change.Refuse("It cannot go there: %v.", err)
	}
	then.best = search.Best()
	then.take()
	return s.trial(then, m, first), nil
}

// movable finds the first task of a move, and refuses what cannot be moved.
func (s Sheet) movable(m Move) (first Task, err error) {
	for _, t := range s.Tasks {
		if len(m.Keys) == 0 || t.Key != m.Keys[0] {
			continue
		}
		p, known := s.person(m.PersonID)
		switch {
		case t.Doing == studio.RunOn:
			return t, change.Refuse("A run goes by itself: move when it is started.")
		case m.PersonID != 0 && !known:
			return t, change.Refuse("Nobody of that name works here now.")
		case m.PersonID != 0 && t.Stage != "" && !p.Does(t.Stage.Traits().Craft):
			return t, change.Refuse("%s does not do that: %s.", p.Name, t.Stage.Traits().Craft.Name())
		}
		return t, nil
	}
	return first, change.Refuse("That is not in the plan any more; it may be done.")
}

func (s Sheet) person(id int64) (studio.Person, bool) {
	for _, p := range s.People {
		if p.ID == id {
			return p, true
		}
	}
	return studio.Person{}, false
}

// trial compares a plan with one after a move.
func (s Sheet) trial(then Sheet, m Move, first Task) (out Trial) {
	out = Trial{Title: s.titleOf(first), Wanted: m.At}
	if out.Wanted.Before(s.Now) {
		out.Wanted = s.Now
	}
	before := map[string]Task{}
	for _, t := range s.Tasks {
		before[t.Key] = t
	}
	for _, t := range then.Tasks {
		b := before[t.Key]
		switch {
		case t.Key == m.Keys[0]:
			out.From, out.To, out.Who = t.From, t.To, s.nameOf(t.PersonID)
		case slices.Contains(m.Keys, t.Key):
			out.To = t.To
		case t.From.Sub(b.From).Abs() >= alongFrom || b.PersonID != t.PersonID:
			out.Others++
		}
	}
	for _, o := range s.Orders {
		if d, is := then.readyDiffers(o, s.end(o.ID)); is {
			out.Orders = append(out.Orders, d)
		}
	}
	slices.SortFunc(out.Orders, func(a, b Difference) int {
		return cmp.Or(cmp.Compare(worth(a), worth(b)), strings.Compare(a.Title, b.Title))
	})
	return out
}

// Move moves tasks by hand: they stay there until they are let go. Their place is taken first, then the
// plan is made again around them.
func (a *Room) Move(ctx context.Context, who change.Actor, m Move, upTo time.Duration) error {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return err
	}
	first, err := s.movable(m)
	if err != nil {
		return err
	}
	zone := s.Shop.Studio.Zone()
	return a.moves(ctx, who, m, "task moved", fmt.Sprintf("%s: %s, from %s", s.titleOf(first), s.nameOr(m.PersonID, "whoever"), m.At.In(zone).Format("Mon 2 Jan 15:04")))
}

// Lock has tasks stay where the plan has them.
func (a *Room) Lock(ctx context.Context, who change.Actor, keys []string, upTo time.Duration) error {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return err
	}
	t, err := s.movable(Move{Keys: keys})
	if err != nil {
		return err
	}
	return a.moves(ctx, who, Move{keys, t.PersonID, t.From}, "task locked", s.titleOf(t))
}

// Free lets tasks go again.
func (a *Room) Free(ctx context.Context, who change.Actor, keys []string) error {
	return a.moves(ctx, who, Move{Keys: keys}, "task let go", strings.Join(keys, ", "))
}

func (a *Room) moves(ctx context.Context, who change.Actor, m Move, what, told string) error {
	return a.Do(ctx, who, func(d change.Change) error {
		for _, key := range m.Keys {
			if err := d.AddMove(&studio.PlanMove{Task: key, PersonID: m.PersonID, At: m.At, ByID: d.Who.ID, Set: d.Now}); err != nil {
				return err
			}
		}
		return d.Note(what, change.About{}, "%s", told)
	})
}

// Undo takes the last move back: tasks that were moved together go back together.
func (a *Room) Undo(ctx context.Context, who change.Actor) error {
	return a.Do(ctx, who, func(d change.Change) error {
		last, err := d.LastMove()
		if change.NotFound(err) {
			return change.Refuse("Nothing was moved that could be taken back.")
		}
		for m := last; err == nil && m.Set.Equal(last.Set) && m.ByID == last.ByID; m, err = d.LastMove() {
			if err := d.UndoMove(m.ID); err != nil {
				return err
			}
		}
		if err != nil && !change.NotFound(err) {
			return err
		}
		return d.Note("move undone", change.About{}, "%s", last.Task)
	})
}

// Moved reports whether anything was moved that an undo would take back.
func (s Sheet) Moved() bool { return len(s.in.Moves) > 0 }

// Away are the absences that the plan minds.
func (s Sheet) Away() []studio.Absence { return s.in.Away }

// TaskOf finds a task of the plan by its key.
func (s Sheet) TaskOf(key string) (Task, error) {
	for _, t := range s.Tasks {
		if t.Key == key {
			return t, nil
		}
	}
	return Task{}, store.ErrNotFound
}

// Faults is what an independent look finds wrong with the plan; nothing, always.
func (s Sheet) Faults() []string {
	if s.problem == nil {
		return nil
	}
	return schedule.Faults(s.problem, s.best)
}

// Title names a task of the plan.
func (s Sheet) Title(t Task) string { return s.titleOf(t) }
