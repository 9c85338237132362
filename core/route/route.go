// Package route is what happens to a piece from the print to the parcel: which
// stages it passes, what may be stamped when, what a look can send back, and the
// caution that belongs to each stage. Waits and minutes come from elsewhere; here
// they are only kept in order. Stages follow the finish routes "light sand" for resin and
// "putty" for filament; source: common practice.
package route

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// StageKind is a sort of stage.
type StageKind string

// The stages.
const (
	Print          StageKind = "print"
	Wash           StageKind = "wash"
	RemoveSupports StageKind = "strip"
	Cure           StageKind = "cure"
	Skin           StageKind = "skin"    // brushed resin
	Clay           StageKind = "clay"    // a skin of air-dry clay
	Texture        StageKind = "texture" // glued sand or plaster
	Sand           StageKind = "sand"
	Fill           StageKind = "fill"
	Prime          StageKind = "prime"
	Look           StageKind = "look"
	DryFit         StageKind = "dryfit" // of an assembly: a gate before the first coat
	Score          StageKind = "score"
	Glue           StageKind = "glue"
	Case           StageKind = "case" // of a mould
	Rubber         StageKind = "rubber"
	Open           StageKind = "open"
	Pour           StageKind = "pour" // of a cast
	Base           StageKind = "base"
	Mask           StageKind = "mask"
	Spray          StageKind = "spray" // through a mask
	Pull           StageKind = "pull"
	Shade          StageKind = "shade"
	Light          StageKind = "light"
	Detail         StageKind = "detail"
	Weather        StageKind = "weather"
	Clear          StageKind = "clear"
	JoinAfter      StageKind = "join" // of what is joined after paint
	Fit            StageKind = "fit"
	Pack           StageKind = "pack"
	Insert         StageKind = "insert" // what goes inside before an assembly is closed: a gate
	Sculpt         StageKind = "sculpt"
	ClientYes      StageKind = "yes" // the client's answer: a gate, no hands
	Revise         StageKind = "revise"
	Try            StageKind = "try" // of a trial
	Judge          StageKind = "judge"
	Soak           StageKind = "soak" // of a restoration: old paint and glue come off
	Assess         StageKind = "assess"
	Ask            StageKind = "ask" // stop and ask, where a limit was agreed
	Mend           StageKind = "mend"
	Order          StageKind = "order" // of what is bought in
	Here           StageKind = "here"
	Ground         StageKind = "ground" // of a base
	Flock          StageKind = "flock"
	Seal           StageKind = "seal"
	Water          StageKind = "water"
	Pattern        StageKind = "pattern" // of soft goods
	CutOut         StageKind = "cutout"
	Sew            StageKind = "sew"
	Ready          StageKind = "ready" // of a file
	Work           StageKind = "work"  // of hours that leave no thing of their own
)

// Tiers, the stopping points a design is sold at.
const (
	FileOnly = "file" // made ready to print, and not printed
	Raw      = "raw"
	Coloured = "coloured" // printed in a coloured material and left unpainted
	Primed   = "primed"
	Painted  = "painted"
)

// Tiers returns the stopping points, cheapest first.
func Tiers() []string { return []string{FileOnly, Raw, Coloured, Primed, Painted} }

// TierName is the tier in words.
func TierName(tier string) string {
	return map[string]string{FileOnly: "file only", Raw: "raw kit", Coloured: "in its colour, unpainted", Primed: "smoothed and primed", Painted: "painted"}[tier]
}

// LeavesOut says what a tier does without.
func LeavesOut(tier string) string {
	return map[string]string{
		FileOnly: "no print: the file is hollowed, drained, cut and checked",
		Raw:      "no smoothing, no joining, no paint",
		Coloured: "scars dressed and joined; no filling, no primer, no paint",
		Primed:   "no paint",
	}[tier]
}

// Smoothed reports whether a tier is filled, sanded and primed.
func Smoothed(tier string) bool { return tier == Primed || tier == Painted }

// Printed reports whether a tier is printed at all.
func Printed(tier string) bool { return tier != FileOnly }

