package plan

import (
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/plan"
	"sakuji/studio"
	"sakuji/web/kit"
)

// feedsView is the sheet of the calendars.
type feedsView struct {
	plan.Feeds
	base string
}

// Address is where a calendar is.
func (v feedsView) Address(c studio.Calendar) string { return v.base + "/feed/" + c.Secret + ".ics" }

func (s *Room) feeds(w http.ResponseWriter, r *http.Request) {
	f, err := s.App.Plan.Feeds(r.Context(), kit.PersonOf(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "feeds", kit.Page{Title: "Calendars of the plan", Sheet: "Calendars", Active: "/plan", D: feedsView{f, s.Base(r)}, Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

func (s *Room) addFeed(w http.ResponseWriter, r *http.Request) {
	person, machine := whose(kit.Word(r, "whose"))
	s.Ended(w, r, s.App.Plan.AddCalendar(r.Context(), kit.Owner(r), person, machine), "/plan/calendars", "Its address is on this sheet. Whoever has it sees that plan, until you end it.")
}

func (s *Room) endFeed(w http.ResponseWriter, r *http.Request) {
	s.Ended(w, r, s.App.Plan.EndCalendar(r.Context(), kit.PersonOf(r), kit.PathID(r, "id")), "/plan/calendars", "That address has ended.")
}

// whose is the person or the machine that a choice names; neither: everybody.
func whose(choice string) (person, machine int64) {
	fmt.Sscanf(choice, "person-%d", &person)   //nolint:errcheck // another: everybody
	fmt.Sscanf(choice, "machine-%d", &machine) //nolint:errcheck // another: everybody
	return person, machine
}

// feed sends a calendar to who has its address.
func (s *Room) feed(w http.ResponseWriter, r *http.Request) {
	sheet, c, err := s.App.Plan.Feed(r.Context(), chi.URLParam(r, "secret"), time.Minute)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=300")
	kit.Write(w, "text/calendar; charset=utf-8", "plan.ics", []byte(sheet.Calendar(c.MachineID, c.PersonID)))
}
