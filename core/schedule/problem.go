package schedule

import (
	"fmt"
	"math"
)

// Problem is work to be planned: tasks of jobs on resources that take one at a time. All times are
// whole seconds from the moment at which the plan begins.
type Problem struct {
	Resources []Resource
	Jobs      []Job
	Tasks     []Task
	Goal      Goal
	DayFromS  int64 // from midnight to the moment at which the plan begins
}

// Goal is what a plan is to be good at.
type Goal int

// Goals: that all is over soon, or that no job is late; of plans that are alike in that, the one whose
// jobs are over sooner.
const (
	Makespan Goal = iota
	Lateness
)

// Resource is a machine, a station or a person.
type Resource struct {
	Name   string
	Hours  *Calendar // nil: always
	TiresS int64     // of tasks that tire it can do so much in a day; 0: any
	Places int       // for what stays on it after a task: hanging places of a drying line; 0: any number
	Idle   bool      // that it stands idle between its tasks is to be avoided, if nothing else tells plans apart
}

// Job is tasks that belong to one client's thing.
type Job struct {
	Name     string
	ReleaseS int64   // none of its tasks begins before it
	DueS     int64   // 0: whenever
	StaleS   int64   // from then on its lateness counts staleTimes as much: the occasion is over; 0: never
	Weight   float64 // of its lateness; 0: as 1
}

// Task is a piece of work that is not interrupted, but for closing hours where it may be.
type Task struct {
	Job   int
	Name  string
	On    []Mode  // the resources of which one does it, each in its own time
	With  []int   // resources that are busy along with it, all of them
	After []int   // tasks that are over before it begins
	FromS int64   // it does not begin before
	WaitS int64   // between its end and what comes after it, at the least
	Split bool    // it goes on the next day where its resource closes
	Fixed *Placed // where it lies whatever else does: what runs; nil: anywhere

	WithinS int64 // what comes after it begins so soon after its end, or not before AgainS: a coat's window; 0: whenever
	AgainS  int64 // after its end
	MostS   int64 // after its end what follows should begin: later counts as lateness; 0: whenever
	KeepS   int64 // for which With stays busy after its end: pieces dry in the booth
	Stay    Stay  // where what it was done on is after its end
	Mix     Mix   // what has to be set up for it
	Air     Air   // what it does to the air
	DustS   int64 // for which it matters after its end: until a coat is dry to the touch
	Tires   bool  // its resource, which can bear so much of that a day; what tires does not go on the next day
	Pinned  bool  // it and what it waits for take their places before all others, by PinS
	PinS    int64
	Seen    Placed // where people have seen it; its end 0: nowhere
}

// Stay is how many places of a resource are taken for a time after a task: pieces hang on the line until they
// may be handled.
type Stay struct {
	Resource, Places int
	S                int64 // 0: none are
}

// Mix is what has to be set up for a task: a colour that is mixed, a gun that is filled and cleaned. Who has
// done one with the same not long ago saves that.
type Mix struct {
	ID     int   // from 1; 0: nothing has to be
	SavesS int64 // where it is set up already
	LastsS int64 // after the end of a task for which it was
}

// Air is what a task does to the air that it shares with others, or bears: what raises dust is not done
// while a coat is wet.
type Air int

// What tasks do to it.
const (
	AnyAir Air = iota
	Wet
	Dusty
)

// other is what an air does not bear.
func (a Air) other() Air { return Wet + Dusty - a }

// Mode is a way to do a task.
type Mode struct {
	Resource int
	S        int64
}

// Placed is where a task lies in a plan.
type Placed struct {
	Resource     int
	StartS, EndS int64
}

// Plan is where every task lies, with what it comes to.
type Plan struct {
	At   []Placed
	Cost Cost
}

// Cost is what a plan comes to.
type Cost struct {
	EndS  int64   // of the last task
	LateS float64 // of all jobs, by weight
	FlowS float64 // from release to end, of all jobs

	OverS   float64 // beyond what tasks should wait at the most
	ChangeS float64 // against what people have seen: how far tasks begin from where they did; on another resource as movedS
	IdleS   float64 // of the resources whose idle time counts
}

