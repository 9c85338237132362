package studio

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/core/finish"
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
	Items  map[int64]Item  // of the pieces, by id
	Models map[int64]Model // of each piece, by its id: what is too big for the booth is sprayed outside
	Away   []Absence
	Fine   []FineDay           // what somebody says of the weather
	Moves  []PlanMove          // tasks that were moved by hand
	Agreed []AgreedTask        // the plan that people agreed on
	Paint  []Region            // the paint plans of the items
	Air    finish.Air          // that pieces dry in; without a book: the rate book’s room
	Ready  map[int64]Readiness // of the pieces, by id; of one that is not in it its strip tells
	Keep   bool                // its order and its people stay, not only in the days that are near

	Loose     bool  // hours of machines, of the day outside, and of sanding do not count: else something would find no time at all
	Saturdays bool  // they work on Saturdays, too
	First     int64 // an order that goes before all others; 0: none
	Last      int64 // an order that goes after all others; 0: none
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
	All     []int64 // those pieces
	OrderID int64
	Key     string // names it from one plan to the next
	Station string // that it takes up; empty: none
	StayS   int64  // for which the station stays taken after it
	Moved   bool   // by hand
}

// What is done beside the stages of pieces.
const (
	SetUp   = "set up"
	RunOn   = "run"
	EmptyIt = "empty"
)

// From how many minutes on a task of hands may pause over night, how long a stretch of sanding is at the
// most, and after what time a coat is dry enough for dust. Source: from memory.
const (
	pausedMin   = 45.0
	stretchMin  = 120.0
	outsideMin  = 300.0 // what takes longer is not finished outside in a day
	dustFreeMin = 15
)

// What lateness of an order weighs that goes before all others, and after them.
const (
	firstWeight = 1000
	lastWeight  = 0.001
)

// planDays is for how many days ahead people's hours are worked out.
const planDays = 1500

// planner builds a problem.
type planner struct {
	Planning
	h        Shop
	p        *schedule.Problem
	tasks    []PlanTask
	machines map[int64]int
	stations map[string]int
	hands    []int
	shortMin float64 // the shortest day of hands
	line     int     // the drying line
	mixes    map[string]int
	paint    map[int64][]Region // by item
	together map[string]int     // how many pieces share a set-up, by what they share it by
	agreed   map[string]AgreedTask
	moved    map[string]PlanMove
	jobs     map[int64]int
	ahead    map[int64][]Stage // of each piece: what hands have before them
	last     map[int64]int     // task that a piece waits for: of its plate, then its own last
	first    map[int64]int
}

