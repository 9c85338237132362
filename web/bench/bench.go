package bench

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/pieces"
	"sakuji/app/plan"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// benchView is the bench in the order of the plan.
type benchView struct {
	pieces.BenchSheet
	Marks []route.StageKind
	plan  plan.Sheet
	next  map[int64]plan.Task
}

// planned brings the rows into the order of the plan; what it does not have stays behind it.
func (v *benchView) planned(sheet plan.Sheet) {
	v.plan, v.next = sheet, sheet.Next()
	if v.Filter == pieces.BenchWaiting {
		return
	}
	slices.SortStableFunc(v.Rows, func(a, b pieces.BenchRow) int {
		x, in := v.at(a)
		y, also := v.at(b)
		switch {
		case in != also && in:
			return -1
		case in != also:
			return 1
		}
		return x.From.Compare(y.From)
	})
}

// at is when the plan has hands at a piece’s next stage.
func (v benchView) at(r pieces.BenchRow) (plan.Task, bool) {
	t, ok := v.next[r.ID]
	now := r.Now()
	return t, ok && now != nil && t.Stage == now.Kind
}

// Planned says when, and whose.
func (v benchView) Planned(r pieces.BenchRow) string {
	t, ok := v.at(r)
	if !ok || r.Wait || r.Held != "" {
		return ""
	}
	return studio.ClockText(t.From.In(v.Zone), v.Now.In(v.Zone)) + ", " + studio.FirstName(v.plan.Who(t))
}

// Cautioned is a caution, and the stages on the sheet that it belongs to.
type cautioned struct {
	Stages  []string
	Caution string
}

// Cautions are those of every piece on the sheet that hands can take now, each once.
func (v benchView) Cautions() (out []cautioned) {
	for _, r := range v.Rows {
		now := r.Now()
		if now == nil || r.State != studio.AtBench {
			continue
		}
		text, name := process.Of(r.Process).Caution(now.Kind), now.Kind.Traits().Name
		at := slices.IndexFunc(out, func(c cautioned) bool { return c.Caution == text })
		switch {
		case text == "":
		case at < 0:
			out = append(out, cautioned{[]string{name}, text})
		case !slices.Contains(out[at].Stages, name):
			out[at].Stages = append(out[at].Stages, name)
		}
	}
	return out
}

// shown are the kinds of stages on the sheet, in the order of work.
func shown(rows []pieces.BenchRow) (kinds []route.StageKind) {
	there := map[route.StageKind]bool{}
	for _, r := range rows {
		for _, s := range r.Stages {
			there[s.Kind] = true
		}
	}
	return slices.DeleteFunc(route.All(), func(k route.StageKind) bool { return !there[k] })
}

func (s *Room) bench(w http.ResponseWriter, r *http.Request) {
	if code := r.FormValue("code"); code != "" { // a label typed or scanned
		code = studio.Scanned(code)
		p, err := s.App.Pieces.Piece(r.Context(), code)
		if at, e := s.App.Pieces.Place(r.Context(), code); change.NotFound(err) && e == nil {
			http.Redirect(w, r, "/bench/places/"+at.Code, http.StatusSeeOther)
			return
		}
		switch {
		case err == nil:
			http.Redirect(w, r, "/bench/"+p.Code, http.StatusSeeOther)
		case change.NotFound(err) && studio.SheetOf(code) != "":
			http.Redirect(w, r, studio.SheetOf(code), http.StatusSeeOther)
		case change.NotFound(err):
			s.Refuse(w, r, "No piece and no place has the label "+code+".")
		default:
			s.Fail(w, r, err)
		}
		return
	}
	sheet, err := s.App.Pieces.Bench(r.Context(), r.FormValue("show"), r.FormValue("order"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := benchView{BenchSheet: sheet, Marks: shown(sheet.Rows)}
	if planned, ok := s.App.Plan.Latest(r.Context()); ok {
		v.planned(planned)
	}
	s.Show(w, r, "bench", kit.Page{Title: "On the bench", Sheet: "Bench", Active: "/bench", Bench: true, D: v,
		Keys: kit.Keys("↑ ↓", "move", "Enter", "take it", "H", "in hand", "L", "type a label", "F", "find")})
}

// chooseHand sets whose initials the next stamps carry, without signing out.
func (s *Room) chooseHand(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Hand int64 `form:"hand"`
	}](r)
	var p studio.Person
	if err == nil {
		p, err = s.App.Setup.Person(r.Context(), f.Hand)
	}
	if err == nil && !p.Active {
		err = &change.Refusal{Text: p.Name + " no longer works here."}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Sessions.Put(r.Context(), "hand", p.ID)
	s.Done(w, r, kit.Back(r, "/bench"), p.Name+" stamps now.")
}

// noteAir keeps what the air in the studio is.
func (s *Room) noteAir(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		C        kit.Optional `form:"c" label:"Temperature"`
		Humidity kit.Optional `form:"humidity" label:"Humidity"`
	}](r)
	if err == nil && !f.C.Given {
		err = change.RefuseField("c", "How warm is it? Nothing was noted.")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	reading := studio.AirReading{Reading: finish.Reading{C: f.C.Value, HumidityPercent: finish.UsualHumidityP}}
	if f.Humidity.Given {
		reading.HumidityPercent = f.Humidity.Value
	}
	sooner, later, err := s.App.Pieces.NoteAir(r.Context(), s.Hand(r), reading)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	told := reading.Text() + " is noted."
	switch {
	case later > 0:
		told += " " + studio.UpperFirst(studio.Say(later, "piece")) + " will be dry later."
	case sooner > 0:
		told += " " + studio.UpperFirst(studio.Say(sooner, "piece")) + " will be dry sooner."
	}
	s.Done(w, r, kit.Back(r, "/bench"), told)
}

