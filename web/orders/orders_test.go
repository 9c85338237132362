package orders_test

import (
	"net/http"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/web/webtest"
)

func TestItemFormAnswersWithTheNewPrice(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	it := sheet.Items[0]
	price := regexp.MustCompile(`id="price">(€ [\d,]+)<`)
	before := price.FindStringSubmatch(s.Page("/orders/" + no))
	require.Len(t, before, 2)
	path := "/orders/" + no + "/items/1"
	fields := []string{"title", "Vase", "tier", "painted", "copies", "6", "scale", "150", "parts[1].process", "resin", "parts[1].material", "1", "parts[1].copies", "1", "parts[1].wall", "2"}
	a := s.HTMX(path, fields...)
	assert.Equal(t, http.StatusOK, a.StatusCode)
	after := price.FindStringSubmatch(a.Text)
	require.Len(t, after, 2, "the fragment carries the price out of band")
	assert.NotEqual(t, before[1], after[1])
	assert.NotContains(t, a.Text, "<html", "a fragment, not a page")
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 1.5, sheet.Items[0].Scale)
	assert.Equal(t, 2.0, sheet.Items[0].Parts[0].WallMM)
	assert.Equal(t, it.ID, sheet.Items[0].ID)

	bad := s.HTMX(path, "title", "Vase", "tier", "painted", "copies", "1.5", "scale", "150")
	assert.Equal(t, http.StatusUnprocessableEntity, bad.StatusCode)
	assert.Contains(t, bad.Text, "a whole number")
}

// What a client types is shown as text, on every sheet it reaches.
func TestForeignTextIsText(t *testing.T) {
	s := webtest.Owned(t)
	const evil = `<script>alert(1)</script>`
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: evil, Title: evil, Note: evil})
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, s.Upload("/orders/"+o.Number+"/items", evil+".stl", apptest.Vase()).StatusCode)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, o.Number, "")
	require.NoError(t, err)
	s.Sent("/q/"+q.Token+"/question", "text", evil)
	s.Sent("/q/"+q.Token+"/answer", "name", evil, "agreed", "1", "answer", "accept")
	for _, path := range []string{"/", "/orders", "/orders/" + o.Number, "/clients", "/logbook", "/bench?show=all", "/q/" + q.Token, "/find?q=script", "/quotes", "/orders/" + o.Number + "/quote"} {
		assert.NotContains(t, s.Page(path), "<script>alert", path)
	}
}

func TestOrderChanges(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	path := "/orders/" + no
	s.Sent(path+"/points", "kind", "colour", "text", "Blue?")
	s.Sent(path+"/points/1", "answer", "the dark one")
	assert.Contains(t, s.Page(path), "the dark one")
	s.Sent(path+"/details", "client", "1", "title", "Vases, blue", "use", "table", "wanted", "2026-07-01", "budget", "50")
	assert.Contains(t, s.Page(path), "wanted by Wed 1 Jul 2026")
	s.Sent(path + "/quote")
	body := s.Page(path)
	assert.Contains(t, body, "Revision 1: sent")
	assert.Contains(t, body, s.HTTP.URL+"/q/")
	assert.Contains(t, s.Get(path+"/quotes/1.pdf").Header.Get("Content-Disposition"), "quote-"+no+"-1.pdf")
	assert.Equal(t, http.StatusNotFound, s.Get(path+"/quotes/9.pdf").StatusCode)
	s.Sent(path+"/answer", "name", "by telephone", "answer", "accept")
	assert.Contains(t, s.Page(path), "Answered 09:00 by by telephone (told to us)")
	assert.Contains(t, s.Post(path+"/payments", "kind", "deposit", "amount", "a lot").Text, "is not an amount")
	s.Sent(path+"/payments", "kind", "deposit", "amount", "5,50")
	assert.Contains(t, s.Page(path), "€ 5.50 deposit")
	asked := s.Post(path+"/payments", "kind", "rest", "amount", "5000")
	assert.Equal(t, http.StatusUnprocessableEntity, asked.StatusCode, "more than is owed is asked about first")
	assert.Contains(t, asked.Text, "Yes, € 5,000.00 arrived")
	s.Sent(path+"/payments", "kind", "rest", "amount", "5000", "sure", "1")
	s.Sent(path + "/payments/2/reverse")
	assert.Contains(t, s.Page(path), "entered by mistake, reversed")
	s.Sent(path + "/items/1/remove")
	assert.Contains(t, s.Page(path), "Nothing is on this order yet")
	to := s.Sent(path + "/repeat")
	assert.Equal(t, "/orders/0002", to)
	s.Sent(path+"/cancel", "why", "changed his mind")
	assert.Contains(t, s.Page(path), "cancelled")
	assert.Contains(t, s.Page("/logbook"), "changed his mind")
	s.Sent("/clients/1", "name", "Odile B.", "email", "odile@brackwater.example", "address", "Weir Cottage\nBrackwater")
	assert.Contains(t, s.Page("/clients"), "Odile B.")
	assert.Contains(t, s.Page("/clients/1"), "Weir Cottage")
	assert.Contains(t, s.Post("/clients/1", "name", "").Text, "needs a name")
	s.Sent("/studio/people/new", "name", "Maren Osk", "role", "bench", "active", "1")
	assert.Contains(t, s.Page("/studio/people/3"), "Maren Osk")
	s.Sent("/studio/materials/1", "name", "Grey", "active", "1", "figures[price]", "35")
	assert.Contains(t, s.Page("/studio/materials/1"), `value="35"`)
	s.Sent("/studio/machines/1", "name", "Tarn", "active", "1", "figures[layer]", "0.05")
	assert.Contains(t, s.Page("/studio/machines/1"), `value="0.05"`)
	for _, missing := range []string{"/orders/7777", "/clients/77", "/studio/machines/77", "/studio/materials/77", "/studio/people/77"} {
		assert.Equal(t, http.StatusNotFound, s.Get(missing).StatusCode, missing)
	}
}
