package studio

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// PlateState is where a plate is on its way.
type PlateState string

// States of a plate.
const (
	PlateLaid      PlateState = "laid"
	PlateRunning   PlateState = "running"
	PlateFinished  PlateState = "finished" // the machine has stopped; it wants emptying
	PlateEmptied   PlateState = "emptied"
	PlateDiscarded PlateState = "discarded" // given up before it started
)

// Outcomes of a piece on an emptied plate.
const (
	Good         = "good"
	Rework       = "rework" // it is mended at the bench
	HiddenFlaw   = "hidden" // its flaw is taken as it is: nobody sees it
	Failed       = "failed"
	ScrappedOff  = "scrapped"
	CalledOffOff = "called off" // its order did not want it any more
)

// OutcomeName says what became of a piece in words.
func OutcomeName(what string) string {
	if name, ok := map[string]string{Rework: "to be mended", HiddenFlaw: "taken with a hidden flaw"}[what]; ok {
		return name
	}
	return what
}

// Causes of failed prints.
func Causes() (out []string) {
	for _, f := range process.Faults("") {
		out = append(out, f.Sign)
	}
	return out
}

// Plate is pieces arranged for one run.
type Plate struct {
	ID         int64
	Number     int
	MachineID  int64
	MaterialID int64
	State      PlateState
	Created    time.Time
	Program    Program // that was prepared of it; of no name: none was read
	KeptOff    []int64 // pieces that a person lifted off
	Pieces     []OnPlatePiece
	Run        *Run
}

// Program is what a machine program prepared of a plate says it takes.
type Program struct {
	Name    string  `json:"name,omitempty"`
	Minutes float64 `json:"minutes,omitempty"` // heating included
	Grams   float64 `json:"grams,omitempty"`
	Layers  int     `json:"layers,omitempty"`
}

// farOff is by how much the grams of a program may differ from the estimate before it is asked about.
// Source: from memory.
const farOff = 0.15

// Beside says how a program compares with the estimate of its plate.
func (p Program) Beside(e PlateEstimate) (text string, far bool) {
	off := func(a, b float64) string {
		if b <= 0 {
			return ""
		}
		switch d := math.Round(100 * (a/b - 1)); {
		case d > 0:
			return fmt.Sprintf(", %.0f %% more", d)
		case d < 0:
			return fmt.Sprintf(", %.0f %% less", -d)
		}
		return ", the same"
	}
	text = fmt.Sprintf("%s says %s%s, and %s g%s than ours.", p.Name, Hours(p.Minutes), off(p.Minutes, e.Minutes), rates.Number(math.Round(p.Grams)), off(p.Grams, e.Grams))
	text = strings.Replace(text, ", the same than ours", ", the same as ours", 1)
	return text, e.Grams > 0 && math.Abs(p.Grams/e.Grams-1) > farOff
}

// OnPlatePiece says where a piece lies and what became of it.
type OnPlatePiece struct {
	PlateID  int64
	PieceID  int64
	XMM, YMM float64
	AngleDeg float64 // anticlockwise; the lower left of what is turned lies at X, Y
	Locked   bool    // a person put it there: it stays when the plate is filled again
	Report   string  // what the machine said: "", good, or a cause
	Outcome  string
	Cause    string
	Changed  string // for this attempt, where one before failed

	FailedLayer int // at which it failed; 0: nobody noted it
}

