package plan

import (
	"fmt"
	"slices"
	"time"

	ics "github.com/arran4/golang-ical"

	"sakuji/core/route"
	"sakuji/format/csv"
	"sakuji/studio"
)

// Session is what somebody, or a machine, does at a stretch: the same stage of an item's pieces one after
// the other is one.
type Session struct {
	Title     string
	Plate     int    // its number; 0: of none, or nobody has laid it
	Code      string // of its first piece; empty: of none
	Pieces    int
	MachineID int64
	PersonID  int64 // 0: a run
	From, To  time.Time
	Late      bool      // its order is late
	Empties   bool      // a machine waits for it: its run is over
	Minutes   float64   // of it, without the hours in which nobody is there
	Keys      []string  // of its tasks
	Moved     bool      // by hand
	WaitTo    time.Time // what follows waits until then
	Station   string    // that it takes up
	StaysTo   time.Time // until when
	item      int64
	stage     route.StageKind
}

// joinGap is how much may lie between what is done at a stretch. Source: from memory.
const joinGap = 4 * time.Minute

// Sessions are the plan as people read it, by their begin.
func (s Sheet) Sessions() (out []Session) {
	late := map[int64]bool{}
	for _, l := range s.Late {
		late[l.Order.ID] = true
	}
	last := map[int64]int{} // of each person
	for _, t := range s.Tasks {
		x := Session{MachineID: t.MachineID, PersonID: t.PersonID, From: t.From, To: t.To, Pieces: t.Pieces, Late: late[t.OrderID], item: t.Piece.ItemID, stage: t.Stage,
			Minutes: t.Minutes, Keys: []string{t.Key}, Moved: t.Moved, WaitTo: t.WaitTo, Station: t.Station, StaysTo: t.To.Add(time.Duration(t.StayS) * time.Second)}
		if t.Plate >= 0 {
			x = s.atPlate(t, x)
		} else {
			x.Title, x.Code = t.Piece.Name+": "+t.Doing, t.Piece.Code
		}
		if k, ok := last[x.PersonID]; ok && x.PersonID != 0 && x.stage != "" && out[k].stage == x.stage && out[k].item == x.item && x.From.Sub(out[k].To) < joinGap {
			out[k].To, out[k].Late = x.To, out[k].Late || x.Late
			out[k].Pieces += x.Pieces
			out[k].Minutes += x.Minutes
			out[k].Keys, out[k].Moved, out[k].WaitTo, out[k].StaysTo = append(out[k].Keys, x.Keys...), out[k].Moved || x.Moved, x.WaitTo, x.StaysTo
			continue
		}
		if x.PersonID != 0 {
			last[x.PersonID] = len(out)
		}
		out = append(out, x)
	}
	return out
}

// atPlate is what is done at a machine.
func (s Sheet) atPlate(t Task, x Session) Session {
	pl := s.Plates[t.Plate]
	m, _ := s.Shop.Machine(pl.MachineID)
	x.MachineID, x.Plate, x.Pieces = pl.MachineID, pl.Number, len(pl.Pieces)
	switch t.Doing {
	case studio.SetUp:
		x.Title = "Start " + m.Name
	case studio.EmptyIt:
		x.Title, x.Empties = "Empty "+m.Name, true
	case studio.RunOn:
		x.Title = "a plate to lay"
		if pl.Number != 0 {
			x.Title = fmt.Sprintf("Plate %d", pl.Number)
		}
	}
	return x
}

// Of are the sessions of a machine or a person; all for 0 and 0.
func Of(list []Session, machineID, personID int64) []Session {
	return slices.DeleteFunc(slices.Clone(list), func(x Session) bool {
		switch {
		case personID != 0:
			return x.PersonID != personID
		case machineID != 0:
			return x.MachineID != machineID || x.PersonID != 0
		}
		return false
	})
}

// Next is what hands do first to each piece, by its id.
func (s Sheet) Next() map[int64]Task {
	out := map[int64]Task{}
	for _, t := range s.Tasks {
		for _, id := range t.All {
			if _, known := out[id]; !known {
				out[id] = t
			}
		}
	}
	return out
}

// Who is who does a task; empty: a machine.
func (s Sheet) Who(t Task) string {
	p, _ := s.person(t.PersonID)
	return p.Name
}

// who names whose a session is.
func (s Sheet) who(x Session) string {
	for _, p := range s.People {
		if p.ID == x.PersonID {
			return p.Name
		}
	}
	m, _ := s.Shop.Machine(x.MachineID)
	return m.Name
}

// CSV is the plan as a list.
func (s Sheet) CSV() []byte {
	zone := s.Shop.Studio.Zone()
	var list [][]csv.Cell
	for _, x := range s.Sessions() {
		plate := ""
		if x.Plate != 0 {
			plate = fmt.Sprint(x.Plate)
		}
		list = append(list, []csv.Cell{csv.Figure(x.From.In(zone).Format("2006-01-02 15:04")), csv.Figure(x.To.In(zone).Format("2006-01-02 15:04")), csv.Text(s.who(x)), csv.Text(x.Title), csv.Figure(fmt.Sprint(x.Pieces)), csv.Text(x.Code), csv.Figure(plate)})
	}
	return csv.Write([]string{"from", "to", "who", "what", "pieces", "first_piece", "plate"}, list)
}

// Calendar is the plan of a machine or a person as iCalendar; of the whole studio for 0 and 0 [published:
// RFC 5545].
func (s Sheet) Calendar(machineID, personID int64) string {
	c := ics.NewCalendarFor("sakuji")
	c.SetMethod(ics.MethodPublish)
	name := s.Shop.Studio.Name
	for _, x := range Of(s.Sessions(), machineID, personID) {
		who := s.who(x)
		if machineID != 0 || personID != 0 {
			name = who
		}
		e := c.AddEvent(fmt.Sprintf("%d-%d-%d@sakuji", x.From.Unix(), x.MachineID, x.PersonID))
		e.SetDtStampTime(s.Now)
		e.SetStartAt(x.From)
		e.SetEndAt(x.To)
		title := x.Title
		if x.Pieces > 1 {
			title += fmt.Sprintf(" (%d)", x.Pieces)
		}
		if machineID == 0 && personID == 0 {
			title = who + ": " + title
		}
		e.SetSummary(title)
	}
	c.SetXWRCalName(name)
	return c.Serialize()
}
