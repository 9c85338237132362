package kit

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/change"
)

type partOf struct {
	Wall float64 `form:"wall" label:"Wall" validate:"gte=0,lte=50"`
}

type sample struct {
	Title  string           `form:"title" label:"Name" validate:"required,max=5"`
	Copies int              `form:"copies" label:"Copies" validate:"gte=1,lte=1000"`
	Scale  float64          `form:"scale" label:"Scale"`
	Margin Optional         `form:"margin" label:"Margin" validate:"lte=99"`
	Apart  bool             `form:"apart"`
	Parts  map[int64]partOf `form:"parts" validate:"dive"`
	Tier   string           `form:"tier" label:"Finish" validate:"omitempty,oneof=raw painted"`
}

func posted(v url.Values) *http.Request {
	r := httptest.NewRequest(http.MethodPost, "/", strings.NewReader(v.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return r
}

func TestDecode(t *testing.T) {
	s, err := Decode[sample](posted(url.Values{"title": {" Toad "}, "copies": {"3"}, "scale": {"12,50"}, "apart": {"on"}, "parts[12].wall": {"2,5"}, "parts[7].wall": {""}, "tier": {"raw"}, "back": {"/"}}))
	require.NoError(t, err)
	assert.Equal(t, sample{Title: "Toad", Copies: 3, Scale: 12.5, Apart: true, Parts: map[int64]partOf{12: {2.5}, 7: {}}, Tier: "raw"}, s)
	assert.Nil(t, s.Margin.Pointer())

	s, err = Decode[sample](posted(url.Values{"title": {"T"}, "copies": {"1"}, "margin": {"0"}}))
	require.NoError(t, err)
	require.NotNil(t, s.Margin.Pointer(), "nought is not nothing")

	_, err = Decode[sample](posted(url.Values{"title": {"Postmaster"}, "copies": {"2,5"}, "scale": {"big"}, "parts[12].wall": {"51"}, "tier": {"gold"}, "margin": {"100"}}))
	var refusal *change.Refusal
	require.ErrorAs(t, err, &refusal)
	words := map[string]string{}
	for _, w := range refusal.Fields {
		words[w.Field] = w.Text
	}
	assert.Equal(t, map[string]string{"title": "Name: at most 5 letters.", "copies": `Copies: a whole number, not "2,5".`, "scale": `Scale: "big" is not a number.`,
		"parts[12].wall": "Wall: at most 50.", "tier": "Finish: one of raw, painted.", "margin": "Margin: at most 99."}, words)
	for _, odd := range []url.Values{{"parts[x].wall": {"1"}}, {"parts[99999999999999999999].wall": {"1"}}, {"parts[1": {"1"}}, {"parts[1].wall.x[3].y": {"1"}}, {"title[0]": {"x"}}, {"copies": {"1e308"}}} {
		assert.NotPanics(t, func() { _, err = Decode[sample](posted(odd)) }, "%v", odd)
		assert.ErrorAs(t, err, &refusal, "%v", odd)
	}
}
