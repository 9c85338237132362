package finish

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"sakuji/core/rates"
	"sakuji/core/route"
)

var morning = time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)

// still is air that stays as it is.
func still(c, humidity float64) Air {
	return Air{Book: rates.Starting(), Readings: steadily(c, humidity)}
}

func steadily(c, humidity float64) (out []Reading) {
	for at := morning.AddDate(0, 0, -4); len(out) < 60; at = at.Add(readingStands / 2) {
		out = append(out, Reading{at, c, humidity})
	}
	return out
}

// The table of common practice at 22 °C, which the studio edits: touch, recoat, mask or handle, full [practice].
func TestClocksOfTheTable(t *testing.T) {
	const d = 24 * time.Hour
	type span struct{ from, to time.Duration }
	for medium, row := range map[route.Medium][4]span{
		route.Primer: {{10 * time.Minute, 10 * time.Minute}, {10 * time.Minute, 10 * time.Minute}, {time.Hour, time.Hour}, {d, d}},
		route.FillerPrimer: {{15 * time.Minute, 15 * time.Minute}, {10 * time.Minute, 10 * time.Minute}, {time.Hour, 2 * time.Hour},
			{d, d}},
		route.AcrylicPaint: {{10 * time.Minute, 20 * time.Minute}, {20 * time.Minute, 20 * time.Minute}, {time.Hour, time.Hour}, {0, 0}},
		route.CanPaint:     {{20 * time.Minute, 30 * time.Minute}, {0, time.Hour}, {d, d}, {7 * d, 7 * d}},
		route.MirrorMetal:  {{30 * time.Minute, 30 * time.Minute}, {0, 0}, {d, d}, {7 * d, 7 * d}},
		route.StainColour:  {{2 * time.Hour, 3 * time.Hour}, {3 * time.Hour, 3 * time.Hour}, {12 * time.Hour, 12 * time.Hour}, {d, d}},
		route.ClearCoat:    {{15 * time.Minute, 15 * time.Minute}, {10 * time.Minute, time.Hour}, {d, d}, {d, 3 * d}},
		route.SpotPutty: {{30 * time.Minute, 30 * time.Minute}, {0, 0}, {4 * time.Hour, 6 * time.Hour},
			{10 * time.Hour, 16 * time.Hour}},
		route.TwoPartPutty: {{time.Hour, time.Hour}, {0, 0}, {4 * time.Hour, 4 * time.Hour}, {d, d}},
		route.AirDryClay:   {{0, 0}, {0, 0}, {d, d}, {d, 3 * d}},
		route.CastingResin: {{0, 0}, {0, 0}, {d, d}, {3 * d, 3 * d}},
		route.SandOrWash:   {{0, 0}, {0, 0}, {10 * time.Hour, 16 * time.Hour}, {d, d}},
		route.MouldRubber:  {{0, 0}, {0, 0}, {10 * time.Hour, 16 * time.Hour}, {d, d}},
	} {
		c := still(22, 50).Clocks([]Layer{{Medium: medium, At: morning}})
		for k, at := range []time.Time{c.Touch, c.Recoat, c.Handle, c.Full} {
			if row[k] == (span{}) {
				if k == 3 {
					continue // said by the book, not by the table
				}
				assert.True(t, at.IsZero(), "%s %d", medium, k)
				continue
			}
			assert.GreaterOrEqual(t, at.Sub(morning), row[k].from, "%s %d", medium, k)
			assert.LessOrEqual(t, at.Sub(morning), row[k].to, "%s %d", medium, k)
		}
	}
	can := still(22, 50).Clocks([]Layer{{Medium: route.CanPaint, At: morning}})
	assert.Equal(t, []time.Time{morning.Add(time.Hour), morning.Add(24 * time.Hour)}, []time.Time{can.Within, can.Again}, "within 1 h or after 24 to 48 h")
	assert.Len(t, route.Media(), 13)
}

// Twice as long for every 10 °C less between 10 and 30 °C [from memory]; and twice as long in very damp air.
func TestColdAndDampAirIsSlow(t *testing.T) {
	took := func(c, humidity float64) float64 { return still(c, humidity).Dry(morning, 3600).Sub(morning).Hours() }
	assert.InDelta(t, 1, took(22, 50), 1e-3)
	assert.InDelta(t, 2, took(12, 50), 1e-3)
	assert.InDelta(t, 0.5741, took(30, 50), 1e-3)
	assert.InDelta(t, took(30, 50), took(45, 50), 1e-9, "heat beyond that warps prints and dries no sooner")
	assert.InDelta(t, 2, took(22, 85), 1e-3)
	assert.InDelta(t, 1, took(22, 65), 1e-3)
}

// A room that cools down in the middle of it: half an hour at 22 °C does half of it, and the other half takes an
// hour at 12 °C. After a reading that nobody has renewed, the book's room counts again.
func TestARoomThatCoolsDown(t *testing.T) {
	a := Air{Book: rates.Starting().With(map[rates.Key]float64{"room": 22}),
		Readings: []Reading{{morning, 22, 40}, {morning.Add(30 * time.Minute), 12, 40}}}
	assert.Equal(t, morning.Add(90*time.Minute), a.Dry(morning, 3600))
	assert.EqualValues(t, 1800, a.left(morning, morning.Add(30*time.Minute), 3600))
	day := a.Dry(morning, 24*3600) // 30 min at 22 °C, 12 h at half speed, the rest at 22 °C
	assert.Equal(t, morning.Add(30*time.Minute+12*time.Hour+17*time.Hour+30*time.Minute), day)
	r, said := a.Now(morning.Add(-time.Hour))
	assert.False(t, said)
	assert.Equal(t, 22.0, r.C)
	r, said = a.Now(morning.Add(2 * time.Hour))
	assert.True(t, said)
	assert.Equal(t, 12.0, r.C)
	assert.ErrorContains(t, Reading{C: 90, HumidityPercent: 50}.Check(), "−10 and 50")
	assert.ErrorContains(t, Reading{C: 20, HumidityPercent: 0}.Check(), "humidity")
}

