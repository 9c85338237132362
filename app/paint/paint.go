// Package paint is what pieces are painted with and how: recipes with their swatches, what is mixed of them, and the paint
// plans of items, marked on their models. What is laid when a piece is stamped is the room of pieces' to note.
package paint

import "sakuji/app/change"

// Room is where paint is planned.
type Room struct {
	change.Base
	surfaces *surfaces
}

// New makes the room.
func New(base change.Base) *Room { return &Room{base, &surfaces{}} }
