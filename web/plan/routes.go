// Package plan is the schedule's sheet: the roll of a day.
package plan

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where the plan is shown.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/plan", s.roll)
	r.Get("/plan.csv", s.list)
	r.Get("/plan/possible/{no}", s.possible)
	r.Get("/plan/calendars", s.feeds)
	r.Post("/plan/calendars", s.addFeed)
	r.Post("/plan/calendars/{id}/end", s.endFeed)
	r.Get("/plan/dates", s.dates)
	r.Get("/plan/week", s.week)
	r.Get("/plan/month", s.month)
	r.Get("/plan/sheet", s.sheet)
	r.Get("/plan/task", s.task)
	r.Get("/plan/try", s.try)
	r.Post("/plan/move", s.move)
	r.Post("/plan/lock", s.lock)
	r.Post("/plan/free", s.free)
	r.Post("/plan/undo", s.undo)
	r.Get("/plan/changes", s.changes)
	r.Post("/plan/agree", s.agree)
	r.Post("/plan/keep", s.keep)
	r.Get("/plan/away", s.away)
	r.Post("/plan/away", s.addAway)
	r.Post("/plan/away/{id}/drop", s.dropAway)
	r.Post("/plan/weather", s.weather)
}

// FeedRoutes are those of who has the secret of an address: calendars ask by themselves.
func (s *Room) FeedRoutes(r chi.Router) { r.Get("/feed/{secret}.ics", s.feed) }
