// Package models are the sheets of model files: the shelf, a model turned and cut, how it
// prints, its layers, and the long work on it.
package models

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where models are shown.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/files/{sha}/{name}", s.file)
	r.Get("/models", s.shelf)
	r.Get("/models/{id}", s.model)
	r.Get("/models/{id}/still.png", s.still)
	r.Get("/models/{id}/view", s.view)
	r.Get("/models/{id}/as/{format}", s.download)
	r.Get("/models/{id}/layers", s.layers)
	r.Get("/models/{id}/prints", s.prints)
	r.Get("/jobs/{of}/{key}", s.jobs)
}

// OwnerRoutes are the owner's.
func (s *Room) OwnerRoutes(r chi.Router) {
	r.Post("/models", s.addModels)
	r.Post("/models/{id}/make/{kind}", s.remake)
	r.Post("/models/{id}/revise", s.revise)
	r.Post("/models/{id}/licence", s.saveLicence)
	r.Post("/models/{id}/use", s.useVersion)
	r.Post("/models/{id}/orientation", s.chooseOrientation)
	r.Post("/models/{id}/calibrate", s.calibrate)
	r.Post("/jobs/{id}/cancel", s.cancelJob)
	r.Post("/jobs/{id}/again", s.retryJob)
}
