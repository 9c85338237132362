package client_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

func TestClientPage(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{})
	no := s.Order(2, "painted")
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Question, "Gloss or matt?"))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	link := "/q/" + q.Token
	body := s.Page(link)
	assert.Contains(t, body, q.Total().String())
	assert.Contains(t, body, "2 × Vase")
	assert.Contains(t, body, "Gloss or matt?")
	assert.NotContains(t, body, "Margin", "the client sees the price, not how it came about")
	pdf := s.Get(link + "/quote.pdf")
	assert.Equal(t, "application/pdf", pdf.Header.Get("Content-Type"))
	assert.True(t, strings.HasPrefix(pdf.Text, "%PDF-"))

	s.Sent(link+"/question", "text", "Can it hold water?")
	assert.Contains(t, s.Post(link+"/answer", "name", "O. Brackwater", "answer", "accept").Text, "Tick")
	s.Sent(link+"/answer", "name", "O. Brackwater", "agreed", "1", "answer", "accept")
	body = s.Page(link)
	assert.Contains(t, body, "Thank you")
	assert.Contains(t, body, "This quote is accepted")
	assert.NotContains(t, body, `name="agreed"`)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, "127.0.0.1", sheet.Quotes[0].AnsweredFrom)
	require.NoError(t, s.Orders.SettlePoint(s.Ctx, s.Owner, no, sheet.Points[1].ID, "No: resin is not for food or water."))
	assert.Contains(t, s.Page(link), "not for food or water")

	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "over"))
	assert.Equal(t, http.StatusGone, s.Get(link).StatusCode)
	assert.Equal(t, http.StatusGone, s.Get(link+"/quote.pdf").StatusCode)
	assert.Equal(t, http.StatusNotFound, s.Get("/q/"+strings.Repeat("A", 26)).StatusCode)
}
