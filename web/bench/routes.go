// Package bench is what people at the bench see, with gloves on: every piece with its
// strip, and one piece at a time.
package bench

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is the bench.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's.
func (s *Room) Routes(r chi.Router) {
	r.Get("/bench", s.bench)
	r.Post("/bench/hand", s.chooseHand)
	r.Post("/bench/air", s.noteAir)
	r.Get("/bench/mine", s.mine)
	r.Post("/bench/mine", s.act)
	r.Get("/bench/places", s.places)
	r.Post("/bench/places", s.addPlace)
	r.Get("/bench/places/labels.pdf", s.placeLabels)
	r.Post("/bench/places/labels", s.placeLabels)
	r.Get("/bench/places/{place}", s.place)
	r.Post("/bench/places/{place}/end", s.endPlace)
	r.Post("/bench/put", s.put)
	r.Route("/bench/recipes", func(r chi.Router) {
		r.Get("/", s.recipes)
		r.Post("/", s.addRecipe)
		r.Get("/{number}", s.recipe)
		r.Post("/{number}", s.changeRecipe)
		r.Get("/{number}/label.pdf", s.potLabel)
		r.Post("/{number}/label", s.potLabel)
		r.Post("/{number}/swatches", s.addSwatch)
		r.Post("/{number}/mixes", s.mixRecipe)
	})
	r.Get("/bench/contact/{order}.pdf", s.contact)
	r.Get("/bench/problems", s.problems)
	r.Post("/bench/swatches/{swatch}", s.judgeSwatch)
	r.Post("/bench/mixes/{mix}", s.noteMixLeft)
	r.Route("/bench/paint/{order}", func(r chi.Router) {
		r.Get("/", s.paint)
		r.Post("/regions", s.saveRegion)
		r.Post("/copy", s.copyPlan)
		r.Post("/regions/{region}/drop", s.dropRegion)
		r.Post("/regions/{region}/sooner", s.moveRegion)
		r.Post("/regions/{region}/stop", s.stopPicture)
		r.Get("/regions/{region}/mark", s.marking)
		r.Post("/regions/{region}/mark", s.keepMarks)
		r.Post("/regions/{region}/try", s.tryMarks)
		r.Get("/regions/{region}/masks.pdf", s.masks)
	})
	r.Get("/bench/loads/{kind}", s.loads)
	r.Post("/bench/loads/{kind}", s.stampLoad)
	r.Route("/bench/{code}", func(r chi.Router) {
		r.Get("/", s.piece)
		r.Get("/label.pdf", s.pieceLabel)
		r.Post("/label", s.pieceLabel)
		r.Get("/traveller.pdf", s.traveller)
		r.Get("/advice", s.advice)
		r.Get("/flaw", s.flaw)
		r.Post("/flaw", s.noteFlaw)
		r.Get("/photos", s.photoSheet)
		r.Post("/photos", s.photograph)
		r.Get("/photos/{photo}", s.photo)
		r.Post("/photos/{photo}", s.notePhoto)
		r.Post("/stamp", s.stamp)
		r.Post("/spare", s.takeSpare)
		r.Post("/back", s.sendBack)
		r.Post("/take-back", s.takeBack)
	})
}