// Problem is the plan as a problem of tasks on machines and hands, and what each task is. A machine is
// busy while somebody sets a plate up and empties it; its plates follow one another; pieces go on when
// their plate is empty and their waits are over, what is made of others when those are done.
func (h Shop) Problem(in Planning) (*schedule.Problem, []PlanTask) {
	b := &planner{Planning: in, h: h, p: &schedule.Problem{Goal: schedule.Lateness}, machines: map[int64]int{}, stations: map[string]int{}, jobs: map[int64]int{}, last: map[int64]int{}, first: map[int64]int{},
		mixes: map[string]int{}, together: map[string]int{}, ahead: map[int64][]Stage{}, agreed: map[string]AgreedTask{}, moved: map[string]PlanMove{}}
	for _, a := range in.Agreed {
		b.agreed[a.Task] = a
	}
	for _, m := range in.Moves {
		if !m.Lets() {
			b.moved[m.Task] = m
		}
	}
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

// resources are the machines in use, the stations, and the people.
func (b *planner) resources() {
	local := b.Now.In(b.h.Studio.Zone())
	y, m, d := local.Date()
	b.p.DayFromS = int64(local.Sub(time.Date(y, m, d, 0, 0, 0, 0, local.Location())).Seconds())
	for _, m := range b.h.InUse() {
		b.machines[m.ID] = len(b.p.Resources)
		b.p.Resources = append(b.p.Resources, schedule.Resource{Name: m.Name, Hours: b.machineHours(m, local), Idle: true})
	}
	for _, s := range Stations() {
		b.stations[s.Name] = len(b.p.Resources)
		b.p.Resources = append(b.p.Resources, schedule.Resource{Name: s.Name})
	}
	b.stations[route.Outside] = len(b.p.Resources)
	b.p.Resources = append(b.p.Resources, schedule.Resource{Name: route.Outside, Hours: b.outdoors(local)})
	b.line = len(b.p.Resources)
	b.p.Resources = append(b.p.Resources, schedule.Resource{Name: "drying line", Places: int(b.h.Book.V("line.places"))})
	b.shortMin = pausedMin
	for _, p := range b.People {
		week := b.h.Week(p, b.Saturdays)
		for _, spans := range week {
			for _, s := range spans {
				b.shortMin = min(b.shortMin, float64(s.ToMin-s.FromMin))
			}
		}
		hours := schedule.CalendarOf(week, local, planDays, nil)
		for _, a := range b.Away {
			if a.Of(p.ID, 0) {
				hours = hours.Without(b.span(a.From, a.To))
			}
		}
		b.hands = append(b.hands, len(b.p.Resources))
		b.p.Resources = append(b.p.Resources, schedule.Resource{Name: p.Name, Hours: hours, TiresS: int64(3600 * b.h.Book.V("sand.day"))})
	}
}

// machineHours is when a machine may run: not while it is away, nor in its quiet hours, unless a plate of it
// takes longer than it may run at a stretch. nil: always.
func (b *planner) machineHours(m Machine, local time.Time) (hours *schedule.Calendar) {
	longest := 0.0
	for _, pl := range b.Plates {
		if pl.MachineID == m.ID && pl.State == PlateLaid {
			longest = max(longest, pl.Minutes)
		}
	}
	if b.Loose {
		return nil
	}
	if m.Quiet() != "" && longest <= m.LoudMin() {
		var week schedule.Week
		for d := range week {
			week[d] = []schedule.MinuteSpan{{FromMin: m.QuietToMin, ToMin: m.QuietFromMin}}
		}
		hours = schedule.CalendarOf(week, local, planDays, nil)
	}
	for _, a := range b.Away {
		if a.MachineID != m.ID {
			continue
		}
		if hours == nil {
			hours = schedule.Ever(planDays)
		}
		hours = hours.Without(b.span(a.From, a.To))
	}
	return hours
}

// outdoors is when it may be sprayed outside: as somebody says of a day, else by the rate book.
func (b *planner) outdoors(local time.Time) *schedule.Calendar {
	told := map[string]FineDay{}
	for _, f := range b.Fine {
		told[f.Day] = f
	}
	usual := schedule.MinuteSpan{FromMin: int(60 * b.h.Book.V("outside.from")), ToMin: int(60 * b.h.Book.V("outside.to"))}
	if b.Loose {
		return nil
	}
	out := &schedule.Calendar{}
	y, m, d := local.Date()
	for k := range planDays {
		day := time.Date(y, m, d+k, 0, 0, 0, 0, local.Location())
		span := usual
		if f, ok := told[day.Format(time.DateOnly)]; ok {
			span = schedule.MinuteSpan{FromMin: f.FromMin, ToMin: f.ToMin}
		}
		at := func(min int) time.Time { return time.Date(y, m, d+k, 0, min, 0, 0, local.Location()) }
		if s := b.span(at(span.FromMin), at(span.ToMin)); s.ToS > s.FromS {
			out.Open = append(out.Open, s)
		}
	}
	return out
}

func (b *planner) span(from, to time.Time) schedule.Span {
	return schedule.Span{FromS: max(0, int64(from.Sub(b.Now).Seconds())), ToS: max(0, int64(to.Sub(b.Now).Seconds()))}
}

// job is that of an order.
func (b *planner) job(orderID int64) int {
	j, known := b.jobs[orderID]
	if !known {
		j = len(b.p.Jobs)
		b.jobs[orderID] = j
		o := b.Orders[orderID]
		job := schedule.Job{Name: o.Number, Weight: o.Weight}
		if !o.Wanted.IsZero() {
			job.DueS = max(1, int64(o.Wanted.Sub(b.Now).Seconds()))
		}
		if !o.Stale.IsZero() {
			job.StaleS = max(1, int64(o.Stale.Sub(b.Now).Seconds()))
		}
		switch orderID {
		case b.First:
			job.Weight, job.DueS = firstWeight, 1
		case b.Last:
			job.Weight = lastWeight
		}
		b.p.Jobs = append(b.p.Jobs, job)
	}
	return j
}

// add adds a task under its key.
func (b *planner) add(t schedule.Task, what PlanTask) int {
	t.Job, t.Name = b.job(what.OrderID), fmt.Sprintf("%d %s", len(b.tasks), what.Doing)
	if hands := what.Doing != RunOn; b.Loose && hands {
		t.Split, t.Tires = true, false
	}
	b.agree(&t, &what)
	b.p.Tasks, b.tasks = append(b.p.Tasks, t), append(b.tasks, what)
	return len(b.tasks) - 1
}

// whoDoes is so many minutes of whoever does that and is free; of anybody, where nobody does. Who has not
// done it as often as the others takes longer.
func (b *planner) whoDoes(kind route.StageKind, minutes float64, pieces int) (out []schedule.Mode) {
	able := func(p Person) bool { return p.Does(kind.Traits().Craft) }
	some := slices.ContainsFunc(b.People, able)
	first := make([]float64, len(b.People))
	least := math.Inf(1)
	for k, p := range b.People {
		if able(p) || !some {
			first[k] = finish.FirstTime(b.h.Book, b.h.History.Practice[p.ID][kind], float64(pieces))
			least = min(least, first[k])
		}
	}
	for k, r := range b.hands {
		if first[k] > 0 {
			out = append(out, schedule.Mode{Resource: r, S: max(30, int64(60*minutes*first[k]/least))})
		}
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
	material := map[int]int64{}
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
			t.Split = doing != RunOn && t.On[0].S >= int64(60*b.shortMin)
			t.After, what.Doing = after, doing
			what.Key = b.keyOf(what, 0, 0)
			after = []int{b.add(t, what)}
		}
		switch pl.State {
		case PlateRunning:
			add(RunOn, schedule.Task{On: []schedule.Mode{{Resource: r, S: int64(60 * pl.Minutes)}}, Fixed: &schedule.Placed{Resource: r, EndS: int64(60 * pl.Minutes)}})
			material[r] = b.materialOf(pl, byID)
		case PlateFinished:
			material[r] = b.materialOf(pl, byID)
		default:
			of := b.materialOf(pl, byID)
			in, known := material[r]
			material[r] = of
			add(SetUp, schedule.Task{On: b.whoDoes(route.Print, b.h.LayMin(known && in != of), 1), With: []int{r}})
			add(RunOn, schedule.Task{On: []schedule.Mode{{Resource: r, S: int64(60 * pl.Minutes)}}})
		}
		add(EmptyIt, schedule.Task{On: b.whoDoes(route.Print, b.h.EmptyMin(len(pl.Pieces)), len(pl.Pieces)), With: []int{r}})
		before[r] = after[0]
		for _, id := range pl.Pieces {
			b.last[id] = after[0]
		}
	}
}

