package kit

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io"
	"maps"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

//go:embed templates/*.html
var templates embed.FS

// funcs are what templates may call.
func funcs(version string) template.FuncMap {
	return template.FuncMap{
		"hours": studio.Hours, "handsText": studio.HandsText, "ills": studio.Ills, "num": rates.Number, "tier": route.TierName, "outcomeName": studio.OutcomeName, "leavesOut": route.LeavesOut, "adhesives": finish.Adhesives, "schemes": finish.Schemes, "coats": route.Coats, "schemeName": finish.SchemeName, "outline": OutlineSVG, "exploded": ExplodedSVG, "say": studio.Say,
		"traits": route.StageKind.Traits, "process": process.Of, "processes": process.Names, "keep": keep, "dict": dict,
		"version": func() string { return version }, "mul": func(a, b float64) float64 { return a * b },
		"upper": strings.ToUpper, "upperFirst": studio.UpperFirst, "initials": initials, "lines": func(s string) []string { return strings.Split(strings.TrimSpace(s), "\n") },
		"add": func(a, b int) int { return a + b }, "join": strings.Join, "sign": studio.Sign,
		"sub": func(a, b float64) float64 { return a - b }, "neg": func(a float64) float64 { return -a }, "chance": Chance,
		"hatches": func() template.HTML { return hatches }, "costBar": costBar, "patch": patch, "pointName": studio.PointName, "ourPoints": studio.OurPoints, "advised": finish.AdviceAt, "ring": ring, "strokes": strokes, "flawName": flawName, "kindKey": kindKey,
		"licence": studio.LicenceName, "unit": studio.UnitName, "round": millimetres, "dims": dims, "vol": studio.VolumeText, "split": func(s string) []string { a, b, _ := strings.Cut(s, " "); return []string{a, b} }, "div": func(a, b float64) float64 { return a / b },
		"finishRoute": finishRouteName, "hoursBar": HoursBar, "max": func(a, b int) int { return max(a, b) }, "minutes": func(s int64) float64 { return float64(s) / 60 },
		"noFit":       func(trouble string) bool { return strings.Contains(trouble, "fits no machine") },
		"clientLabel": studio.ClientLabel,
		"count":       func(n int) string { return studio.Money{Minor: int64(n), Currency: "JPY"}.Plain() },
		"cond": func(is bool, yes, no string) string {
			if is {
				return yes
			}
			return no
		},
		"whole": func(v float64) string { return fmt.Sprintf("%.0f", v) },
		"ml":    millilitres,
		"pct":   func(v float64) string { return fmt.Sprintf("%.0f %%", v*100) },
	}
}

// keep are the attributes of a form whose refusal is shown beside it, so that what
// was typed stays.
func keep() template.HTMLAttr {
	return `hx-boost="true" hx-target="#notice" hx-swap="innerHTML" hx-push-url="false"`
}

// millimetres writes a length to a tenth, smaller ones to two digits.
func millimetres(mm float64) string {
	if mm != 0 && mm < 2 {
		return fmt.Sprintf("%.2g", mm)
	}
	return fmt.Sprintf("%.1f", mm)
}

// millilitres writes an amount as it can be measured out.
func millilitres(ml float64) string {
	switch {
	case ml >= 100:
		return fmt.Sprintf("%.0f ml", ml)
	case ml >= 0.05:
		return fmt.Sprintf("%.1f ml", ml)
	}
	return "a drop"
}

// dims writes a size.
func dims(mm [3]float64) string {
	return millimetres(mm[0]) + " × " + millimetres(mm[1]) + " × " + millimetres(mm[2]) + " mm"
}

// Chance writes a probability as counts people feel.
func Chance(p float64) string {
	switch {
	case p <= 0:
		return "none"
	case p < 0.005:
		return "under 1 in 100"
	case p < 0.095:
		return fmt.Sprintf("%.0f in 100", p*100)
	case p > 0.95:
		return "almost sure"
	}
	return fmt.Sprintf("%.0f in 10", p*10)
}

