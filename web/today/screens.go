package today

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"sakuji/app/today"
	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) today(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Today.Today(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if p, _ := r.Context().Value(kit.KeyPerson).(studio.Person); p.Role != studio.Owner {
		sheet.Tasks = slices.DeleteFunc(sheet.Tasks, func(t today.Task) bool { return t.Owner })
	}
	s.Show(w, r, "today", kit.Page{Title: "Today", Sheet: "Today", Active: "/", D: todayView{sheet, today.BarNow, nightLine(sheet)},
		Keys: kit.Keys("↑ ↓", "move", "Enter", "do it", "F", "find", "1–9", "sheets")})
}

// todayView is the sheet with its drawing.
type todayView struct {
	today.TodaySheet
	BarNow float64
	Line   nightView
}

// Greeting says good morning by the clock, and how many things want hands.
func (v todayView) Greeting(name string, zone *time.Location) string {
	h := v.Now.In(zone).Hour()
	when := "Good morning"
	if h >= 18 || h < 4 {
		when = "Good evening"
	} else if h >= 12 {
		when = "Good afternoon"
	}
	first := studio.FirstName(name)
	n := 0
	for _, t := range v.Tasks {
		if t.Tone != today.ToneWait {
			n++
		}
	}
	switch n {
	case 0:
		return fmt.Sprintf("%s, %s. Nothing is pressing.", when, first)
	case 1:
		return fmt.Sprintf("%s, %s. One thing wants hands.", when, first)
	}
	words := []string{"", "", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve"}
	count := strconv.Itoa(n)
	if n < len(words) {
		count = words[n]
	}
	return fmt.Sprintf("%s, %s. %s things want hands.", when, first, count)
}

// nightView is the line of what happened while nobody was here.
type nightView struct {
	Hours []nightHour
	Marks []nightMark
	W     float64
}

type nightHour struct {
	X    float64
	Text string
}

type nightMark struct {
	X, LabelX, LabelY float64
	Text, Tone        string
}

// nightLine lays marks along a line 730 wide, their labels in rows above and below
// so that none covers another.
func nightLine(t today.TodaySheet) nightView {
	v := nightView{W: 730}
	span := t.Now.Sub(t.From).Hours()
	if span <= 0 || len(t.Night) == 0 {
		return v
	}
	zone := t.Studio.Zone()
	x := func(at time.Time) float64 { return 14 + (v.W-28)*at.Sub(t.From).Hours()/span }
	for at := t.From; !at.After(t.Now); at = at.Add(time.Hour) {
		h := nightHour{X: x(at)}
		if at.In(zone).Hour()%3 == 0 {
			h.Text = at.In(zone).Format("15")
		}
		v.Hours = append(v.Hours, h)
	}
	rows := []struct{ y, free float64 }{{26, 0}, {82, 0}, {10, 0}, {98, 0}}
	for _, m := range t.Night {
		mark := nightMark{X: x(m.At), Text: m.Text, Tone: m.Tone, LabelY: -1}
		half := float64(len([]rune(m.Text))) * 3.5
		mark.LabelX = max(half, min(v.W-half, mark.X))
		for i := range rows {
			if mark.LabelX-half >= rows[i].free {
				rows[i].free = mark.LabelX + half + 10
				mark.LabelY = rows[i].y
				break
			}
		}
		v.Marks = append(v.Marks, mark)
	}
	return v
}

func (s *Room) find(w http.ResponseWriter, r *http.Request) {
	letters := r.FormValue("q")
	found, err := s.App.Today.Find(r.Context(), letters)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := kit.Page{Title: "Find", Sheet: "Find", D: map[string]any{"Q": letters, "Found": found}, Keys: kit.Keys("F", "find", "↑ ↓", "move", "Enter", "open")}
	if kit.ByHTMX(r) {
		s.Render(w, r, http.StatusOK, "find", "found", p)
		return
	}
	s.Show(w, r, "find", p)
}

func (s *Room) logbook(w http.ResponseWriter, r *http.Request) {
	before, _ := strconv.ParseInt(r.FormValue("before"), 10, 64)
	list, err := s.App.Logbook(r.Context(), before)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	older := int64(0)
	if len(list) == 60 {
		older = list[len(list)-1].ID
	}
	s.Show(w, r, "logbook", kit.Page{Title: "Logbook", Sheet: "Logbook", Active: "/logbook", D: map[string]any{"List": list, "Older": older, "Before": before},
		Keys: kit.Keys("F", "find", "O", "older")})
}

func (s *Room) passTime(w http.ResponseWriter, r *http.Request) {
	told := "An hour has passed."
	var err error
	if r.PostFormValue("how") == "event" {
		var moved bool
		if moved, err = s.Opts.Demo.ToNext(r.Context()); !moved {
			told = "Nothing ends by itself any more: start a run, or stamp a stage that dries."
		} else {
			told = "Time has passed to the next thing that ended by itself."
		}
	} else {
		err = s.Opts.Demo.Pass(r.Context(), time.Hour)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, kit.Back(r, "/"), told)
}
