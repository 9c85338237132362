package plan

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/jobs"
	"sakuji/app/plan"
	"sakuji/studio"
	"sakuji/web/kit"
)

// rollView is a day of the plan: time runs down, a column for each machine and each pair of hands.
type rollView struct {
	plan.Sheet
	Looking  bool // the plan is still being worked out
	Day      time.Time
	Columns  []column
	Blocks   []block
	Threads  []thread
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
		title = v.Day.Format("Monday 2 January")
	}
	s.Show(w, r, "roll", kit.Page{Title: title, Sheet: "Schedule", Active: "/plan", D: v,
		Block: kit.Block("Late", fmt.Sprintf("%d of %d", len(v.Late), len(v.Orders))), Keys: kit.Keys("B", "the day before", "N", "the next day", "F", "find")})
}

// on turns the roll to a day: today, when none is asked for, and no further than it reaches.
func (v *rollView) on(asked time.Time, zone *time.Location) {
	today := midnight(v.Now.In(zone))
	last := today
	for _, t := range v.Tasks {
		if day := midnight(t.To.In(zone)); day.After(last) {
			last = day
		}
	}
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

// list sends the plan as CSV.
func (s *Room) list(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plan.Plan(r.Context(), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, "text/csv; charset=utf-8", "plan.csv", sheet.CSV())
}

// possible shows what would have an order ready in time.
func (s *Room) possible(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Plan.Possible(r.Context(), chi.URLParam(r, "no"), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "possible", kit.Page{Title: "Can it be done?", Sheet: "Schedule", Active: "/plan", D: v, Block: kit.Block("Order", v.Order.Number), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

// newFeed gives the calendars a new address.
func (s *Room) newFeed(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Plan.NewFeed(r.Context(), kit.Owner(r)); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/plan", "The calendars have a new address; the one before has ended.")
}

// feed sends a calendar to who has its address.
func (s *Room) feed(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plan.Feed(r.Context(), chi.URLParam(r, "secret"), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var machine, person int64
	switch whose, id, _ := strings.Cut(chi.URLParam(r, "whose"), "-"); whose {
	case "machine":
		machine, _ = strconv.ParseInt(id, 10, 64)
	case "person":
		person, _ = strconv.ParseInt(id, 10, 64)
	}
	w.Header().Set("Cache-Control", "private, max-age=300")
	kit.Write(w, "text/calendar; charset=utf-8", "plan.ics", []byte(sheet.Calendar(machine, person)))
}

// Feed is where a calendar of the plan is; empty: nobody has asked for one.
func (v rollView) Feed(whose string) string {
	st := v.Shop.Studio
	if st.Defaults.Feed == "" {
		return ""
	}
	return st.PublicURL + "/feed/" + st.Defaults.Feed + "/" + whose + ".ics"
}

// draw lays the day out.
func (v *rollView) draw() {
	v.columns()
	for h := fromHour; h <= untilHour; h++ {
		v.Hours = append(v.Hours, hour{fmt.Sprintf("%02d:00", h), v.y(v.Day.Add(time.Duration(h) * time.Hour))})
	}
	if now := v.Now; !now.Before(v.Day.Add(fromHour*time.Hour)) && now.Before(v.Day.Add(untilHour*time.Hour)) {
		v.NowY, v.ShowsNow = v.y(now), true
	}
	at := map[string]int{} // columns by whose they are
	for _, m := range v.Shop.InUse() {
		at[fmt.Sprint("m", m.ID)] = len(at)
	}
	for _, p := range v.People {
		at[fmt.Sprint("p", p.ID)] = len(at)
	}
	for _, x := range v.Sessions() {
		machine, person := at[fmt.Sprint("m", x.MachineID)], at[fmt.Sprint("p", x.PersonID)]
		if x.PersonID == 0 {
			v.put(machine, v.block(x))
			continue
		}
		v.put(person, v.block(x))
		if x.Empties && v.shows(x.From) {
			v.Threads = append(v.Threads, thread{v.Columns[machine].X + v.Columns[machine].W - 6, v.Columns[person].X + 4, v.y(x.From)})
		}
	}
	for c := range v.Columns {
		v.Blocks = append(v.Blocks, v.Columns[c].List...)
	}
}

// columns shares the width out.
func (v *rollView) columns() {
	for _, m := range v.Shop.InUse() {
		v.Columns = append(v.Columns, column{Name: m.Name, Sub: m.Process, Machine: true})
	}
	for _, p := range v.People {
		v.Columns = append(v.Columns, column{Name: strings.Fields(p.Name)[0], Sub: p.Role})
	}
	wide := (rollWide - rollLeft) / float64(max(1, len(v.Columns)))
	for i := range v.Columns {
		v.Columns[i].X, v.Columns[i].W = rollLeft+wide*float64(i), wide
	}
}

// y is where a moment lies, within the roll.
func (v *rollView) y(t time.Time) float64 {
	h := t.Sub(v.Day).Hours() - fromHour
	return rollTop + hourTall*min(untilHour-fromHour, max(0, h))
}

func (v *rollView) shows(t time.Time) bool {
	h := t.Sub(v.Day).Hours()
	return h >= fromHour && h < untilHour
}

// put lays a block into a column, as far as the roll shows it.
func (v *rollView) put(c int, b block) {
	open, shut := v.Day.Add(fromHour*time.Hour), v.Day.Add(untilHour*time.Hour)
	if !b.To.After(open) || !b.From.Before(shut) {
		return
	}
	col := &v.Columns[c]
	col.Each = append(col.Each, b)
	if n := len(col.List); n > 0 && b.Kind == "hands" && v.small(b) && col.List[n-1].short && b.From.Sub(col.List[n-1].To) < shortGap { // too thin to be read one by one
		last := &col.List[n-1]
		last.things++
		last.To, last.H, last.Late = b.To, max(3, v.y(b.To)-last.Y), last.Late || b.Late
		last.Title, last.Sub, last.Link = studio.Say(last.things, "short task"), "until "+b.To.In(v.Day.Location()).Format("15:04"), "#hands"
		return
	}
	b.short, b.things = b.Kind == "hands" && v.small(b), 1
	b.X, b.W, b.Y = col.X+5, col.W-10, v.y(b.From)
	b.H = max(3, v.y(b.To)-b.Y)
	col.List = append(col.List, b)
}

// small reports whether a block has no room for its title.
func (v *rollView) small(b block) bool { return v.y(b.To)-v.y(b.From) < 13 }

// block is a session as it is drawn.
func (v *rollView) block(x plan.Session) block {
	b := block{Kind: "hands", From: x.From, To: x.To, Title: x.Title, Late: x.Late, Link: "/plates", Sub: studio.Hours(x.To.Sub(x.From).Minutes())}
	switch {
	case x.Code != "":
		b.Link = "/bench/" + x.Code
	case x.Plate != 0:
		b.Link = fmt.Sprintf("/plates/%d", x.Plate)
	}
	if x.PersonID == 0 {
		b.Kind, b.Late = "run", false
		to := x.To.In(v.Day.Location())
		b.Sub = "until " + to.Format("15:04")
		if to.YearDay() != v.Day.YearDay() {
			b.Sub = "until " + to.Format("Mon 15:04")
		}
	} else if x.Pieces > 1 {
		b.Sub += ", " + studio.Say(x.Pieces, "piece")
	}
	return b
}

// Short is a block's title as far as it has room.
func (b block) Short() string {
	room := int((b.W - 12) / 6.6)
	if runes := []rune(b.Title); len(runes) > room {
		return string(runes[:max(1, room-1)]) + "…"
	}
	return b.Title
}

// Tells reports whether a block has room for its title, and for more.
func (b block) Tells() bool { return b.H >= 13 }

// TellsMore reports whether there is room for a second line.
func (b block) TellsMore() bool { return b.H >= 32 && b.Sub != "" }

// InTen is a chance as people feel it.
func (v rollView) InTen(chance float64) string {
	switch n := int(10*chance + 0.5); {
	case n == 0:
		return "hardly"
	case n == 10:
		return "as good as sure"
	default:
		return fmt.Sprintf("%d in 10", n)
	}
}

// Hands are the columns of people, with what is theirs that day.
func (v rollView) Hands() []column {
	return slices.DeleteFunc(slices.Clone(v.Columns), func(c column) bool { return c.Machine })
}

// TextX, Right and Bottom are where it is written, and where it ends.
func (b block) TextX() float64 { return b.X + 10 }

func (b block) Right() float64 { return b.X + b.W }

func (b block) Bottom() float64 { return b.Y + b.H }

// TextX is where its head is written.
func (c column) TextX() float64 { return c.X + 6 }

// TextY is where it is written.
func (h hour) TextY() float64 { return h.Y + 4 }

// TextY and SubY are where its lines stand.
func (b block) TextY() float64 { return b.Y + min(14, b.H/2+4.5) }

// SubY is where the second one does.
func (b block) SubY() float64 { return b.Y + 30 }
