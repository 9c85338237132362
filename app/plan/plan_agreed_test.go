package plan_test

import (
	"math"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plan"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// handled is the first task of hands at a piece.
func handled(t *testing.T, s plan.Sheet, kind route.StageKind) plan.Task {
	t.Helper()
	return taskThat(t, s, func(x plan.Task) bool { return x.Stage == kind })
}

func taskThat(t *testing.T, s plan.Sheet, is func(plan.Task) bool) plan.Task {
	t.Helper()
	at := slices.IndexFunc(s.Tasks, is)
	require.GreaterOrEqual(t, at, 0)
	return s.Tasks[at]
}

// A task that is moved by hand lies where it was put, at those hands, in this plan and the next; what that
// would come to is told before; a lock keeps it, undo takes moves back one by one.
func TestATaskIsMovedByHand(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	s.Accept(no)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, ordersForm(s.Clock.At.AddDate(0, 0, 4))))
	before := planOf(t, s)
	prime := handled(t, before, route.Prime)
	other := s.Bench.ID
	if prime.PersonID == other {
		other = s.Owner.ID
	}
	to := plan.Move{Keys: []string{prime.Key}, PersonID: other, At: time.Date(2026, 5, 19, 9, 0, 0, 0, time.UTC)}

	trial, err := s.Plan.Try(s.Ctx, to, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, to.At, trial.From.UTC())
	assert.False(t, trial.Held())
	assert.Positive(t, trial.Others, "what comes after it moves along")
	require.Len(t, trial.Orders, 1)
	assert.True(t, trial.Orders[0].Worse, "it gets late, and that is said before")
	assert.Contains(t, trial.Orders[0].Told, "after it is wanted")
	assert.Equal(t, before.Tasks, planOf(t, s).Tasks, "trying moves nothing")

	require.NoError(t, s.Plan.Move(s.Ctx, s.Bench, to, time.Minute))
	moved := handled(t, planOf(t, s), route.Prime)
	assert.Equal(t, to.At, moved.From.UTC())
	assert.Equal(t, other, moved.PersonID)
	assert.True(t, moved.Moved)

	// Sooner than it can be done it waits for what comes before it.
	trial, err = s.Plan.Try(s.Ctx, plan.Move{Keys: to.Keys, PersonID: other, At: s.Clock.At}, time.Minute)
	require.NoError(t, err)
	assert.True(t, trial.Held())
	assert.False(t, trial.From.Before(prime.From), "not before it is washed, cured and sanded")

	look := handled(t, planOf(t, s), route.Look)
	require.NoError(t, s.Plan.Lock(s.Ctx, s.Owner, []string{look.Key}, time.Minute))
	require.NoError(t, s.Plan.Undo(s.Ctx, s.Owner))
	assert.False(t, handled(t, planOf(t, s), route.Look).Moved)
	require.NoError(t, s.Plan.Undo(s.Ctx, s.Owner))
	assert.Equal(t, before.Tasks, planOf(t, s).Tasks, "as it was before the first of them")
	assert.ErrorContains(t, s.Plan.Undo(s.Ctx, s.Owner), "Nothing was moved")

	require.NoError(t, s.Plan.Move(s.Ctx, s.Bench, to, time.Minute))
	require.NoError(t, s.Plan.Free(s.Ctx, s.Bench, to.Keys))
	assert.Equal(t, before.Tasks, planOf(t, s).Tasks, "let go, it goes back by itself")

	run := taskThat(t, before, func(x plan.Task) bool { return x.Doing == studio.RunOn })
	for want, m := range map[string]plan.Move{
		"not in the plan any more": {Keys: []string{"nothing"}, At: to.At},
		"A run goes by itself":     {Keys: []string{run.Key}, At: to.At},
		"Nobody of that name":      {Keys: to.Keys, PersonID: 99, At: to.At},
	} {
		assert.ErrorContains(t, s.Plan.Move(s.Ctx, s.Bench, m, time.Minute), want)
	}
}

