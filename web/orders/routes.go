// Package orders are the sheets of what clients ask for: the list, an order with its items,
// pictures and points, and the clients.
package orders

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where orders are shown and changed.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// Routes are everybody's: those at the bench see no prices.
func (s *Room) Routes(r chi.Router) {
	r.Get("/orders", s.orders)
	r.Get("/orders/{no}", s.order)
	r.Get("/clients", s.clients)
	r.Get("/clients/{id}", s.client)
}

// OwnerRoutes are the owner's.
func (s *Room) OwnerRoutes(r chi.Router) {
	r.Get("/orders/new", s.newOrder)
	r.Post("/orders", s.addOrder)
	r.Post("/orders/{no}/details", s.saveOrder)
	r.Post("/orders/{no}/repeat", s.repeatOrder)
	r.Post("/orders/{no}/cancel", s.cancelOrder)
	r.Post("/orders/{no}/seen", s.seeAnswer)
	r.Post("/orders/{no}/items", s.addItems)
	r.Post("/orders/{no}/items/{item}", s.saveItem)
	r.Post("/orders/{no}/items/{item}/remove", s.removeItem)
	r.Post("/orders/{no}/points", s.addPoint)
	r.Post("/orders/{no}/points/{point}", s.settlePoint)
	r.Post("/orders/{no}/pictures", s.addPictures)
	r.Post("/clients", s.saveClient)
	r.Post("/clients/{id}", s.saveClient)
}