// initials of a name, for the title block: "Lantern & Larch" is L&L.
func initials(name string) string {
	if name == "" {
		return "–"
	}
	return studio.Initials(name)
}

func dict(pairs ...any) map[string]any {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	return m
}

// Field is a field of the title block.
type Field struct{ Label, Value string }

// Block makes fields of a title block: label, value, label, value.
func Block(pairs ...string) (out []Field) {
	for i := 0; i+1 < len(pairs); i += 2 {
		out = append(out, Field{pairs[i], pairs[i+1]})
	}
	return out
}

// Key is a key that works on a sheet.
type Key struct{ Key, Does string }

// Keys makes keys of a sheet: key, what it does, key, what it does.
func Keys(pairs ...string) (out []Key) {
	for i := 0; i+1 < len(pairs); i += 2 {
		out = append(out, Key{pairs[i], pairs[i+1]})
	}
	return out
}

// IndexEntry is a sheet in the index.
type IndexEntry struct {
	Digit, Name, Path string
	Owner             bool
}

// Sheets is the index of sheets, in the order of the work.
var Sheets = []IndexEntry{
	{"1", "Today", "/", false}, {"2", "Orders", "/orders", false}, {"3", "Clients", "/clients", false}, {"4", "Models", "/models", false},
	{"5", "Plates", "/plates", false}, {"6", "Schedule", "/plan", false}, {"7", "Bench", "/bench", false}, {"8", "Logbook", "/logbook", false}, {"9", "Studio", "/studio", true}, {"0", "Rate book", "/rates", true},
}

// Page is what every sheet has around its work.
type Page struct {
	Title  string
	Sheet  string
	Active string // path in the index
	Block  []Field
	Keys   []Key
	Bench  bool
	D      any

	Person studio.Person
	Hand   studio.Person
	People []studio.Person // hands that may be chosen at the bench
	Studio studio.Studio
	Now    time.Time
	Theme  string
	Told   string
	Demo   bool
	Path   string
}

// Owner reports whether the person may see prices and change the studio.
func (p Page) Owner() bool { return p.Person.Role == studio.Owner }

// Index is the filing margin.
func (p Page) Index() (out []IndexEntry) {
	for _, e := range Sheets {
		if !e.Owner || p.Owner() {
			out = append(out, e)
		}
	}
	return out
}

// Letters is "off" when the person has switched single-letter keys off.
func (p Page) Letters() string {
	if p.Person.LettersOff {
		return "off"
	}
	return "on"
}

func (p Page) zone() *time.Location { return p.Studio.Zone() }

// Stamp is the date of the title block.
func (p Page) Stamp() string { return p.Now.In(p.zone()).Format("Mon 2 Jan, 15:04") }

// Clock writes a time relative to today.
func (p Page) Clock(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return studio.ClockText(t.In(p.zone()), p.Now.In(p.zone()))
}

// Time writes a time of day.
func (p Page) Time(t time.Time) string { return t.In(p.zone()).Format("15:04") }

// Day writes a date.
func (p Page) Day(t time.Time) string {
	if t.IsZero() {
		return "no date"
	}
	return t.In(p.zone()).Format("Mon 2 Jan 2006")
}

// DayShort writes a date without its year.
func (p Page) DayShort(t time.Time) string { return t.In(p.zone()).Format("Mon 2 Jan") }

// Off says by how much an estimate misses what was.
func (p Page) Off(share float64) string {
	switch percent := math.Round(100 * share); {
	case percent > 0:
		return fmt.Sprintf("%.0f %% too much", percent)
	case percent < 0:
		return fmt.Sprintf("%.0f %% too little", -percent)
	}
	return "on target"
}

// Digits is how many decimals the studio's currency has.
func (p Page) Digits() int32 { return studio.Digits(p.Studio.Currency) }

// DayMS writes a date of Unix milliseconds.
func (p Page) DayMS(ms int64) string { return p.Day(time.UnixMilli(ms)) }