// materialOf is what a plate is printed in.
func (b *planner) materialOf(pl PlannedPlate, byID map[int64]Piece) int64 {
	return byID[pl.Pieces[0]].MaterialID
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
		var text strings.Builder
		fmt.Fprint(&text, p.ItemID, p.PartID, p.Kind, p.State, b.plateOf(p), p.Strip().Until().Truncate(time.Hour).Unix())
		for _, s := range b.todo(p) {
			text.WriteByte(' ')
			text.WriteString(string(s.Kind))
		}
		key := text.String()
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
	if known, ok := b.ahead[p.ID]; ok {
		return known
	}
	defer func() { b.ahead[p.ID] = out }()
	strip := p.Strip()
	for k := min(strip.Now(), len(strip)); k < len(p.Stages); k++ {
		if s := p.Stages[k]; s.Mark == route.Todo && s.Kind != route.Print {
			out = append(out, s)
		}
	}
	return out
}

// batch adds the stages that pieces have before them, each done on all of them in one go; sanding in
// stretches that a person can bear.
func (b *planner) batch(list []Piece) {
	p := list[0]
	var from int64
	for _, p := range list {
		if until := b.waits(p); until.After(b.Now) {
			from = max(from, int64(until.Sub(b.Now).Seconds()))
		}
	}
	after, has := b.last[p.ID]
	todo := b.todo(p)
	if last := p.Last(); last != nil && len(todo) > 0 && todo[0].Kind == route.Mask && !last.Done.IsZero() {
		from = max(from, int64(last.Done.Sub(b.Now).Seconds())+b.safeS(*last, p))
	}
	for k, s := range todo {
		minutes := 0.0
		for _, o := range list {
			minutes += b.todo(o)[k].PlannedMin
		}
		if wait := b.outside(s.Kind); wait > 0 && k == 0 { // it is not ours to hurry; it was asked for when the stage before was done
			asked := b.Now
			if last := p.Last(); last != nil && !last.Done.IsZero() {
				asked = last.Done
			}
			from = max(from, int64(asked.Sub(b.Now).Seconds())+wait)
		}
		var next route.StageKind
		if k+1 < len(todo) {
			next = todo[k+1].Kind
		}
		parts := 1
		if s.Kind == route.Sand {
			parts = int(max(1, math.Ceil(minutes/b.stretch())))
		}
		for part := range parts {
			what := PlanTask{Doing: s.Kind.Traits().Name, Stage: s.Kind, Plate: -1, Piece: p, Pieces: len(list), All: idsOf(list),
				OrderID: p.OrderID}
			what.Key = b.keyOf(what, s.Position, part)
			t := b.stage(s, next, minutes/float64(parts), len(list), &what)
			if t.FromS = from; has {
				t.After = []int{after}
				if wait := b.outside(s.Kind); wait > 0 && k > 0 {
					b.p.Tasks[after].WaitS = max(b.p.Tasks[after].WaitS, wait)
				}
			}
			if part+1 < parts {
				t.WaitS = 0
			}
			after, has, from = b.add(t, what), true, 0
			if k == 0 && part == 0 {
				for _, o := range list {
					b.first[o.ID] = after
				}
			}
		}
		for _, o := range list {
			b.last[o.ID] = after
		}
	}
}

