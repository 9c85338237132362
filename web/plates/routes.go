// Package plates are the sheets of what machines are given to do: the list, and a plate in
// plan and elevation.
package plates

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where plates are shown and changed.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/plates", s.plates)
	r.Post("/plates", s.layPlate)
	r.Get("/plates/plan", s.whatIf)
	r.Get("/plates/ends.json", s.ends)
	r.Post("/plates/plan", s.layWay)
	r.Post("/plates/put-right", s.putRight)
	r.Post("/plates/replaced", s.replaced)
	r.Route("/plates/machines/{id}", func(r chi.Router) {
		r.Get("/", s.machine)
		r.Get("/test-piece.stl", s.testPiece)
		r.Post("/note", s.noteTuning)
		r.Post("/tune", s.tune)
		r.Post("/tried", s.tried)
	})
	r.Route("/plates/{number}", func(r chi.Router) {
		r.Get("/", s.plate)
		r.Get("/export.{ending}", s.export)
		r.Post("/fill", s.fillAgain)
		r.Post("/arrange", s.arrange)
		r.Post("/program", s.program)
		r.Post("/add", s.addToPlate)
		r.Post("/spare", s.addSpare)
		r.Post("/lift", s.liftOff)
		r.Post("/discard", s.discardPlate)
		r.Post("/start", s.startRun)
		r.Post("/end", s.endRun)
		r.Post("/missing", s.missing)
		r.Post("/empty", s.emptyPlate)
		r.Post("/take-back", s.takeBackPlate)
	})
}
