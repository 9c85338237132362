package studio

import (
	"fmt"
	"slices"
	"time"

	"sakuji/core/schedule"
)

// PlanMove is a task of the plan that somebody moved by hand, or let go again.
type PlanMove struct {
	ID       int64
	Task     string // its key
	PersonID int64  // who is to do it; 0: anybody
	At       time.Time
	ByID     int64
	Set      time.Time
}

// Lets reports whether the move lets the task go: the plan places it again.
func (m PlanMove) Lets() bool { return m.At.IsZero() }

// AgreedTask is a task as the plan had it that people agreed on.
type AgreedTask struct {
	Task      string
	PersonID  int64
	MachineID int64
	OrderID   int64
	Title     string
	From, To  time.Time
}

// nearHours is for how far ahead the agreed plan keeps its order and its people, whatever else would be
// better. Source: from memory.
const nearHours = 24

// keyOf names a task from one plan to the next: of a plate by its number, of one that nobody has laid yet by
// its oldest piece; of a stage by the piece, the kind and which of that kind it is; a part of a
// stage that is done in several by its number, too.
func (b *planner) keyOf(what PlanTask, position, part int) string {
	if what.Plate >= 0 {
		pl := b.Plates[what.Plate]
		if pl.Number != 0 {
			return fmt.Sprintf("plate %d: %s", pl.Number, what.Doing)
		}
		return fmt.Sprintf("foreseen %d: %s", slices.Min(pl.Pieces), what.Doing)
	}
	n := 1
	for _, s := range what.Piece.Stages {
		if s.Kind == what.Stage && s.Position < position {
			n++
		}
	}
	key := fmt.Sprintf("%s: %s %d", what.Piece.Code, what.Stage, n)
	if part > 0 {
		key += fmt.Sprintf(" part %d", part+1)
	}
	return key
}

// agree lets a task be where people have seen it: as a wish; near, or where they keep their plan, by the
// same hands and in the same order; where they keep their plan, not sooner either. One that was moved by hand
// goes where it was put.
func (b *planner) agree(t *schedule.Task, what *PlanTask) {
	m, moved := b.moved[what.Key]
	if a, ok := b.agreed[what.Key]; ok && t.Fixed == nil {
		r, known := b.resourceOf(a.PersonID, a.MachineID, what.Doing)
		from := int64(a.From.Sub(b.Now).Seconds())
		if known {
			t.Seen = schedule.Placed{Resource: r, StartS: from, EndS: max(1, from+int64(a.To.Sub(a.From).Seconds()))}
		}
		if known && !moved && (b.Keep || a.From.Before(b.Now.Add(nearHours*time.Hour))) && only(t, r) {
			t.Pinned, t.PinS = true, from
		}
		if b.Keep && known && !moved {
			t.FromS = max(t.FromS, from)
		}
	}
	if !moved {
		return
	}
	what.Moved = true
	from := int64(m.At.Sub(b.Now).Seconds())
	t.FromS, t.Pinned, t.PinS = max(t.FromS, from), true, from
	if r, known := b.resourceOf(m.PersonID, 0, what.Doing); known {
		only(t, r)
	}
}

// resourceOf is the resource of a person, or of a machine’s run.
func (b *planner) resourceOf(personID, machineID int64, doing string) (r int, ok bool) {
	if personID == 0 && doing == RunOn {
		r, ok = b.machines[machineID]
		return r, ok
	}
	for k, p := range b.People {
		if p.ID == personID && personID != 0 {
			return b.hands[k], true
		}
	}
	return 0, false
}

// only leaves a task to one of its resources; not if that does not do it.
func only(t *schedule.Task, r int) bool {
	for _, m := range t.On {
		if m.Resource == r {
			t.On = []schedule.Mode{m}
			return true
		}
	}
	return false
}