// A plan that was agreed on is kept in what is near; what is other is told, and may be agreed on or not.
func TestAPlanIsAgreedOn(t *testing.T) {
	s := apptest.New(t)
	first := s.Order(6, route.Primed)
	s.Accept(first)
	assert.ErrorContains(t, s.Plan.Keep(s.Ctx, s.Owner, true), "Nobody has agreed")
	assert.Empty(t, planOf(t, s).Differences(), "nothing was agreed on yet")
	require.NoError(t, s.Plan.Agree(s.Ctx, s.Owner, time.Minute))
	agreed := planOf(t, s)
	assert.Empty(t, agreed.Differences())
	assert.Equal(t, s.Clock.At, agreed.AgreedOn().UTC())

	hurry := s.Order(6, route.Primed)
	s.Accept(hurry)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, hurry, ordersForm(s.Clock.At.AddDate(0, 0, 1))))
	now := planOf(t, s)
	told := now.Differences()
	require.NotEmpty(t, told)
	assert.Contains(t, told[0].Told, "is new, ready")
	assert.Equal(t, agreed.Tasks[0].Key, now.Tasks[0].Key, "what is near stays in its order")

	require.NoError(t, s.Plan.Keep(s.Ctx, s.Owner, true))
	kept := planOf(t, s)
	assert.True(t, kept.Kept())
	id := orderID(t, s, first)
	assert.Equal(t, agreed.Ready(id), kept.Ready(id), "who was there first is ready as agreed")

	require.NoError(t, s.Plan.Agree(s.Ctx, s.Owner, time.Minute))
	again := planOf(t, s)
	assert.Empty(t, again.Differences())
	assert.True(t, again.Kept())
	require.NoError(t, s.Plan.Keep(s.Ctx, s.Owner, false))
	better := planOf(t, s)
	assert.False(t, better.Kept())
	assert.True(t, better.Ready(orderID(t, s, hurry)).Before(again.Ready(orderID(t, s, hurry))), "where it may, the plan hurries what is late")
	require.NotEmpty(t, better.Differences())
}

func orderID(t *testing.T, s *apptest.Studio, no string) int64 {
	t.Helper()
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	return sheet.Order.ID
}

// Who is away is given nothing to do, a machine in service runs nothing; who does not do a thing is not given
// it; a person's own hours are kept.
func TestWhoIsThereAndWhatTheyDo(t *testing.T) {
	s := apptest.New(t)
	s.Accept(s.Order(5, route.Primed))
	away := studio.Absence{PersonID: s.Owner.ID, From: s.Clock.At, To: s.Clock.At.AddDate(0, 0, 2), Why: "fair"}
	require.NoError(t, s.Plan.AddAbsence(s.Ctx, s.Owner, away))
	for _, x := range planOf(t, s).Tasks {
		assert.False(t, x.PersonID == s.Owner.ID && x.From.Before(away.To), "%s, %v", x.Doing, x.From)
	}
	service := studio.Absence{MachineID: s.Tarn, From: s.Clock.At, To: s.Clock.At.AddDate(0, 0, 4)}
	require.NoError(t, s.Plan.AddAbsence(s.Ctx, s.Owner, service))
	for _, x := range planOf(t, s).Tasks {
		assert.False(t, x.Doing == studio.RunOn && x.MachineID == s.Tarn && x.From.Before(service.To), "%v", x.From)
	}
	sheet, err := s.Plan.Away(s.Ctx)
	require.NoError(t, err)
	require.Len(t, sheet.Absences, 2)
	assert.Equal(t, []string{"Ilse Karg", "Tarn"}, []string{sheet.Whose(sheet.Absences[0]), sheet.Whose(sheet.Absences[1])})
	for _, a := range sheet.Absences {
		require.NoError(t, s.Plan.DropAbsence(s.Ctx, s.Owner, a.ID))
	}
	assert.ErrorContains(t, s.Plan.AddAbsence(s.Ctx, s.Owner, studio.Absence{From: s.Clock.At, To: s.Clock.At}), "ends before it begins")
	assert.ErrorContains(t, s.Plan.AddAbsence(s.Ctx, s.Owner, studio.Absence{From: s.Clock.At, To: s.Clock.At.AddDate(5, 0, 0)}), "400 days")

	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, s.Bench.ID, setup.PersonForm{Name: "Jory Tamm", Role: studio.Bench, Active: true,
		Crafts: []route.Craft{route.AtMachines, route.Smoothing}, Days: []int{1, 2, 5}, From: "10:00", To: "13:30"})
	require.NoError(t, err)
	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, s.Owner.ID, setup.PersonForm{Name: "Ilse Karg", Role: studio.Owner, Active: true,
		Crafts: route.Crafts()[2:]})
	require.NoError(t, err)
	jory := 0
	for _, x := range planOf(t, s).Tasks {
		if x.PersonID != s.Bench.ID {
			continue
		}
		jory++
		at := x.From.In(vienna)
		assert.True(t, slices.Contains([]time.Weekday{time.Monday, time.Tuesday, time.Friday}, at.Weekday()), "%v", at)
		assert.True(t, at.Hour() >= 10 && at.Hour() < 14, "%v", at)
		assert.NotEqual(t, route.Prime, x.Stage)
		assert.NotEqual(t, route.Pack, x.Stage)
	}
	assert.Positive(t, jory)
	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, s.Bench.ID, setup.PersonForm{Name: "Jory Tamm", Role: studio.Bench, Active: true, From: "13:30", To: "10:00"})
	assert.ErrorContains(t, err, "from and to")
}

