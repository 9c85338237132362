package studio

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// What is advised goes by what was done to the piece so far, and what its next stage asks about stands first.
func TestAdviceGoesByThePiece(t *testing.T) {
	h := Shop{Book: rates.Starting()}
	stage := func(kind route.StageKind, how string, mark route.Mark) Stage {
		return Stage{Stage: route.Stage{Kind: kind, How: how, Mark: mark}}
	}
	p := Piece{Process: process.Filament, Stages: StageList{
		stage(route.Print, "", route.Done), stage(route.Sand, "P80", route.Done), stage(route.Prime, "filler primer", route.Done),
		stage(route.Sand, "P180", route.Todo), stage(route.Sand, "P320", route.Todo), stage(route.Prime, "", route.Todo)}}
	got := h.Advise(p, Item{ItemOptions: ItemOptions{Scheme: finish.SchemeDark}}, 0)
	assert.Len(t, got, 5)
	assert.Equal(t, finish.AdviceGrit, got[0].Of)
	assert.Equal(t, "P180, then P320", got[0].What, "a filling coat starts the ladder again")
	p.Stages[3].Mark, p.Stages[4].Mark = route.Done, route.Done
	got = h.Advise(p, Item{ItemOptions: ItemOptions{Scheme: finish.SchemeDark}}, 2)
	assert.Equal(t, finish.AdvicePrimer, got[0].Of)
	assert.Equal(t, "black primer", got[0].What)
	assert.Contains(t, got[1].What, "stop")
	assert.Equal(t, "two-part putty", got[2].What, "a gap of 2 mm")
}
