package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// coated is a piece with stages done at hours from nine o’clock, and one that is next.
func coated(next route.StageKind, done map[float64]route.StageKind, order ...float64) Piece {
	p := Piece{Code: "0409-1", State: AtBench}
	for _, h := range order {
		p.Stages = append(p.Stages, Stage{Done: nine.Add(time.Duration(h * float64(time.Hour))), Stage: route.Stage{Kind: done[h], Mark: route.Done}})
	}
	p.Stages = append(p.Stages, Stage{Stage: route.Stage{Kind: next, Mark: route.Todo, PlannedMin: 5}})
	return p
}

var nine = time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)

// warm is air at 22 °C, for which the table of clocks is.
func warm(p finish.Paints) Drying {
	return Drying{Air: finish.Air{Book: rates.Starting().With(map[rates.Key]float64{"room": 22})}, Paints: p}
}

// Tape on acrylic is safe after an hour, on enamel after a day; a second coat of enamel goes on within the hour or
// after a day; lacquer over acrylic waits until that is hard [common practice].
func TestWhatKeepsACoatOrTapeOff(t *testing.T) {
	base := map[float64]route.StageKind{0: route.Base}
	tape := coated(route.Mask, base, 0)
	at := func(h float64) time.Time { return nine.Add(time.Duration(h * float64(time.Hour))) }
	held := warm(finish.Paints{}).Holds(tape, at(0.5))
	require.NotNil(t, held)
	assert.Equal(t, route.WaitError{For: "safe to tape", Until: at(1), At: at(0.5)}, *held)
	assert.Nil(t, warm(finish.Paints{}).Holds(tape, at(1)))
	enamel := warm(finish.Paints{Base: route.Enamel})
	assert.Equal(t, at(24), enamel.Holds(tape, at(2)).Until)

	again := coated(route.Base, base, 0)
	assert.Nil(t, enamel.Holds(again, at(0.9)), "within the hour")
	assert.Equal(t, at(24), enamel.Holds(again, at(1.5)).Until, "its window is shut")
	assert.Nil(t, enamel.Holds(again, at(24)))
	assert.Nil(t, warm(finish.Paints{}).Holds(again, at(5)), "acrylic has none")

	over := coated(route.Clear, base, 0)
	held = warm(finish.Paints{Clear: route.Lacquer}).Holds(over, at(3))
	require.NotNil(t, held)
	assert.Equal(t, at(24), held.Until)
	assert.Contains(t, held.For, "acrylic hard")
	assert.Nil(t, warm(finish.Paints{}).Holds(over, at(3)))
	assert.Nil(t, warm(finish.Paints{Base: route.Lacquer}).Holds(coated(route.Base, map[float64]route.StageKind{0: route.Prime}, 0), at(1)), "primer takes anything")
	assert.Nil(t, enamel.Holds(coated(route.Look, base, 0), at(2)), "to look at it is no harm")

	putty := coated(route.Mask, map[float64]route.StageKind{0: route.Fill, 1: route.Base}, 0, 1)
	assert.Equal(t, at(1+2*4), warm(finish.Paints{}).Holds(putty, at(2)).Until, "four hours of putty are left, under a coat")
	stripped := coated(route.Mask, map[float64]route.StageKind{0: route.Base, 1: route.Soak}, 0, 1)
	assert.Nil(t, enamel.Holds(stripped, at(2)), "old paint is off")
}

// What is laid can be worked for so long: less when it is warm; a heavy wash a quarter of an hour [from memory].
func TestOpenTimes(t *testing.T) {
	d := warm(finish.Paints{})
	wash := Stage{Stage: route.Stage{Kind: route.Weather}}
	assert.Equal(t, nine.Add(15*time.Minute), d.OpenUntil(wash, nine))
	assert.Equal(t, nine.Add(30*time.Minute), d.OpenUntil(Stage{Stage: route.Stage{Kind: route.Mend}}, nine))
	d.Air.Readings = []finish.Reading{{At: nine, C: 30, HumidityPercent: 40}}
	assert.True(t, d.OpenUntil(wash, nine).Before(nine.Add(10*time.Minute)), "on a hot day it sets in minutes")
	assert.Zero(t, d.OpenUntil(Stage{Stage: route.Stage{Kind: route.Base}}, nine))
	assert.Zero(t, d.OpenUntil(Stage{Stage: route.Stage{Kind: route.Sand}}, nine))
}

// A stamp heeds the air: too early it asks for a reason; what it starts ends as the air lets it.
func TestAStampHeedsTheAir(t *testing.T) {
	d := warm(finish.Paints{Base: route.Enamel})
	p := coated(route.Mask, map[float64]route.StageKind{0: route.Base}, 0)
	p.Stages[1].WaitS = 3600
	act := Act{At: nine.Add(2 * time.Hour), PersonID: 1, Who: "IK"}
	_, _, err := p.Stamp(act, Stamp{Drying: &d, Minutes: -1}, time.UTC)
	assert.ErrorContains(t, err, "must wait: safe to tape on Fri 15 May, 09:00")
	_, _, err = p.Stamp(act, Stamp{Drying: &d, Minutes: -1, Early: true}, time.UTC)
	assert.ErrorContains(t, err, "say in the note why")
	d.Air.Readings = []finish.Reading{{At: nine, C: 12, HumidityPercent: 50}}
	done, _, err := p.Stamp(act, Stamp{Drying: &d, Minutes: -1, Early: true, Note: "force-dried"}, time.UTC)
	require.NoError(t, err)
	assert.Equal(t, act.At.Add(2*time.Hour), done.Stages[1].Until, "at 12 °C an hour is two")
	d.Air.Readings = append(d.Air.Readings, finish.Reading{At: act.At.Add(time.Hour), C: 22, HumidityPercent: 50})
	done.Stages = append(done.Stages, Stage{Stage: route.Stage{Kind: route.Spray, Mark: route.Todo}})
	warmer, was := d.Again(done, act.At.Add(time.Hour))
	assert.Equal(t, done.Stages[1].Until, was)
	assert.Equal(t, act.At.Add(90*time.Minute), warmer.Last().Until)
	_, was = d.Again(warmer, act.At.Add(time.Hour))
	assert.Zero(t, was, "once is enough")
	p.Stages[0].Kind, p.Stages[0].WaitS = route.Cure, 600
	assert.Equal(t, nine.Add(10*time.Minute), d.Until(p.Stages[0], nine), "light minds no cold")
}

// A piece on which nothing dries has no clock, though its strip waits.
func TestNothingThatDriesHasNoClock(t *testing.T) {
	p := Piece{State: AtBench, Stages: StageList{{Stage: route.Stage{Kind: route.Soak, Mark: route.Done, Until: nine.Add(time.Hour)}, Done: nine}}}
	assert.Zero(t, Drying{Air: finish.Air{Book: rates.Starting()}}.Clocks(p))
}
