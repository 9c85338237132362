package setup_test

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/rates"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// A new owner is led from nothing to a priced order without the demo.
func TestFromNothingToAPrice(t *testing.T) {
	s := webtest.Serve(t, apptest.Bare(t), kit.Options{})
	s.Sent("/first", "name", "Ilse Karg", "password", "long-enough-now", "again", "long-enough-now")
	a := s.Post("/studio", "name", "Own Studio", "currency", "EUR", "tax", "nineteen", "zone", "Europe/Vienna")
	assert.Contains(t, a.Text, "is not a number")
	s.Sent("/studio", "name", "Own Studio", "address", "Here", "currency", "EUR", "tax", "19,5", "zone", "Europe/Vienna")
	assert.Contains(t, s.Page("/studio"), `value="19.5"`)
	form := s.Page("/studio/machines/new?from=Large+resin+printer")
	assert.Contains(t, form, `value="218"`)
	s.Sent("/studio/machines/new", "name", "Mere", "from", "Large resin printer", "active", "1", "figures[width]", "200")
	s.Sent("/studio/materials/new", "name", "House grey", "from", "Grey standard resin", "active", "1", "figures[price]", "29")
	body := s.Page("/studio")
	assert.Contains(t, body, "200 × 123 × 250 mm")
	assert.Contains(t, body, "29 €/kg")
	s.Sent("/rates", "r-wage", "31")
	assert.Contains(t, s.Page("/rates"), fmt.Sprintf("1 of %d figures are ours", len(rates.Starting().Rates)))

	to := s.Sent("/orders", "new_client", "First Client", "title", "A vase", "use", "shelf", "wanted", "2026-06-01", "budget", "1.200,50")
	assert.Equal(t, "/orders/0001", to)
	assert.Contains(t, s.Page(to), "budget € 1,200.50")
	a = s.Upload(to+"/items", "vase.stl", apptest.Vase())
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	body = s.Page(to)
	assert.Contains(t, body, "watertight")
	assert.Regexp(t, `id="price">€ \d+`, body)
	assert.Contains(t, body, "House grey")
}
