package device

import (
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// watched is a studio whose Tarn answers, with a plate laid for it.
type watched struct {
	*apptest.Studio
	machine *Simulated
	link    string
	starts  atomic.Int32 // that the machine was sent
	pretend atomic.Pointer[string]
	number  int
}

func watch(t *testing.T) *watched {
	w := &watched{Studio: apptest.New(t)}
	w.machine = &Simulated{Name: "Tarn", Process: process.Resin, Factor: 1, Now: w.Clock.Now}
	server := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/start" {
			w.starts.Add(1)
		}
		if says := w.pretend.Load(); says != nil {
			fmt.Fprint(rw, *says)
			return
		}
		w.machine.ServeHTTP(rw, r)
	}))
	t.Cleanup(server.Close)
	w.link = server.URL
	require.NoError(t, w.Setup.SaveReach(w.Ctx, w.Owner, w.Tarn, studio.Reach{Link: server.URL}))
	w.Accept(w.Order(2, route.Raw))
	w.lay()
	return w
}

func (w *watched) lay() {
	w.T.Helper()
	var err error
	w.number, _, err = w.Plates.LayPlate(w.Ctx, w.Bench, w.Tarn, w.Resin, studio.PrintProfile{})
	require.NoError(w.T, err)
}

// look has the machine asked, by a watch that remembers nothing.
func (w *watched) look() plates.PlateSheet {
	w.T.Helper()
	if err := (&Watch{App: w.App}).Look(w.Ctx); err != nil {
		w.T.Log(err)
	}
	sheet, err := w.Plates.PlateSheet(w.Ctx, w.number)
	require.NoError(w.T, err)
	return sheet
}

func (w *watched) says(text string) { w.pretend.Store(&text) }

func (w *watched) titles() (out []string) {
	today, err := w.Today.Today(w.Ctx)
	require.NoError(w.T, err)
	for _, task := range today.Tasks {
		out = append(out, task.Title)
	}
	return out
}

// After a power cut the machine has forgotten its job: the run is not begun again on the half print, however often it is
// looked at; Today asks, and only a person starts it again.
func TestAPowerCutStartsNothing(t *testing.T) {
	w := watch(t)
	w.Begin(w.number)
	w.look()
	w.Clock.Pass(time.Hour)
	assert.True(t, w.look().Live.Mine)
	_, code := says(t, w.link, http.MethodPost, "cut", nil)
	require.Equal(t, http.StatusOK, code)
	for range 20 {
		w.Clock.Pass(5 * time.Second)
		w.look()
	}
	assert.EqualValues(t, 1, w.starts.Load(), "a start is sent once")
	sheet := w.look()
	assert.Equal(t, "It has begun, and is gone: it stands idle.", sheet.Plate.Run.Asks())
	missed := sheet.Plate.Run.Missed
	assert.Contains(t, w.titles(), fmt.Sprintf("Tarn does not show plate %d any more", w.number))

	require.NoError(t, w.Plates.SayOfMissing(w.Ctx, w.Bench, w.number, studio.MissingWatch))
	assert.Empty(t, w.look().Plate.Run.Asks())
	assert.NotContains(t, w.titles(), fmt.Sprintf("Tarn does not show plate %d any more", w.number))
	assert.Error(t, w.Plates.SayOfMissing(w.Ctx, w.Bench, w.number, studio.MissingFailed), "nothing is asked any more")
	require.NotEqual(t, http.StatusConflict, start(t, w.link, "somebody-elses"))
	assert.Equal(t, "It has begun, and is gone: it runs another job (somebody-elses).", w.look().Plate.Run.Asks(), "that is something else")

	job := w.look().Plate.Run.Job
	says(t, w.link, http.MethodPost, "cancel", nil)
	w.Clock.Pass(time.Minute)
	w.look()
	require.NoError(t, w.Plates.SayOfMissing(w.Ctx, w.Bench, w.number, studio.MissingAgain))
	sheet = w.look()
	assert.EqualValues(t, 3, w.starts.Load(), "the second was the stranger’s, the third a person’s")
	assert.NotEqual(t, job, sheet.Plate.Run.Job)
	assert.True(t, sheet.Live.Mine)
	assert.Equal(t, w.Clock.Now(), sheet.Plate.Run.Started)
	_, _ = says(t, w.link, http.MethodPost, "cut", nil)
	w.Clock.Pass(10 * time.Minute)
	w.look()
	w.Clock.Pass(time.Hour)
	assert.Error(t, w.Plates.SayOfMissing(w.Ctx, w.Bench, w.number, "shrug"))
	require.NoError(t, w.Plates.SayOfMissing(w.Ctx, w.Bench, w.number, studio.MissingFailed))
	sheet = w.look()
	assert.Equal(t, studio.PlateFinished, sheet.Plate.State)
	assert.InDelta(t, 10, sheet.Plate.Run.Ended.Sub(sheet.Plate.Run.Started).Minutes(), 0.1, "when it went missing, not when that was said")
	assert.Equal(t, process.Unknown, sheet.Pieces[0].Report)
	assert.NotZero(t, missed)
}

