package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestAMachinesQuietHours(t *testing.T) {
	m, err := Machine{Name: "Fell"}.Reached(Reach{QuietFrom: "22:00", QuietTo: "07:00"})
	assert.NoError(t, err)
	assert.Equal(t, "22:00 to 07:00", m.Quiet())
	assert.Equal(t, 900.0, m.LoudMin())
	vienna, err := time.LoadLocation("Europe/Vienna")
	assert.NoError(t, err)
	at := func(day, hour, min int) time.Time { return time.Date(2026, 5, day, hour, min, 0, 0, vienna) }
	for _, c := range []struct {
		at      time.Time
		minutes float64
		want    time.Time
	}{
		{at(14, 9, 0), 600, at(14, 9, 0)},
		{at(14, 9, 0), 780, at(14, 9, 0)}, // to the minute
		{at(14, 9, 0), 781, at(15, 7, 0)},
		{at(14, 23, 30), 60, at(15, 7, 0)},
		{at(14, 3, 0), 60, at(14, 7, 0)},
		{at(14, 7, 0), 2000, at(14, 7, 0)}, // longer than ever: right after them
		{at(14, 9, 0), 2000, at(15, 7, 0)},
	} {
		assert.WithinDuration(t, c.want, m.Clear(c.at.UTC(), c.minutes, vienna), time.Second, "%v %v", c.at, c.minutes)
	}
	assert.Empty(t, m.Disturbs(at(14, 9, 0), 600, vienna))
	assert.Contains(t, m.Disturbs(at(14, 9, 0), 800, vienna), "Fell must not run from 22:00 to 07:00")
	assert.NotEmpty(t, m.Disturbs(at(14, 7, 0), 2000, vienna))
	free := Machine{}
	assert.Empty(t, free.Disturbs(at(14, 2, 0), 1e5, vienna))

	for says, r := range map[string]Reach{"or neither": {QuietFrom: "22:00"}, "could never run": {QuietFrom: "22:00", QuietTo: "22:00"}, "as 22:00": {QuietFrom: "ten", QuietTo: "07:00"}} {
		_, err := Machine{}.Reached(r)
		assert.ErrorContains(t, err, says)
	}
}

func TestAMachineTakesOnlySomeMaterials(t *testing.T) {
	h := house()
	material, _ := h.Material(0, "resin")
	for i, m := range h.Machines {
		if m.Process == "resin" {
			h.Machines[i].Takes = []int64{material.ID + 100}
		}
	}
	_, why, ok := h.MachineFor(block(10, 10, 10), 1, "resin", material.ID)
	assert.False(t, ok)
	assert.Contains(t, why, "does not take that material")
	_, _, ok = h.MachineFor(block(10, 10, 10), 1, "resin", material.ID+100)
	assert.True(t, ok)
	_, _, ok = h.MachineFor(block(10, 10, 10), 1, "resin", 0)
	assert.True(t, ok, "nobody has chosen one yet")
}
