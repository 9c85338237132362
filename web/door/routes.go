// Package door is how people come in: the first owner, signing in and out, and what they
// set for themselves.
package door

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is the way in.
type Room struct {
	*kit.Kit
	signIns chan struct{} // a password takes memory to check: two at a time
	wrong   throttle
}

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{Kit: k, signIns: make(chan struct{}, 2)}
}

// OpenRoutes are for whoever comes.
func (s *Room) OpenRoutes(r chi.Router) {
	r.Get("/first", s.first)
	r.Post("/first", s.firstSave)
	r.Get("/sign-in", s.signIn)
	r.Post("/sign-in", s.signInCheck)
}

// Routes are for whoever is signed in.
func (s *Room) Routes(r chi.Router) {
	r.Post("/sign-out", s.signOut)
	r.Get("/events", s.events)
	r.Post("/me", s.saveMe)
	r.Post("/me/password", s.ownPassword)
	r.Get("/me/sessions", s.sessions)
	r.Post("/me/sessions/{id}/end", s.endSession)
}