// Room is the air in the studio, in words.
func (v benchView) Room() string {
	now, said := v.Air.Now(v.Now)
	text := studio.AirReading{Reading: now}.Text()
	if !said {
		return text + ", as the rate book has it"
	}
	return text + ", noted " + studio.ClockText(now.At.In(v.Zone), v.Now.In(v.Zone))
}

// moment is one of a coat’s clock.
type moment struct {
	What string
	At   time.Time
	Over bool // it has come
}

// Moments are those of what lies on top of the piece, in words; those that come to the same are one.
func (v pieceView) Moments() (out []moment) {
	c := v.Clocks
	add := func(what string, at time.Time) {
		if at.IsZero() {
			return
		}
		if n := len(out); n > 0 && out[n-1].At.Equal(at) {
			out[n-1].What += ", " + what
			return
		}
		out = append(out, moment{what, at, !at.After(v.Now)})
	}
	add("worked until", c.Open)
	add("dry to the touch", c.Touch)
	add("takes the next coat", c.Recoat)
	add("takes it until", c.Within)
	add("takes it again", c.Again)
	add("safe to tape, sand or handle", c.Handle)
	add("hard", c.Full)
	slices.SortStableFunc(out, func(a, b moment) int { return a.At.Compare(b.At) })
	return out
}

// pieceView is a piece as somebody has it in hand.
type pieceView struct {
	pieces.PieceSheet
	Hand *pieces.InHand // as the one whose sheet it is has it in hand; nil: they have not begun
}

// MayAlso reports whether something may be laid at the stage that is next, beside what is planned.
func (v pieceView) MayAlso() bool {
	return len(v.Recipes) > 0 && studio.OneOf(v.Kind(), studio.PaintStages()...)
}

func (s *Room) piece(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.Piece(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	hand, err := s.App.Pieces.InHandOf(r.Context(), s.Hand(r).ID, sheet.Piece)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "piece", kit.Page{Title: sheet.Piece.Code, Sheet: sheet.Piece.Code, Active: "/bench", Bench: true, D: pieceView{sheet, hand},
		Block: kit.Block("Order", sheet.Order.Number, "Try", strconv.Itoa(sheet.Attempt)),
		Keys:  kit.Keys("T", "start or pause", "S", "stamp", "W", "something is wrong", "B", "send back", "N", "next piece", "U", "take back")})
}

func (s *Room) stamp(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Minutes kit.Optional  `form:"minutes" label:"Minutes" validate:"gte=0"`
		Note    string        `form:"note"`
		Early   bool          `form:"early"`
		Shown   string        `form:"shown"`
		At      kit.Moment    `form:"at" label:"Done at"`
		Bath    int64         `form:"bath"`
		Check   []string      `form:"check"`
		Laid    map[int64]int `form:"laid" label:"Coats"`
		Also    int           `form:"also"`
		Where   string        `form:"also_region"`
		Coats   int           `form:"also_coats" label:"Coats"`
		Queued  kit.Queued    `form:"queued"`
		Then    string        `form:"then"`
		Next    string        `form:"next"`
	}](r)
	st := studio.Stamp{Minutes: -1, Note: f.Note, Early: f.Early, Shown: f.Shown, Bath: f.Bath, Laid: f.Laid, Checked: len(f.Check)}
	if f.Also != 0 {
		st.Also = studio.AlsoLaid{Number: f.Also, Region: f.Where, Coats: max(1, f.Coats)}
	}
	if f.Minutes.Given {
		st.Minutes = f.Minutes.Value
	}
	st.At = s.When(r, f.At, f.Queued)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	code := chi.URLParam(r, "code")
	p, err := s.App.Pieces.Stamp(r.Context(), s.Hand(r), code, st)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	to := "/bench/" + p.Code
	if f.Then == "next" && f.Next != "" {
		to = "/bench/" + url.PathEscape(f.Next)
	}
	told := p.Code + " is stamped."
	if p.State == studio.PieceDone {
		told = p.Code + " is done."
	}
	s.Done(w, r, to, told)
}

func (s *Room) sendBack(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		To    string `form:"to"`
		Note  string `form:"note"`
		Shown string `form:"shown"`
	}](r)
	code := chi.URLParam(r, "code")
	if err == nil {
		err = s.App.Pieces.SendBack(r.Context(), s.Hand(r), code, route.StageKind(f.To), f.Note, f.Shown)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/bench/"+code, code+" is sent back.")
}

// takeSpare puts a spare in the place of a piece.
func (s *Room) takeSpare(w http.ResponseWriter, r *http.Request) {
	code := chi.URLParam(r, "code")
	taken, err := s.App.Pieces.TakeSpare(r.Context(), s.Hand(r), code)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/bench/"+taken, taken+" stands in for "+code+".")
}

func (s *Room) takeBack(w http.ResponseWriter, r *http.Request) {
	code := chi.URLParam(r, "code")
	if err := s.App.Pieces.TakeBackStamp(r.Context(), s.Hand(r), code); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/bench/"+code, "Taken back. The logbook keeps both.")
}
