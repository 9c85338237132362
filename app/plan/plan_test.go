package plan_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/plan"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// planOf waits for the plan, and looks at it by the clock alone: nobody is in two places, hands keep their
// hours, a machine does one thing, a run begins when it is set up and is emptied before the next.
func planOf(t *testing.T, s *apptest.Studio) plan.Sheet {
	t.Helper()
	sheet, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	require.Empty(t, sheet.Faults())
	by := map[string][]plan.Task{}
	zone := sheet.Shop.Studio.Zone()
	for _, x := range sheet.Tasks {
		require.False(t, x.From.Before(sheet.Now))
		if x.PersonID != 0 {
			by[fmt.Sprint("person ", x.PersonID)] = append(by[fmt.Sprint("person ", x.PersonID)], x)
			from, to := x.From.In(zone), x.To.In(zone)
			assert.True(t, from.Hour() >= 9 && from.Hour() < 17 && from.Weekday() != time.Sunday && from.Weekday() != time.Saturday, "%v", from)
			assert.True(t, to.Hour() < 17 || to.Hour() == 17 && to.Minute() == 0, "%v", to)
		}
		if x.MachineID != 0 {
			by[fmt.Sprint("machine ", x.MachineID)] = append(by[fmt.Sprint("machine ", x.MachineID)], x)
		}
	}
	for who, list := range by {
		slices.SortFunc(list, func(a, b plan.Task) int { return a.From.Compare(b.From) })
		for k := 1; k < len(list); k++ {
			assert.False(t, list[k].From.Before(list[k-1].To), "%s: %s and %s", who, list[k-1].Doing, list[k].Doing)
			if list[k].Doing == studio.SetUp && list[k].MachineID != 0 && who == fmt.Sprint("machine ", list[k].MachineID) {
				assert.Equal(t, studio.EmptyIt, list[k-1].Doing, "the plate before is off")
			}
		}
	}
	return sheet
}