// What is covered before it is hard keeps what lies over it from being ready: acrylic over an enamel of six hours;
// acrylic over a primer that is hard has its own clock.
func TestWhatLiesUnderACoat(t *testing.T) {
	a := still(22, 50)
	alone := a.Clocks([]Layer{{Medium: route.AcrylicPaint, At: morning}})
	over := a.Clocks([]Layer{{Medium: route.CanPaint, At: morning.Add(-6 * time.Hour)}, {Medium: route.AcrylicPaint, At: morning}})
	assert.Equal(t, morning.Add(2*18*time.Hour), over.Handle, "18 of its 24 hours are left, and take twice as long under another coat")
	assert.True(t, over.Full.After(alone.Full))
	assert.Equal(t, alone.Touch, over.Touch)
	assert.Equal(t, alone, a.Clocks([]Layer{{Medium: route.Primer, At: morning.Add(-48 * time.Hour)},
		{Medium: route.AcrylicPaint, At: morning}}))
	assert.Zero(t, a.Clocks(nil))
}

// In any air: what needs longer is dry later, what is laid later is dry no sooner, and each clock keeps its order.
func TestClocksKeepTheirOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := Air{Book: rates.Starting()}
		at := morning
		for range rapid.IntRange(0, 6).Draw(t, "readings") {
			at = at.Add(time.Duration(rapid.IntRange(1, 2000).Draw(t, "minutes")) * time.Minute)
			a.Readings = append(a.Readings, Reading{at, rapid.Float64Range(-5, 40).Draw(t, "c"), rapid.Float64Range(1, 100).Draw(t, "humidity")})
		}
		from := morning.Add(time.Duration(rapid.IntRange(-500, 5000).Draw(t, "from")) * time.Minute)
		s := rapid.Int64Range(1, 200_000).Draw(t, "s")
		dry := a.Dry(from, s)
		assert.True(t, dry.After(from))
		assert.True(t, a.Dry(from, s+600).After(dry))
		assert.False(t, a.Dry(from.Add(10*time.Minute), s).Before(dry))
		assert.InDelta(t, 0, a.left(from, dry.Add(time.Second), s), 2)
		c := a.Clocks([]Layer{{Medium: rapid.SampledFrom(route.Media()).Draw(t, "under"), At: from},
			{Medium: rapid.SampledFrom(route.Media()).Draw(t, "over"), At: from.Add(time.Hour)}})
		for _, pair := range [][2]time.Time{{c.Laid, c.Touch}, {c.Touch, c.Handle}, {c.Recoat, c.Handle}, {c.Recoat, c.Within}, {c.Within, c.Again}, {c.Handle, c.Full}} {
			if !pair[0].IsZero() && !pair[1].IsZero() {
				assert.False(t, pair[1].Before(pair[0]), "%+v", c)
			}
		}
	})
}

func TestMediumOfAStage(t *testing.T) {
	assert.Equal(t, route.FillerPrimer, MediumOf(route.Prime, true, Paints{}))
	assert.Equal(t, route.Primer, MediumOf(route.Prime, false, Paints{}))
	assert.Equal(t, route.CanPaint, MediumOf(route.Base, false, Paints{Base: route.Lacquer}))
	assert.Equal(t, route.MirrorMetal, MediumOf(route.Spray, false, Paints{Base: route.Mirror}))
	assert.Equal(t, route.SandOrWash, MediumOf(route.Shade, false, Paints{Shade: route.Spirit}))
	assert.Equal(t, route.NothingToDry, MediumOf(route.Sand, false, Paints{}))
	assert.True(t, route.ClearCoat.IsCoat())
	assert.False(t, route.SpotPutty.IsCoat())
}

// A coat twice as thick takes twice as long, one half as thick half; its window shuts no later, and what nobody says is as
// the rate book has it.
func TestThickCoatsTakeLonger(t *testing.T) {
	a := Air{Book: rates.Starting().With(map[rates.Key]float64{"room": BookC})}
	laid := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	clock := func(film float64) Clocks {
		return a.Clocks([]Layer{{Medium: route.CanPaint, At: laid, Film: film}})
	}
	usual, thick, thin := clock(0), clock(2), clock(0.5)
	assert.Equal(t, usual, clock(1))
	assert.Equal(t, 2*usual.Full.Sub(laid), thick.Full.Sub(laid))
	assert.Equal(t, usual.Handle.Sub(laid)/2, thin.Handle.Sub(laid))
	assert.Equal(t, usual.Within, thick.Within)
	assert.Equal(t, clock(5), clock(500), "no coat is so thick")
	under := a.Clocks([]Layer{{Medium: route.AcrylicPaint, At: laid, Film: 4}, {Medium: route.ClearCoat, At: laid.Add(time.Hour)}})
	assert.True(t, under.Full.After(a.Clocks([]Layer{{Medium: route.AcrylicPaint, At: laid},
		{Medium: route.ClearCoat, At: laid.Add(time.Hour)}}).Full), "what lies under it holds it up longer")
}
