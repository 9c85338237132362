package web

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/web/kit"
)

// drawn is the form of a sheet that sends itself to an address.
func (s *site) drawn(path, action string) url.Values {
	s.t.Helper()
	for _, f := range kit.DrawnForms([]byte(s.page(path))) {
		if f.Action == action {
			return f.Values
		}
	}
	require.FailNow(s.t, "no such form", "%s on %s", action, path)
	return nil
}

func (s *site) send(action string, form url.Values) answer {
	s.t.Helper()
	var fields []string
	for name, values := range form {
		for _, v := range values {
			fields = append(fields, name, v)
		}
	}
	return s.post(action, fields...)
}

// A form that was drawn before another change saves only what was changed in it; a field
// changed on both sides is asked about, with both values.
func TestNothingIsOverwrittenUnseen(t *testing.T) {
	s := owned(t)
	no := s.Order(3, "primed")
	rate := func(key string) float64 {
		h, err := s.Setup.Shop(s.Ctx)
		require.NoError(t, err)
		return h.Book.V(key)
	}
	older, newer := s.drawn("/rates", "/rates"), s.drawn("/rates", "/rates")
	newer.Set("r-wage", "41,5")
	require.Equal(t, http.StatusSeeOther, s.send("/rates", newer).StatusCode)
	older.Set("r-margin", "31")
	require.Equal(t, http.StatusSeeOther, s.send("/rates", older).StatusCode)
	assert.Equal(t, 41.5, rate("wage"), "the newer tab's wage stays")
	assert.Equal(t, 31.0, rate("margin"))
	older.Set("r-wage", "12")
	a := s.send("/rates", older)
	require.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "“41.5” was saved meanwhile; here stands “12”")
	assert.Equal(t, 41.5, rate("wage"))
	again := kit.DrawnForms([]byte(a.body))
	require.NotEmpty(t, again)
	require.Equal(t, http.StatusSeeOther, s.send("/rates", again[len(again)-1].Values).StatusCode, "said with both in sight")
	assert.Equal(t, 12.0, rate("wage"))

	form := "/orders/" + no + "/items/1"
	older, newer = s.drawn("/orders/"+no, form), s.drawn("/orders/"+no, form)
	newer.Set("copies", "7")
	require.Less(t, s.send(form, newer).StatusCode, 400)
	older.Set("title", "Heron")
	a = s.send(form, older)
	require.Less(t, a.StatusCode, 400)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 7, sheet.Items[0].Copies, "a new name leaves the copies as they were saved")
	assert.Equal(t, "Heron", sheet.Items[0].Title)
}

// A field that was changed, answered and changed again in one tab is nobody else's.
func TestOneTabNeverClashesWithItself(t *testing.T) {
	s := owned(t)
	no := s.Order(3, "primed")
	form := "/orders/" + no + "/items/1"
	values := s.drawn("/orders/"+no, form)
	for _, copies := range []string{"4", "5", "6"} {
		values.Set("copies", copies)
		req, err := http.NewRequest(http.MethodPost, s.server.URL+form, strings.NewReader(values.Encode()))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("HX-Request", "true")
		req.Header.Set("HX-Current-URL", s.server.URL+"/orders/"+no)
		a := s.do(req)
		require.Equal(t, http.StatusOK, a.StatusCode, a.body)
		for _, f := range kit.DrawnForms([]byte(a.body)) {
			if f.Action == form { // the browser takes the answer's form
				values = f.Values
			}
		}
		assert.Equal(t, copies, values.Get("copies"))
	}
}

// Numbers are typed as people type them, and each field that is wrong says so, once.
func TestNumbersAsPeopleTypeThem(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "primed")
	form := "/orders/" + no + "/items/1"
	for typed, mm := range map[string]float64{"2,5": 2.5, "12,50": 12.5, "3.25": 3.25, " 4 ": 4} {
		values := s.drawn("/orders/"+no, form)
		for name := range values {
			if strings.HasPrefix(name, "wall-") {
				values.Set(name, typed)
			}
		}
		require.Less(t, s.send(form, values).StatusCode, 400, typed)
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		assert.Equal(t, mm, sheet.Items[0].Parts[0].WallMM, typed)
	}
	values := s.drawn("/orders/"+no, form)
	values.Set("copies", "many")
	values.Set("scale", "big")
	a := s.send(form, values)
	require.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Equal(t, 1, strings.Count(a.body, "“many”")+strings.Count(a.body, "&#34;many&#34;"))
	assert.Contains(t, a.body, "Scale")
	assert.NotContains(t, s.page("/orders/"+no), `type="number"`)
}