// DayField writes a date for a date field.
func (p Page) DayField(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.In(p.zone()).Format(time.DateOnly)
}

// Moment writes day and time.
func (p Page) Moment(t time.Time) string { return t.In(p.zone()).Format("Mon 2 Jan, 15:04") }

// Money writes an amount in the studio's currency.
func (p Page) Money(minor int64) string { return p.Studio.Money(minor).String() }

// Said is what a line of the logbook says; amounts are the owner's to read.
func (p Page) Said(e studio.Entry) string {
	if !p.Owner() && e.OfMoney() {
		return ""
	}
	return e.Text
}

// Unit writes a unit with the studio's currency in place of ¤.
func (p Page) Unit(u string) string {
	if of, ok := strings.CutPrefix(u, "1/"); ok {
		return "per " + of
	}
	return strings.ReplaceAll(u, "¤", studio.Sign(p.Studio.Currency))
}

// amount writes a figure with its unit, in the singular where it is one.
func (p Page) amount(f rates.Figure) string {
	unit := p.Unit(f.Unit)
	if one, counted := strings.CutSuffix(unit, "s"); f.Value == 1 && counted && len(one) > 3 {
		unit = one
	}
	return rates.Number(f.Value) + " " + unit
}

// WorkView is a figure with its working.
type WorkView struct {
	Text    string
	Title   string
	Formula string
	Inputs  []WorkInput
	Class   string
}

// WorkInput is a line of a working.
type WorkInput struct{ Label, Value, Source string }

// Work makes the view of a working: text is what is shown, class how.
func (p Page) Work(text string, w rates.Working, class string) WorkView {
	v := WorkView{Text: text, Title: w.Result.Label, Formula: w.Formula, Class: class}
	for _, f := range w.Inputs {
		v.Inputs = append(v.Inputs, WorkInput{f.Label, p.amount(f), f.Source})
	}
	return v
}

// StripHTML is the strip as it stands on the sheet. It is written here and not in a
// template: a sheet of thirty pieces has four hundred fields.
func (p Page) StripHTML(piece studio.Piece) template.HTML {
	var b strings.Builder
	b.WriteString(`<span class="strip" role="list" aria-label="stages">`)
	for _, f := range p.Strip(piece) {
		title, inner := template.HTMLEscapeString(f.Title), template.HTMLEscapeString(f.Text)
		class := ""
		if f.Stamp != "" {
			class, inner = ` class="stamp"`, template.HTMLEscapeString(f.Stamp)
		}
		fmt.Fprintf(&b, `<span class="field %s" role="listitem" title="%s" aria-label="%s"><span%s>%s</span></span>`, f.Class, title, title, class, inner)
	}
	b.WriteString(`</span>`)
	return template.HTML(b.String()) //nolint:gosec // every text is escaped above
}

// StripField is a field of a piece's strip as it is drawn.
type StripField struct {
	Class, Text, Title string
	Stamp              string
}

// Strip draws a piece's stages.
func (p Page) Strip(piece studio.Piece) (out []StripField) {
	now := piece.Strip().Now()
	until := piece.Strip().Until()
	for i, s := range piece.Stages {
		m := s.Kind.Traits()
		f := StripField{Text: m.Mark, Title: m.Name}
		paper := s.Paper()
		if paper != "" {
			f.Text = paper
		}
		switch {
		case s.Mark == route.Done:
			f.Class, f.Stamp = "done", s.Initials
			if f.Stamp == "" {
				f.Stamp = m.Mark
			}
			f.Title = fmt.Sprintf("%s: %s, %s, %.0f min", m.Name, s.Initials, p.Clock(s.Done), s.Minutes)
		case s.Mark == route.SentBack:
			f.Class, f.Title = "struck", m.Name+": sent back "+p.Clock(s.Done)
		case i == now && piece.State == studio.AtBench && p.Now.Before(until):
			f.Class, f.Text = "waits", until.In(p.zone()).Format("15:04")
			f.Title = fmt.Sprintf("%s waits: %s %s", m.Name, piece.Strip().WaitedFor(), p.Clock(until))
		case i == now && (piece.State == studio.AtBench || piece.State == studio.OnPlate || piece.State == studio.Waiting):
			f.Class, f.Title = "now", m.Name+": now"
		default:
			f.Class, f.Title = "todo", m.Name+": to come"
		}
		if paper != "" {
			f.Class += " paper"
		}
		if s.How != "" {
			f.Title += ". " + studio.UpperFirst(s.How)
		}
		out = append(out, f)
	}
	return out
}

