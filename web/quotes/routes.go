// Package quotes is the quote sheet: what an order costs, what it may cost, the same order
// made another way, terms and revisions; and sizes, which move a price.
package quotes

import (
	"embed"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

//go:embed templates/*.html
var templates embed.FS

// Room is where orders are priced.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	k.Pages(templates)
	return &Room{k}
}

// OwnerRoutes are the owner's, as prices are.
func (s *Room) OwnerRoutes(r chi.Router) {
	r.Get("/quotes", s.quotes)
	r.Get("/orders/{no}/quote", s.pricing)
	r.Post("/orders/{no}/quote", s.sendQuote)
	r.Get("/orders/{no}/quote/range", s.pricingRange)
	r.Get("/orders/{no}/quote/what-if", s.whatIf)
	r.Get("/orders/{no}/quote/planned", s.planned)
	r.Get("/orders/{no}/quote/ready", s.ready)
	r.Get("/orders/{no}/quote/working.csv", s.working)
	r.Post("/orders/{no}/quote/terms", s.saveTerms)
	r.Post("/orders/{no}/quote/plain", s.addPlain)
	r.Post("/orders/{no}/quote/restart", s.restart)
	r.Post("/orders/{no}/quote/items/{item}", s.saveItem)
	r.Get("/orders/{no}/quotes/{rev}.pdf", s.quotePDF)
	r.Post("/orders/{no}/answer", s.noteAnswer)
	r.Post("/orders/{no}/variants", s.saveVariant)
	r.Post("/orders/{no}/variants/{variant}", s.saveVariant)
	r.Post("/orders/{no}/variants/{variant}/drop", s.dropVariant)
	r.Post("/orders/{no}/variants/{variant}/take", s.takeVariant)
	r.Get("/orders/{no}/items/{item}/lines", s.lines)
	r.Get("/orders/{no}/items/{item}/routes", s.finishRoutes)
	r.Post("/orders/{no}/items/{item}/routes", s.setFinishRoute)
	r.Post("/orders/{no}/items/{item}/extras", s.addExtra)
	r.Post("/orders/{no}/items/{item}/extras/{at}/drop", s.dropExtra)
	r.Post("/orders/{no}/items/{item}/weapon", s.sayWeapon)
	r.Post("/orders/{no}/items/{item}/saving", s.takeSaving)
	r.Get("/orders/{no}/items/{item}/size", s.size)
	r.Post("/orders/{no}/items/{item}/size", s.takeSize)
}
