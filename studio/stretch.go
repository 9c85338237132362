package studio

import (
	"slices"
	"time"
)

// Stretch is a time for which somebody's clock ran for the stage that was next of a piece.
type Stretch struct {
	ID         int64
	PersonID   int64
	PieceID    int64
	Shown      string  // the stage and its round, as Piece.Shown has it
	PlannedMin float64 // of hands, for that stage
	From       time.Time
	To         time.Time // zero: it runs
}

// Runs reports whether the clock runs.
func (s Stretch) Runs() bool { return s.To.IsZero() }

// till is when it ended, or now.
func (s Stretch) till(now time.Time) time.Time {
	if s.Runs() || s.To.After(now) {
		return now
	}
	return s.To
}

// Work is the stage of a piece that minutes are of.
type Work struct {
	PieceID int64
	Shown   string
}

func (s Stretch) work() Work { return Work{s.PieceID, s.Shown} }

// HandsMin are the minutes of hands of each stage by clocks that ran until a moment. Whose clock ran for several
// pieces at once had two hands all the same: that time is shared among them as their planned minutes are to each
// other.
func HandsMin(list []Stretch, now time.Time) map[Work]float64 {
	out := map[Work]float64{}
	people := map[int64][]Stretch{}
	for _, s := range list {
		if s.till(now).After(s.From) {
			people[s.PersonID] = append(people[s.PersonID], s)
		}
	}
	for _, own := range people {
		var at []time.Time
		for _, s := range own {
			at = append(at, s.From, s.till(now))
		}
		slices.SortFunc(at, time.Time.Compare)
		for k := 1; k < len(at); k++ {
			share(out, own, at[k-1], at[k], now)
		}
	}
	return out
}

// share shares a time, in which nobody began or stopped anything, among what somebody's clock ran for.
func share(out map[Work]float64, own []Stretch, from, to, now time.Time) {
	weights, sum := map[Work]float64{}, 0.0
	for _, s := range own {
		if _, twice := weights[s.work()]; !twice && !s.From.After(from) && !s.till(now).Before(to) {
			weights[s.work()] = max(1, s.PlannedMin)
			sum += max(1, s.PlannedMin)
		}
	}
	for w, weight := range weights {
		out[w] += to.Sub(from).Minutes() * weight / sum
	}
}

// From how much longer than planned on a clock is taken to be forgotten, and how long that is at the least. Source:
// from memory.
const (
	forgottenTimes = 3
	forgottenMin   = 60
)

// Forgotten reports whether a clock that runs has run for so long that somebody should look at it: far longer than
// was planned, or over night.
func (s Stretch) Forgotten(now time.Time, zone *time.Location) bool {
	if !s.Runs() {
		return false
	}
	long := now.Sub(s.From).Minutes()
	return long > max(forgottenMin, forgottenTimes*s.PlannedMin) || s.From.In(zone).YearDay() != now.In(zone).YearDay() && long > forgottenMin
}
