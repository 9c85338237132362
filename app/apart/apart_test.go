package apart

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/change"
)

var doing = NewKind("test", func(_ context.Context, what string, told Told) (map[string]float64, error) {
	switch what {
	case "hog":
		var all [][]byte
		for {
			b := make([]byte, 1<<20)
			for i := range b {
				b[i] = 1
			}
			all = append(all, b)
			runtime.KeepAlive(all)
		}
	case "gulp": // all of it in one go
		b := make([]byte, 6<<30)
		for i := 0; i < len(b); i += 4096 {
			b[i] = 1
		}
		runtime.KeepAlive(b)
	case "compute":
		for begin := time.Now(); time.Since(begin) < time.Hour; {
		}
	case "sleep":
		time.Sleep(time.Hour)
	case "panic": // in a goroutine of its own, which nobody can catch
		go func() { panic("an edge of a triangle") }()
		time.Sleep(time.Hour)
	case "refuse":
		return nil, change.RefuseField("wall", "The wall is too thin.")
	case "fail":
		return nil, errors.New("a fault of ours")
	}
	if mark, ok := strings.CutPrefix(what, "busy at first "); ok {
		if f, err := os.OpenFile(mark, os.O_CREATE|os.O_EXCL, 0o600); err == nil {
			f.Close()
			time.Sleep(time.Hour) // as it is where others have the processors
		}
	}
	for k := range 4 {
		if err := told(float64(k)/4, "step"); err != nil {
			return nil, err
		}
	}
	return map[string]float64{what: 7}, nil
})

func TestWorkApart(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	limits := Limits{256 << 20, 20 * time.Second, time.Minute}
	for where, p := range map[string]Process{"here": {}, "apart": {Command: []string{self}}} {
		var shares []float64
		told := func(share float64, doing string) error {
			assert.Equal(t, "step", doing)
			shares = append(shares, share)
			return nil
		}
		out, err := doing.Run(t.Context(), p, limits, "x.stl", "count", told)
		require.NoError(t, err, where)
		assert.Equal(t, map[string]float64{"count": 7}, out)
		assert.Equal(t, []float64{0, 0.25, 0.5, 0.75}, shares)

		_, err = doing.Run(t.Context(), p, limits, "x.stl", "refuse", told)
		var r *change.Refusal
		require.ErrorAs(t, err, &r, where)
		assert.Equal(t, "The wall is too thin.", r.Text)
		assert.Equal(t, "wall", r.Fields[0].Field)
		_, err = doing.Run(t.Context(), p, limits, "x.stl", "fail", told)
		assert.EqualError(t, err, "a fault of ours")
		assert.NotErrorAs(t, err, &r)

		stopped := errors.New("cancelled")
		_, err = doing.Run(t.Context(), p, limits, "x.stl", "count", func(float64, string) error { return stopped })
		assert.ErrorIs(t, err, stopped, where)
	}
}

// What a file does to the process that reads it, it does to that one alone.
func TestWhatFallsFallsApart(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	p, none := Process{Command: []string{self}}, func(float64, string) error { return nil }
	for what, says := range map[string]string{
		"hog":     "x.stl needs more than 256 MB of memory",
		"gulp":    "x.stl needs more than 256 MB of memory",
		"compute": "x.stl takes longer than 1 s of computing",
	} {
		limits := Limits{256 << 20, 20 * time.Second, time.Minute}
		switch {
		case what == "compute":
			limits.CPU = time.Second
		case raced:
			continue
		}
		_, err := doing.Run(t.Context(), p, limits, "x.stl", what, none)
		var r *change.Refusal
		require.ErrorAs(t, err, &r, what)
		assert.Contains(t, r.Text, says)
	}
	_, err = doing.Run(t.Context(), p, Limits{256 << 20, 20 * time.Second, time.Minute}, "x.stl", "panic", none)
	assert.ErrorContains(t, err, "an edge of a triangle", "the fault is known, and the studio stands")

	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(300*time.Millisecond, cancel)
	begin := time.Now()
	_, err = doing.Run(ctx, p, Limits{256 << 20, time.Hour, time.Hour}, "x.stl", "sleep", none)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(begin), time.Minute)
}

// Work that a busy computer has no time for is begun again and says so; nothing is said against its file.
func TestWhatIsStarvedIsTriedAgain(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	p := Process{Command: []string{self}}
	limits := Limits{256 << 20, 20 * time.Second, 3 * time.Second}
	said := map[string]int{}
	told := func(_ float64, doing string) error { said[doing]++; return nil }
	what := "busy at first " + filepath.Join(t.TempDir(), "mark")
	out, err := doing.Run(t.Context(), p, limits, "x.stl", what, told)
	require.NoError(t, err)
	assert.Equal(t, 7.0, out[what])
	assert.Equal(t, map[string]int{Starved: 1, "step": 4}, said)

	limits.Clock = 100 * time.Millisecond
	_, err = doing.Run(t.Context(), p, limits, "x.stl", "sleep", told)
	assert.ErrorContains(t, err, "too busy with other work to get to x.stl, in 3 tries. Nothing is wrong with it")
}

func TestLimitsGrowWithTheFile(t *testing.T) {
	assert.Equal(t, Limits{1 << 30, 20 * time.Second, 200 * time.Second}, LimitsFor(312<<10, 20*time.Second))
	assert.Equal(t, Limits{2 << 30, 40 * time.Second, 400 * time.Second}, LimitsFor(100<<20, 20*time.Second))
	assert.EqualValues(t, 8<<30, LimitsFor(10<<30, time.Second).MemoryBytes)
}
