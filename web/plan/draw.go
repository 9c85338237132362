package plan

import (
	"cmp"
	"encoding/json"
	"fmt"
	"html/template"
	"net/url"
	"slices"
	"strings"
	"time"

	"sakuji/app/plan"
	"sakuji/core/route"
	"sakuji/studio"
)

// draw lays the day out.
func (v *rollView) draw() {
	v.columns()
	for h := fromHour; h <= untilHour; h++ {
		v.Hours = append(v.Hours, hour{fmt.Sprintf("%02d:00", h), v.y(v.Day.Add(time.Duration(h) * time.Hour))})
	}
	if now := v.Now; !now.Before(v.Day.Add(fromHour*time.Hour)) && now.Before(v.Day.Add(untilHour*time.Hour)) {
		v.NowY, v.ShowsNow = v.y(now), true
	}
	for _, x := range v.Sessions() {
		machine, person, station := v.of("m", x.MachineID), v.of("p", x.PersonID), v.of(x.Station, 0)
		if x.PersonID == 0 {
			v.put(machine, v.block(x))
			continue
		}
		v.put(person, v.block(x))
		if station >= 0 {
			b := v.block(x)
			b.Kind, b.Sub, b.Keys = "station", "", nil
			v.put(station, b)
			v.wait(station, x.To, x.StaysTo)
		}
		if x.Empties && v.shows(x.From) {
			v.Threads = append(v.Threads, thread{v.Columns[machine].X + v.Columns[machine].W - 6, v.Columns[person].X + 4, v.y(x.From)})
		}
	}
	for c, col := range v.Columns {
		for k, b := range col.List {
			if until := b.waitTo; b.Kind == "hands" && k+1 < len(col.List) {
				v.wait(c, b.To, sooner(until, col.List[k+1].From))
			} else if b.Kind == "hands" {
				v.wait(c, b.To, sooner(until, v.Day.Add(untilHour*time.Hour)))
			}
		}
		v.Blocks = append(v.Blocks, col.List...)
	}
}

