package delivery_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/web/webtest"
)

func TestDeliveryScreens(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	s.Accept(no)
	to := "/orders/" + no + "/delivery"
	assert.Contains(t, s.Post("/orders/"+no+"/deliver").Text, "still in work")
	s.Print()
	s.Finish(no + "-1")
	assert.Contains(t, s.Page("/"), "Deliver Vases to Odile Brackwater")
	assert.Contains(t, s.Page("/orders"), "1 of 1 piece done")
	assert.Contains(t, s.Page(to), "Hours, planned and worked")
	for _, name := range []string{"packing-list", "delivery-note"} {
		a := s.Get("/orders/" + no + "/" + name + ".pdf")
		assert.True(t, strings.HasPrefix(a.Text, "%PDF-"), name)
		assert.Greater(t, len(a.Text), 3000, name)
	}
	s.Sent("/orders/"+no+"/deliver", "on", "2026-05-14")
	assert.Contains(t, s.Post("/orders/"+no+"/close").Text, "give the reason")
	s.Sent("/orders/"+no+"/close", "why", "paid in biscuits")
	assert.Contains(t, s.Page(to), "closed Thu 14 May 2026")
	assert.Contains(t, s.Page("/orders"), "Filed")
}
