// Package client is what a client sees behind the link of a quote: it is theirs to read, to
// ask about and to answer.
package client

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is the client’s page.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// LinkRoutes are for whoever has the link.
func (s *Room) LinkRoutes(r chi.Router) {
	r.Get("/", s.clientQuote)
	r.Get("/quote.pdf", s.clientQuotePDF)
	r.Get("/still/{item}", s.clientStill)
	r.Post("/answer", s.clientAnswer)
	r.Post("/question", s.clientQuestion)
	r.Get("/photo/{photo}", s.clientPhoto)
	r.Post("/photos", s.allowPhotos)
}

// OpenRoutes are for everybody.
func (s *Room) OpenRoutes(r chi.Router) {
	r.Get("/shown", s.shown)
	r.Get("/shown/{photo}", s.shownPhoto)
}
