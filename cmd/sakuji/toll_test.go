package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"sync"
	"testing"
	"text/tabwriter"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/format/photo/phototest"
)

// toll is what the attacks of a siege took, a line for each: `make siege` prints it as one table when all are over.
var toll struct {
	sync.Mutex
	lines []*attack
}

// attack is a line of the table.
type attack struct {
	name, held string
	began      time.Time
	took       time.Duration
	failed     bool
}

// besieging begins an attack, which only `make siege` makes; its line is closed when the test ends.
func besieging(t *testing.T, name string) *attack {
	t.Helper()
	if os.Getenv("SAKUJI_SIEGE") == "" {
		t.Skip("make siege")
	}
	return attacking(t, name)
}

// attacking begins a line of the table.
func attacking(t *testing.T, name string) *attack {
	a := &attack{name: name, began: time.Now()}
	t.Cleanup(func() {
		a.took, a.failed = time.Since(a.began), t.Failed()
		toll.Lock()
		defer toll.Unlock()
		toll.lines = append(toll.lines, a)
	})
	return a
}

// heldf says what held.
func (a *attack) heldf(format string, args ...any) { a.held = fmt.Sprintf(format, args...) }

// tellToll prints the table.
func tellToll(to io.Writer) {
	load, _ := os.ReadFile("/proc/loadavg")
	fmt.Fprintf(to, "\nThe siege, on a machine whose load is %s", load)
	w := tabwriter.NewWriter(to, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "ATTACK\tWHAT IT HELD\tWHAT IT TOOK")
	for _, a := range toll.lines {
		if a.failed {
			a.held = "FELL. " + a.held
		}
		fmt.Fprintf(w, "%s\t%s\t%.0f s\n", a.name, a.held, a.took.Seconds())
	}
	w.Flush() //nolint:errcheck // to the terminal
}

// small are the attacks that are tests of the rooms they aim at, by what they attack.
var small = []struct{ name, room, tests string }{
	{"pictures: moving, lying, deep, foreign", "./format/photo", "."},
	{"pictures: many at once, lanes, no PATH", "./app/pictures", "."},
	{"pictures: refused ones on a tablet", "./web/bench", "TestARefusedPhotographStays"},
	{"work apart: starved, greedy, endless", "./app/apart", "."},
	{"machines: power cuts, other lives, lies, redirects", "./device", "."},
	{"doors: every route as nobody, bench, owner", "./web", "TestEveryAddressByEveryDoor"},
	{"doors: guesses from near and far", "./web/door", "TestGuessing|TestHalfSent|TestSessionsEnd"},
	{"doors: a money walk of the bench, and scans", "./demo", "TestTheBenchSeesNoMoney"},
	{"doors: acts of others, without a network", "./web/bench", "TestWhatWaitedGoesInAsTheirs|TestTheNetworkIsAwayForAWhile"},
	{"doors: hostile forms", "./web", "TestNoFormBreaksTheServer|TestOddAddresses"},
	{"data: newer folders, flipped bytes, backups", "./store", "TestAFlippedByte|TestNewerAndOlder|TestSQLiteAlone|TestADamagedPage"},
	{"data: sound files of flush bodies", "./core/mesh", "TestFlushBodies|TestWhatIsWatertight"},
}

// TestSiegeInSmall makes the attacks that have their own tests.
func TestSiegeInSmall(t *testing.T) {
	for _, s := range small {
		t.Run(s.name, func(t *testing.T) {
			a := besieging(t, s.name)
			passed, failed, out := goTest(t, "-count=1", "-run", s.tests, s.room)
			a.heldf("%d of %d tests", passed, passed+failed)
			assert.Zero(t, failed, out)
			assert.Positive(t, passed)
		})
	}
}

// TestSiegeOfRaces runs what app and web do under the race detector.
func TestSiegeOfRaces(t *testing.T) {
	a := besieging(t, "races in app, web and store")
	passed, failed, out := goTest(t, "-race", "-timeout", "90m", "./app/...", "./web/...", "./store/...")
	a.heldf("%d of %d tests under the race detector", passed, passed+failed)
	assert.Zero(t, failed, out)
	assert.Greater(t, passed, 200)
}