func sooner(a, b time.Time) time.Time {
	if b.Before(a) {
		return b
	}
	return a
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// there is from when until when a person works that day; zero: not at all.
func (v *rollView) there(personID int64) (from, to time.Time) {
	for _, p := range v.People {
		if spans := v.Shop.Week(p, false)[v.Day.Weekday()]; p.ID == personID && len(spans) > 0 {
			from = v.Day.Add(time.Duration(spans[0].FromMin) * time.Minute)
			to = v.Day.Add(time.Duration(spans[0].ToMin) * time.Minute)
		}
	}
	return from, to
}

// wait hatches a stretch of a column in which what was done there dries, sets or cures, where there is room
// to see it.
func (v *rollView) wait(c int, from, to time.Time) {
	w := block{Kind: "wait", From: from, To: to, X: v.Columns[c].X + 5, W: v.Columns[c].W - 10, Y: v.y(from)}
	if w.H = v.y(to) - w.Y; w.H >= 6 {
		v.Waits = append(v.Waits, w)
	}
}

// of is the column of a machine, a person or a station; −1: it has none.
func (v *rollView) of(kind string, id int64) int {
	for c, col := range v.Columns {
		if col.key == kind && (col.id == id) {
			return c
		}
	}
	return -1
}

// columns shares the width out: machines, hands, and the stations that are used that day.
func (v *rollView) columns() {
	for _, m := range v.Shop.InUse() {
		v.Columns = append(v.Columns, column{Name: m.Name, Sub: m.Process, Machine: true, key: "m", id: m.ID})
	}
	for _, p := range v.People {
		v.Columns = append(v.Columns, column{Name: strings.Fields(p.Name)[0], Sub: v.whenThere(p), PersonID: p.ID, key: "p", id: p.ID})
	}
	for _, name := range []string{route.SprayBooth, route.Outside} {
		if slices.ContainsFunc(v.Tasks, func(t plan.Task) bool {
			return t.Station == name && t.To.After(v.Day) && t.From.Before(v.Day.AddDate(0, 0, 1))
		}) {
			words := strings.Fields(name)
			v.Columns = append(v.Columns, column{Name: studio.UpperFirst(words[len(words)-1]), Sub: "station", Station: true, key: name})
		}
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
	if from, to := v.there(col.PersonID); b.Kind == "hands" && !to.IsZero() { // what goes on the next day ends with this one's hours
		if b.To.After(to) {
			b.To, b.waitTo = to, to
		}
		b.From = later(b.From, from)
	}
	if n := len(col.List); n > 0 && b.Kind == "hands" && v.small(b) && col.List[n-1].short && b.From.Sub(col.List[n-1].To) < shortGap { // too thin to be read one by one
		last := &col.List[n-1]
		last.things++
		last.To, last.H, last.Late = b.To, max(3, v.y(b.To)-last.Y), last.Late || b.Late
		last.Title, last.Sub, last.Link, last.Keys = studio.Say(last.things, "short task"), "until "+b.To.In(v.Day.Location()).Format("15:04"), "#hands", nil
		last.waitTo = b.waitTo
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
	b := block{Kind: "hands", From: x.From, To: x.To, Title: x.Title, Late: x.Late, Link: "/plates", Sub: studio.Hours(x.Minutes),
		Moved: x.Moved, Keys: x.Keys, PersonID: x.PersonID, waitTo: x.WaitTo}
	switch {
	case x.Code != "":
		b.Link = "/bench/" + x.Code
	case x.Plate != 0:
		b.Link = fmt.Sprintf("/plates/%d", x.Plate)
	}
	if x.PersonID == 0 {
		b.Kind, b.Late, b.Keys = "run", false, nil
		to := x.To.In(v.Day.Location())
		b.Sub = "until " + to.Format("15:04")
		if to.YearDay() != v.Day.YearDay() {
			b.Sub = "to " + to.Format("Mon 15:04")
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

// HandsOf are the columns of people, with what is theirs that day; that of whoever looks first.
func (v rollView) HandsOf(personID int64) []column {
	out := slices.DeleteFunc(slices.Clone(v.Columns), func(c column) bool { return c.PersonID == 0 })
	slices.SortStableFunc(out, func(a, b column) int {
		return cmp.Compare(btoi(a.PersonID != personID), btoi(b.PersonID != personID))
	})
	return out
}

func btoi(is bool) int {
	if is {
		return 1
	}
	return 0
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

// whenThere is a person’s hours that day.
func (v *rollView) whenThere(p studio.Person) string {
	from, to := v.there(p.ID)
	if to.IsZero() {
		return "not there"
	}
	for _, a := range v.Away() {
		if a.Of(p.ID, 0) && !a.From.After(from) && !a.To.Before(to) {
			return studio.Short("away"+studio.Dash(a.Why), 18)
		}
	}
	return from.Format("15:04") + " to " + to.Format("15:04")
}

// Keyed are the tasks of a block as an address has them.
func (b block) Keyed() template.URL {
	return template.URL(strings.ReplaceAll(url.Values{"task": b.Keys}.Encode(), "+", "%20")) //nolint:gosec // encoded
}

// KeysText are they as the drawing carries them.
func (b block) KeysText() string { return strings.Join(b.Keys, "\n") }

// RollData is what the drawing needs to be moved in.
func (v rollView) RollData() string {
	type hands struct {
		ID   int64   `json:"id"`
		Name string  `json:"name"`
		X    float64 `json:"x"`
		W    float64 `json:"w"`
	}
	data := struct {
		Day   string  `json:"day"`
		Top   float64 `json:"top"`
		Hour  float64 `json:"hour"`
		From  int     `json:"from"`
		Until int     `json:"until"`
		Hands []hands `json:"hands"`
	}{Day: v.Day.Format(time.DateOnly), Top: rollTop, Hour: hourTall, From: fromHour, Until: untilHour}
	for _, c := range v.Columns {
		if c.PersonID != 0 {
			data.Hands = append(data.Hands, hands{c.PersonID, c.Name, c.X, c.W})
		}
	}
	text, _ := json.Marshal(data) //nolint:errcheck // of plain values
	return string(text)
}