// The plan of a studio takes every piece from its plate to its last stage, in order and with its waits, and
// says which order is late.
func TestThePlanOfTheStudio(t *testing.T) {
	s := apptest.New(t)
	soon, later := s.Order(3, route.Primed), s.Order(4, route.Raw)
	s.Accept(soon)
	s.Accept(later)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, soon, ordersForm(s.Clock.At.AddDate(0, 0, 1))))
	sheet := planOf(t, s)
	require.Len(t, sheet.Late, 1)
	assert.Equal(t, soon, sheet.Late[0].Order.Number)
	assert.Positive(t, sheet.Late[0].Minutes())
	assert.GreaterOrEqual(t, sheet.Gap, 0.0)
	dated, err := s.Plan.Dates(s.Ctx, sheet, time.Minute)
	require.NoError(t, err)
	require.Len(t, dated, 2)
	assert.Equal(t, soon, dated[0].Order.Number, "the least sure first")
	assert.Zero(t, dated[0].Chance)
	assert.NotEmpty(t, dated[0].Decides)
	assert.InDelta(t, 1, dated[1].Chance, 0.02, "two weeks for a day's work")
	assert.False(t, dated[1].Sure.Before(dated[1].Ready.Add(-12*time.Hour)))

	stages := map[int64][]plan.Task{}
	runs := 0
	for _, x := range sheet.Tasks {
		switch {
		case x.Doing == studio.RunOn:
			runs++
			assert.Zero(t, sheet.Plates[x.Plate].Number, "nobody has laid one yet")
		case x.Stage != "":
			stages[x.Piece.ID] = append(stages[x.Piece.ID], x)
		}
	}
	assert.Equal(t, len(sheet.Plates), runs)
	require.True(t, len(stages) == 2, "the pieces of an item are handled in one go")
	pieces := 0
	for _, list := range stages {
		pieces += list[0].Pieces
		for k := 1; k < len(list); k++ {
			assert.False(t, list[k].From.Before(list[k-1].WaitTo), "%s waits for %s", list[k].Doing, list[k-1].Doing)
		}
	}

	assert.Equal(t, 7, pieces, "each of them once")

	order, err := s.Quotes.OrderSheet(s.Ctx, soon)
	require.NoError(t, err)
	possible, err := s.Plan.Possible(s.Ctx, order.Order, nil, studio.OtherMachine{}, time.Minute)
	require.NoError(t, err)
	require.Len(t, possible.Ways, 8)
	assert.False(t, possible.Alone.After(possible.Planned))
	for _, w := range possible.Ways {
		assert.False(t, w.Ready.Before(s.Clock.At))
		assert.Equal(t, w.InDue, !w.Ready.After(possible.Order.Wanted), w.Name)
	}
	byName := map[string]plan.PossibleWay{}
	for _, w := range possible.Ways {
		byName[w.Name] = w
	}
	assert.Contains(t, byName["another pair of hands"].For, "of their hands")
	assert.Negative(t, byName["raw kit instead of smoothed"].CostMinor, "a cheaper tier saves its hands")
	assert.True(t, byName["raw kit instead of smoothed"].Ready.Before(possible.Planned))
	tarn, _ := possible.Shop.Machine(s.Tarn)
	assert.Equal(t, int64(100*tarn.Figures.V("price")), byName["another like Tarn"].CostMinor)
	require.NotEmpty(t, possible.Chain)
	assert.Equal(t, "Vase: pack", possible.Chain[len(possible.Chain)-1].Title)
	for k, step := range possible.Chain[1:] {
		assert.False(t, step.From.Before(possible.Chain[k].To), "%s after %s", step.Title, possible.Chain[k].Title)
	}
	quick, err := s.Plan.Possible(s.Ctx, order.Order, nil, studio.OtherMachine{LikeID: s.Tarn, TimePercent: 20, Price: 900}, time.Minute)
	require.NoError(t, err)
	at := slices.IndexFunc(quick.Ways, func(w plan.PossibleWay) bool { return w.CostMinor == 90_000 })
	require.GreaterOrEqual(t, at, 0)
	assert.False(t, quick.Ways[at].Ready.After(byName["another like Tarn"].Ready), "in a fifth of the time it is no later")
	_, err = s.Plan.Possible(s.Ctx, order.Order, nil, studio.OtherMachine{LikeID: s.Tarn, TimePercent: 2}, time.Minute)
	assert.ErrorContains(t, err, "between 5 and 1,000")
	_, err = s.Plan.Possible(s.Ctx, studio.Order{ID: 99}, nil, studio.OtherMachine{}, time.Minute)
	assert.Error(t, err)

	// A run that is on stays where it is; what comes off it goes on from there.
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	s.Begin(number)
	sheet = planOf(t, s)
	at = slices.IndexFunc(sheet.Tasks, func(x plan.Task) bool { return x.Doing == studio.RunOn && sheet.Plates[x.Plate].Number == number })
	require.GreaterOrEqual(t, at, 0)
	assert.True(t, sheet.Tasks[at].From.Equal(sheet.Now))
	due := apptest.Lies(t, s, number).Plate.Run.Due()
	assert.WithinDuration(t, due, sheet.Tasks[at].To, 2*time.Second)
	for _, x := range sheet.Tasks {
		if x.Doing == studio.EmptyIt && sheet.Plates[x.Plate].Number == number {
			assert.False(t, x.From.Before(due))
		}
	}
}

