// Package delivery is an order on its way out: what is packed, the hours, and the papers of
// the parcel.
package delivery

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where orders leave.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's: those who pack see no prices.
func (s *Room) Routes(r chi.Router) {
	r.Get("/orders/{no}/delivery", s.delivery)
	r.Get("/orders/{no}/packing-list.pdf", s.packingList)
	r.Get("/orders/{no}/labels.pdf", s.labels)
	r.Get("/orders/{no}/assembly.pdf", s.assembly)
	r.Get("/orders/{no}/delivery-note.pdf", s.deliveryNote)
}

// OwnerRoutes are the owner's.
func (s *Room) OwnerRoutes(r chi.Router) {
	r.Post("/orders/{no}/scrapped", s.settleScrapped)
	r.Post("/orders/{no}/deliver", s.deliver)
	r.Post("/orders/{no}/close", s.closeOrder)
}