// movedS is what it counts that another person or machine does a task than people have seen. Source: from
// memory.
const movedS = 3600

// of is the cost as one number for a goal: the goal first, then how long jobs are in the house, then what
// changes for people, then idle machines.
func (c Cost) of(g Goal) float64 {
	rest := 1e-6*c.ChangeS + 1e-8*c.IdleS
	if g == Lateness {
		return c.LateS + c.OverS + 1e-5*c.FlowS + 1e-7*float64(c.EndS) + rest
	}
	return float64(c.EndS) + c.OverS + 1e-7*c.FlowS + 1e-3*rest
}

// mostTasks bounds a problem.
const mostTasks = 100_000

// Check says what of a problem cannot be meant.
func (p Problem) Check() error {
	if len(p.Tasks) > mostTasks {
		return fmt.Errorf("more than %d tasks", mostTasks)
	}
	there := func(r int) bool { return r >= 0 && r < len(p.Resources) }
	for i, t := range p.Tasks {
		switch {
		case t.Job < 0 || t.Job >= len(p.Jobs):
			return fmt.Errorf("task %s is of no job", p.named(i))
		case len(t.On) == 0:
			return fmt.Errorf("task %s: no resource does it", p.named(i))
		case t.WaitS < 0 || t.KeepS < 0 || t.DustS < 0 || t.MostS < 0:
			return fmt.Errorf("task %s: a wait is not less than nothing", p.named(i))
		case t.WithinS < 0 || t.WithinS > 0 && (t.WithinS < t.WaitS || t.AgainS < t.WithinS):
			return fmt.Errorf("task %s: its window shuts before it opens", p.named(i))
		case t.Air < AnyAir || t.Air > Dusty:
			return fmt.Errorf("task %s: there is no such air", p.named(i))
		case t.Mix.ID < 0 || t.Mix.ID > mostTasks || t.Mix.SavesS < 0 || t.Mix.LastsS < 0:
			return fmt.Errorf("task %s: there is no such mix", p.named(i))
		case t.Stay.S < 0 || t.Stay.S > 0 && (!there(t.Stay.Resource) || t.Stay.Places < 1):
			return fmt.Errorf("task %s: it stays nowhere", p.named(i))
		case t.Stay.S > 0 && t.Stay.Places > p.places(t.Stay.Resource):
			return fmt.Errorf("task %s: %s has fewer places than it needs", p.named(i), p.Resources[t.Stay.Resource].Name)
		}
		for _, m := range t.On {
			if !there(m.Resource) || m.S < 0 || m.S > math.MaxInt32 {
				return fmt.Errorf("task %s: a way to do it is none", p.named(i))
			}
			if t.Mix.ID > 0 && m.S < t.Mix.SavesS {
				return fmt.Errorf("task %s: setting up for it takes longer than all of it", p.named(i))
			}
			if most := p.Resources[m.Resource].TiresS; t.Tires && (t.Split || most > 0 && m.S > most) {
				return fmt.Errorf("task %s: it tires for longer than %s can bear in a day", p.named(i), p.Resources[m.Resource].Name)
			}
		}
		for _, w := range t.With {
			if !there(w) {
				return fmt.Errorf("task %s: it is done with nobody", p.named(i))
			}
		}
		for _, k := range t.After {
			if k < 0 || k >= len(p.Tasks) {
				return fmt.Errorf("task %s comes after none", p.named(i))
			}
		}
	}
	if order := p.topological(); len(order) < len(p.Tasks) {
		done := make([]bool, len(p.Tasks))
		for _, k := range order {
			done[k] = true
		}
		for i := range p.Tasks {
			if !done[i] {
				return fmt.Errorf("task %s waits for itself, by what it comes after", p.named(i))
			}
		}
	}
	return nil
}

func (p Problem) named(i int) string {
	if j := p.Tasks[i].Job; j >= 0 && j < len(p.Jobs) && p.Jobs[j].Name != "" {
		return p.Jobs[j].Name + "/" + p.Tasks[i].Name
	}
	return p.Tasks[i].Name
}