// What an order could be promised for breaks nobody’s promise: asking moves nothing, with others in the house it
// is no sooner than alone, and once it is accepted the plan has it.
func TestAPromiseKeepsTheOthers(t *testing.T) {
	s := apptest.New(t)
	busy := s.Order(30, route.Primed)
	asked := s.Order(24, route.Primed)
	promise := func(no string) time.Time {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		at, err := s.Plan.ReadyBy(s.Ctx, sheet.Order, sheet.Steps(), time.Minute)
		require.NoError(t, err)
		assert.False(t, at.Sure.Before(at.Ready), "sure is later than likely")
		return at.Ready
	}
	alone := promise(asked)
	assert.True(t, alone.After(s.Clock.At))
	s.Accept(busy)
	before := planOf(t, s)
	behind := promise(asked)
	assert.False(t, behind.Before(alone), "others are in the house by now")
	after := planOf(t, s)
	assert.Equal(t, before.Tasks, after.Tasks, "asking moves nothing")
	order, err := s.Quotes.OrderSheet(s.Ctx, asked)
	require.NoError(t, err)
	others, err := s.Quotes.OtherWays(s.Ctx, asked)
	require.NoError(t, err)
	require.Len(t, others, 3)
	assert.Equal(t, "raw kit instead of smoothed", others[0].Name)
	assert.Negative(t, others[0].MoreMinor, "a raw kit is cheaper")
	assert.Positive(t, others[1].MoreMinor, "joining takes hands")
	possible, err := s.Plan.Possible(s.Ctx, order.Order, append([]plan.AskedWay{{Steps: order.Steps()}}, others...), studio.OtherMachine{}, time.Minute)
	require.NoError(t, err)
	assert.True(t, possible.Asked)
	assert.Equal(t, behind, possible.Planned, "asked for, it is planned as it is promised")
	require.NotEmpty(t, possible.Chain)
	assert.Equal(t, "pack", possible.Chain[len(possible.Chain)-1].Title)
	for _, w := range possible.Ways {
		assert.False(t, w.Ready.IsZero(), w.Name)
		switch w.Name {
		case "this order before all others":
			assert.False(t, w.Ready.After(behind), w.Name)
		case others[0].Name:
			assert.True(t, w.Ready.Before(behind), w.Name)
		}
		if w.Price {
			assert.Contains(t, possible.Cost(w), " in its price")
		}
	}
	rush, err := s.Plan.Rush(s.Ctx, order.Steps())
	require.NoError(t, err)
	assert.False(t, rush.Ready.After(behind), "before all others it is no later")
	assert.Empty(t, rush.Late, "who named no day is not late by it")
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"day.hours": 1.5})) // hands are scarce
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, busy, ordersForm(before.Ready(orderID(t, s, busy)).AddDate(0, 0, -1))))
	rush, err = s.Plan.Rush(s.Ctx, order.Steps())
	require.NoError(t, err)
	if assert.Len(t, rush.Late, 1, "who was promised a day is later still, and is named") {
		assert.Equal(t, busy, rush.Late[0].Order.Number)
	}
	require.NoError(t, s.Plan.Agree(s.Ctx, s.Owner, time.Minute))
	agreed, err := s.Plan.Rush(s.Ctx, order.Steps())
	require.NoError(t, err)
	assert.Equal(t, rush.Ready.Format(time.DateOnly), agreed.Ready.Format(time.DateOnly), "an agreed plan stands in no rush’s way")
	kept, err := s.Plan.Possible(s.Ctx, order.Order, []plan.AskedWay{{Steps: order.Steps()}}, studio.OtherMachine{}, time.Minute)
	require.NoError(t, err)
	assert.False(t, kept.Alone.After(agreed.Ready), "alone it is no later than before all others")
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"day.hours": 8}))
	q := s.Accept(asked)
	assert.Positive(t, q.Document.Sure, "the client reads the sure date")
	assert.WithinDuration(t, apptest.Promised(t, s, asked), time.UnixMilli(q.Document.Sure), 36*time.Hour)
	planned := planOf(t, s).Ready(order.Order.ID)
	assert.Equal(t, planned, promise(asked))
	assert.True(t, planned.After(s.Clock.At))

	bare := apptest.Bare(t)
	none, err := bare.Plan.Promise(bare.Ctx, nil)
	require.NoError(t, err)
	assert.Equal(t, []plan.Promised{{}}, none)
}

