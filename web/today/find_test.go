package today_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/web/webtest"
)

func TestFindFragment(t *testing.T) {
	s := webtest.Owned(t)
	s.Order(1, "raw")
	assert.Contains(t, s.Page("/find?q=vas"), "Vases")
	assert.Contains(t, s.Page("/find?q=zzz"), "Nothing has “zzz”")
	req, err := http.NewRequest(http.MethodGet, s.HTTP.URL+"/find?q=odil", nil)
	require.NoError(t, err)
	req.Header.Set("HX-Request", "true")
	a := s.Do(req)
	assert.Contains(t, a.Text, "Odile Brackwater")
	assert.NotContains(t, a.Text, "<html")
}
