package plan

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"sakuji/app/jobs"
	"sakuji/app/plan"
	"sakuji/studio"
	"sakuji/web/kit"
)

// weeksView is days of the plan, a row each: how full hands and machines are, and what they mostly do.
type weeksView struct {
	plan.Sheet
	Looking   bool
	Month     bool
	Columns   []column
	Rows      []dayRow
	Before    string
	After     string
	FullUntil time.Time
	Changes   int
	Path      string
}

// dayRow is a day with a cell for each column.
type dayRow struct {
	Day   time.Time
	Today bool
	Free  bool // nobody works
	Cells []dayCell
	Dues  []studio.Order
}

// dayCell is a day of a person or a machine.
type dayCell struct {
	plan.Load
	Machine bool
	Does    []string // what takes most of it, the longest first
}

// Tenths is how full it is, for its bar.
func (c dayCell) Tenths() float64 { return 100 * c.Share() }

// Hours is what is planned.
func (c dayCell) Hours() string { return studio.Hours(c.BusyMin) }

// Full reports whether nothing more fits.
func (c dayCell) Full() bool { return c.OpenMin > 0 && c.Share() >= 0.95 }

// mostDoes is how many things a cell of a week names.
const mostDoes = 3

func (s *Room) week(w http.ResponseWriter, r *http.Request)  { s.weeks(w, r, 7) }
func (s *Room) month(w http.ResponseWriter, r *http.Request) { s.weeks(w, r, 35) }

// weeks shows so many days, from a Monday on.
func (s *Room) weeks(w http.ResponseWriter, r *http.Request, days int) {
	v := weeksView{Month: days > 7, Path: r.URL.Path}
	var err error
	v.Sheet, err = s.App.Plan.Plan(r.Context(), kit.Soon)
	if errors.Is(err, jobs.ErrUnderway) {
		v.Looking, err = true, nil
	}
	var f dayForm
	if err == nil {
		f, err = kit.DecodeQuery[dayForm](r)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	title := "Schedule"
	if !v.Looking {
		first := v.lay(f.Day.In(v.Shop.Studio.Zone()), days)
		title = fmt.Sprintf("Week of %s", first.Format("2 January"))
		if v.Month {
			title = fmt.Sprintf("Five weeks from %s", first.Format("2 January"))
		}
	}
	s.Show(w, r, "weeks", kit.Page{Title: title, Sheet: "Schedule", Active: "/plan", D: v,
		Block: kit.Block("Late", fmt.Sprintf("%d of %d", len(v.Late), len(v.Orders))), Keys: turning(v.Before, v.After, "F", "find")})
}

// turning are the keys that turn a sheet on and back, where there is something, beside others.
func turning(before, after string, keys ...string) []kit.Key {
	if after != "" {
		keys = append(keys, "N", "further on")
	}
	if before != "" {
		keys = append(keys, "B", "back")
	}
	return kit.Keys(keys...)
}

type dayForm struct {
	Day kit.Moment `form:"day"`
}

// lay fills the rows, and says which day is the first: the Monday of the week that is asked for, no earlier
// than this one's, no later than that of the last thing planned.
func (v *weeksView) lay(asked time.Time, days int) (first time.Time) {
	zone := v.Shop.Studio.Zone()
	today := midnight(v.Now.In(zone))
	monday := func(t time.Time) time.Time { return t.AddDate(0, 0, -int(t.Weekday()+6)%7) }
	last := v.LastDay(zone)
	first = monday(today)
	if m := monday(midnight(asked)); !asked.IsZero() && m.After(first) {
		first = m
	}
	if m := monday(last); first.After(m) {
		first = m
	}
	if first.After(monday(today)) {
		v.Before = first.AddDate(0, 0, -days).Format(time.DateOnly)
	}
	if next := first.AddDate(0, 0, days); !next.After(last) {
		v.After = next.Format(time.DateOnly)
	}
	for _, m := range v.Shop.InUse() {
		v.Columns = append(v.Columns, column{Name: m.Name, Machine: true, id: m.ID})
	}
	for _, p := range v.People {
		v.Columns = append(v.Columns, column{Name: strings.Fields(p.Name)[0], PersonID: p.ID, id: p.ID})
	}
	v.FullUntil, v.Changes = v.Sheet.FullUntil(zone), len(v.Differences())
	sessions := v.Sessions()
	for k := range days {
		v.Rows = append(v.Rows, v.row(first.AddDate(0, 0, k), today, sessions))
	}
	return first
}

// row is a day.
func (v *weeksView) row(day, today time.Time, sessions []plan.Session) (row dayRow) {
	row = dayRow{Day: day, Today: day.Equal(today), Free: true, Dues: v.Dues(day)}
	next := day.AddDate(0, 0, 1)
	for _, c := range v.Columns {
		cell := dayCell{Machine: c.Machine}
		if c.Machine {
			cell.Load = v.MachineLoad(c.id, day, next)
		} else {
			cell.Load = v.PersonLoad(c.id, day, next)
			row.Free = row.Free && cell.OpenMin == 0
		}
		if !v.Month && !c.Machine {
			cell.Does = mostly(sessions, c.id, day, next)
		}
		row.Cells = append(row.Cells, cell)
	}
	return row
}

// mostly is what takes most of a person’s day.
func mostly(sessions []plan.Session, personID int64, from, to time.Time) (out []string) {
	long := map[string]time.Duration{}
	for _, x := range plan.Of(sessions, 0, personID) {
		a, b := x.From, x.To
		if a.Before(from) {
			a = from
		}
		if b.After(to) {
			b = to
		}
		if b.After(a) {
			if long[x.Title] == 0 {
				out = append(out, x.Title)
			}
			long[x.Title] += b.Sub(a)
		}
	}
	slices.SortStableFunc(out, func(a, b string) int { return int(long[b] - long[a]) })
	if n := len(out); n > mostDoes {
		out = append(out[:mostDoes], fmt.Sprintf("and %d more", n-mostDoes))
	}
	return out
}

// sheetView is a week to print, person by person.
type sheetView struct {
	plan.Sheet
	People []personWeek
	First  time.Time
}

type personWeek struct {
	Name string
	Days []personDay
}

type personDay struct {
	Day  time.Time
	Each []plan.Session
}

// sheet is the week on paper.
func (s *Room) sheet(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plan.Plan(r.Context(), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	zone := sheet.Shop.Studio.Zone()
	v := sheetView{Sheet: sheet, First: midnight(sheet.Now.In(zone))}
	all := sheet.Sessions()
	for _, p := range sheet.People {
		pw := personWeek{Name: p.Name}
		mine := plan.Of(all, 0, p.ID)
		for k := range 7 {
			d := personDay{Day: v.First.AddDate(0, 0, k)}
			for _, x := range mine {
				if midnight(x.From.In(zone)).Equal(d.Day) {
					d.Each = append(d.Each, x)
				}
			}
			if len(d.Each) > 0 {
				pw.Days = append(pw.Days, d)
			}
		}
		v.People = append(v.People, pw)
	}
	s.Show(w, r, "weeksheet", kit.Page{Title: "Week from " + v.First.Format("Monday 2 January"), Sheet: "Week sheet", Active: "/plan", D: v})
}
