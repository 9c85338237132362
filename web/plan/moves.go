package plan

import (
	"net/http"
	"net/url"
	"strconv"
	"time"

	"sakuji/app/change"
	"sakuji/app/plan"
	"sakuji/studio"
	"sakuji/web/kit"
)

// moveForm is where tasks are to go.
type moveForm struct {
	Task   []string   `form:"task"`
	Person int64      `form:"person"`
	Day    kit.Moment `form:"day"`
	At     string     `form:"at"` // HH:MM
}

// asked reads it by the studio's clock.
func (s *Room) asked(r *http.Request, f moveForm, err error) (plan.Move, error) {
	if err != nil {
		return plan.Move{}, err
	}
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		return plan.Move{}, err
	}
	day := f.Day.In(h.Studio.Zone())
	at, err := time.Parse("15:04", f.At)
	switch {
	case len(f.Task) == 0:
		return plan.Move{}, change.Refuse("Choose what is to be moved.")
	case day.IsZero():
		return plan.Move{}, change.RefuseField("day", "Choose a day.")
	case err != nil:
		return plan.Move{}, change.RefuseField("at", "At: a time of day, as 14:15.")
	}
	y, m, d := day.Date()
	return plan.Move{Keys: f.Task, PersonID: f.Person, At: time.Date(y, m, d, at.Hour(), at.Minute(), 0, 0, day.Location())}, nil
}

// taskView is a task by itself: where it lies, and where it might.
type taskView struct {
	plan.Sheet
	Task  plan.Task
	Keys  []string
	Who   int64
	Day   string
	At    string
	Trial *trialView
}