// Course says what a print passes beside what every one does.
type Course struct {
	Tier       string
	After      []StageKind // between the plate and smoothing, by its process
	Smooth     []StageKind // from the print to the last look, of a tier that is smoothed
	Mask       bool
	Detail     bool
	Weather    bool
	Fit        bool
	ClearFirst bool // the clear coat goes under hand-painted lines
	FitFirst   bool // it is fitted out before the clear coat
	Joined     bool // it becomes part of an assembly, which is packed in its place
}

// Whole returns the kinds of stages done on an assembly in order, whichever part wants them.
func Whole(clearFirst, fitFirst bool) []StageKind {
	c := Course{Tier: Painted, Mask: true, Detail: true, Weather: true, Fit: true, ClearFirst: clearFirst, FitFirst: fitFirst}
	all := c.Stages()
	at := slices.IndexFunc(all, Colours)
	all = append([]StageKind{Insert}, all[at:]...)
	return slices.Insert(all, max(slices.Index(all, Clear), slices.Index(all, Detail), slices.Index(all, Weather))+1, JoinAfter)
}

// Colours reports whether a kind of stage is done on the part itself where it is joined after paint.
func Colours(k StageKind) bool { return k.Traits().Whole && k != Fit && k != Pack }

// Stages returns the stages of a print in order. Masks go on over base coats, so that what lies under them
// stays; a matt clear coat over all but the fitting out.
func (c Course) Stages() []StageKind {
	r := append([]StageKind{Print}, c.After...)
	add := func(wanted bool, kinds ...StageKind) {
		if wanted {
			r = append(r, kinds...)
		}
	}
	painted := c.Tier == Painted
	add(Smoothed(c.Tier) || c.Tier == Coloured, c.Smooth...)
	add(painted, Base)
	add(painted && c.Mask, Mask)
	add(painted, Shade, Light)
	add(painted && c.ClearFirst, Clear)
	add(painted && c.Detail, Detail)
	add(painted && c.Weather, Weather)
	add(c.Fit && c.FitFirst, Fit)
	add(painted && !c.ClearFirst, Clear)
	add(c.Fit && !c.FitFirst, Fit)
	add(!c.Joined, Pack)
	return r
}

// Mark is what became of a stage.
type Mark string

// What may become of a stage.
const (
	Todo     Mark = "todo"
	Done     Mark = "done"
	SentBack Mark = "sent back" // it was done and did not hold; a repeat follows
)

// Stage is one field of a piece's strip.
type Stage struct {
	Kind       StageKind
	Mark       Mark
	PlannedMin float64   // minutes of hands
	BookMin    float64   // of them, by the rate book alone; 0: not known
	Repeat     bool      // it came of a look that sent the piece back
	Rework     bool      // it mends a flaw that a print came off its plate with
	Again      int       // of a stage that sent the piece back: how many stages after it are the repeat
	How        string    // with what: the paper, the primer, the adhesive
	WaitS      int64     // clock time after it, seconds
	Until      time.Time // when that wait ends; zero while it is not done
}

// Stages is a piece's stages in order.
type Stages []Stage

// Now returns the index of the stage that is next, len(s) when all are done.
func (s Stages) Now() int {
	for i, st := range s {
		if st.Mark == Todo {
			return i
		}
	}
	return len(s)
}

// Until returns when the wait before the next stage ends; zero for none. Only the
// stage stamped last can hold up the next.
func (s Stages) Until() time.Time {
	for i := s.Now() - 1; i >= 0; i-- {
		if s[i].Mark == Done {
			return s[i].Until
		}
	}
	return time.Time{}
}

// What can stand in the way of a stamp.
var (
	ErrFinished = errors.New("every stage is stamped")
	ErrOnPlate  = errors.New("the print is stamped when its plate is emptied")
	ErrNoLook   = errors.New("only a look, or a stage after the print, can send a piece back")
)

// WaitError says until when a stage must wait.
type WaitError struct {
	For   string // what is waited for
	Until time.Time
	At    time.Time // when it was asked: of another day, the day is told, too
}

