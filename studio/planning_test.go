package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// The plan lets tape wait until the coat under it bears that: a day on enamel, an hour on acrylic; also where the coat
// is laid already.
func TestThePlanLetsTapeWait(t *testing.T) {
	h := Shop{Book: rates.Starting().With(map[string]float64{"room": 22})}
	waits := func(paints finish.Paints, laid float64) (afterCoatS, tapeFromS int64) {
		p := Piece{ID: 1, Code: "0409-1", OrderID: 1, ItemID: 1, State: AtBench, Stages: StageList{
			{Position: 0, Stage: route.Stage{Kind: route.Base, Mark: route.Todo, PlannedMin: 20, WaitS: 600}},
			{Position: 1, Stage: route.Stage{Kind: route.Mask, Mark: route.Todo, PlannedMin: 10}}}}
		if laid > 0 {
			p.Stages[0].Mark, p.Stages[0].Done = route.Done, nine.Add(-time.Duration(laid*float64(time.Hour)))
		}
		problem, what := h.Problem(Planning{Now: nine, Orders: map[int64]Order{1: {ID: 1, Number: "0409"}}, Pieces: []Piece{p}, People: []Person{{ID: 1, Name: "Ilse"}},
			Items: map[int64]Item{1: {ID: 1, ItemOptions: ItemOptions{Paints: paints}}}})
		require.NotEmpty(t, what)
		last := problem.Tasks[len(problem.Tasks)-1]
		return problem.Tasks[0].WaitS, last.FromS
	}
	after, _ := waits(finish.Paints{}, 0)
	assert.EqualValues(t, 3600, after)
	after, _ = waits(finish.Paints{Base: route.Enamel}, 0)
	assert.EqualValues(t, 24*3600, after)
	_, from := waits(finish.Paints{Base: route.Enamel}, 4)
	assert.EqualValues(t, 20*3600, from, "four of its hours are over")
	_, from = waits(finish.Paints{}, 4)
	assert.LessOrEqual(t, from, int64(0))
}