// task shows one, with what a move would come to when it is asked for.
func (s *Room) task(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[moveForm](r)
	var v taskView
	if err == nil {
		v.Sheet, err = s.App.Plan.Plan(r.Context(), time.Minute)
	}
	if err == nil {
		v.Keys = f.Task
		if len(f.Task) == 0 {
			f.Task = []string{""}
		}
		v.Task, err = v.TaskOf(f.Task[0])
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	from := v.Task.From.In(v.Shop.Studio.Zone())
	v.Who, v.Day, v.At = v.Task.PersonID, from.Format(time.DateOnly), from.Format("15:04")
	if f.At != "" {
		m, err := s.asked(r, f, nil)
		if err == nil {
			var trial plan.Trial
			if trial, err = s.App.Plan.Try(r.Context(), m, time.Minute); err == nil {
				v.Trial = &trialView{trial, m.At.Location(), v.Now}
				v.Who, v.Day, v.At = f.Person, m.At.Format(time.DateOnly), f.At
			}
		}
		if err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Show(w, r, "task", kit.Page{Title: v.Title(v.Task), Sheet: "Move", Active: "/plan", D: v})
}

// try answers what a move would come to, while it is made.
func (s *Room) try(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[moveForm](r)
	m, err := s.asked(r, f, err)
	var t plan.Trial
	if err == nil {
		t, err = s.App.Plan.Try(r.Context(), m, time.Minute)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.RenderPart(w, r, "roll", "trial", trialView{t, m.At.Location(), s.App.Clock.Now()})
}

// trialView is what a move comes to, by the studio's clock.
type trialView struct {
	plan.Trial
	zone *time.Location
	now  time.Time
}

// At writes a time.
func (t trialView) At(x time.Time) string { return studio.ClockText(x.In(t.zone), t.now.In(t.zone)) }

// move moves tasks by hand.
func (s *Room) move(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[moveForm](r)
	m, err := s.asked(r, f, err)
	if err == nil {
		err = s.App.Plan.Move(r.Context(), s.Hand(r), m, time.Minute)
	}
	s.Ended(w, r, err, "/plan?day="+m.At.Format(time.DateOnly), "It is moved, and stays there.")
}

// lock has tasks stay where they are; free lets them go.
func (s *Room) lock(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[moveForm](r)
	if err == nil {
		err = s.App.Plan.Lock(r.Context(), s.Hand(r), f.Task, time.Minute)
	}
	s.Ended(w, r, err, back(f), "It stays where it is.")
}

func (s *Room) free(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[moveForm](r)
	if err == nil {
		err = s.App.Plan.Free(r.Context(), s.Hand(r), f.Task)
	}
	s.Ended(w, r, err, back(f), "The plan places it again.")
}

func (s *Room) undo(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[moveForm](r)
	if err == nil {
		err = s.App.Plan.Undo(r.Context(), s.Hand(r))
	}
	s.Ended(w, r, err, back(f), "Taken back.")
}

// back is the day that somebody came from.
func back(f moveForm) string {
	if day := f.Day.In(time.UTC); !day.IsZero() {
		return "/plan?" + url.Values{"day": {day.Format(time.DateOnly)}}.Encode()
	}
	return "/plan"
}

// changes shows how the plan differs from the one that was agreed on.
func (s *Room) changes(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plan.Plan(r.Context(), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	list := sheet.Differences()
	s.Show(w, r, "changes", kit.Page{Title: "What has changed", Sheet: "Schedule", Active: "/plan", D: changesView{sheet, list},
		Block: kit.Block("Changes", strconv.Itoa(len(list))), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

type changesView struct {
	plan.Sheet
	List []plan.Difference
}

// Orders are the changes of when orders are ready; Tasks those of the coming days.
func (v changesView) Orders() (out []plan.Difference) { return v.of(true) }

// Tasks are those of tasks.
func (v changesView) Tasks() (out []plan.Difference) { return v.of(false) }

func (v changesView) of(orders bool) (out []plan.Difference) {
	for _, d := range v.List {
		if (d.OrderID != 0) == orders {
			out = append(out, d)
		}
	}
	return out
}

func (s *Room) agree(w http.ResponseWriter, r *http.Request) {
	s.Ended(w, r, s.App.Plan.Agree(r.Context(), s.Hand(r), time.Minute), "/plan", "This is the plan now.")
}

func (s *Room) keep(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Keep bool `form:"keep"`
	}](r)
	told := "The agreed plan is kept: only what cannot be is other."
	if !f.Keep {
		told = "The plan may change for a better one."
	}
	if err == nil {
		err = s.App.Plan.Keep(r.Context(), s.Hand(r), f.Keep)
	}
	s.Ended(w, r, err, "/plan/changes", told)
}

// away shows who is not there, and the weather.
func (s *Room) away(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Plan.Away(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "away", kit.Page{Title: "Away, and the weather", Sheet: "Away", Active: "/plan", D: v})
}

func (s *Room) addAway(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Whose string     `form:"whose"`
		From  kit.Moment `form:"from"`
		To    kit.Moment `form:"to"`
		Why   string     `form:"why"`
	}](r)
	h, err2 := s.App.Setup.Shop(r.Context())
	if err == nil {
		err = err2
	}
	zone := h.Studio.Zone()
	x := studio.Absence{From: f.From.In(zone), To: f.To.In(zone), Why: f.Why}
	if err == nil && (x.From.IsZero() || x.To.IsZero()) {
		err = change.RefuseField("from", "From and until: choose both.")
	}
	if err == nil {
		x.PersonID, x.MachineID = whose(f.Whose)
		if x.To.Hour() == 0 && x.To.Minute() == 0 { // a day: to its end
			x.To = x.To.AddDate(0, 0, 1)
		}
		err = s.App.Plan.AddAbsence(r.Context(), s.Hand(r), x)
	}
	s.Ended(w, r, err, "/plan/away", "Noted; the plan minds it.")
}

func (s *Room) dropAway(w http.ResponseWriter, r *http.Request) {
	s.Ended(w, r, s.App.Plan.DropAbsence(r.Context(), s.Hand(r), kit.PathID(r, "id")), "/plan/away", "Taken back.")
}

func (s *Room) weather(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Day  kit.Moment `form:"day"`
		From string     `form:"from"`
		To   string     `form:"to"`
	}](r)
	if err == nil {
		err = s.App.Plan.SayWeather(r.Context(), s.Hand(r), f.Day.In(time.UTC), f.From, f.To)
	}
	s.Ended(w, r, err, "/plan/away", "Noted; what is sprayed outside minds it.")
}