func (e *WaitError) Error() string {
	if e.At.IsZero() || e.At.In(e.Until.Location()).Format(time.DateOnly) == e.Until.Format(time.DateOnly) {
		return e.For + " at " + e.Until.Format("15:04")
	}
	return e.For + " on " + e.Until.Format("Mon 2 Jan, 15:04")
}

// MayStamp says whether the stage that is next can be stamped at a time.
func (s Stages) MayStamp(at time.Time) error {
	i := s.Now()
	switch {
	case i == len(s):
		return ErrFinished
	case s[i].Kind == Print:
		return ErrOnPlate
	}
	if until := s.Until(); at.Before(until) {
		return &WaitError{s.waitedFor(), until, at}
	}
	return nil
}

func (s Stages) waitedFor() string {
	for i := s.Now() - 1; i >= 0; i-- {
		if s[i].Mark == Done {
			return s[i].Kind.Traits().Dry
		}
	}
	return ""
}

// WaitedFor names what the next stage waits for.
func (s Stages) WaitedFor() string { return s.waitedFor() }

// Back says what a look that fails the piece does: the look is struck through and
// the stages from the last `to` before it are repeated after it, second rounds and all.
// The repeat comes back in order, with the plan of the stages it repeats.
func (s Stages) Back(to StageKind) (repeat []Stage, err error) {
	now := s.Now()
	if now == len(s) {
		return nil, ErrFinished
	}
	if s[now].Kind == Print {
		return nil, ErrNoLook
	}
	for i := now; i >= 0; i-- {
		if s[i].Kind == to && s[i].Mark != SentBack {
			return planned(s[i:now+1], true), nil
		}
	}
	return nil, fmt.Errorf("the piece has not been through %q", to.Traits().Name)
}

// Planned returns the stages as they were planned, all still to come: what a piece made
// in the place of another passes. A round that a look repeated stands in it once.
func (s Stages) Planned() []Stage { return planned(s, false) }

// planned takes the repeats out of a strip: where a stage sent the piece back, what is
// done again stands for what was done before it.
func planned(s Stages, repeat bool) (out []Stage) {
	for _, st := range s {
		if st.Rework && !repeat { // a flaw of this print, not of the next
			continue
		}
		out = append(out, Stage{Kind: st.Kind, Mark: Todo, PlannedMin: st.PlannedMin, BookMin: st.BookMin, Repeat: repeat, How: st.How, WaitS: st.WaitS})
		if st.Mark == SentBack {
			out = out[:max(0, len(out)-max(1, st.Again))]
		}
	}
	return out
}

// Paper is the grit that a sanding goes with, "220", where it is one paper's.
func (s Stage) Paper() string {
	rest, ok := strings.CutPrefix(s.How, "P")
	if s.Kind != Sand || !ok {
		return ""
	}
	grit, _, _ := strings.Cut(rest, ",")
	if _, err := strconv.Atoi(grit); err != nil || strings.Contains(rest, " P") {
		return ""
	}
	return grit
}

// AfterPrint is where in a strip work on a print begins, once it was washed, stripped and cured.
func (s Stages) AfterPrint() (at int) {
	for i, st := range s {
		if OfPrint(st.Kind) && st.Mark != SentBack {
			at = i + 1
		}
	}
	return at
}

// OfPrint reports whether a kind of stage makes a print what it is before anybody smooths it.
func OfPrint(k StageKind) bool { return k.Traits().Craft == AtMachines }

// Mends are the stages that can mend a print.
func Mends() []StageKind { return []StageKind{Mend, Fill, Sand} }

// Open is the stage as it was before it was marked.
func (s Stage) Open() Stage {
	s.Mark, s.Again, s.Until = Todo, 0, time.Time{}
	return s
}

// BackTo lists where the stage that is next can send the piece: to every stage
// done before it, the print included, nearest first.
func (s Stages) BackTo() (kinds []StageKind) {
	now := s.Now()
	if now == len(s) || s[now].Kind == Print {
		return nil
	}
	seen := map[StageKind]bool{Look: true}
	for i := now - 1; i >= 0; i-- {
		if k := s[i].Kind; !seen[k] && s[i].Mark == Done {
			seen[k] = true
			kinds = append(kinds, k)
		}
	}
	return kinds
}