// By how much another plan could be less late is told: of a piece that cannot be ready by then, by nothing; where
// others are in its way, by no more than it is late.
func TestTheGapIsTold(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Primed)
	s.Accept(no)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, ordersForm(s.Clock.At)))
	sheet := planOf(t, s)
	require.Len(t, sheet.Late, 1)
	assert.InDelta(t, 0, sheet.Gap, 1.0/60)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"day.hours": 1}))
	for range 2 {
		no := s.Order(12, route.Primed)
		s.Accept(no)
		require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, ordersForm(s.Clock.At.AddDate(0, 0, 1))))
	}
	sheet = planOf(t, s)
	require.Len(t, sheet.Late, 3)
	late := 0.0
	for _, l := range sheet.Late {
		late += float64(l.S) / 3600
	}
	assert.Positive(t, sheet.Gap)
	assert.Less(t, sheet.Gap, late)
}

// An order that was accepted, of which nothing is begun, might still be printed otherwise: in pieces that lie on
// more plates at once. What of it stays in the plan is not planned twice; once a piece is on a plate it is too late.
func TestWhatWasAcceptedPrintedOtherwise(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	other := s.Order(2, route.Primed)
	s.Accept(no)
	s.Accept(other)
	ways, err := s.Quotes.OtherWays(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, ways, 2)
	assert.Positive(t, ways[0].MoreMinor)
	assert.Greater(t, ways[1].MoreMinor, ways[0].MoreMinor, "two joints take longer than one")
	order, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	possible, err := s.Plan.Possible(s.Ctx, order.Order, append([]plan.AskedWay{{Steps: order.Steps()}}, ways...), studio.OtherMachine{}, time.Minute)
	require.NoError(t, err)
	assert.False(t, possible.Asked)
	at := slices.IndexFunc(possible.Ways, func(w plan.PossibleWay) bool { return w.Name == "printed in two pieces and joined" })
	require.GreaterOrEqual(t, at, 0)
	way := possible.Ways[at]
	assert.True(t, way.Ready.After(s.Clock.At))
	assert.Less(t, way.Ready.Sub(possible.Planned).Abs(), 7*24*time.Hour, "it is not planned beside itself")
	assert.Contains(t, possible.Cost(way), "for material and hands")
	s.Print()
	ways, err = s.Quotes.OtherWays(s.Ctx, other)
	require.NoError(t, err)
	assert.Empty(t, ways, "it is printed")
}

// A studio without anything to do, or without anybody, has a plan of nothing.
func TestThePlanOfNothing(t *testing.T) {
	s := apptest.New(t)
	assert.Empty(t, planOf(t, s).Tasks)
	bare := apptest.Bare(t)
	assert.Empty(t, planOf(t, bare).Tasks)
}

// ordersForm is an order's as it is, wanted by a day.
func ordersForm(day time.Time) orders.OrderForm {
	return orders.OrderForm{Title: "Vases", ClientID: 1, Use: "shelf", Wanted: day.Format(time.DateOnly), Sure: true}
}

// How sure a date is follows what the studio has seen: of a machine whose runs fail, less can be promised.
func TestAMachineThatFailsMakesPromisesUnsure(t *testing.T) {
	chance := func(failing bool) float64 {
		s := apptest.New(t)
		seen := s.Order(4, route.Raw)
		s.Accept(seen)
		if failing {
			require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"failure.trust": 1}))
			s.Print(seen+"-1", seen+"-2", seen+"-3", seen+"-4")
		} else {
			s.Print()
		}
		asked := s.Order(8, route.Raw)
		s.Accept(asked)
		require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, asked, ordersForm(s.Clock.At.AddDate(0, 0, 1))))
		dated, err := s.Plan.Dates(s.Ctx, planOf(t, s), time.Minute)
		require.NoError(t, err)
		for _, d := range dated {
			if d.Order.Number == asked {
				return d.Chance
			}
		}
		t.Fatal("it has no date")
		return 0
	}
	trusted, failing := chance(false), chance(true)
	assert.Greater(t, trusted, failing+0.2)
}