// Run is one attempt at a plate.
type Run struct {
	ID         int64
	PlateID    int64
	MachineID  int64
	Started    time.Time
	PlannedMin float64
	PhysicsMin float64 // before what the machine taught; 0 when it was not noted
	RoomC      *float64
	Ended      time.Time
	Emptied    time.Time
	EmptiedBy  int64
	Note       string
	Checked    []string // of what was asked before it
	Skipped    []string // and was not looked at
	LotID      int64    // that its material is taken from; 0: nobody said

	Job     string    // by which its machine knows it; never used again
	Sent    time.Time // when its start was sent, or left to whoever began it by hand; zero: not yet
	Heard   time.Time // when its machine first showed it
	Before  string    // the job that its machine showed when the start was sent
	Missing string    // what its machine shows in its place, in words; empty: nothing is amiss
	Missed  time.Time // since when
	Seen    string    // of that, what somebody has said is well
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

// Share is how much of what was planned the run has laid down: one that stopped early
// only part of it.
func (r Run) Share() float64 {
	if r.PlannedMin <= 0 || r.Ended.IsZero() {
		return 1
	}
	return min(1, r.Ended.Sub(r.Started).Minutes()/r.PlannedMin)
}

// Booking is material used up by a run.
type Booking struct {
	MaterialID int64
	RunID      int64 // 0: of none, but for tuning a machine
	PieceID    int64 // 0: lost by the plate as a whole
	LotID      int64 // 0: nobody said which
	Grams      float64
	At         time.Time
}

// MayChange says that only a plate that has not started can be changed.
func (pl Plate) MayChange() error {
	if pl.State != PlateLaid {
		return fmt.Errorf("plate %d is %s: what lies on it stays as it is", pl.Number, pl.State)
	}
	return nil
}

// Holds reports whether a piece lies on the plate.
func (pl Plate) Holds(pieceID int64) bool {
	return slices.ContainsFunc(pl.Pieces, func(o OnPlatePiece) bool { return o.PieceID == pieceID })
}

// Lay puts a waiting piece down where it was placed.
func (pl Plate) Lay(p Piece, at OnPlatePiece) (Plate, Piece, error) {
	if err := pl.MayChange(); err != nil {
		return pl, p, err
	}
	if p.State != Waiting {
		return pl, p, fmt.Errorf("%s is %s and cannot be laid on plate %d", p.Code, p.State, pl.Number)
	}
	at.PlateID, at.PieceID = pl.ID, p.ID
	pl.KeptOff = slices.DeleteFunc(slices.Clone(pl.KeptOff), func(id int64) bool { return id == p.ID })
	pl.Program = Program{} // it was of other pieces
	pl.Pieces = append(slices.Clone(pl.Pieces), at)
	p.State = OnPlate
	return pl, p, nil
}

// Lift takes a piece off; it waits again.
func (pl Plate) Lift(a Act, p Piece) (Plate, Piece, Entry, error) {
	if err := pl.MayChange(); err != nil {
		return pl, p, Entry{}, err
	}
	if !pl.Holds(p.ID) {
		return pl, p, Entry{}, fmt.Errorf("%s does not lie on plate %d", p.Code, pl.Number)
	}
	pl = pl.without(p.ID)
	switch {
	case p.State == OnPlate && p.Kind == KindSpare: // without its plate nobody wants it
		p.State = PieceOff
	case p.State == OnPlate:
		p.State = Waiting
	}
	return pl, p, a.entry("lifted off a plate", "%s off plate %d", p.Code, pl.Number).of(p.OrderID, p.ID, pl.ID), nil
}

// KeepOff notes that a person wants a piece off the plate: filling it again does not bring it back.
func (pl Plate) KeepOff(pieceID int64) Plate {
	if !slices.Contains(pl.KeptOff, pieceID) {
		pl.KeptOff = append(slices.Clone(pl.KeptOff), pieceID)
	}
	return pl
}

func (pl Plate) without(pieceID int64) Plate {
	pl.Program = Program{}
	pl.Pieces = slices.DeleteFunc(slices.Clone(pl.Pieces), func(o OnPlatePiece) bool { return o.PieceID == pieceID })
	return pl
}

// Discard gives the layout up before it starts; its pieces are lifted off first.
func (pl Plate) Discard(a Act) (Plate, Entry, error) {
	if err := pl.MayChange(); err != nil {
		return pl, Entry{}, err
	}
	if len(pl.Pieces) > 0 {
		return pl, Entry{}, fmt.Errorf("%s still on plate %d", Say(len(pl.Pieces), "piece"), pl.Number)
	}
	pl.State = PlateDiscarded
	return pl, a.entry("plate discarded", "plate %d: its pieces wait again", pl.Number).of(0, 0, pl.ID), nil
}

// hotC and coldestC bound the rooms that are believed. Source: from memory.
const hotC, coldestC = 60, -20

// startedLongAgo is how long before it is noted a run may have started without a question. Source:
// from memory.
const startedLongAgo = 24 * time.Hour

// Started is what is noted of a run that begins.
type Started struct {
	At      time.Time // zero: now
	RoomC   *float64
	Sure    bool             // that it was so long ago
	Lot     Lot              // that its material is taken from; of id 0: nobody said
	Held    string           // why the machine must not run; empty: it may
	Ready   []ReadyCheck     // what is asked before it
	Looked  map[string]bool  // at which of that somebody looked
	Changed map[int64]string // for a piece that failed before, by its id
	Job     string           // by which its machine is to know it
}

// Start begins the run, at a time that may have passed. busy is the plate that still is on
// the machine, nil for none.
func (pl Plate) Start(a Act, machine Machine, pieces []Piece, s Started, takes PlateEstimate, busy *Plate, zone *time.Location) (Plate, Entry, error) {
	if s.At.IsZero() {
		s.At = a.At
	}
	if err := pl.MayChange(); err != nil {
		return pl, Entry{}, err
	}
	switch {
	case len(pl.Pieces) == 0:
		return pl, Entry{}, fmt.Errorf("plate %d is bare: lay a piece on it first", pl.Number)
	case busy != nil && busy.State == PlateRunning:
		return pl, Entry{}, fmt.Errorf("%s still runs plate %d. Note its end first", machine.Name, busy.Number)
	case s.Held != "":
		return pl, Entry{}, errors.New(s.Held)
	case busy != nil:
		return pl, Entry{}, fmt.Errorf("plate %d still stands on %s. Empty it first", busy.Number, machine.Name)
	case s.At.After(a.At):
		return pl, Entry{}, rates.Amiss("started", "a run cannot have started later than now")
	case s.RoomC != nil && !(*s.RoomC >= coldestC && *s.RoomC <= hotC):
		return pl, Entry{}, rates.Amiss("room", "a room of %s °C is hard to believe", rates.Number(*s.RoomC))
	case s.Lot.ID != 0 && !s.Sure && s.Lot.Short(takes.Grams, a.At) != "":
		return pl, Entry{}, &Confirm{Text: s.Lot.Short(takes.Grams, a.At), Yes: "Start with it all the same"}
	case !s.Sure && machine.Disturbs(s.At, takes.Minutes, zone) != "":
		return pl, Entry{}, &Confirm{Text: machine.Disturbs(s.At, takes.Minutes, zone), Yes: "Start it all the same"}
	case !s.Sure && a.At.Sub(s.At) > startedLongAgo:
		return pl, Entry{}, &Confirm{Text: fmt.Sprintf("%s is %s ago.", s.At.In(zone).Format("Monday 2 January 2006, 15:04"), Hours(a.At.Sub(s.At).Minutes())), Yes: "Yes, it started then"}
	}
	pl = pl.changing(s.Changed)
	if same := pl.Unchanged(pieces); len(same) > 0 {
		return pl, Entry{}, rates.Amiss(fmt.Sprintf("changed[%d]", same[0].ID), "%s failed before: say what is changed for this attempt. Nothing was started", same[0].Code)
	}
	pl.State = PlateRunning
	pl.Run = &Run{PlateID: pl.ID, MachineID: machine.ID, Started: s.At, PlannedMin: takes.Minutes, PhysicsMin: takes.PhysicsMin, RoomC: s.RoomC, LotID: s.Lot.ID, Job: s.Job}
	if a.At.Sub(s.At) > sentAtOnce {
		pl.Run.Sent = a.At
	}
	text := ""
	for _, c := range s.Ready {
		if s.Looked[c.Key] {
			pl.Run.Checked = append(pl.Run.Checked, c.Text)
		} else {
			pl.Run.Skipped = append(pl.Run.Skipped, c.Text)
		}
	}
	if len(pl.Run.Skipped) > 0 {
		text = "; not looked at: " + joinAnd(pl.Run.Skipped)
	}
	a.At = s.At
	return pl, a.entry("run started", "plate %d on %s, %s%s", pl.Number, machine.Name, Hours(takes.Minutes), text).of(0, 0, pl.ID), nil
}

// changing notes what is changed for pieces that failed before.
func (pl Plate) changing(changed map[int64]string) Plate {
	pl.Pieces = slices.Clone(pl.Pieces)
	for i, o := range pl.Pieces {
		if c := strings.TrimSpace(changed[o.PieceID]); c != "" {
			pl.Pieces[i].Changed = c
		}
	}
	return pl
}

// Finish notes that the machine has stopped, with what it reports of each piece.
func (pl Plate) Finish(a Act, ended time.Time, reports map[int64]string) (Plate, Entry, error) {
	switch {
	case pl.State != PlateRunning || pl.Run == nil:
		return pl, Entry{}, fmt.Errorf("plate %d is %s, not running", pl.Number, pl.State)
	case ended.Before(pl.Run.Started):
		return pl, Entry{}, rates.Amiss("ended", "the run cannot have ended before it started")
	case ended.After(a.At):
		return pl, Entry{}, rates.Amiss("ended", "the run cannot have ended later than now")
	}
	run := *pl.Run
	run.Ended = ended
	pl.Run, pl.State, pl.Pieces = &run, PlateFinished, slices.Clone(pl.Pieces)
	for i, o := range pl.Pieces {
		pl.Pieces[i].Report = reports[o.PieceID]
	}
	a.At = ended
	return pl, a.entry("run ended", "plate %d, after %s", pl.Number, Hours(ended.Sub(run.Started).Minutes())).of(0, 0, pl.ID), nil
}

// Outcome is what became of a piece on a plate.
type Outcome struct {
	What    string          // good, rework, hidden, failed or scrapped
	Cause   string          // of a failure, or the flaw
	Stage   route.StageKind // that mends it
	Minutes float64
	Layer   int // at which it failed; 0: nobody noted it
}

// Through reports whether what came off a plate is a print to go on with.
func Through(what string) bool { return OneOf(what, Good, Rework, HiddenFlaw) }

// mostLayers is how many layers a print has at most. Source: from memory.
const mostLayers = 100_000

// tooShort is the share of the planned time under which a run that printed well is asked
// about. Source: from memory.
const tooShort = 0.5

// Empty takes everything off the plate after its run: what became of each piece is said,
// of those called off nothing. sure says that a run far too short for good prints is meant.
func (pl Plate) Empty(a Act, pieces []Piece, outcomes map[int64]Outcome, note string, sure bool) (Plate, Entry, error) {
	if pl.State != PlateFinished || pl.Run == nil {
		return pl, Entry{}, fmt.Errorf("plate %d is %s: there is nothing to empty", pl.Number, pl.State)
	}
	pl.Pieces = slices.Clone(pl.Pieces)
	count := map[string]int{}
	for _, p := range pieces {
		at := slices.IndexFunc(pl.Pieces, func(o OnPlatePiece) bool { return o.PieceID == p.ID })
		if at < 0 {
			continue
		}
		out := outcomes[p.ID]
		switch {
		case p.State == PieceOff:
			out = Outcome{What: CalledOffOff}
		case !OneOf(out.What, Good, Rework, HiddenFlaw, Failed, ScrappedOff):
			return pl, Entry{}, rates.Amiss(fmt.Sprintf("outcome[%d]", p.ID), "%s, %s: say whether it is good, to be mended, failed or scrapped. Nothing was saved", p.Code, p.Name)
		case OneOf(out.What, Rework, HiddenFlaw) && strings.TrimSpace(out.Cause) == "":
			return pl, Entry{}, rates.Amiss(fmt.Sprintf("flaw[%d]", p.ID), "%s, %s: say what the flaw is. Nothing was saved", p.Code, p.Name)
		case out.What == Rework && (!OneOf(out.Stage, route.Mends()...) || !(out.Minutes > 0 && out.Minutes <= 24*60)):
			return pl, Entry{}, rates.Amiss(fmt.Sprintf("mend_minutes[%d]", p.ID), "%s, %s: say how it is mended and in how many minutes, a day at most. Nothing was saved", p.Code, p.Name)
		case out.Layer < 0 || out.Layer > mostLayers:
			return pl, Entry{}, rates.Amiss(fmt.Sprintf("layer[%d]", p.ID), "%s, %s: a layer is between 1 and %d. Nothing was saved", p.Code, p.Name, mostLayers)
		case out.What == Failed && strings.TrimSpace(out.Cause) == "":
			return pl, Entry{}, rates.Amiss(fmt.Sprintf("cause[%d]", p.ID), "%s, %s: say why it failed; “not known” will do. Nothing was saved", p.Code, p.Name)
		}
		pl.Pieces[at].Outcome, pl.Pieces[at].Cause, pl.Pieces[at].FailedLayer = out.What, out.Cause, out.Layer
		count[out.What]++
	}
	ran := pl.Run.Ended.Sub(pl.Run.Started).Minutes()
	good := count[Good] + count[Rework] + count[HiddenFlaw]
	if good > 0 && !sure && ran < tooShort*pl.Run.PlannedMin {
		return pl, Entry{}, &Confirm{Text: fmt.Sprintf("The run of plate %d is noted with %s; %s were planned. %s good all the same?", pl.Number, Hours(ran), Hours(pl.Run.PlannedMin), map[bool]string{true: "Is it", false: "Are they"}[good == 1]), Yes: "Yes, they are good"}
	}
	run := *pl.Run
	run.Emptied, run.EmptiedBy, run.Note = a.At, a.PersonID, strings.TrimSpace(note)
	pl.Run, pl.State = &run, PlateEmptied
	text := fmt.Sprintf("plate %d: %d good, %d failed, %d scrapped", pl.Number, count[Good], count[Failed], count[ScrappedOff])
	for _, what := range []string{Rework, HiddenFlaw} {
		if n := count[what]; n > 0 {
			text += fmt.Sprintf(", %d %s", n, OutcomeName(what))
		}
	}
	if n := count[CalledOffOff]; n > 0 {
		text += fmt.Sprintf(", %d called off", n)
	}
	return pl, a.entry("plate emptied", "%s%s", text, Dash(note)).of(0, 0, pl.ID), nil
}

// Teaches is the timed run that an emptied plate adds to its machine's calibration: one
// that went through whole, whose end somebody or the machine has noted.
func (pl Plate) Teaches(at time.Time) (TimedRun, bool) {
	for _, o := range pl.Pieces {
		if !Through(o.Outcome) && o.Outcome != CalledOffOff {
			return TimedRun{}, false
		}
	}
	t := TimedRun{MachineID: pl.Run.MachineID, RunID: pl.Run.ID, What: fmt.Sprintf("plate %d", pl.Number), OursMin: pl.Run.PhysicsMin,
		RealMin: pl.Run.Ended.Sub(pl.Run.Started).Minutes(), At: at}
	return t, t.Believable()
}

// MayRefill says whether the emptying can be taken back: for a while, and as long as
// nothing was done to its pieces since and nothing else stands on the machine.
func (pl Plate) MayRefill(now time.Time, machine Machine, busy *Plate, pieces []Piece) error {
	if pl.State != PlateEmptied {
		return fmt.Errorf("plate %d is %s", pl.Number, pl.State)
	}
	if err := MayTakeBack(pl.Run.Emptied, now); err != nil {
		return err
	}
	if busy != nil {
		return fmt.Errorf("plate %d stands on %s by now", busy.Number, machine.Name)
	}
	for _, p := range pieces {
		at := slices.IndexFunc(pl.Pieces, func(o OnPlatePiece) bool { return o.PieceID == p.ID })
		if at >= 0 && !p.asItCameOff(pl.Pieces[at].Outcome) {
			return fmt.Errorf("%s has moved on since", p.Code)
		}
	}
	return nil
}

// Refill takes the emptying back: the plate stands full on its machine again.
func (pl Plate) Refill(a Act, machine Machine, busy *Plate, pieces []Piece) (Plate, Entry, error) {
	if err := pl.MayRefill(a.At, machine, busy, pieces); err != nil {
		return pl, Entry{}, err
	}
	run := *pl.Run
	run.Emptied, run.EmptiedBy = time.Time{}, 0
	pl.Run, pl.State, pl.Pieces = &run, PlateFinished, slices.Clone(pl.Pieces)
	for i := range pl.Pieces {
		pl.Pieces[i].Outcome, pl.Pieces[i].Cause, pl.Pieces[i].FailedLayer = "", "", 0
	}
	return pl, a.entry("plate taken back", "plate %d stands on %s again", pl.Number, machine.Name).of(0, 0, pl.ID), nil
}
