package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func minute(m float64) time.Time { return nine.Add(time.Duration(m * float64(time.Minute))) }

// Ten minutes at a horn that is planned for 5 and a torso that is planned for 15, at once: 2½ and 7½. While the horn
// alone is on, all is its own; another person's clock shares nothing with it.
func TestMinutesAreShared(t *testing.T) {
	horn, torso := Work{1, "sand-3-0"}, Work{2, "sand-3-0"}
	list := []Stretch{
		{PersonID: 1, PieceID: 1, Shown: horn.Shown, PlannedMin: 5, From: minute(0)},
		{PersonID: 1, PieceID: 2, Shown: torso.Shown, PlannedMin: 15, From: minute(4), To: minute(14)},
		{PersonID: 2, PieceID: 2, Shown: torso.Shown, PlannedMin: 15, From: minute(0), To: minute(3)},
	}
	min := HandsMin(list, minute(20))
	assert.InDelta(t, 4+2.5+6, min[horn], 1e-9)
	assert.InDelta(t, 7.5+3, min[torso], 1e-9)
	assert.Empty(t, HandsMin(list, minute(-5)), "before anybody began")
}

// Whatever is begun and stopped: all minutes of a person are those in which any clock of theirs ran, no piece has
// fewer than none, and none has more than its own clock.
func TestMinutesAreNeitherLostNorDoubled(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const last = 60
		var list []Stretch
		busy := map[int64][last]bool{}
		own := map[Work]float64{}
		for range rapid.IntRange(0, 12).Draw(t, "stretches") {
			from := rapid.IntRange(0, last-1).Draw(t, "from")
			to := rapid.IntRange(from, last).Draw(t, "to")
			s := Stretch{PersonID: rapid.Int64Range(1, 3).Draw(t, "person"), PieceID: rapid.Int64Range(1, 4).Draw(t, "piece"), Shown: "sand-1-0", PlannedMin: rapid.Float64Range(0, 90).Draw(t, "planned"), From: minute(float64(from)), To: minute(float64(to))}
			if to == last {
				s.To = time.Time{}
			}
			list = append(list, s)
			minutes := busy[s.PersonID]
			for k := from; k < to; k++ {
				minutes[k] = true
			}
			busy[s.PersonID] = minutes
			own[s.work()] += float64(to - from)
		}
		worked, sum := 0.0, 0.0
		for _, minutes := range busy {
			for _, on := range minutes {
				if on {
					worked++
				}
			}
		}
		for w, m := range HandsMin(list, minute(last)) {
			assert.GreaterOrEqual(t, m, 0.0)
			assert.LessOrEqual(t, m, own[w]+1e-9)
			sum += m
		}
		assert.InDelta(t, worked, sum, 1e-6)
	})
}

func TestForgottenClocks(t *testing.T) {
	s := Stretch{From: minute(0), PlannedMin: 30}
	assert.False(t, s.Forgotten(minute(85), time.UTC))
	assert.True(t, s.Forgotten(minute(95), time.UTC))
	s.PlannedMin = 600
	assert.False(t, s.Forgotten(minute(95), time.UTC))
	assert.True(t, s.Forgotten(minute(16*60), time.UTC), "over night")
	s.To = minute(10)
	assert.False(t, s.Forgotten(minute(500), time.UTC))
}
