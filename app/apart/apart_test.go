package apart

import (
	"context"
	"errors"
	"fmt"
	"os"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/change"
)

// The test is the other process, too.
func TestMain(m *testing.M) {
	if os.Getenv(memoryVariable) != "" {
		if err := Serve(os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
	os.Exit(m.Run())
}

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
	limits := Limits{256 << 20, 20 * time.Second}
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
		"hog":   "x.stl needs more than 256 MB of memory",
		"gulp":  "x.stl needs more than 256 MB of memory",
		"sleep": "x.stl takes longer than 1 s",
	} {
		begin := time.Now()
		_, err := doing.Run(t.Context(), p, Limits{256 << 20, map[bool]time.Duration{true: time.Second, false: 20 * time.Second}[what == "sleep"]}, "x.stl", what, none)
		var r *change.Refusal
		require.ErrorAs(t, err, &r, what)
		assert.Contains(t, r.Text, says)
		assert.Less(t, time.Since(begin), 15*time.Second, what)
	}
	_, err = doing.Run(t.Context(), p, Limits{256 << 20, 20 * time.Second}, "x.stl", "panic", none)
	assert.ErrorContains(t, err, "an edge of a triangle", "the fault is known, and the studio stands")

	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(300*time.Millisecond, cancel)
	begin := time.Now()
	_, err = doing.Run(ctx, p, Limits{256 << 20, time.Hour}, "x.stl", "sleep", none)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(begin), 3*time.Second)
}

func TestLimitsGrowWithTheFile(t *testing.T) {
	assert.Equal(t, Limits{1 << 30, 20 * time.Second}, LimitsFor(312<<10, 20*time.Second))
	assert.Equal(t, Limits{2 << 30, 40 * time.Second}, LimitsFor(100<<20, 20*time.Second))
	assert.EqualValues(t, 8<<30, LimitsFor(10<<30, time.Second).MemoryBytes)
}
