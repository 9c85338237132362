package device

import (
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAScaleIsAskedWhenItIsAtRest(t *testing.T) {
	scale := &SimulatedScale{OffG: 0.2}
	server := httptest.NewServer(scale)
	defer server.Close()
	put := func(grams string) {
		answer, err := http.Post(server.URL+"/put?grams="+grams, "", nil)
		require.NoError(t, err)
		answer.Body.Close()
	}
	put("812.5")
	g, err := Weigh(t.Context(), server.URL)
	require.NoError(t, err)
	assert.InDelta(t, 812.5, g, 0.2)
	put("-40")
	_, err = Weigh(t.Context(), server.URL)
	assert.ErrorContains(t, err, "set it to zero")
	scale.RestS = 60
	put("5")
	_, err = Weigh(t.Context(), server.URL)
	assert.ErrorContains(t, err, "not come to rest")

	other := httptest.NewServer(http.NotFoundHandler())
	_, err = Weigh(t.Context(), other.URL)
	assert.ErrorContains(t, err, "is no scale")
	other.Close()
	_, err = Weigh(t.Context(), other.URL)
	assert.ErrorContains(t, err, "does not answer")
	_, err = Weigh(t.Context(), "")
	assert.ErrorContains(t, err, "no scale is set up")
}
