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
	h := Shop{Book: rates.Starting().With(map[rates.Key]float64{"room": 22})}
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

// The plan begins what is next of a piece when its sheet says that it is ready: lacquer over acrylic that it would craze
// waits until that is hard, whatever its strip says.
func TestThePlanBeginsWhatIsReady(t *testing.T) {
	book := rates.Starting().With(map[rates.Key]float64{"room": 22})
	h, air := Shop{Book: book}, finish.Air{Book: book}
	paints := finish.Paints{Clear: route.Lacquer}
	p := Piece{ID: 1, Code: "0409-1", OrderID: 1, ItemID: 1, State: AtBench, Stages: StageList{
		{Position: 0, Stage: route.Stage{Kind: route.Base, Mark: route.Done, PlannedMin: 20, WaitS: 600}, Done: nine.Add(-2 * time.Hour)},
		{Position: 1, Stage: route.Stage{Kind: route.Clear, Mark: route.Todo, PlannedMin: 10}}}}
	is := p.Readiness(nine, Around{Drying: &Drying{Air: air, Paints: paints}})
	require.NotNil(t, is.Wait)
	assert.False(t, is.Hands())
	problem, _ := h.Problem(Planning{Now: nine, Orders: map[int64]Order{1: {ID: 1, Number: "0409"}}, Pieces: []Piece{p},
		People: []Person{{ID: 1, Name: "Ilse"}},
		Items:  map[int64]Item{1: {ID: 1, ItemOptions: ItemOptions{Paints: paints}}}, Air: air, Ready: map[int64]Readiness{1: is}})
	require.Len(t, problem.Tasks, 1)
	assert.Equal(t, int64(is.Wait.Until.Sub(nine).Seconds()), problem.Tasks[0].FromS)
	assert.Greater(t, problem.Tasks[0].FromS, int64(3600))
}

// What is mixed once serves the pieces that take the same recipes, of other items, too; where recipes differ, it does
// not, and where nothing is planned the kind of coat decides as before.
func TestThePlanMixesByRecipe(t *testing.T) {
	h := Shop{Book: rates.Starting()}
	piece := func(id, item int64) Piece {
		return Piece{ID: id, Code: "0409-" + string(rune('0'+id)), OrderID: 1, ItemID: item, State: AtBench, Stages: StageList{{Stage: route.Stage{Kind: route.Base, Mark: route.Todo, PlannedMin: 20}}}}
	}
	mixes := func(recipes ...int) (same bool) {
		in := Planning{Now: nine, Orders: map[int64]Order{1: {ID: 1, Number: "0409"}}, Pieces: []Piece{piece(1, 1), piece(2, 2)}, People: []Person{{ID: 1, Name: "Ilse"}}, Items: map[int64]Item{1: {ID: 1}, 2: {ID: 2}}}
		for k, r := range recipes {
			in.Paint = append(in.Paint, Region{ID: int64(k + 1), ItemID: int64(k + 1), Name: "coat", Stage: route.Base, RecipeNumber: r})
		}
		problem, _ := h.Problem(in)
		require.Len(t, problem.Tasks, 2)
		require.NotZero(t, problem.Tasks[0].Mix.ID)
		return problem.Tasks[0].Mix.ID == problem.Tasks[1].Mix.ID
	}
	assert.True(t, mixes())
	assert.True(t, mixes(4, 4))
	assert.False(t, mixes(4, 5))
	assert.False(t, mixes(4), "nobody says what the other takes")
}

// At the joining of painted parts all their colours have to be signed off; primer and clear coats need not, and a no that
// came after a yes counts.
func TestUnsignedColours(t *testing.T) {
	recipes := []Recipe{{ID: 1, Number: 1, Version: 1, Name: "grey", Medium: route.AcrylicPaint},
		{ID: 2, Number: 2, Version: 1, Name: "primer", Medium: route.Primer}, {ID: 3, Number: 3, Version: 1, Name: "brass",
			Medium: route.AcrylicPaint}}
	regions := []Region{{RecipeNumber: 2, Stage: route.Prime}, {RecipeNumber: 1, Stage: route.Base}, {RecipeNumber: 1, Stage: route.Base}, {RecipeNumber: 3, Stage: route.Light}}
	names := func(swatches []Swatch, kind route.StageKind) (out []string) {
		for _, r := range Unsigned(regions, recipes, swatches, 7, kind) {
			out = append(out, r.Name)
		}
		return out
	}
	assert.Empty(t, names(nil, route.Prime))
	assert.Equal(t, []string{"grey"}, names(nil, route.Base))
	assert.Equal(t, []string{"grey", "brass"}, names(nil, route.JoinAfter))
	yes := Swatch{RecipeID: 1, OrderID: 7, Verdict: VerdictYes, Judged: nine}
	assert.Equal(t, []string{"brass"}, names([]Swatch{yes}, route.JoinAfter))
	no := Swatch{RecipeID: 1, OrderID: 7, Verdict: VerdictNo, Judged: nine.Add(time.Hour)}
	assert.Equal(t, []string{"grey"}, names([]Swatch{yes, no}, route.Base))
	other := yes
	other.OrderID = 8
	assert.Equal(t, []string{"grey"}, names([]Swatch{other}, route.Base), "for another order")
	assert.Equal(t, "Nobody has signed off grey (R1) on a swatch.", UnsignedText(recipes[:1]))
	assert.Empty(t, UnsignedText(nil))
}

// What dries next is planned in the air of the day, what comes later as the book has it, for nobody knows that air yet.
func TestThePlanKnowsTheAirOfTheDay(t *testing.T) {
	book := rates.Starting().With(map[rates.Key]float64{"room": 22})
	waits := func(readings ...finish.Reading) (first, second int64) {
		p := Piece{ID: 1, Code: "0409-1", OrderID: 1, ItemID: 1, State: AtBench, Stages: StageList{
			{Position: 0, Stage: route.Stage{Kind: route.Prime, Mark: route.Todo, PlannedMin: 20, WaitS: 3600}},
			{Position: 1, Stage: route.Stage{Kind: route.Base, Mark: route.Todo, PlannedMin: 10, WaitS: 3600}},
			{Position: 2, Stage: route.Stage{Kind: route.Pack, Mark: route.Todo, PlannedMin: 10}}}}
		problem, _ := Shop{Book: book}.Problem(Planning{Now: nine, Orders: map[int64]Order{1: {ID: 1, Number: "0409"}}, Pieces: []Piece{p}, People: []Person{{ID: 1, Name: "Ilse"}},
			Items: map[int64]Item{1: {ID: 1}}, Air: finish.Air{Book: book, Readings: readings}})
		require.Len(t, problem.Tasks, 3)
		return problem.Tasks[0].WaitS, problem.Tasks[1].WaitS
	}
	usual, after := waits()
	assert.EqualValues(t, 3600, usual)
	cold, later := waits(finish.Reading{At: nine.Add(-time.Hour), C: 12, HumidityPercent: 50})
	assert.EqualValues(t, 7200, cold, "ten degrees less")
	assert.Equal(t, after, later)
	old, _ := waits(finish.Reading{At: nine.Add(-20 * time.Hour), C: 12, HumidityPercent: 50})
	assert.Equal(t, usual, old, "a reading stands for half a day")
}