// waits is until when what is next of a piece waits.
func (b *planner) waits(p Piece) time.Time {
	if wait := b.Ready[p.ID].Wait; wait != nil {
		return wait.Until
	}
	return p.Strip().Until()
}

func idsOf(list []Piece) (out []int64) {
	for _, p := range list {
		out = append(out, p.ID)
	}
	return out
}

// today is the wait after a stage in the air of the day, where it is the next one of its piece: what comes later dries in
// air that nobody knows yet.
func (b *planner) today(waitS int64, s Stage, p Piece) int64 {
	now := p.Now()
	if now == nil || now.Position != s.Position || len(b.Air.Readings) == 0 || mediumOf(s, b.Items[p.ItemID].Paints) == "" {
		return waitS
	}
	return int64(float64(waitS) * b.Air.Slows(b.Now))
}

// safeS is after how many seconds tape is safe on what a stage lays, in the book's room.
func (b *planner) safeS(s Stage, p Piece) int64 {
	clock := finish.ClockOf(b.h.Book, mediumOf(s, b.Items[p.ItemID].Paints))
	return int64(float64(clock.HandleS) * finish.Slower(b.h.Book.V("room")))
}

// stretch is how many minutes somebody sands at a stretch.
func (b *planner) stretch() float64 {
	least := min(stretchMin, 60*b.h.Book.V("sand.day"))
	for _, p := range b.People {
		for _, spans := range b.h.Week(p, false) {
			for _, s := range spans {
				least = min(least, float64(s.ToMin-s.FromMin))
			}
		}
	}
	return least
}

// outside is for how many seconds a stage is waited for that others have in hand: the client’s answer, goods.
func (b *planner) outside(kind route.StageKind) int64 {
	if answer := kind.Traits().Answer; answer != "" {
		return int64(24 * 3600 * b.h.Book.V(answer))
	}
	return 0
}

// stage is a stage as a task: whose hands it takes, which station, what it does to the air.
func (b *planner) stage(s Stage, next route.StageKind, minutes float64, pieces int, what *PlanTask) schedule.Task {
	t := schedule.Task{On: b.whoDoes(s.Kind, minutes, pieces), WaitS: int64(s.WaitS), Split: minutes >= b.shortMin, Tires: s.Kind == route.Sand}
	if t.Tires { // who is slow at it does no more of it in a day either
		t.Split = false
		for i, m := range t.On {
			t.On[i].S = min(m.S, b.p.Resources[m.Resource].TiresS)
		}
	}
	if what.Station = Surrounded(&t, s.Kind); what.Station != "" {
		if m, known := b.Models[what.Piece.ID]; known && what.Station == route.SprayBooth && b.h.Fits(s.Kind, m, what.Piece) != "" &&
			minutes < outsideMin {
			what.Station, t.Split = route.Outside, false
		}
		t.With = []int{b.stations[what.Station]}
		what.StayS = t.KeepS
	}
	if places := b.p.Resources[b.line].Places; what.Station == route.SprayBooth && places > 0 && t.WaitS > t.KeepS {
		t.Stay = schedule.Stay{Resource: b.line, Places: min(pieces, places), S: t.WaitS}
	}
	b.setUp(&t, s, what.Piece, pieces)
	switch { // it grows harder, or sticks
	case s.Kind == route.Skin && next == route.Sand:
		t.MostS = int64(3600 * b.h.Book.V("skin.most"))
	case s.Kind == route.Spray && next == route.Pull:
		t.MostS = int64(3600 * b.h.Book.V("pull.most"))
	}
	paints := b.Items[what.Piece.ItemID].Paints
	t.WaitS = b.today(t.WaitS, s, what.Piece)
	if next == route.Mask { // tape lifts what may be handled already
		t.WaitS = max(t.WaitS, b.safeS(s, what.Piece))
	}
	coat := paints.Of(s.Kind)
	if within, again := coat.Window(); within > 0 && route.Colours(next) && t.WaitS <= int64(within.Seconds()) {
		t.WithinS, t.AgainS = int64(within.Seconds()), int64(again.Seconds())
	}
	return t
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