// topological lists the tasks so that each comes after those it waits for; what goes round in a circle
// is left out.
func (p Problem) topological() []int {
	before, next := make([]int, len(p.Tasks)), p.next()
	order := make([]int, 0, len(p.Tasks))
	for i, t := range p.Tasks {
		if before[i] = len(t.After); before[i] == 0 {
			order = append(order, i)
		}
	}
	for k := 0; k < len(order); k++ {
		for _, n := range next[order[k]] {
			if before[n]--; before[n] == 0 {
				order = append(order, n)
			}
		}
	}
	return order
}

// next are the tasks that come after each.
func (p Problem) next() [][]int {
	out := make([][]int, len(p.Tasks))
	for i, t := range p.Tasks {
		for _, k := range t.After {
			if k >= 0 && k < len(out) {
				out[k] = append(out[k], i)
			}
		}
	}
	return out
}

// cost works out what places come to.
func (p Problem) cost(at []Placed) (c Cost) {
	ends := make([]int64, len(p.Jobs))
	for i, x := range at {
		j := p.Tasks[i].Job
		ends[j] = max(ends[j], x.EndS)
		c.EndS = max(c.EndS, x.EndS)
	}
	for j, end := range ends {
		job := p.Jobs[j]
		c.FlowS += float64(max(0, end-job.ReleaseS))
		c.LateS += job.late(end)
	}
	for i := range at {
		for _, b := range p.Tasks[i].After {
			if most := p.Tasks[b].MostS; most > 0 {
				c.OverS += float64(max(0, at[i].StartS-at[b].EndS-most))
			}
		}
		if seen := p.Tasks[i].Seen; seen.EndS > 0 {
			c.ChangeS += math.Abs(float64(at[i].StartS - seen.StartS))
			if at[i].Resource != seen.Resource {
				c.ChangeS += movedS
			}
		}
	}
	c.IdleS = p.idle(at)
	return c
}

// day is which day a moment is on, by the clock on which the plan begins.
func (p Problem) day(s int64) int64 { return (s + p.DayFromS) / daySeconds }

const daySeconds = 24 * 3600

// idle is how long the resources whose idle time counts stand between the first and the last task of each.
func (p Problem) idle(at []Placed) (s float64) {
	type use struct{ from, to, busy int64 }
	var uses map[int]use
	for _, x := range at {
		if !p.Resources[x.Resource].Idle {
			continue
		}
		u, known := uses[x.Resource]
		if !known {
			if uses == nil {
				uses = map[int]use{}
			}
			u.from = x.StartS
		}
		uses[x.Resource] = use{min(u.from, x.StartS), max(u.to, x.EndS), u.busy + x.EndS - x.StartS}
	}
	for _, u := range uses {
		s += float64(u.to - u.from - u.busy)
	}
	return s
}

func (j Job) weight() float64 {
	if j.Weight > 0 {
		return j.Weight
	}
	return 1
}

// staleTimes is how much more lateness counts once the occasion is over. Source: from memory.
const staleTimes = 10

// late is what it counts that a job is over at a moment.
func (j Job) late(end int64) (s float64) {
	if j.DueS > 0 {
		s = float64(max(0, end-j.DueS))
	}
	if j.StaleS > 0 {
		s += (staleTimes - 1) * float64(max(0, end-max(j.DueS, j.StaleS)))
	}
	return j.weight() * s
}

// places is for how much there is room on a resource.
func (p Problem) places(r int) int {
	if n := p.Resources[r].Places; n > 0 {
		return n
	}
	return math.MaxInt
}

// Shortest is the shortest way to do a task that has to be set up for.
func (t Task) Shortest() int64 {
	s := t.On[0].S
	for _, m := range t.On[1:] {
		s = min(s, m.S)
	}
	return s
}

// least is how long it takes at the least.
func (t Task) least() int64 { return t.Shortest() - t.Mix.saves() }

// saves is what is saved where a mix is set up already.
func (m Mix) saves() int64 {
	if m.ID == 0 {
		return 0
	}
	return m.SavesS
}