func start(t *testing.T, link, job string) int {
	t.Helper()
	_, code := says(t, link, http.MethodPost, "start", Job{Job: job, Layers: 10, Minutes: 600})
	return code
}

// A machine that shows its former job, over, and one that needs a moment, are no alarm; one that does not begin is.
func TestBeforeItHasBegun(t *testing.T) {
	w := watch(t)
	w.says(`{"state":"ended","job":"former","ended_ago_s":600}`)
	w.Begin(w.number)
	for range 50 {
		w.Clock.Pass(5 * time.Second)
		assert.Empty(t, w.look().Plate.Run.Asks(), "its former job still")
	}
	assert.EqualValues(t, 1, w.starts.Load(), "an idle machine is not sent it every five seconds")
	w.says(`{"state":"idle"}`)
	assert.Equal(t, "It has not begun: it stands idle.", w.look().Plate.Run.Asks())
	job := w.look().Plate.Run.Job
	w.says(`{"state":"running","job":"` + job + `","layer":3,"layers":9}`)
	sheet := w.look()
	assert.Empty(t, sheet.Plate.Run.Asks(), "there it is")
	assert.True(t, sheet.Live.Mine)

	w.says(`{"state":"ended","job":"` + job + `","ended_ago_s":7200,"reports":{}}`)
	sheet = w.look()
	assert.Equal(t, studio.PlateRunning, sheet.Plate.State, "what ended before its run began is not it, whatever it is called")
	assert.Contains(t, sheet.Plate.Run.Asks(), "another job")
}

// Nothing is sent to a machine that has something else under way, not even when that is over: its bed is full.
func TestNothingIsSentToAMachineThatIsBusy(t *testing.T) {
	w := watch(t)
	w.says(`{"state":"running","job":"by-hand"}`)
	w.Begin(w.number)
	assert.Equal(t, "It has not begun: it runs another job (by-hand).", w.look().Plate.Run.Asks())
	w.says(`{"state":"ended","job":"by-hand","ended_ago_s":1}`)
	w.look()
	w.says(`{"state":"idle"}`)
	w.look()
	assert.Zero(t, w.starts.Load())
}

// A run that was begun by hand a while ago and is noted afterwards is not begun a second time.
func TestARunNotedAfterwardsIsNotSent(t *testing.T) {
	w := watch(t)
	sheet, err := w.Plates.PlateSheet(w.Ctx, w.number)
	require.NoError(t, err)
	looked := map[string]bool{}
	for _, c := range sheet.Ready {
		looked[c.Key] = true
	}
	require.NoError(t, w.Plates.StartRun(w.Ctx, w.Bench, w.number, studio.Started{At: w.Clock.Now().Add(-time.Hour), Looked: looked}))
	for range 40 {
		w.Clock.Pass(5 * time.Second)
		w.look()
	}
	assert.Zero(t, w.starts.Load())
	assert.Equal(t, "It has not begun: it stands idle.", w.look().Plate.Run.Asks())
}

// After a backup came back plates have the numbers that others had since: a job of those, though it went through, is not
// this run; its pieces are not booked as good.
func TestAJobOfAnotherLifeIsNotThisRun(t *testing.T) {
	w := watch(t)
	w.says(fmt.Sprintf(`{"state":"ended","job":"plate-%d-1","ended_ago_s":0,"reports":{}}`, w.number))
	w.Begin(w.number)
	sheet := w.look()
	assert.Equal(t, studio.PlateRunning, sheet.Plate.State)
	assert.Regexp(t, fmt.Sprintf(`^plate-%d-[A-Z2-7]{16}$`, w.number), sheet.Plate.Run.Job)
	assert.LessOrEqual(t, len(sheet.Plate.Run.Job), longestName, "as it comes back")
}

