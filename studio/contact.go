package studio

import (
	"errors"
	"fmt"
	"time"

	"sakuji/core/process"
)

// How a machine says that it stands.
const (
	MachineIdle    = "idle"
	MachineRunning = "running"
	MachinePaused  = "paused"
	MachineEnded   = "ended"   // the job went through
	MachineStopped = "stopped" // it did not
)

// Shown is what a machine that answers shows of its job.
type Shown struct {
	State string
	Job   string
	Ended time.Time // of a job that is over
}

func (s Shown) on() bool { return s.State == MachineRunning || s.State == MachinePaused }

// over reports a job that is over, and was begun no earlier than a run: what ended before that is another one, whatever it
// is called. The clocks of a machine and of the studio may differ by a little.
func (s Shown) over(since time.Time) bool {
	return (s.State == MachineEnded || s.State == MachineStopped) && !s.Ended.Before(since.Add(-clocksDiffer))
}

// text is what it shows, in words.
func (s Shown) text() string {
	name := ""
	if s.Job != "" {
		name = " (" + s.Job + ")"
	}
	switch {
	case s.on():
		return "it runs another job" + name
	case s.State == MachineIdle:
		return "it stands idle"
	}
	return "it shows another job" + name + ", which is over"
}

// Source: from memory.
const (
	clocksDiffer = time.Minute
	beginsWithin = 2 * time.Minute // of its start
	sentAtOnce   = 2 * time.Minute // a run that began longer ago was begun by hand at the machine
)

// A Step is what follows from what a machine shows.
type Step int

const (
	StepNone  Step = iota // nothing: it goes on, or has not begun yet
	StepStart             // the start is sent now, for the first and only time
	StepHeard             // it runs, which is new
	StepOver              // it is over
	StepMiss              // it is missing, which is new
)

// Meet says what follows for a run from what its machine shows, and if it is missing, what is shown in its place. A start
// is sent once, and only to a machine that has nothing under way; what becomes of a run that is missing a person says.
func (r Run) Meet(s Shown, now time.Time) (Step, string) {
	missing := ""
	switch {
	case s.Job == r.Job && r.Job != "" && s.on():
		if r.Heard.IsZero() || r.Missing != "" {
			return StepHeard, ""
		}
		return StepNone, ""
	case s.Job == r.Job && r.Job != "" && s.over(r.Started):
		return StepOver, ""
	case r.Sent.IsZero() && r.Missing == "" && !s.on():
		return StepStart, ""
	case !r.Heard.IsZero():
		missing = "It has begun, and is gone: " + s.text() + "."
	case s.on():
		missing = "It has not begun: " + s.text() + "."
	case s.Job != "" && s.Job == r.Before:
		return StepNone, "" // its former job still, which is no alarm
	case now.Sub(r.Sent) > beginsWithin:
		missing = "It has not begun: " + s.text() + "."
	}
	if missing == "" || missing == r.Missing {
		return StepNone, ""
	}
	return StepMiss, missing
}

// Asks is what a person has to say of the run: what its machine shows in its place; nothing where somebody has said that
// all is well as long as it shows that.
func (r Run) Asks() string {
	if r.Ended.IsZero() && r.Missing != r.Seen {
		return r.Missing
	}
	return ""
}

// Send notes that the start of a run is about to be sent: whatever comes of it, it is not sent again.
func (pl Plate) Send(a Act, job, before string) (Plate, Entry, error) {
	run, err := pl.running(job)
	if err != nil {
		return pl, Entry{}, err
	}
	if !run.Sent.IsZero() {
		return pl, Entry{}, fmt.Errorf("the start of plate %d was sent before", pl.Number)
	}
	run.Sent, run.Before = a.At, before
	return pl.with(run), a.entry("start sent", "plate %d", pl.Number).of(0, 0, pl.ID), nil
}

// Hear notes that its machine shows a run.
func (pl Plate) Hear(a Act, job string) (Plate, Entry, error) {
	run, err := pl.running(job)
	if err != nil {
		return pl, Entry{}, err
	}
	if run.Heard.IsZero() {
		run.Heard = a.At
	}
	run.Missing, run.Missed, run.Seen = "", time.Time{}, ""
	return pl.with(run), a.entry("run begun", "plate %d, its machine says", pl.Number).of(0, 0, pl.ID), nil
}

// Miss notes what its machine shows in the place of a run.
func (pl Plate) Miss(a Act, job, shows string) (Plate, Entry, error) {
	run, err := pl.running(job)
	if err != nil {
		return pl, Entry{}, err
	}
	if run.Missed.IsZero() {
		run.Missed = a.At
	}
	run.Missing = shows
	return pl.with(run), a.entry("run missing", "plate %d: %s", pl.Number, LowerFirst(shows)).of(0, 0, pl.ID), nil
}

// running is the run of a plate that is on, of a name.
func (pl Plate) running(job string) (Run, error) {
	if pl.State != PlateRunning || pl.Run == nil || pl.Run.Job != job {
		return Run{}, fmt.Errorf("plate %d does not run any more, or again", pl.Number)
	}
	return *pl.Run, nil
}

func (pl Plate) with(run Run) Plate {
	pl.Run = &run
	return pl
}

// What a person says of a run that is missing.
const (
	MissingWatch  = "watch"  // go on watching
	MissingFailed = "failed" // it failed
	MissingAgain  = "again"  // start it again
)

// SayOfMissing notes what a person says of a run that its machine does not show: all is well as long as that shows what it
// does now; or it failed when it went missing, of a cause that whoever empties the plate finds; or it is started again,
// from its beginning, as another job.
func (pl Plate) SayOfMissing(a Act, what, job string) (Plate, Entry, error) {
	if pl.State != PlateRunning || pl.Run == nil || pl.Run.Asks() == "" {
		return pl, Entry{}, fmt.Errorf("nothing is asked of plate %d any more", pl.Number)
	}
	run := *pl.Run
	switch what {
	case MissingWatch:
		run.Seen = run.Missing
		return pl.with(run), a.entry("run watched on", "plate %d: %s", pl.Number, LowerFirst(run.Missing)).of(0, 0, pl.ID), nil
	case MissingAgain:
		run.Started, run.Job, run.Sent, run.Heard, run.Before, run.Missing, run.Missed, run.Seen = a.At, job, time.Time{}, time.Time{}, "", "", time.Time{}, ""
		return pl.with(run), a.entry("run started again", "plate %d", pl.Number).of(0, 0, pl.ID), nil
	case MissingFailed:
		reports := map[int64]string{}
		for _, o := range pl.Pieces {
			reports[o.PieceID] = process.Unknown
		}
		return pl.Finish(a, run.Missed, reports)
	}
	return pl, Entry{}, errors.New("say what became of it: go on watching, it failed, or start it again")
}
