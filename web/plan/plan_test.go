package plan_test

import (
	"bufio"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// The roll shows what runs and whose hands are where; as a list and as calendars it says the same, those
// only to who has their address, and no longer when there is a new one.
func TestTheRollAndItsCalendars(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(3, "primed")
	s.Accept(no)
	_, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	page := s.Get("/plan")
	require.Equal(t, http.StatusOK, page.StatusCode)
	assert.Contains(t, page.Text, "a plate to lay")
	assert.Contains(t, page.Text, "Start Tarn")
	next := s.Get("/plan?day=2026-05-15")
	assert.Contains(t, next.Text, "Friday 15 May")
	assert.Contains(t, next.Text, "Vase: ")
	assert.Contains(t, s.Get("/plan?day=9999-12-31").Text, "the year 9999 is hard to believe", "in words")
	end := s.Get("/plan?day=2099-12-31")
	assert.NotContains(t, end.Text, "further on</a>", "the roll ends with the last thing planned")
	assert.Contains(t, end.Text, "back</a>")
	past := s.Get("/plan?day=1999-12-31")
	assert.NotContains(t, past.Text, "back</a>", "what is past is in the logbook")
	assert.Contains(t, past.Text, "Start Tarn")

	list := strings.Split(strings.TrimSpace(s.Get("/plan.csv").Text), "\n")
	assert.Equal(t, "from,to,who,what,pieces,first_piece,plate", strings.TrimSpace(list[0]))
	assert.Greater(t, len(list), 6)

	secrets := regexp.MustCompile(`/feed/([A-Z2-7]+)\.ics`)
	make := func(whose string) string {
		s.Sent("/plan/calendars", "whose", whose)
		all := secrets.FindAllStringSubmatch(s.Page("/plan/calendars"), -1)
		require.NotEmpty(t, all)
		return all[len(all)-1][1]
	}
	secret, machines := make(""), make("machine-1")
	require.Len(t, secret, 26)
	require.NotEqual(t, secret, machines)
	stranger := s.Fresh()
	fetch := func(path string) (int, string) {
		answer, err := stranger.Get(s.HTTP.URL + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, string(body)
	}
	code, body := fetch("/feed/" + secret + ".ics")
	require.Equal(t, http.StatusOK, code)
	all, err := ics.ParseCalendar(strings.NewReader(body))
	require.NoError(t, err)
	assert.Len(t, all.Events(), len(list)-1, "as many as the list has lines")
	_, body = fetch("/feed/" + machines + ".ics")
	machine, err := ics.ParseCalendar(strings.NewReader(body))
	require.NoError(t, err)
	require.Len(t, machine.Events(), 1)
	from, err := machine.Events()[0].GetStartAt()
	require.NoError(t, err)
	to, err := machine.Events()[0].GetEndAt()
	require.NoError(t, err)
	assert.Greater(t, to.Sub(from), time.Hour)
	code, _ = fetch("/feed/" + secret[1:] + "x.ics")
	assert.Equal(t, http.StatusNotFound, code)
	s.Sent("/plan/calendars/1/end")
	code, _ = fetch("/feed/" + secret + ".ics")
	assert.Equal(t, http.StatusNotFound, code, "it has ended")
	code, _ = fetch("/feed/" + machines + ".ics")
	assert.Equal(t, http.StatusOK, code, "and no other")
	for _, secret := range []string{secret, machines} {
		assert.NotContains(t, s.Log.String(), secret, "an address is a key: it is masked in the log")
	}
	assert.Contains(t, s.Log.String(), `"path":"/feed/…"`)

	// Each ends their own; the owner sees that there are others, and may end them, but does not see their addresses.
	require.NoError(t, s.Plan.AddCalendar(s.Ctx, s.Bench, s.Bench.ID, 0))
	jorys := s.Page("/plan/calendars")
	assert.Contains(t, jorys, "made by Jory Tamm")
	assert.Len(t, secrets.FindAllString(jorys, -1), 1)
	jory, err := s.Setup.Person(s.Ctx, s.Bench.ID)
	require.NoError(t, err)
	assert.True(t, change.NotFound(s.Plan.EndCalendar(s.Ctx, jory, 2)), "it is not his")
	require.NoError(t, s.Plan.EndCalendar(s.Ctx, jory, 3))
	s.Post("/plan/calendars", "whose", "machine-99")
	assert.True(t, change.NotFound(s.Plan.AddCalendar(s.Ctx, s.Bench, 0, 99)))
}

// The plan's other sheets: a week and a month of it, what has changed since it was agreed on, who is away, a
// task by itself; what is typed wrongly is refused with its reason, and what is done is undone.
func TestTheSheetsOfThePlan(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(12, "primed")
	s.Accept(no)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, orders.OrderForm{Title: "Vases", ClientID: 1, Use: "shelf", Wanted: "2026-05-20", Sure: true}))
	planned, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)

	week := s.Get("/plan/week").Text
	assert.Contains(t, week, "Week of 11 May")
	assert.Contains(t, week, "Vase: ", "what takes most of the day is named")
	assert.Contains(t, s.Get("/plan/week?day=2026-05-20").Text, `href="/orders/`+no+`">Vases`, "and what is wanted that day")
	assert.Contains(t, s.Get("/plan/month?day=2031-01-01").Text, "Five weeks from 18 May", "no further than there is a plan")
	assert.Contains(t, s.Get("/plan/sheet").Text, "Jory Tamm")
	assert.Contains(t, s.Get("/plan/dates").Text, "as good as sure")

	asked := s.Order(30, "primed")
	assert.Regexp(t, `<b>\w+ \d+ May</b> by the plan`, s.Get("/orders/"+asked+"/quote/ready").Text)
	ask := s.Get("/orders/" + asked + "/quote/planned").Text
	assert.Regexp(t, `By the plan \w+ \d+ May; sure, 8 in 10, \w+ \d+ May`, ask)
	assert.Contains(t, ask, "/plan/possible/"+asked)
	assert.Contains(t, s.Get("/plan/possible/"+asked).Text, "Asked for: ready by the plan, with all else kept")

	assert.Contains(t, s.Get("/plan").Text, "Nobody has agreed on a plan yet")
	s.Post("/plan/agree")
	assert.Contains(t, s.Get("/plan").Text, "as agreed")
	s.Accept(s.Order(12, "raw"))
	_, err = s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	changes := s.Get("/plan/changes").Text
	assert.Contains(t, changes, "is new, ready")
	assert.Contains(t, changes, "Keep the agreed plan")
	s.Post("/plan/keep", "keep", "true")
	assert.Contains(t, s.Get("/plan/changes").Text, "The agreed plan is kept")
	s.Post("/plan/agree")
	assert.Contains(t, s.Get("/plan/changes").Text, "as it was agreed on")

	key := ""
	for _, x := range planned.Tasks {
		if x.Stage == "prime" && key == "" {
			key = x.Key
		}
	}
	task := s.Get("/plan/task?task=" + url.QueryEscape(key) + "&person=0&day=2026-05-18&at=10%3A30").Text
	assert.Contains(t, task, "Mon 10:30 to Mon")
	assert.Contains(t, task, "What would it move?")
	s.Post("/plan/move", "task", key, "person", "0", "day", "2026-05-18", "at", "10:30")
	moved, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	at, err := moved.TaskOf(key)
	require.NoError(t, err)
	assert.Equal(t, "2026-05-18 10:30", at.From.In(webtest.Vienna(t)).Format("2006-01-02 15:04"))
	s.Post("/plan/undo")
	back, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	at, err = back.TaskOf(key)
	require.NoError(t, err)
	assert.False(t, at.Moved)
	for path, form := range map[string]struct {
		why    string
		fields []string
	}{
		"/plan/move":    {"as 14:15", []string{"task", key, "day", "2026-05-18", "at", "half past ten"}},
		"/plan/lock":    {"not in the plan any more", []string{"task", "9999-1: prime 1"}},
		"/plan/away":    {"ends before it begins", []string{"whose", "person-1", "from", "2026-05-19T09:00", "to", "2026-05-18T09:00"}},
		"/plan/weather": {"from and to", []string{"day", "2026-05-19", "from", "16:00", "to", "2 pm"}},
	} {
		assert.Contains(t, s.HTMX(path, form.fields...).Text, form.why, path)
	}
	s.Post("/plan/away", "whose", "person-2", "from", "2026-05-18", "to", "2026-05-19", "why", "fair 🎪")
	away := s.Get("/plan/away").Text
	assert.Contains(t, away, "Jory Tamm")
	assert.Contains(t, away, "fair 🎪")
	assert.Contains(t, s.Get("/plan?day=2026-05-18").Text, "away; fair 🎪")
	s.Post("/plan/away/1/drop")
	assert.NotContains(t, s.Get("/plan/away").Text, "fair 🎪")
	assert.Contains(t, s.Get("/plan/possible/"+no).Text, "What fixes the date")
}

// Whoever looks at the plan is told when something has happened in the studio; the stream ends with the server,
// which would else wait for it.
func TestThePlanSaysWhenSomethingHappened(t *testing.T) {
	s := webtest.Owned(t)
	stream := func(since int64) *bufio.Scanner {
		req, err := http.NewRequest(http.MethodGet, fmt.Sprintf("%s/events?since=%d", s.HTTP.URL, since), nil)
		require.NoError(t, err)
		r, err := s.Client.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { r.Body.Close() })
		lines := bufio.NewScanner(r.Body)
		require.True(t, lines.Scan())
		assert.Equal(t, ": here", lines.Text())
		return lines
	}
	before, err := s.App.LastChange(s.Ctx)
	require.NoError(t, err)
	first := stream(before)
	s.Order(1, "raw")
	told := false
	for first.Scan() { // it ends by itself
		told = told || first.Text() == "event: changed"
	}
	assert.True(t, told)
	late := stream(before) // what happened while the sheet was on its way is told, too
	told = false
	for late.Scan() {
		told = told || late.Text() == "event: changed"
	}
	assert.True(t, told)
	second := stream(0)
	s.Server.HangUp()
	for second.Scan() {
		assert.NotEqual(t, "event: changed", second.Text())
	}
}
