package web

import (
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/web/kit"
)

// The roll shows what runs and whose hands are where; as a list and as calendars it says the same, those
// only to who has their address, and no longer when there is a new one.
func TestTheRollAndItsCalendars(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	no := s.Order(3, "primed")
	s.Accept(no)
	_, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	page := s.get("/plan")
	require.Equal(t, http.StatusOK, page.StatusCode)
	assert.Contains(t, page.body, "a plate to lay")
	assert.Contains(t, page.body, "Start Tarn")
	assert.NotContains(t, page.body, "/feed/")
	next := s.get("/plan?day=2026-05-15")
	assert.Contains(t, next.body, "Friday 15 May")
	assert.Contains(t, next.body, "Vase: ")
	end := s.get("/plan?day=9999-12-31")
	assert.NotContains(t, end.body, "further on</a>", "the roll ends with the last thing planned")
	assert.Contains(t, end.body, "back</a>")
	past := s.get("/plan?day=1999-12-31")
	assert.NotContains(t, past.body, "back</a>", "what is past is in the logbook")
	assert.Contains(t, past.body, "Start Tarn")

	list := strings.Split(strings.TrimSpace(s.get("/plan.csv").body), "\n")
	assert.Equal(t, "from,to,who,what,pieces,first_piece,plate", strings.TrimSpace(list[0]))
	assert.Greater(t, len(list), 6)

	s.post("/plan/feed")
	st, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	secret := st.Studio.Defaults.Feed
	require.Len(t, secret, 24)
	stranger := s.fresh()
	fetch := func(path string) (int, string) {
		answer, err := stranger.Get(s.server.URL + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, string(body)
	}
	code, body := fetch("/feed/" + secret + "/studio.ics")
	require.Equal(t, http.StatusOK, code)
	all, err := ics.ParseCalendar(strings.NewReader(body))
	require.NoError(t, err)
	assert.Len(t, all.Events(), len(list)-1, "as many as the list has lines")
	_, body = fetch("/feed/" + secret + "/machine-1.ics")
	machine, err := ics.ParseCalendar(strings.NewReader(body))
	require.NoError(t, err)
	require.Len(t, machine.Events(), 1)
	from, err := machine.Events()[0].GetStartAt()
	require.NoError(t, err)
	to, err := machine.Events()[0].GetEndAt()
	require.NoError(t, err)
	assert.Greater(t, to.Sub(from), time.Hour)
	code, _ = fetch("/feed/" + secret[1:] + "x/studio.ics")
	assert.Equal(t, http.StatusNotFound, code)
	s.post("/plan/feed")
	code, _ = fetch("/feed/" + secret + "/studio.ics")
	assert.Equal(t, http.StatusNotFound, code, "the address before has ended")
}