func TestARefusedStartIsAskedAbout(t *testing.T) {
	w := watch(t)
	var refuses atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost {
			refuses.Add(1)
			http.Error(rw, "the door is open"+strings.Repeat("!", 5000), http.StatusConflict)
			return
		}
		fmt.Fprint(rw, `{"state":"idle"}`)
	}))
	defer server.Close()
	require.NoError(t, w.Setup.SaveReach(w.Ctx, w.Owner, w.Tarn, studio.Reach{Link: server.URL}))
	w.Begin(w.number)
	for range 5 {
		w.look()
	}
	assert.EqualValues(t, 1, refuses.Load())
	assert.Contains(t, w.look().Plate.Run.Asks(), "It has not begun")
}

// What a machine says becomes numbers, states and causes that can be.
func TestWhatAMachineSaysIsBounded(t *testing.T) {
	w := watch(t)
	w.Begin(w.number)
	w.look()
	job := w.look().Plate.Run.Job
	long := strings.Repeat("<b>fire</b> ", 300)
	w.says(fmt.Sprintf(`{"state":"running","job":"%s","layer":4611686018427387904,"layers":1,"seconds_left":1e300,"fault":"%s","temperatures":{"%s":5000,"nozzle":210,"a":1,"b":2,"c":3,"d":4,"e":5,"f":6,"g":7}}`, job, long, long))
	live := w.look().Live
	assert.Equal(t, 1, live.Layer)
	assert.Equal(t, 1, live.Layers)
	assert.LessOrEqual(t, live.LeftMin, float64(mostSeconds)/60)
	assert.Equal(t, process.Unknown, live.Fault)
	assert.LessOrEqual(t, len(live.Temperatures), mostPlaces)
	w.says(`{"state":"` + long + `","job":"` + long + `"}`)
	live = w.look().Live
	assert.Equal(t, Unclear, live.State)
	assert.LessOrEqual(t, len([]rune(live.Job)), longestName)
	w.says(`<html>` + long)
	assert.Equal(t, plates.Unreachable, w.look().Live.State)

	rapid.Check(t, func(t *rapid.T) {
		s := Status{State: rapid.String().Draw(t, "state"), Job: rapid.String().Draw(t, "job"), Fault: rapid.String().Draw(t, "fault"), Layer: rapid.Int().Draw(t, "layer"), Layers: rapid.Int().Draw(t, "layers"),
			SecondsLeft: rapid.Float64().Draw(t, "left"), EndedAgoS: rapid.Float64().Draw(t, "ago"), Temperatures: rapid.MapOf(rapid.String(), rapid.Float64()).Draw(t, "temperatures"), Reports: rapid.MapOf(rapid.String(), rapid.String()).Draw(t, "reports")}.bounded()
		ok := s.Layer >= 0 && s.Layer <= s.Layers && s.Layers <= mostLayers && s.SecondsLeft >= 0 && s.SecondsLeft <= mostSeconds && !math.IsNaN(s.EndedAgoS) && len([]rune(s.Job)) <= longestName
		for _, what := range s.Reports {
			ok = ok && (what == studio.Good || process.FaultOf(what).Sign == what)
		}
		for _, c := range s.Temperatures {
			ok = ok && c >= coldestC && c <= hottestC
		}
		if !ok || s.bounded().Job != s.Job {
			t.Fatalf("%+v", s)
		}
	})
}

// No device sends anybody elsewhere, to a page of this computer least of all.
func TestDevicesMayNotRedirect(t *testing.T) {
	asked := 0
	inner := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		fmt.Fprint(w, `{"state":"idle","grams":1,"stable":true,"c":20,"humidity_percent":50,"secret":"of the house"}`)
	}))
	defer inner.Close()
	sends := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Location", inner.URL+r.URL.Path)
		w.WriteHeader(map[bool]int{true: http.StatusFound, false: http.StatusTemporaryRedirect}[r.Method == http.MethodGet])
		fmt.Fprint(w, "secret")
	}))
	defer sends.Close()
	_, err := Weigh(t.Context(), sends.URL)
	assert.Error(t, err)
	_, err = Feel(t.Context(), sends.URL)
	assert.Error(t, err)
	err = PrintLabel(t.Context(), sends.URL, []byte("%PDF"))
	require.Error(t, err)
	assert.NotContains(t, err.Error(), "secret")
	w := watch(t)
	require.NoError(t, w.Setup.SaveReach(w.Ctx, w.Owner, w.Tarn, studio.Reach{Link: sends.URL}))
	assert.Equal(t, plates.Unreachable, w.look().Live.State)
	assert.Zero(t, asked)
}
