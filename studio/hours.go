package studio

import (
	"slices"
	"time"

	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/schedule"
)

// Does reports whether a person does a craft.
func (p Person) Does(c route.Craft) bool { return len(p.Crafts) == 0 || slices.Contains(p.Crafts, c) }

// WorksFrom and WorksTo are a person’s hours for a form; empty: as the studio.
func (p Person) WorksFrom() string {
	if p.FromMin == p.ToMin {
		return ""
	}
	return clockOf(p.FromMin)
}

// WorksTo is when they go.
func (p Person) WorksTo() string {
	if p.FromMin == p.ToMin {
		return ""
	}
	return clockOf(p.ToMin)
}

// On reports whether a person’s days are said, and this is one of them.
func (p Person) On(day time.Weekday) bool { return slices.Contains(p.Days, int(day)) }

// WorksWhen sets a person’s days and hours: HH:MM, or nothing for those of the studio.
func (p Person) WorksWhen(days []int, from, to string) (Person, error) {
	var wrong rates.Invalid
	p.Days, p.FromMin, p.ToMin = nil, 0, 0
	for _, d := range days {
		wrong.Need(d >= 0 && d <= 6, "days", "a week has seven days")
		p.Days = append(p.Days, d)
	}
	slices.Sort(p.Days)
	p.Days = slices.Compact(p.Days)
	if from+to != "" {
		a, ok1 := minuteOf(from)
		b, ok2 := minuteOf(to)
		wrong.Need(ok1 && ok2 && b > a, "from", "hours: from and to, as 08:00 and 14:30, or neither for those of the studio")
		p.FromMin, p.ToMin = a, b
	}
	return p, wrong.Err()
}

// Week is when a person works by the week; saturdays adds those to the studio’s own days.
func (h Shop) Week(p Person, saturdays bool) (week schedule.Week) {
	span := schedule.MinuteSpan{FromMin: p.FromMin, ToMin: p.ToMin}
	if p.FromMin == p.ToMin {
		span.FromMin = int(h.Hours().From.Minutes())
		span.ToMin = span.FromMin + int(60*h.Book.V("day.hours"))
	}
	for d := time.Sunday; d <= time.Saturday; d++ {
		on := d >= time.Monday && d <= time.Friday
		if len(p.Days) > 0 {
			on = p.On(d)
		}
		if on || d == time.Saturday && saturdays {
			week[d] = []schedule.MinuteSpan{span}
		}
	}
	return week
}

// Absence is when a person, a machine, or everybody is away.
type Absence struct {
	ID        int64
	PersonID  int64
	MachineID int64 // neither: everybody, and no machine
	From, To  time.Time
	Why       string
}

// Of reports whether an absence is that of a person or a machine.
func (a Absence) Of(personID, machineID int64) bool {
	if personID != 0 {
		return a.PersonID == personID || a.PersonID == 0 && a.MachineID == 0
	}
	return a.MachineID == machineID
}

// MostAbsenceDays is how long one may be.
const MostAbsenceDays = 400

// FineDay is what somebody says of a day’s weather: from when until when it is warm, dry and light enough to
// spray outside; both 0: not at all.
type FineDay struct {
	Day            string // YYYY-MM-DD, of the studio’s clock
	FromMin, ToMin int
}

// From and To are for people; empty where it is not fine at all.
func (f FineDay) From() string { return clockOf(f.FromMin) }

// To is until when.
func (f FineDay) To() string { return clockOf(f.ToMin) }

// Never reports whether it is not fine at all that day.
func (f FineDay) Never() bool { return f.FromMin == f.ToMin }

// FineOn says it of a day: HH:MM, or neither for not at all.
func FineOn(day time.Time, from, to string) (f FineDay, err error) {
	var wrong rates.Invalid
	f.Day = day.Format(time.DateOnly)
	wrong.Need(!day.IsZero(), "day", "choose a day")
	if from+to != "" {
		a, ok1 := minuteOf(from)
		b, ok2 := minuteOf(to)
		wrong.Need(ok1 && ok2 && b > a, "from", "outside: from and to, as 10:00 and 16:30, or neither for not at all")
		f.FromMin, f.ToMin = a, b
	}
	return f, wrong.Err()
}
