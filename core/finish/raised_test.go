package finish

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Worked by hand with the book's figures: 8 dm of lines and 12 letters in 3 passes take
// 8 × 3 × 1.2 + 12 × 1.5 = 46.8 min by brush, 16 × 2.5 + 8 × 3 × 0.1 + 12 × 1 = 54.4 through tape,
// 4 + 8 × 3 × 0.3 + 12 × 0.2 = 13.6 rolled on; one short line is quickest with a brush.
func TestRaisedWays(t *testing.T) {
	b := rates.Starting()
	ways := RaisedWays(b, Features{RaisedMM: 800, Letters: 12})
	require.Len(t, ways, 3)
	want := map[string]float64{ByBrush: 46.8, ByMask: 54.4, ByRoll: 13.6}
	for i, w := range ways {
		assert.InDelta(t, want[w.Key], w.Minutes, 1e-9, w.Name)
		assert.InDelta(t, w.Minutes, w.Working.Result.Value, 1e-9)
		assert.True(t, i == 0 || ways[i-1].Minutes <= w.Minutes, "the quickest first")
	}
	assert.Equal(t, ByBrush, RaisedWays(b, Features{RaisedMM: 60})[0].Key)
	assert.Empty(t, RaisedWays(b, Features{Letters: 3}), "nothing is raised")
}

// The way that is chosen is planned: brush and roller in fine detail, tape with the masks, and the
// difference of the plans is that of the ways (a single copy without a logbook learns nothing).
func TestRaisedLinesArePlanned(t *testing.T) {
	b := rates.Starting()
	plan := func(f Features) (minutes map[route.StageKind]float64, how map[route.StageKind]string) {
		minutes, how = map[route.StageKind]float64{}, map[route.StageKind]string{}
		for _, w := range Plan(b, Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 20_000, Features: f}) {
			minutes[w.Kind], how[w.Kind] = w.BookMin, w.How
		}
		return minutes, how
	}
	f := Features{RaisedMM: 800, Letters: 12}
	brush, how := plan(f)
	assert.NotContains(t, brush, route.Mask)
	assert.Contains(t, how[route.Detail], "with a brush")
	f.Raised = ByRoll
	roll, how := plan(f)
	assert.Contains(t, how[route.Detail], "rolled")
	assert.InDelta(t, 46.8-13.6, brush[route.Detail]-roll[route.Detail], 1e-9)
	f.Raised = ByMask
	mask, how := plan(f)
	assert.NotContains(t, mask, route.Detail, "letters and lines are sprayed")
	assert.Contains(t, how[route.Mask], "both edges")
	assert.InDelta(t, 54.4+b.V("mask.piece"), mask[route.Mask], 1e-9)
	f.Eyes = 2
	mask, _ = plan(f)
	assert.InDelta(t, 2*b.V("detail.eye")+b.V("detail.batch"), mask[route.Detail], 1e-9)
}

// A region’s ways: a wide one with a short edge is masked and sprayed, a small one brushed, and only a narrow one can be
// rolled on. [common practice]
func TestWaysOfARegion(t *testing.T) {
	b := rates.Starting()
	wide := RegionWays(b, 100_000, 1300, 3)
	assert.Equal(t, ByMask, wide[0].Key)
	assert.Len(t, wide, 2)
	small := RegionWays(b, 900, 120, 2)
	assert.Equal(t, ByBrush, small[0].Key)
	line := RegionWays(b, 2000, 2010, 2)
	require.Len(t, line, 3)
	for _, w := range append(append(wide, small...), line...) {
		assert.Greater(t, w.Minutes, 0.0)
		assert.InDelta(t, w.Minutes, w.Working.Result.Value, 1e-9)
	}
	assert.Nil(t, RegionWays(b, 100, 0, 2), "nobody knows its edge")
}
