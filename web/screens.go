package web

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/today"
	"sakuji/studio"
)

func (s *Server) today(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Today.Today(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if p, _ := r.Context().Value(KeyPerson).(studio.Person); p.Role != studio.Owner {
		sheet.Tasks = slices.DeleteFunc(sheet.Tasks, func(t today.Task) bool { return t.Owner })
	}
	s.show(w, r, "today", Page{Title: "Today", Sheet: "Today", Active: "/", D: todayView{sheet, today.BarNow, nightLine(sheet)},
		Keys: []Key{{"↑ ↓", "move"}, {"Enter", "do it"}, {"F", "find"}, {"1–8", "sheets"}}})
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
	first, _, _ := strings.Cut(name, " ")
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

func (s *Server) find(w http.ResponseWriter, r *http.Request) {
	letters := r.FormValue("q")
	found, err := s.App.Today.Find(r.Context(), letters)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := Page{Title: "Find", Sheet: "Find", D: map[string]any{"Q": letters, "Found": found}, Keys: []Key{{"F", "find"}, {"↑ ↓", "move"}, {"Enter", "open"}}}
	if byHTMX(r) {
		s.render(w, r, http.StatusOK, "find", "found", p)
		return
	}
	s.show(w, r, "find", p)
}

func (s *Server) logbook(w http.ResponseWriter, r *http.Request) {
	before, _ := strconv.ParseInt(r.FormValue("before"), 10, 64)
	list, err := s.App.Logbook(r.Context(), before)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	older := int64(0)
	if len(list) == 60 {
		older = list[len(list)-1].ID
	}
	s.show(w, r, "logbook", Page{Title: "Logbook", Sheet: "Logbook", Active: "/logbook", D: map[string]any{"List": list, "Older": older, "Before": before},
		Keys: []Key{{"F", "find"}, {"O", "older"}}})
}

// file gives a stored file back under its name: a picture to look at, anything else
// to save.
func (s *Server) file(w http.ResponseWriter, r *http.Request) {
	sha, name := chi.URLParam(r, "sha"), chi.URLParam(r, "name")
	f, kind, err := s.App.Models.File(r.Context(), sha)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=86400")
	if kind == "" {
		kind = "application/octet-stream"
		w.Header().Set("Content-Disposition", disposition("attachment", name))
	}
	w.Header().Set("Content-Type", kind)
	http.ServeContent(w, r, "", info.ModTime(), f)
}

// disposition names a file for saving, also one with letters beyond ASCII (RFC 6266).
func disposition(how, name string) string {
	ascii := strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' {
			return '_'
		}
		return r
	}, name)
	return fmt.Sprintf(`%s; filename="%s"; filename*=UTF-8''%s`, how, ascii, percent(name))
}

func percent(name string) string {
	var b strings.Builder
	for _, c := range []byte(name) {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '.' || c == '-' || c == '_' {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

func (s *Server) passTime(w http.ResponseWriter, r *http.Request) {
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
		s.fail(w, r, err)
		return
	}
	s.done(w, r, back(r, "/"), told)
}

func (s *Server) clients(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Orders.Clients(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	orders, err := s.App.Orders.Orders(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	type row struct {
		studio.Client
		Open, All int
	}
	var rows []row
	for _, c := range list {
		rw := row{Client: c}
		for _, o := range orders {
			if o.ClientID == c.ID {
				rw.All++
				if o.Open() {
					rw.Open++
				}
			}
		}
		rows = append(rows, rw)
	}
	s.show(w, r, "clients", Page{Title: "Clients", Sheet: "Clients", Active: "/clients", D: rows, Keys: []Key{{"↑ ↓", "move"}, {"N", "new client"}, {"F", "find"}}})
}

func (s *Server) client(w http.ResponseWriter, r *http.Request) {
	c, orders, err := s.App.Orders.Client(r.Context(), pathID(r, "id"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "client", Page{Title: c.Name, Sheet: "Client", Active: "/clients", D: map[string]any{"C": c, "Orders": orders}, Keys: []Key{{"F", "find"}}})
}

func (s *Server) saveClient(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	c, err := s.App.Orders.SaveClient(r.Context(), owner(r), studio.Client{ID: pathID(r, "id"), Name: f.Text("name"), Email: f.Text("email"),
		Phone: f.Text("phone"), Address: f.Text("address"), Note: f.Text("note"), MayShow: f.Checked("may_show"), MayShare: f.Checked("may_share")})
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, fmt.Sprintf("/clients/%d", c.ID), c.Name+" is saved.")
}

func write(w http.ResponseWriter, kind, name string, data []byte) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", disposition("inline", name))
	w.Header().Set("Content-Length", strconv.Itoa(len(data)))
	w.Write(data) //nolint:errcheck // the reader has gone
}
