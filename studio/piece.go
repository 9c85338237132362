package studio

import (
	"fmt"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/core/schedule"
)

// States of a piece.
const (
	Waiting   = "waiting"  // for a plate
	OnPlate   = "on plate" // laid out, printing, or printed and not yet taken off
	AtBench   = "bench"
	PieceDone = "done"
	Scrapped  = "scrapped" // not to be printed again; the order is short of it until that is settled
	LeftOut   = "left out" // the client does without
	PieceOff  = "cancelled"
)

// Piece is one copy of a part that is tracked.
type Piece struct {
	ID            int64
	Code          string
	OrderID       int64
	ItemID        int64
	PartID        int64
	ModelID       int64 // what it is or was printed of
	OrientationID int64
	Name          string
	Process       string
	MaterialID    int64
	Scale         float64
	WallMM        float64
	Tier          string
	Attempt       int
	State         string
	ReplacesID    int64
	Stages        []Stage
}

// Stage is a field of a piece's strip with its stamp.
type Stage struct {
	ID       int64
	PieceID  int64
	Position int
	route.Stage
	PersonID int64
	Initials string
	Done     time.Time
	Minutes  float64
	Note     string
}

// Live reports whether the piece counts for its order.
func (p Piece) Live() bool {
	return p.State == Waiting || p.State == OnPlate || p.State == AtBench || p.State == PieceDone
}

// Strip is the piece's stages as a route.
func (p Piece) Strip() route.Stages {
	out := make(route.Stages, len(p.Stages))
	for i, s := range p.Stages {
		out[i] = s.Stage
	}
	return out
}

// Now is the stage that is next, nil when all are done.
func (p Piece) Now() *Stage {
	if i := p.Strip().Now(); i < len(p.Stages) {
		return &p.Stages[i]
	}
	return nil
}

// Last is the stage stamped last, nil when none is.
func (p Piece) Last() *Stage {
	for i := p.Strip().Now() - 1; i >= 0; i-- {
		if p.Stages[i].Mark != route.Todo {
			return &p.Stages[i]
		}
	}
	return nil
}

// Chain is what the piece still has before it: its print, if that is still to come,
// hands and waits; runMin is what the rest of its run takes.
func (p Piece) Chain(now time.Time, runMin float64) schedule.Chain {
	c := schedule.Chain{}
	strip := p.Strip()
	if until := strip.Until(); until.After(now) {
		c.WaitMin += until.Sub(now).Minutes()
	}
	for _, s := range strip[min(strip.Now(), len(strip)):] {
		if s.Mark != route.Todo {
			continue
		}
		if s.Kind == route.Print {
			c.MachineMin += runMin
		}
		c.HandsMin += s.Planned
		c.WaitMin += float64(s.WaitS) / 60
	}
	return c
}

// StagesFor plans the strip of a new piece.
func (h Shop) StagesFor(m Model, p Part, it Item) []Stage {
	var out []Stage
	for i, w := range finish.Plan(h.Book, h.finishPart(m, p, it)) {
		out = append(out, Stage{Position: i, Stage: route.Stage{Kind: w.Kind, Mark: route.Todo, Planned: w.Minutes, Book: w.BookMin, WaitS: w.WaitS}})
	}
	return out
}

// finishPart is what of a part counts for hands.
func (h Shop) finishPart(m Model, p Part, it Item) finish.Part {
	s := m.Scaled(it.Scale)
	raised, hollow := m.Shape.Detail.At(it.Scale)
	finishRoute := it.FinishRoute
	if finishRoute == "" {
		finishRoute = h.Studio.Defaults.FinishRoute(p.Process, it.Tier)
	}
	out := finish.Part{Process: p.Process, Tier: it.Tier, Route: finishRoute, AreaMM2: s.AreaMM2, OverhangMM2: s.Overhang.AreaMM2, Tips: float64(m.Tips) * it.Scale * it.Scale, // tips stand so far apart whatever the size
		Measured: m.Shape.Detail.Measured(), RaisedMM: raised, HollowMM: hollow, DetailFactor: it.DetailFactor,
		PiecesOnPlate: UsualPlate, Copies: p.Copies * it.Copies, Features: it.Features, Logged: h.History.Logged[p.Process]}
	if it.PersonID != 0 {
		if out.Practice = h.History.Practice[it.PersonID]; out.Practice == nil {
			out.Practice = finish.Practice{}
		}
	}
	return out
}

// UsualPlate is how many pieces share the set-up of a run, before a plate is laid.
// Source: from memory.
const UsualPlate = 4

