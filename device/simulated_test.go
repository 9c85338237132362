package device

import (
	"bytes"
	"encoding/json"
	"math"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// says asks a stand-in and returns what it answers, with the code of the answer.
func says(t *testing.T, url, method, what string, body any) (s Status, code int) {
	t.Helper()
	text, err := json.Marshal(body)
	require.NoError(t, err)
	r, err := http.NewRequestWithContext(t.Context(), method, url+"/"+what, bytes.NewReader(text))
	require.NoError(t, err)
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	_ = json.NewDecoder(answer.Body).Decode(&s)
	return s, answer.StatusCode
}

// A stand-in runs by its clock: layers, pause and resume, an end that is off by its own factor, a
// power cut on demand, and nonsense refused.
func TestSimulatedMachine(t *testing.T) {
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	m := &Simulated{Name: "Fell", Process: process.Filament, Factor: 1.25, Now: func() time.Time { return now }}
	server := httptest.NewServer(m)
	defer server.Close()
	ask := func(method, what string, body any) Status {
		s, code := says(t, server.URL, method, what, body)
		require.Equal(t, http.StatusOK, code, what)
		return s
	}
	refused := func(what string, body any) {
		_, code := says(t, server.URL, http.MethodPost, what, body)
		assert.Equal(t, http.StatusConflict, code, what)
	}
	assert.Equal(t, Idle, ask("GET", "status", nil).State)
	refused("pause", nil)
	refused("start", Job{Job: "x"})
	job := Job{Job: "plate-7", Layers: 500, Minutes: 80, Pieces: []string{"a", "b"}}
	assert.Equal(t, Running, ask("POST", "start", job).State)
	ask("POST", "start", job) // asked twice, it goes on
	refused("start", Job{Job: "plate-8", Minutes: 5})
	now = now.Add(25 * time.Minute)
	s := ask("GET", "status", nil)
	assert.Equal(t, 125, s.Layer, "a quarter of a run of 100 min")
	assert.InDelta(t, 75*60, s.SecondsLeft, 1e-6)
	assert.Positive(t, s.Temperatures["nozzle"])
	ask("POST", "pause", nil)
	now = now.Add(time.Hour)
	assert.Equal(t, 125, ask("GET", "status", nil).Layer)
	ask("POST", "resume", nil)
	now = now.Add(75 * time.Minute)
	s = ask("GET", "status", nil)
	assert.Equal(t, Ended, s.State)
	assert.Equal(t, map[string]string{"a": "good", "b": "good"}, s.Reports)
	now = now.Add(time.Minute)
	assert.InDelta(t, 60, ask("GET", "status", nil).EndedAgoS, 1e-6)

	ask("POST", "start", Job{Job: "plate-9", Layers: 10, Minutes: 60, Pieces: []string{"c"}})
	now = now.Add(10 * time.Minute)
	s = ask("POST", "fail", map[string]string{"fault": "power cut"})
	assert.Equal(t, Stopped, s.State)
	assert.Equal(t, map[string]string{"c": "power cut"}, s.Reports)
	_, code := says(t, server.URL, http.MethodGet, "dance", nil)
	assert.Equal(t, http.StatusNotFound, code)

	// By seed: failures come about as often as was said, the same every time, and factors differ.
	failed := func(seed uint64) (n int) {
		m := &Simulated{Process: process.Resin, Seed: seed, FailPerHour: 0.1, Now: func() time.Time { return now }}
		for range 200 {
			r, err := http.NewRequest(http.MethodPost, "/start", bytes.NewReader([]byte(`{"job":"j","minutes":300,"pieces":["a"]}`)))
			require.NoError(t, err)
			m.ServeHTTP(httptest.NewRecorder(), r)
			now = now.Add(1000 * time.Hour)
			if m.status().Reports["a"] != "good" {
				n++
			}
		}
		return n
	}
	assert.Equal(t, failed(4), failed(4))
	hidden := (&Simulated{Seed: 4}).Hidden()
	assert.InDelta(t, 200*(1-math.Exp(-0.1*5*hidden)), failed(4), 25, "an exponential life, by its mean over 200 runs")
	assert.NotEqual(t, hidden, (&Simulated{Seed: 5}).Hidden())
}

// What is started on a sheet is given to the machine that answers; its layers show; its end and its
// failures come back by themselves, over a restart too; one that does not answer holds nobody up.
func TestWatchedMachines(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	m := &Simulated{Name: "Tarn", Process: process.Resin, Factor: 1.1, Now: s.Clock.Now}
	server := httptest.NewServer(m)
	defer server.Close()
	require.NoError(t, s.Setup.SaveReach(s.Ctx, s.Owner, s.Tarn, studio.Reach{Link: server.URL + "/", KeepOut: "0 0 10 12,5"}))
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	look := func() plates.PlateSheet {
		require.NoError(t, (&Watch{App: s.App}).Look(s.Ctx)) // each a new one: nothing is remembered
		sheet, err := s.Plates.PlateSheet(s.Ctx, number)
		require.NoError(t, err)
		return sheet
	}
	sheet := look()
	assert.Len(t, sheet.Machine.KeepOut, 1)
	for _, l := range sheet.Laid() {
		assert.True(t, l.XMM >= 10 || l.YMM >= 12.5, "the corner is kept free")
	}
	assert.Equal(t, Idle, sheet.Live.State)
	s.Begin(number)
	look()
	s.Clock.Pass(30 * time.Minute)
	sheet = look()
	require.True(t, sheet.Live.Mine)
	assert.Positive(t, sheet.Live.Layer)
	assert.Less(t, sheet.Live.Layer, sheet.Live.Layers)
	planned := sheet.Plate.Run.PlannedMin
	s.Clock.Pass(24 * time.Hour)
	sheet = look()
	require.Equal(t, studio.PlateFinished, sheet.Plate.State)
	assert.InDelta(t, 1.1*planned, sheet.Plate.Run.Ended.Sub(sheet.Plate.Run.Started).Minutes(), 0.1, "it takes longer than planned: something to learn")
	assert.Equal(t, studio.Good, sheet.Pieces[0].Report)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Failed, Cause: "half printed"}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))

	// A power cut in the middle of the next run.
	number, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	s.Begin(number)
	look()
	s.Clock.Pass(20 * time.Minute)
	_, code := says(t, server.URL, http.MethodPost, "fail", map[string]string{"fault": "power cut"})
	require.Equal(t, http.StatusOK, code)
	s.Clock.Pass(20 * time.Minute)
	sheet = look()
	require.Equal(t, studio.PlateFinished, sheet.Plate.State)
	assert.InDelta(t, 20, sheet.Plate.Run.Ended.Sub(sheet.Plate.Run.Started).Minutes(), 0.1)
	assert.Equal(t, "power cut", sheet.Pieces[0].Report)

	// It falls silent: that is said, once, and nothing else stops.
	server.Close()
	w := &Watch{App: s.App}
	assert.ErrorContains(t, w.Look(s.Ctx), "Tarn: does not answer")
	require.NoError(t, w.Look(s.Ctx))
	live, ok := s.Plates.Live(s.Tarn)
	require.True(t, ok)
	assert.Equal(t, plates.Unreachable, live.State)
	for _, bad := range [][2]string{{"ftp://x", ""}, {"http://", ""}, {"", "1 2 3"}, {"", "0 0 9999 5"}, {"", "a b c d"}} {
		assert.Error(t, s.Setup.SaveReach(s.Ctx, s.Owner, s.Tarn, studio.Reach{Link: bad[0], KeepOut: bad[1]}), bad)
	}
	assert.Error(t, s.Setup.SaveReach(s.Ctx, s.Owner, 99, studio.Reach{}))
}
