package studio

import (
	"fmt"
	"math"
	"time"
)

// TimedRun is a time that a machine really took, or that the file prepared for it says it
// will, beside the one worked out by physics alone.
type TimedRun struct {
	MachineID int64
	RunID     int64 // 0: from a prepared file
	What      string
	OursMin   float64
	RealMin   float64
	At        time.Time
}

// believable is by how many times a real time may differ from ours to teach anything: beyond
// it something else happened. Source: from memory.
const believable = 2.5

// Believable reports whether the lesson is to be believed.
func (l TimedRun) Believable() bool {
	return l.OursMin > 0 && l.RealMin > 0 && l.RealMin < believable*l.OursMin && l.OursMin < believable*l.RealMin
}

// Calibration is what timed runs say of a machine.
type Calibration struct {
	Count int
	Log   float64 // of the factor
	Off   float64 // by how much physics alone was off, as a share, on average
}

// Calibrate takes the mean of the ratios' logarithms, drawn toward none as if three timed runs had
// said that physics is right: a few prove little.
func Calibrate(list []TimedRun) (out Calibration) {
	const doubt = 3.0
	for _, l := range list {
		if l.Believable() {
			ratio := math.Log(l.RealMin / l.OursMin)
			out.Count++
			out.Log += ratio
			out.Off += math.Abs(math.Expm1(ratio))
		}
	}
	if n := float64(out.Count); n > 0 {
		out.Log, out.Off = out.Log/(n+doubt), out.Off/n
	}
	return out
}

// Factor is what times by physics are multiplied with; 1 until something was learned.
func (l Calibration) Factor() float64 {
	if l.Count == 0 {
		return 1
	}
	return math.Exp(l.Log)
}

// Text says in a line what was learned.
func (l Calibration) Text() string {
	switch {
	case l.Count == 0:
		return "not taught by a run yet"
	case l.Off < 0.005:
		return fmt.Sprintf("its %d runs took what was planned", l.Count)
	}
	return fmt.Sprintf("× %.2f, taught by %d; off by %.0f %% before", l.Factor(), l.Count, 100*l.Off)
}
