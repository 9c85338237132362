// Package setup are the sheets of the studio itself: its name, machines, materials, people
// and rates.
package setup

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where the studio is set up.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// OwnerRoutes are the owner's.
func (s *Room) OwnerRoutes(r chi.Router) {
	r.Route("/studio", func(r chi.Router) {
		r.Get("/", s.studio)
		r.Post("/", s.saveStudio)
		r.Post("/backup", s.backup)
		r.Post("/devices", s.setDevices)
		r.Get("/machines/{id}", s.machine)
		r.Post("/machines/{id}", s.saveMachine)
		r.Post("/machines/{id}/reach", s.saveReach)
		r.Get("/materials/{id}", s.material)
		r.Post("/materials/{id}", s.saveMaterial)
		r.Get("/people/{id}", s.person)
		r.Post("/people/{id}", s.savePerson)
	})
	r.Route("/rates", func(r chi.Router) {
		r.Get("/", s.rates)
		r.Post("/", s.saveRates)
		r.Get("/history", s.rateHistory)
		r.Get("/check", s.checkRates)
		r.Get("/book.json", s.exportRates)
		r.Get("/book.csv", s.exportRates)
		r.Post("/import", s.importRates)
		r.Post("/defaults", s.saveDefaults)
		r.Get("/routes", s.finishRoutes)
		r.Post("/routes", s.saveRoute)
		r.Post("/routes/drop", s.dropRoute)
		r.Post("/schools", s.saveSchools)
	})
}
