package today

import (
	"sakuji/app/today"
	"sakuji/studio"
	"sakuji/web/kit"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestNightLineKeepsLabelsApart(t *testing.T) {
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	sheet := today.TodaySheet{Now: now, From: now.Add(-15 * time.Hour)}
	for i := range 12 {
		sheet.Night = append(sheet.Night, today.NightMark{At: sheet.From.Add(time.Duration(i) * 20 * time.Minute), Text: "plate 118 started"})
	}
	v := nightLine(sheet)
	require.Len(t, v.Marks, 12)
	half := float64(len("plate 118 started")) * 3.5
	for i, a := range v.Marks {
		for _, b := range v.Marks[:i] {
			if a.LabelY >= 0 && a.LabelY == b.LabelY {
				assert.GreaterOrEqual(t, a.LabelX-b.LabelX, 2*half)
			}
		}
	}
}

func TestWords(t *testing.T) {
	for p, want := range map[float64]string{0: "none", 0.001: "under 1 in 100", 0.04: "4 in 100", 0.3: "3 in 10", 0.99: "almost sure"} {
		assert.Equal(t, want, kit.Chance(p))
	}
	v := todayView{TodaySheet: today.TodaySheet{Now: time.Date(2026, 5, 14, 14, 0, 0, 0, time.UTC), Tasks: []today.Task{{}, {}, {Tone: today.ToneWait}}}}
	assert.Equal(t, "Good afternoon, Ilse. Two things want hands.", v.Greeting("Ilse Karg", time.UTC))
	v.Tasks = v.Tasks[:1]
	assert.Contains(t, v.Greeting("Ilse Karg", time.UTC), "One thing wants hands")
	v.Tasks = nil
	assert.Contains(t, v.Greeting("Ilse Karg", time.UTC), "Nothing is pressing")
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	for at, want := range map[time.Time]string{now.Add(5 * time.Hour): "14:00", now.Add(20 * time.Hour): "Fri 05:00", now.AddDate(0, 0, -5): "Sat 09:00", now.AddDate(0, 0, 8): "22 May", now.AddDate(1, 0, 0): "14 May 2027"} {
		assert.Equal(t, want, studio.ClockText(at, now))
	}
	eve := time.Date(2026, 12, 31, 23, 0, 0, 0, time.UTC)
	assert.Equal(t, "Fri 01:00", studio.ClockText(eve.Add(2*time.Hour), eve), "the year's end is a night like others")
}
