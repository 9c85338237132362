// Package today is the sheet that a day begins with; with it the search and the logbook.
package today

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where a day begins.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.today)
	r.Get("/find", s.find)
	r.Get("/logbook", s.logbook)
	if s.Opts.Demo != nil {
		r.Post("/demo/pass", s.passTime)
	}
}
