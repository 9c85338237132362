package quote

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/rates"
)

// A sculpt is made once, whatever is printed of it; other hours go with the copies only when
// they are for each; what may turn out worse counts by its odds.
func TestLikelyHours(t *testing.T) {
	b := rates.Starting()
	revision := b.V("revision.hours")
	for _, c := range []struct {
		Extra
		copies, want float64
	}{
		{Extra{Kind: Other, Hours: 3}, 5, 3},
		{Extra{Kind: Other, Hours: 3, PerCopy: true}, 5, 15},
		{Extra{Kind: Sculpt, Hours: 10, PerCopy: true}, 5, 10},
		{Extra{Kind: Sculpt, Hours: 10, Figures: 4, FigureHours: 2, Revisions: 3}, 1, 16 + 3*revision},
		{Extra{Kind: Restore, Hours: 5, Odds: 0.25, WorseHours: 8}, 1, 7},
		{Extra{Kind: Restore, Hours: 5, Odds: 0.25, WorseHours: 8, PerCopy: true}, 3, 21},
		{Extra{Kind: Freight, Each: 12}, 9, 0},
	} {
		assert.InDelta(t, c.want, c.LikelyHours(b, c.copies), 1e-12, "%+v", c.Extra)
		// The lines say the same, in minutes and with what is expected of the likely.
		it := Build(b, []Job{{Copies: int(c.copies), Extras: []Extra{c.Extra}}}, 2)[0]
		if c.want == 0 {
			assert.Zero(t, it.HandsMinutes)
			continue
		}
		assert.Greater(t, it.HandsMinutes, 60*c.want)
		assert.Less(t, it.HandsMinutes, 80*c.want)
	}
}