// page fills in what every sheet has.
func (s *Kit) page(r *http.Request, p Page) (Page, error) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		return p, err
	}
	p.Studio, p.Now, p.Demo, p.Path = h.Studio, s.App.Clock.Now(), s.Opts.Demo != nil, r.URL.RequestURI()
	p.Person, _ = r.Context().Value(KeyPerson).(studio.Person)
	p.Hand = s.HandOf(r, s.Sessions.GetInt64(r.Context(), "hand"))
	if p.Bench {
		if p.People, err = s.hands(r); err != nil {
			return p, err
		}
	}
	p.Theme = Theme(r)
	return p, nil
}

func Theme(r *http.Request) string {
	if c, err := r.Cookie("theme"); err == nil && studio.OneOf(c.Value, "day", "night") {
		return c.Value
	}
	return "auto"
}

// Show renders a page, whole or not at all.
func (s *Kit) Show(w http.ResponseWriter, r *http.Request, name string, p Page) {
	p, err := s.page(r, p)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p.Told = s.TakeTold(w, r)
	s.Render(w, r, http.StatusOK, name, "layout", p)
}

// Fragment renders a part of a page, for a form that stays where it is.
func (s *Kit) Fragment(w http.ResponseWriter, r *http.Request, name, block string, p Page) {
	p, err := s.page(r, p)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, name, block, p)
}

