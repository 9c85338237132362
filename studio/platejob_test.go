package studio

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/process"
)

// What the job says a run takes is what the plate's estimate says, with the hands that change it.
func TestPlateJobAgreesWithTheEstimate(t *testing.T) {
	h := house()
	change := h.Book.V("plate.setup") + h.Book.V("plate.empty")
	for _, m := range h.Machines {
		material, _ := h.Material(0, m.Process)
		m.Calibration = Calibration{Count: 3, Log: 0.2}
		pieces := []LaidPiece{{Piece{ID: 1, Code: "a", Scale: 1, Process: m.Process}, block(20, 20, 30)}, {Piece{ID: 2, Code: "b", Scale: 1.5, Process: m.Process}, block(25, 15, 20)}}
		now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
		job := h.PlateJob(m, material, pieces, map[int64]time.Time{1: now.Add(time.Hour), 2: now.Add(-time.Hour)}, now)
		assert.InDelta(t, h.EstimatePlate(m, material, pieces).Minutes+change, job.RunMin(job.Parts), 1e-6, m.Name)
		assert.InDelta(t, 60, job.Parts[0].DueMin, 1e-9)
		assert.InDelta(t, 1, job.Parts[1].DueMin, 1e-9, "what is late is due at once")
	}
}

// Halves of a cut that take long never share a run of filament; short ones may.
func TestLongHalvesLieApart(t *testing.T) {
	h := house()
	at := func(size float64) []string {
		m := h.Machines[slices.IndexFunc(h.Machines, func(m Machine) bool { return m.Process == process.Filament })]
		material, _ := h.Material(0, m.Process)
		half := block(size, size, size)
		half.How = Cut
		job := h.PlateJob(m, material, []LaidPiece{{Piece{ID: 1, Code: "a", Scale: 1, ParentID: 7, Process: m.Process}, half}, {Piece{ID: 2, Code: "b", Scale: 1, ParentID: 7, Process: m.Process}, half}}, nil, time.Time{})
		return []string{job.Parts[0].Apart, job.Parts[1].Apart}
	}
	assert.Equal(t, []string{"", ""}, at(10))
	assert.Equal(t, []string{"cut 7", "cut 7"}, at(120))
}

// Another machine that takes half the time of the one it is like takes half the time of a run but for
// what is rounded to whole layers; its bed is what was said.
func TestOtherMachine(t *testing.T) {
	h := house()
	for _, m := range h.Machines {
		material, _ := h.Material(0, m.Process)
		o := OtherMachine{LikeID: m.ID, TimePercent: 50, WidthMM: 300, Price: 999}
		require.NoError(t, func() error { v := o.Check(); return v.Err() }())
		fast := o.Machine(m)
		pieces := []LaidPiece{{Piece{ID: 1, Code: "a", Scale: 1, Process: m.Process}, block(40, 40, 60)}}
		assert.InEpsilon(t, h.EstimatePlate(m, material, pieces).Minutes/2, h.EstimatePlate(fast, material, pieces).Minutes, 1e-6, m.Name)
		assert.InDelta(t, 300, fast.Bed().WidthMM, 1e-9)
		assert.InDelta(t, 999, fast.Figures.V("price"), 1e-9)
		assert.Equal(t, m.Bed().DepthMM, fast.Bed().DepthMM)
	}
	bad := OtherMachine{TimePercent: 1, WidthMM: 1, Price: -3}.Check()
	assert.Error(t, bad.Err())
}
