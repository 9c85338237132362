package schedule

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One task whose time is spread evenly between 60 and 140, due at 120, is on time in three of four
// futures; two of them one after the other on one machine, due at 200, in half, by symmetry.
func TestFuturesOfATask(t *testing.T) {
	p := &Problem{Goal: Lateness, Resources: []Resource{{Name: "bench"}}, Jobs: []Job{{DueS: 120}}, Tasks: []Task{{On: []Mode{{0, 100}}}}}
	d := die(5)
	evenly := func(int, int64) int64 { return 60 + int64(d.IntN(81)) }
	s, err := NewSearch(p, die(1))
	require.NoError(t, err)
	const n = 20_000
	assert.InDelta(t, 61.0/81, p.Futures(s.Best(), n, evenly).OnTime[0], 4*math.Sqrt(0.75*0.25/n), "four standard errors")
	p.Tasks = append(p.Tasks, Task{On: []Mode{{0, 100}}, After: []int{0}})
	p.Jobs[0].DueS = 200
	s, err = NewSearch(p, die(1))
	require.NoError(t, err)
	assert.InDelta(t, 0.5+0.5/81, p.Futures(s.Best(), n, evenly).OnTime[0], 4*math.Sqrt(0.25/n), "and the middle one counts")
	never := p.Futures(s.Best(), 10, func(_ int, s int64) int64 { return 3 * s })
	assert.Zero(t, never.OnTime[0])
	assert.EqualValues(t, 600, never.EndS[0][0])
	assert.InDelta(t, 1, p.Futures(s.Best(), 10, func(_ int, s int64) int64 { return s }).OnTime[0], 1e-9, "as planned")
}

// BenchmarkFutures lives 400 pieces through two hundred times.
func BenchmarkFutures(b *testing.B) {
	p := generated(400, 1)
	s, err := NewSearch(p, die(1))
	require.NoError(b, err)
	d := die(2)
	for b.Loop() {
		p.Futures(s.Best(), 200, func(_ int, s int64) int64 { return s * int64(80+d.IntN(60)) / 100 })
	}
}