var vienna = func() *time.Location {
	zone, err := time.LoadLocation("Europe/Vienna")
	if err != nil {
		panic(err)
	}
	return zone
}()

// What is too big for the booth is sprayed outside, when somebody says that it is fine; grit never flies
// while a coat is wet.
func TestOutsideAndTheAir(t *testing.T) {
	s := apptest.New(t)
	s.Accept(s.Order(2, route.Primed))
	err := s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"station.booth.width": 10, "station.booth.depth": 10,
		"station.booth.height": 10})
	require.NoError(t, err)
	prime := handled(t, planOf(t, s), route.Prime)
	assert.Equal(t, route.Outside, prime.Station)
	day := prime.From.In(vienna)
	require.NoError(t, s.Plan.SayWeather(s.Ctx, s.Bench, day, "", ""))
	later := handled(t, planOf(t, s), route.Prime)
	assert.NotEqual(t, day.YearDay(), later.From.In(vienna).YearDay(), "it rains that day")
	require.NoError(t, s.Plan.SayWeather(s.Ctx, s.Bench, day, "14:00", "16:00"))
	sheet := planOf(t, s)
	prime = handled(t, sheet, route.Prime)
	assert.Equal(t, day.YearDay(), prime.From.In(vienna).YearDay())
	assert.GreaterOrEqual(t, prime.From.In(vienna).Hour(), 14)
	assert.ErrorContains(t, s.Plan.SayWeather(s.Ctx, s.Bench, day, "16:00", "14:00"), "from and to")
	for _, a := range sheet.Tasks {
		for _, b := range sheet.Tasks {
			if a.Stage == route.Prime && b.Stage == route.Sand {
				assert.True(t, !b.From.Before(a.To.Add(15*time.Minute)) || !a.From.Before(b.To), "%v and %v", a.From, b.From)
			}
		}
	}
}

// Of two orders that cannot both be ready in time, the one whose being late matters more goes first.
func TestWhatMattersMoreGoesFirst(t *testing.T) {
	ready := func(heavier int) [2]time.Time {
		s := apptest.New(t)
		require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"day.hours": 1}))
		var out [2]time.Time
		numbers := []string{s.Order(20, route.Primed), s.Order(20, route.Primed)}
		for k, no := range numbers {
			s.Accept(no)
			f := ordersForm(s.Clock.At.AddDate(0, 0, 2))
			if f.Weight = 1; k == heavier {
				f.Weight = 3
			}
			require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, f))
		}
		sheet := planOf(t, s)
		for k, no := range numbers {
			out[k] = sheet.Ready(orderID(t, s, no))
		}
		f := ordersForm(s.Clock.At)
		f.Weight = 77
		assert.ErrorContains(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, numbers[0], f), "choose one of those")
		return out
	}
	first, second := ready(0), ready(1)
	assert.True(t, first[0].Before(first[1]), "%v", first)
	assert.True(t, second[1].Before(second[0]), "%v", second)
}

