package today_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/studio"
)

func TestTodayInOrderOfUrgency(t *testing.T) {
	s := apptest.New(t)
	late := s.Order(2, route.Painted)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, late, orders.OrderForm{ClientID: 1, Title: "Late vases", Use: "shelf", Wanted: "2026-05-14"}))
	s.Accept(late)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	open := s.Order(1, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, open, "")
	require.NoError(t, err)
	require.NoError(t, s.Quotes.AskAboutQuote(s.Ctx, q.Token, "How heavy is it?"))
	s.Clock.Pass(8 * time.Hour)
	require.NoError(t, s.Plates.FinishRun(s.Ctx, change.Actor{Name: "Tarn"}, number, time.Time{}, nil))

	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	got := apptest.Titles(today)
	require.GreaterOrEqual(t, len(got), 5, "%v", got)
	assert.Equal(t, "Empty Tarn: plate 1 is finished", got[0])
	assert.Equal(t, "Late vases cannot be ready in time", got[1])
	assert.Equal(t, "Odile Brackwater has accepted: Late vases", got[2])
	assert.Contains(t, got[3], "asks: How heavy is it?")
	assert.Contains(t, got[len(got)-1], "owes the deposit")
	for _, task := range today.Tasks {
		assert.NotEmpty(t, task.Action)
		assert.True(t, strings.HasPrefix(task.Link, "/"), task.Link)
	}
	require.Len(t, today.Promises, 1)
	pr := today.Promises[0]
	assert.True(t, pr.Late)
	assert.Positive(t, pr.HandsMin)
	assert.Contains(t, today.Caution, "nitrile gloves")
	assert.NotEmpty(t, today.Night)
	require.NoError(t, s.Quotes.SeeAnswer(s.Ctx, s.Owner, late))
	today, err = s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.NotContains(t, apptest.Titles(today), "Odile Brackwater has accepted: Late vases")
}

// A new studio is led from Today.
func TestAnEmptyStudioIsLed(t *testing.T) {
	s := apptest.Bare(t)
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"Name the studio", "Add the machines that print", "Add the materials they print with"}, apptest.Titles(today))
	o, err := s.Orders.NewOrder(s.Ctx, change.Actor{Name: "x"}, orders.OrderForm{NewClient: "A", Title: "B", Sure: true})
	require.NoError(t, err)
	_, _, err = s.Orders.AddItem(s.Ctx, change.Actor{Name: "x"}, o.Number, []models.Upload{apptest.Upload("vase.stl", apptest.Vase())}, false)
	require.NoError(t, err)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(sheet.Troubles(), " "), "no resin machine in the studio")
	_, err = s.Quotes.SendQuote(s.Ctx, change.Actor{Name: "x"}, o.Number, "")
	apptest.Refusal(t, err, "cannot be sent yet")
}

func TestNextEvent(t *testing.T) {
	s := apptest.New(t)
	_, ok, err := s.Today.NextEvent(s.Ctx)
	require.NoError(t, err)
	assert.False(t, ok)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	s.Print()
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 2})
	require.NoError(t, err)
	at, ok, err := s.Today.NextEvent(s.Ctx)
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, s.Clock.At.Add(time.Duration(30*finish.Slower(21)*60)*time.Second), at.UTC(), "the alcohol is off, a little later at 21 °C")
}

// What came in the same minute stands in the order of its numbers, each time that the sheet is looked at.
func TestTodayReadsTheSameEachTime(t *testing.T) {
	s := apptest.New(t)
	var numbers []string
	for range 6 {
		numbers = append(numbers, apptest.Enquiry(s))
	}
	for range 20 {
		require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, numbers[0], "question", "Gloss or matt?")) // it is made again
		sheet, err := s.Today.Today(s.Ctx)
		require.NoError(t, err)
		var there []string
		for _, task := range sheet.Tasks {
			if task.Action == "Price it" {
				there = append(there, strings.TrimPrefix(task.Link, "/orders/"))
			}
		}
		require.Equal(t, numbers, there)
	}
}
