// Package money notes what clients pay. Its account is a part of the order’s and the
// delivery’s sheet.
package money

import (
	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

// Room is where payments are noted.
type Room struct{ *kit.Kit }

// New makes the room.
func New(k *kit.Kit) *Room {
	return &Room{k}
}

// OwnerRoutes are the owner's.
func (s *Room) OwnerRoutes(r chi.Router) {
	r.Post("/orders/{no}/payments", s.notePayment)
	r.Post("/orders/{no}/payments/{payment}/reverse", s.reversePayment)
}
