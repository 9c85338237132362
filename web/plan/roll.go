package plan

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"sakuji/app/jobs"
	"sakuji/app/plan"
	"sakuji/web/kit"
)

// rollView is a day of the plan: time runs down, a column for each machine and each pair of hands.
type rollView struct {
	plan.Sheet
	Looking  bool // the plan is still being worked out
	Day      time.Time
	Columns  []column
	Blocks   []block
	Waits    []block
	Threads  []thread
	Changes  int
	Hours    []hour
	W, H     float64
	Top      float64
	NowY     float64
	ShowsNow bool
	Before   string // the day before, and after, as addresses name them; empty: the roll ends there
	After    string
}

// column is a machine or a pair of hands.
type column struct {
	Name, Sub string
	X, W      float64
	Machine   bool
	Station   bool
	PersonID  int64
	key       string // m, p, or the station's name
	id        int64
	List      []block // what is drawn in it that day
	Each      []block // what is in it, one by one
}

// block is what lies in a column.
type block struct {
	Title, Sub string
	Link       string
	Kind       string // run, hands, wait
	X, Y, W, H float64
	From, To   time.Time
	Late       bool
	Moved      bool     // by hand
	Keys       []string // of its tasks; none: it cannot be moved
	PersonID   int64
	waitTo     time.Time
	short      bool // too thin for its title by itself
	things     int  // that are one block
}

// thread ties the end of a run to the hands that must be there.
type thread struct{ X1, X2, Y float64 }

type hour struct {
	Text string
	Y    float64
}

// How the roll is drawn, in units of the drawing.
const (
	rollWide  = 1090.0
	rollLeft  = 64.0
	rollTop   = 46.0
	hourTall  = 37.0
	fromHour  = 7
	untilHour = 22
	shortGap  = 10 * time.Minute
)

func (s *Room) roll(w http.ResponseWriter, r *http.Request) {
	v := rollView{W: rollWide, Top: rollTop, H: rollTop + hourTall*(untilHour-fromHour) + 8}
	var err error
	v.Sheet, err = s.App.Plan.Plan(r.Context(), kit.Soon)
	if errors.Is(err, jobs.ErrUnderway) {
		v.Looking, err = true, nil
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	zone := v.Shop.Studio.Zone()
	if v.Looking {
		zone = time.UTC
	}
	f, err := kit.DecodeQuery[struct {
		Day kit.Moment `form:"day"`
	}](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v.on(f.Day.In(zone), zone)
	title := "Schedule" // as long as nobody knows the day's clock
	if !v.Looking {
		v.draw()
		v.Changes = len(v.Differences())
		title = v.Day.Format("Monday 2 January")
	}
	s.Show(w, r, "roll", kit.Page{Title: title, Sheet: "Schedule", Active: "/plan", D: v,
		Block: kit.Block("Late", fmt.Sprintf("%d of %d", len(v.Late), len(v.Orders))), Keys: turning(v.Before, v.After, "↑ ↓", "the blocks", "M", "move", "L", "lock", "Z", "undo")})
}

// datesView is how sure the dates are, and what is better done together.
type datesView struct {
	Dated    []plan.Dated
	Together []plan.Together
	Looking  bool // it is still being worked out
}

// dates is asked for when the roll stands: it takes longer.
func (s *Room) dates(w http.ResponseWriter, r *http.Request) {
	var v datesView
	sheet, err := s.App.Plan.Plan(r.Context(), kit.Soon)
	if err == nil {
		v.Together, err = s.App.Plan.Together(r.Context(), kit.Soon)
	}
	if err == nil {
		v.Dated, err = s.App.Plan.Dates(r.Context(), sheet, kit.Soon)
	}
	if errors.Is(err, jobs.ErrUnderway) {
		v.Looking, err = true, nil
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Fragment(w, r, "roll", "dates", kit.Page{D: v})
}

// InTen is a chance as people feel it.
func (v datesView) InTen(chance float64) string {
	switch n := int(10*chance + 0.5); {
	case n == 0:
		return "hardly"
	case n == 10:
		return "as good as sure"
	default:
		return fmt.Sprintf("%d in 10", n)
	}
}

// GapMin is by how much another plan could be less late at the most, by weight.
func (v rollView) GapMin() float64 { return 60 * v.Gap }

// TellsGap reports whether that is worth a word.
func (v rollView) TellsGap() bool { return v.Gap >= 0 }

// on turns the roll to a day: today, when none is asked for, and no further than it reaches.
func (v *rollView) on(asked time.Time, zone *time.Location) {
	today := midnight(v.Now.In(zone))
	last := v.LastDay(zone)
	v.Day = today
	if asked.After(today) {
		v.Day = midnight(asked)
	}
	if v.Day.After(last) {
		v.Day = last
	}
	if v.Day.After(today) {
		v.Before = v.Day.AddDate(0, 0, -1).Format(time.DateOnly)
	}
	if v.Day.Before(last) {
		v.After = v.Day.AddDate(0, 0, 1).Format(time.DateOnly)
	}
}

func midnight(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, 0, 0, 0, 0, t.Location())
}