func (s *Kit) Render(w http.ResponseWriter, r *http.Request, status int, name, block string, p Page) {
	var b bytes.Buffer
	if err := s.pages[name].ExecuteTemplate(&b, block, p); err != nil {
		s.Log.Error("template", "id", RequestID(r.Context()), "page", name, "err", err)
		http.Error(w, "This sheet could not be drawn ("+RequestID(r.Context())+").", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	w.Write(withActs(s.withShown(r, b.Bytes()))) //nolint:errcheck // the reader has gone
}

// Part writes a part of a page that needs nothing of the page around it.
func (s *Kit) Part(w io.Writer, name, block string, data any) error {
	return s.pages[name].ExecuteTemplate(w, block, data)
}

// RenderPart answers with such a part.
func (s *Kit) RenderPart(w http.ResponseWriter, r *http.Request, name, block string, data any) {
	var b bytes.Buffer
	if err := s.Part(&b, name, block, data); err != nil {
		s.Log.Error("template", "id", RequestID(r.Context()), "page", name, "err", err)
		http.Error(w, "This could not be drawn.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Write(b.Bytes()) //nolint:errcheck // the reader has gone
}

// ByHTMX reports a request made by a form that stays on its page.
func ByHTMX(r *http.Request) bool { return r.Header.Get("HX-Request") == "true" }

// Done ends a change: the browser goes to a sheet, which tells what was done.
func (s *Kit) Done(w http.ResponseWriter, r *http.Request, to, told string) {
	if err := s.App.Answered(context.WithoutCancel(r.Context()), to, told); err != nil {
		s.Log.Error("act", "id", RequestID(r.Context()), "err", err)
	}
	s.lead(w, r, to, told)
}

// Ended ends a change that may have been refused.
func (s *Kit) Ended(w http.ResponseWriter, r *http.Request, err error, to, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, to, told)
}

func (s *Kit) lead(w http.ResponseWriter, r *http.Request, to, told string) {
	if told != "" {
		s.tell(w, told)
	}
	if ByHTMX(r) {
		w.Header().Set("HX-Redirect", to)
		w.WriteHeader(http.StatusOK)
		return
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// Fail answers an error: a refusal with its reason, what is not there with 404, and
// everything else with an id that the log carries too.
func (s *Kit) Fail(w http.ResponseWriter, r *http.Request, err error) {
	var refusal *change.Refusal
	var confirm *studio.Confirm
	var tooLarge *http.MaxBytesError
	switch {
	case r.Context().Err() != nil: // the reader has gone
	case errors.As(err, &refusal):
		s.refuse(w, r, refusal)
	case errors.Is(err, change.ErrTwice):
		s.again(w, r)
	case errors.As(err, &confirm):
		s.ask(w, r, confirm)
	case errors.As(err, &tooLarge):
		s.Refuse(w, r, fmt.Sprintf("That is more than %d MB at once; nothing of it was kept.", tooLarge.Limit>>20))
	case change.NotFound(err):
		s.ErrorPage(w, r, http.StatusNotFound, "There is no such sheet.", "")
	case store.Unwritable(err) != nil:
		why := store.Unwritable(err)
		s.Log.Error("cannot write", "id", RequestID(r.Context()), "path", openPath(r.URL.Path), "err", err)
		s.ErrorPage(w, r, http.StatusInsufficientStorage, studio.UpperFirst(why.Error())+": nothing was saved. What is there can be read. Make room, then send it again.", "")
	default:
		s.Log.Error("request failed", "id", RequestID(r.Context()), "path", openPath(r.URL.Path), "err", err)
		s.ErrorPage(w, r, http.StatusInternalServerError, "This could not be done, and nothing was changed.", RequestID(r.Context()))
	}
}

// Refuse answers with what is wrong.
func (s *Kit) Refuse(w http.ResponseWriter, r *http.Request, text string) {
	s.refuse(w, r, &change.Refusal{Text: text})
}

// refuse says what is wrong, beside the form where it can: a field that is named carries its
// own word.
func (s *Kit) refuse(w http.ResponseWriter, r *http.Request, refusal *change.Refusal) {
	block, p := "bare", Page{Title: "Not done", Theme: Theme(r), Now: s.App.Clock.Now(), D: map[string]any{"Text": refusal.Text, "ID": "", "Refused": true, "Fields": refusal.Fields}}
	if ByHTMX(r) {
		block = "refusal"
	}
	s.Render(w, r, http.StatusUnprocessableEntity, "error", block, p)
}

// ask puts a question to whoever sent a form: it is sent again, with a yes, when it is meant.
func (s *Kit) ask(w http.ResponseWriter, r *http.Request, q *studio.Confirm) {
	p := Page{Title: "One question", Theme: Theme(r), Now: s.App.Clock.Now(), D: map[string]any{"Text": q.Text, "Yes": q.Yes, "Action": r.URL.RequestURI(), "Again": againOf(r)}}
	block := "bare"
	if ByHTMX(r) {
		block = "question"
	}
	s.Render(w, r, http.StatusUnprocessableEntity, "question", block, p)
}

// againOf is what a form has sent, to be sent again.
func againOf(r *http.Request) (again [][2]string) {
	for _, name := range slices.Sorted(maps.Keys(r.PostForm)) {
		for _, v := range r.PostForm[name] {
			again = append(again, [2]string{name, v})
		}
	}
	return again
}

// ErrorPage says what is wrong; it needs nothing that could fail.
func (s *Kit) ErrorPage(w http.ResponseWriter, r *http.Request, status int, text, id string) {
	s.Render(w, r, status, "error", "bare", Page{Title: "Not done", Theme: Theme(r), Now: s.App.Clock.Now(), D: map[string]any{"Text": text, "ID": id, "Fields": []rates.Wrong(nil), "Refused": status == http.StatusUnprocessableEntity}})
}