// SameSpec reports whether the piece is what the part and item ask for now, so
// that a print of it can be kept.
func (p Piece) SameSpec(part Part, it Item) bool {
	return p.Process == part.Process && p.MaterialID == part.MaterialID && p.Scale == it.Scale && p.WallMM == part.WallMM
}

// Retier replaces the stages still to come by those of another tier: what is
// stamped stays. A stage already passed is not asked for again, unless it comes
// after one that is new: what is painted after all is packed once more.
func Retier(stages, planned []Stage) []Stage {
	var out []Stage
	passed := map[route.StageKind]int{}
	for _, s := range stages {
		if s.Mark != route.Todo {
			out = append(out, s)
			if s.Mark == route.Done {
				passed[s.Kind]++
			}
		}
	}
	fresh := false
	for _, s := range planned {
		if fresh = fresh || passed[s.Kind] == 0; fresh {
			out = append(out, s)
		} else if again(planned, s) { // a second round is passed by a second stamp
			passed[s.Kind]--
		}
	}
	for i := range out {
		out[i].Position = i
	}
	return out
}

// again reports whether a kind stands more than once in a plan.
func again(planned []Stage, s Stage) bool {
	n := 0
	for _, p := range planned {
		if p.Kind == s.Kind {
			n++
		}
	}
	return n > 1
}

// States of a plate.
const (
	PlateLaid      = "laid"
	PlateRunning   = "running"
	PlateFinished  = "finished" // the machine has stopped; it wants emptying
	PlateEmptied   = "emptied"
	PlateDissolved = "dissolved"
)

// Outcomes of a piece on an emptied plate; the third is Scrapped, as the state it leads to.
const (
	Good   = "good"
	Failed = "failed"
)

// Causes of failed prints. Source: the trade's fault list.
func Causes() []string {
	return []string{"stuck to the film", "supports too few", "half printed", "came off the bed", "clogged nozzle",
		"layers shifted", "wrong settings", "power cut", "not known"}
}

// Plate is pieces arranged for one run.
type Plate struct {
	ID         int64
	Number     int
	MachineID  int64
	MaterialID int64
	State      string
	Created    time.Time
	Pieces     []OnPlatePiece
	Run        *Run
}

// OnPlatePiece says where a piece lies and what became of it.
type OnPlatePiece struct {
	PlateID  int64
	PieceID  int64
	XMM, YMM float64
	Quarters int
	Report   string // what the machine said: "", good, or a cause
	Outcome  string
	Cause    string
}

// Run is one attempt at a plate.
type Run struct {
	ID         int64
	PlateID    int64
	MachineID  int64
	Started    time.Time
	PlannedMin float64
	PhysicsMin float64 // before what the machine learned; 0 when it was not noted
	RoomC      *float64
	Ended      time.Time
	Emptied    time.Time
	EmptiedBy  int64
	Note       string
}

// Due is when the run should end.
func (r Run) Due() time.Time {
	return r.Started.Add(time.Duration(r.PlannedMin * float64(time.Minute)))
}

// Left is how many minutes of the run are still ahead.
func (r Run) Left(now time.Time) float64 {
	if !r.Ended.IsZero() || now.After(r.Due()) {
		return 0
	}
	return r.Due().Sub(now).Minutes()
}

// Booking is material used up by a run.
type Booking struct {
	MaterialID int64
	RunID      int64
	PieceID    int64 // 0: lost by the plate as a whole
	Grams      float64
	At         time.Time
}

// TakeBack is how long a stamp or an emptied plate can be taken back: long enough
// to see a slip, too short to rewrite the day. Source: from memory.
const TakeBack = 30 * time.Minute

// MayTakeBack says whether something done at a time can still be taken back.
func MayTakeBack(done, now time.Time) error {
	if now.Sub(done) > TakeBack {
		return fmt.Errorf("it can be taken back for %d minutes; that was at %s", int(TakeBack.Minutes()), done.Format("15:04"))
	}
	return nil
}

// OfMoney reports whether the line tells amounts of money.
func (e Entry) OfMoney() bool {
	for _, what := range []string{"quote ", "deposit ", "rates "} {
		if strings.HasPrefix(e.Event, what) {
			return true
		}
	}
	return false
}

// Entry is a line of the logbook.
type Entry struct {
	ID       int64
	At       time.Time
	PersonID int64
	Who      string
	Event    string
	Text     string
	OrderID  int64
	PieceID  int64
	PlateID  int64
	Order    string // number, when there is one
	Piece    string // code
	Plate    int    // number
}
