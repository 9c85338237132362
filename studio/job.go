package studio

import (
	"time"

	"sakuji/core/solid"
)

// Kinds of long work.
const (
	JobRead    = "read"    // a file that came
	JobAnalyse = "analyse" // faults, bodies, walls, a mesh to turn
	JobMend    = "mend"    // a mended version
	JobReduce  = "reduce"  // one of fewer triangles
	JobUnit    = "unit"    // one taken in another unit
	JobBodies  = "bodies"  // a version for each body
	JobOrient  = "orient"  // orientations, and how each is held
	JobHollow  = "hollow"  // a hollowed version, with drains
	JobCut     = "cut"     // a version for each piece

	JobCalibrate = "calibrate" // a prepared file that teaches a machine
)

// States of a job.
const (
	JobWaiting   = "waiting"
	JobRunning   = "running"
	JobDone      = "done"
	JobFailed    = "failed"
	JobCancelled = "cancelled"
)

// Job is long work in the queue. It survives a restart.
type Job struct {
	ID      int64
	Kind    string
	Batch   string // jobs of one change
	OrderID int64  // where its model becomes an item
	ModelID int64  // what it works on
	MadeID  int64  // what came of it
	SHA     string // the file it reads
	Bytes   int64
	Name    string
	Options JobOptions
	State   string
	Share   float64 // done, 0 to 1
	Note    string  // what it does now, what came of it, or why it failed
	Who     string
	ActorID int64
	At      time.Time
}

// JobOptions are what the change asked for.
type JobOptions struct {
	Each        bool    `json:"each,omitempty"`         // an item for each file
	Triangles   int     `json:"triangles,omitempty"`    // to leave
	DeviationMM float64 `json:"deviation_mm,omitempty"` // or how far the surface may move
	Unit        string  `json:"unit,omitempty"`
	Revises     int64   `json:"revises,omitempty"` // the version that a file takes the place of

	Process     string       `json:"process,omitempty"` // to stand for
	Wishes      solid.Wishes `json:"wishes,omitzero"`
	LayerMM     float64      `json:"layer_mm,omitempty"`    // whose hours count; 0: the machine's
	SupportDeg  float64      `json:"support_deg,omitempty"` // from the vertical, beyond which a face is held; 0: the studio's
	WallMM      float64      `json:"wall_mm,omitempty"`
	Holes       int          `json:"holes,omitempty"` // for each cavity
	HoleMM      float64      `json:"hole_mm,omitempty"`
	Seen        string       `json:"seen,omitempty"` // from where it is looked at: holes keep off
	Turn        [9]float64   `json:"turn,omitzero"`  // how it stands, by rows; none for as its file does
	Axis        string       `json:"axis,omitempty"` // to cut across
	At          []float64    `json:"at,omitempty"`   // where, over the lowest point
	Pegs        int          `json:"pegs,omitempty"`
	PegMM       float64      `json:"peg_mm,omitempty"`
	ClearanceMM float64      `json:"clearance_mm,omitempty"`

	Plate     int     `json:"plate,omitempty"`      // that the file was prepared of, by number
	MachineID int64   `json:"machine_id,omitempty"` // that the file was prepared for
	Scale     float64 `json:"scale,omitempty"`      // of the model in it
}

// Open reports a job that waits or runs.
func (j Job) Open() bool { return j.State == JobWaiting || j.State == JobRunning }

// SetAside is what is told of a job that the program ended with twice: its file is kept.
const SetAside = "The program ended twice while it worked on this file, so that it is set aside. Try again, or mend the file first."

// MayRetry reports a failed job whose file is still there: one that was refused while it was
// read is not kept.
func (j Job) MayRetry() bool {
	return j.State == JobFailed && (j.Note == SetAside || !OneOf(j.Kind, JobRead, JobCalibrate))
}

// Doing says what the job is, for people.
func (j Job) Doing() string {
	switch j.Kind {
	case JobMend:
		return "mending " + j.Name
	case JobReduce:
		return "reducing " + j.Name
	case JobUnit:
		return "taking " + j.Name + " in another unit"
	case JobBodies:
		return "taking " + j.Name + " apart"
	case JobOrient:
		return "looking how " + j.Name + " may stand"
	case JobHollow:
		return "hollowing " + j.Name
	case JobCut:
		return "cutting " + j.Name
	case JobAnalyse:
		return "looking closely at " + j.Name
	}
	return "reading " + j.Name
}

// Percent is how far it is.
func (j Job) Percent() int { return int(100 * j.Share) }
