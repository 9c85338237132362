package studio

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/core/process"
	"sakuji/core/rates"
)

// HoldAfter is how many runs in a row may fail before a machine is held until a cause is named.
// Source: common practice.
const HoldAfter = 2

// Remedy is what was put right on a machine, or of a model, after failures: one thing.
type Remedy struct {
	ID        int64
	MachineID int64
	ModelID   int64 // of which something was put right; 0: of the machine
	PersonID  int64
	At        time.Time
	Cause     string
	Did       string
}

// Check says what is wrong with it.
func (r Remedy) Check() (v rates.Invalid) {
	v.Need(OneOf(r.Cause, Causes()...) && r.Cause != process.Unknown, "cause", "name the cause: one of the list")
	v.Need(strings.TrimSpace(r.Did) != "" && len(r.Did) <= 300, "did", "say what was put right, in a few words")
	return v
}

// Failed reports whether a print of the plate's run failed.
func (pl Plate) Failed() bool {
	return slices.ContainsFunc(pl.Pieces, func(o OnPlatePiece) bool { return o.Outcome == Failed })
}

// FailedInRow are the causes of a machine's runs that failed one after another, the newest first,
// since something was put right last. emptied are its plates, newest first.
func FailedInRow(emptied []Plate, putRight time.Time) (causes []string) {
	for _, pl := range emptied {
		if !pl.Failed() || pl.Run == nil || !pl.Run.Ended.After(putRight) {
			break
		}
		at := slices.IndexFunc(pl.Pieces, func(o OnPlatePiece) bool { return o.Outcome == Failed })
		causes = append(causes, pl.Pieces[at].Cause)
	}
	return causes
}

// Held says why a machine must not run before a cause is named; empty: it may. What only files are to
// blame for does not hold it.
func (m Machine) Held(inRow []string) string {
	if len(inRow) < HoldAfter || !slices.ContainsFunc(inRow[:HoldAfter], func(cause string) bool { return process.FaultOf(cause).Whose != process.Files }) {
		return ""
	}
	return fmt.Sprintf("%s is held: %d runs in a row failed (%s). Name the cause and what was put right, then it may run.", m.Name, len(inRow), joinAnd(inRow))
}

// ModelRun is a run that prints of a model lay in.
type ModelRun struct {
	ModelID, MachineID int64
	Ended              time.Time
	Causes             []string // of those of its prints that failed
	Through            int      // of its prints
}

// FileHeld says why no print of a model is laid before somebody says what is changed of it: in its last
// runs all its prints failed, and the file is to blame. runs are those with prints of it, newest first; what
// was put right is later than what it put right.
func FileHeld(name string, runs []ModelRun, putRight time.Time) (why, cause string, machineID int64) {
	n := 0
	for _, r := range runs {
		at := slices.IndexFunc(r.Causes, func(c string) bool { return process.FaultOf(c).Whose == process.Files })
		if at < 0 || r.Through > 0 || !r.Ended.After(putRight) {
			break
		}
		if n++; n == 1 {
			cause, machineID = r.Causes[at], r.MachineID
		}
	}
	if n < HoldAfter {
		return "", "", 0
	}
	return fmt.Sprintf("%s failed in %d runs in a row, and the file is to blame (%s). Say what is changed of it.", name, n, cause), cause, machineID
}

// ReadyCheck is something to look at before a run starts.
type ReadyCheck struct {
	Key  string
	Text string
	Why  string // it is asked now; empty: always
}

// winter are the months in which a room is asked after. Source: from memory; the northern half.
var winter = []time.Month{time.October, time.November, time.December, time.January, time.February, time.March, time.April}

// Ready are the things to look at before a run, fitted to the process, what the machine did last, the
// season and what the plate takes.
func (h Shop) Ready(m Machine, grams float64, last []string, worn []Worn, now time.Time) (out []ReadyCheck) {
	because := ""
	if len(last) > 0 {
		because = "the last run failed: " + last[0]
		out = append(out, ReadyCheck{"putright", "the last cause put right", because})
	}
	cold := slices.Contains(winter, now.In(h.Studio.Zone()).Month())
	for _, c := range process.Of(m.Process).Checks {
		why, asked := "", c.OnlyAfter == "" && !c.Cold
		switch text := wornText(worn, c.Wear); {
		case text != "":
			why, asked = text, true
		case c.OnlyAfter != "" && slices.Contains(last, c.OnlyAfter):
			why, asked = because, true
		case c.Because:
			why = because
		case c.Cold && cold:
			why, asked = "it is the cold half of the year", true
		}
		if asked {
			out = append(out, ReadyCheck{c.Key, strings.Replace(c.Text, "%s", rates.Number(grams), 1), why})
		}
	}
	return out
}

// wornText is what is said of a worn part; empty: nothing.
func wornText(worn []Worn, what string) string {
	for _, w := range worn {
		if w.What == what {
			return w.Text()
		}
	}
	return ""
}

// Unchanged are the pieces of a plate that failed before and of which nobody has said what is changed
// for this attempt: they do not run again like that.
func (pl Plate) Unchanged(pieces []Piece) (out []Piece) {
	for _, p := range pieces {
		at := slices.IndexFunc(pl.Pieces, func(o OnPlatePiece) bool { return o.PieceID == p.ID })
		if at >= 0 && p.Attempt > 1 && p.State == OnPlate && strings.TrimSpace(pl.Pieces[at].Changed) == "" {
			out = append(out, p)
		}
	}
	return out
}

// Remake is what a flawed piece takes mended, and printed again.
type Remake struct {
	MendMin    float64 // of hands
	HandsMin   float64 // of hands to print it again
	MachineMin float64
	Grams      float64
	Dated      bool
	SlackMin   float64 // left before it is due when it is printed again; of no date nothing is said
}

// MendOrReprint compares mending a piece that came off flawed with printing it again alone. off is when
// it must be off its plate, zero for whenever.
func (h Shop) MendOrReprint(lp LaidPiece, machine Machine, material Material, off, now time.Time) Remake {
	e := h.EstimatePlate(machine, material, []LaidPiece{lp})
	change := h.ChangeMin()
	return Remake{MendMin: h.Book.V("repair.piece"), HandsMin: h.PlateHandsMin(1), MachineMin: e.Minutes, Grams: e.Grams,
		Dated: !off.IsZero(), SlackMin: off.Sub(now).Minutes() - e.Minutes - change}
}

// Text says both in a line.
func (c Remake) Text() string {
	text := fmt.Sprintf("Mended: about %s of hands. Printed again: %s of machine, %s of hands, %s g", HandsText(c.MendMin), Hours(c.MachineMin), HandsText(c.HandsMin), rates.Number(math.Round(c.Grams*10)/10))
	switch {
	case c.Dated && c.SlackMin >= 0:
		text += ", " + Hours(c.SlackMin) + " left before it is due"
	case c.Dated:
		text += ", too late by " + Hours(-c.SlackMin)
	}
	return text + "."
}