// A gun that is filled for one order's coat is not cleaned for the next one's: what that saves is in the plan, and
// is not where another day lies between. Pieces hang on the line until they may be handled.
func TestCoatsAreSetUpForOnce(t *testing.T) {
	s := apptest.New(t)
	const setUpMin = 40
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"prime.batch": setUpMin, "line.places": 1}))
	for range 2 {
		s.Accept(s.Order(1, route.Primed))
	}
	coats := func() (out []plan.Task) {
		for _, t := range planOf(t, s).Tasks {
			if t.Stage == route.Prime {
				out = append(out, t)
			}
		}
		return out
	}
	minutes := func() (sum float64) {
		for _, t := range coats() {
			sum += t.Minutes
		}
		return sum
	}
	tasks := coats()
	require.GreaterOrEqual(t, len(tasks), 2)
	for k, x := range tasks[1:] {
		assert.False(t, x.To.Before(tasks[k].WaitTo), "the line is full until the one before is off it")
	}
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"line.places": 12}))
	tasks = coats()
	assert.True(t, tasks[1].To.Before(tasks[0].WaitTo), "they hang side by side")
	once := minutes()
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"mix.lasts": 0}))
	sessions := (minutes() - once) / setUpMin
	assert.GreaterOrEqual(t, sessions, 1.0, "the gun is filled again for each")
	assert.InDelta(t, math.Round(sessions), sessions, 0.01)
}

// An order of an occasion goes before one that is as late without one.
func TestAnOrderOfAnOccasion(t *testing.T) {
	ready := func(occasion int) (out [2]time.Time) {
		s := apptest.New(t)
		require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"day.hours": 1}))
		numbers := [2]string{s.Order(20, route.Primed), s.Order(20, route.Primed)}
		for k, no := range numbers {
			s.Accept(no)
			f := ordersForm(s.Clock.At.AddDate(0, 0, 2))
			if k == occasion {
				f.Stale = f.Wanted
			}
			require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, f))
		}
		sheet := planOf(t, s)
		for k, no := range numbers {
			out[k] = sheet.Ready(orderID(t, s, no))
		}
		for _, l := range sheet.Late {
			assert.Equal(t, l.Order.Number == numbers[occasion], l.TooLate())
		}
		f := ordersForm(s.Clock.At.AddDate(0, 0, 2))
		f.Stale = s.Clock.At.AddDate(0, 0, 1).Format(time.DateOnly)
		assert.ErrorContains(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, numbers[0], f), "does not come before")
		f.Stale = "opening night"
		assert.ErrorContains(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, numbers[0], f), "is not a date")
		return out
	}
	first, second := ready(0), ready(1)
	assert.True(t, first[0].Before(first[1]), "%v", first)
	assert.True(t, second[1].Before(second[0]), "%v", second)
}

// Hours that leave no room for something do not end the plan: it says so, and plans all the same.
func TestHoursWithoutRoom(t *testing.T) {
	s := apptest.New(t)
	s.Accept(s.Order(30, route.Primed))
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"station.booth.width": 10, "outside.from": 20,
		"outside.to": 21}))
	sheet := planOf(t, s)
	assert.Contains(t, sheet.NoTime, "prime finds no time")
	assert.NotEmpty(t, sheet.Tasks)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"station.booth.width": 400, "outside.from": 10,
		"outside.to": 17, "sand.day": 0.5}))
	assert.Empty(t, planOf(t, s).NoTime)
	for _, id := range []int64{s.Owner.ID, s.Bench.ID} { // ten minutes a day each
		p, err := s.Setup.Person(s.Ctx, id)
		require.NoError(t, err)
		_, err = s.Setup.SavePerson(s.Ctx, s.Owner, id, setup.PersonForm{Name: p.Name, Role: p.Role, Active: true, From: "10:00", To: "10:10"})
		require.NoError(t, err)
	}
	sheet = planOf(t, s)
	assert.Empty(t, sheet.NoTime)
	assert.NotEmpty(t, sheet.Tasks)
}