// goTest runs tests of the tree, and counts those that passed and failed; out is what the failed ones said.
func goTest(t *testing.T, args ...string) (passed, failed int, out string) {
	t.Helper()
	cmd := exec.Command("go", append([]string{"test", "-json"}, args...)...)
	cmd.Dir = "../.."
	cmd.Env = append(os.Environ(), "SAKUJI_SIEGE=")
	said, err := cmd.Output()
	texts := map[string]*bytes.Buffer{}
	for lines := json.NewDecoder(bytes.NewReader(said)); lines.More(); {
		var line struct{ Action, Package, Test, Output string }
		require.NoError(t, lines.Decode(&line))
		at := line.Package + " " + line.Test
		if texts[at] == nil {
			texts[at] = &bytes.Buffer{}
		}
		texts[at].WriteString(line.Output)
		switch {
		case line.Action == "fail":
			failed++
			out += texts[at].String()
		case line.Action == "pass" && line.Test != "":
			passed++
		}
	}
	if err != nil && failed == 0 {
		failed, out = 1, err.Error()
	}
	return passed, failed, out
}

// Pictures that would take gigabytes where they are unpacked: the studio itself stays small, and answers.
func TestSiegeOfPictures(t *testing.T) {
	ofPictures(t, besieging(t, "pictures, eight at once, at the served studio"), 200, 8)
}

// The same in small.
func TestPicturesTakeNoMemoryOfTheStudio(t *testing.T) {
	ofPictures(t, attacking(t, "pictures, in small"), 40, 3)
}

func ofPictures(t *testing.T, a *attack, frames, atOnce int) {
	s := besiege(t)
	pid := s.cmd.Process.Pid
	code, page := s.post("/orders", "new_client", "Moth Post Guild", "title", "Pictures")
	require.Equal(t, http.StatusOK, code, page)
	attacks := map[string][]byte{"moving.png": phototest.Moving(t, 2000, frames), "claiming.png": phototest.Claiming(t, 11_000, 9_000),
		"vast.png": phototest.Claiming(t, 2_000_000_000, 2_000_000_000), "deep.png": phototest.Deep(t, 6000, 4000)}
	done := make(chan struct{})
	var all sync.WaitGroup
	var mu sync.Mutex
	sent := 0
	for name, data := range attacks {
		for range atOnce {
			all.Go(func() {
				code := s.upload("/orders/0001/pictures", name, data)
				assert.True(t, code == http.StatusOK || code == http.StatusUnprocessableEntity, "%s: %d", name, code)
				mu.Lock()
				sent++
				mu.Unlock()
			})
		}
	}
	go func() { all.Wait(); close(done) }()
	most, apart, slowest := 0, 0, time.Duration(0)
	for over := false; !over; {
		select {
		case <-done:
			over = true
		case <-time.After(20 * time.Millisecond):
		}
		most = max(most, residentMB(pid))
		children := 0
		for _, child := range childrenOf(pid) {
			children += residentMB(child)
		}
		apart = max(apart, children)
		asked := time.Now()
		code, page := s.ask(http.MethodGet, "/orders", "", nil)
		slowest = max(slowest, time.Since(asked))
		require.Equal(t, http.StatusOK, code, page)
	}
	assert.Less(t, most, 300, "MB of the studio")
	assert.Less(t, s.upload("/orders/0001/pictures", "good.png", phototest.Deep(t, 60, 40)), 400)
	_, page = s.ask(http.MethodGet, "/orders/0001", "", nil)
	assert.Contains(t, page, "good.png")
	a.heldf("%d pictures answered; studio at most %d MB, apart %d MB in all, slowest sheet %v", sent, most, apart, slowest.Round(time.Millisecond))
	t.Log(a.held)
	s.stop(t)
}
