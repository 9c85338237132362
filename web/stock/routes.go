// Package stock is the sheet of what the studio prints with.
package stock

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where the stock is shown and changed.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/stock", s.sheet)
	r.Post("/stock/lots", s.received)
	r.Post("/stock/lots/{id}/weigh", s.weigh)
	r.Post("/stock/lots/{id}/scale", s.scale)
	r.Post("/stock/mix", s.mix)
	r.Post("/stock/lots/{id}/end", s.end)
	r.Post("/stock/least", s.least)
	r.Post("/stock/baths", s.filled)
	r.Get("/stock/lots/{id}", s.made)
	r.Get("/stock/lots/{id}/label.pdf", s.label)
	r.Post("/stock/lots/{id}/label", s.label)
	r.Get("/stock/baths/{id}/label.pdf", s.label)
	r.Post("/stock/baths/{id}/label", s.label)
	r.Get("/stock/baths/{id}", s.made)
}
