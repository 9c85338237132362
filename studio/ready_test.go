package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"sakuji/core/process"
	"sakuji/core/route"
)

// A failure whose cause was put right afterwards counts half; another cause, another machine or a
// remedy before it changes nothing.
func TestMendedFailuresWeighLess(t *testing.T) {
	run := RunResult{MachineID: 1, MaterialID: 2, Started: noon.Add(-10 * time.Hour), Ended: noon, Outcomes: map[string]int{Failed: 1, Good: 1}, Cause: "stuck to the film"}
	fails := func(r ...Remedy) float64 { return FailedRunsOf([]RunResult{run}, r)[[2]int64{1, 2}].Fails }
	right := Remedy{MachineID: 1, Cause: "stuck to the film", At: noon.Add(time.Hour)}
	assert.InDelta(t, 0.5, fails(), 1e-12)
	assert.InDelta(t, 0.25, fails(right), 1e-12)
	other, early, cause := right, right, right
	other.MachineID, early.At, cause.Cause = 3, noon.Add(-time.Hour), "power cut"
	assert.InDelta(t, 0.5, fails(other, early, cause), 1e-12)
}

// Runs that failed count back from the newest to the first that went well, or to what was put right.
func TestFailedInRow(t *testing.T) {
	plate := func(hoursAgo int, outcomes ...string) Plate {
		pl := Plate{State: PlateEmptied, Run: &Run{Ended: noon.Add(-time.Duration(hoursAgo) * time.Hour)}}
		for _, o := range outcomes {
			pl.Pieces = append(pl.Pieces, OnPlatePiece{Outcome: o, Cause: map[bool]string{true: "half printed"}[o == Failed]})
		}
		return pl
	}
	list := []Plate{plate(1, Good, Failed), plate(5, Failed), plate(9, Good), plate(12, Failed)}
	assert.Equal(t, []string{"half printed", "half printed"}, FailedInRow(list, time.Time{}))
	assert.Len(t, FailedInRow(list, noon.Add(-3*time.Hour)), 1)
	assert.Empty(t, FailedInRow(list[2:], time.Time{}))
	m := Machine{Name: "Tarn"}
	assert.Empty(t, m.Held([]string{"half printed"}))
	assert.Contains(t, m.Held([]string{"half printed", "stuck to the film"}), "Tarn is held: 2 runs in a row failed")
}

// What is looked at before a run follows process, season and what failed last.
func TestReady(t *testing.T) {
	h := house()
	keys := func(processName string, last []string, at time.Time) (out []string) {
		for _, m := range h.Machines {
			if m.Process == processName {
				for _, c := range h.Ready(m, 40, last, nil, at) {
					assert.NotEmpty(t, c.Text, c.Key)
					out = append(out, c.Key)
				}
				return out
			}
		}
		return nil
	}
	assert.NotContains(t, keys(process.Resin, nil, noon), "warm")
	assert.Contains(t, keys(process.Resin, nil, noon.AddDate(0, 8, 0)), "warm", "in January the room is asked after before the start")
	assert.Contains(t, keys(process.Resin, []string{"stuck to the film"}, noon), "level")
	assert.Equal(t, []string{"bed", "dry", "spool", "free"}, keys(process.Filament, nil, noon))
	assert.Contains(t, keys(process.Filament, []string{"clogged nozzle"}, noon), "nozzle")
}

// Mending or printing again, side by side: what each takes, and what is left before it is due.
func TestMendOrReprint(t *testing.T) {
	h := house()
	m := h.Machines[0]
	material, _ := h.Material(0, m.Process)
	lp := LaidPiece{Piece: Piece{Scale: 1, Process: m.Process, Tier: route.Raw, Code: "0400-1"}, Model: block(20, 20, 30)}
	again := h.EstimatePlate(m, material, []LaidPiece{lp})
	c := h.MendOrReprint(lp, m, material, noon.Add(24*time.Hour), noon)
	assert.InDelta(t, again.Minutes, c.MachineMin, 1e-9)
	assert.InDelta(t, again.Grams, c.Grams, 1e-9)
	assert.InDelta(t, 24*60-again.Minutes-h.Book.V("plate.setup")-h.Book.V("plate.empty"), c.SlackMin, 1e-9)
	assert.InDelta(t, h.Book.V("repair.piece"), c.MendMin, 1e-9)
	assert.Contains(t, c.Text(), "Mended: ")
	assert.Contains(t, c.Text(), "left before it is due")
	late := h.MendOrReprint(lp, m, material, noon.Add(time.Minute), noon)
	assert.Contains(t, late.Text(), "too late by")
	never := h.MendOrReprint(lp, m, material, time.Time{}, noon)
	assert.NotContains(t, never.Text(), "due")
}
