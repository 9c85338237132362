package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/route"
)

// By hand: two blocks of 20 × 30 mm, 10 and 40 mm tall at twice their size, cure 2 × 40 × 60 mm² up to
// 20 mm and one of them above.
func TestPlateLoad(t *testing.T) {
	lay := func(h float64) LaidPiece {
		var m Model
		m.Measures, m.Shape = MeasureModel(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 20, Y: 30, Z: h}))
		return LaidPiece{Piece: Piece{Scale: 2}, Model: m}
	}
	l := PlateLoad([]LaidPiece{lay(10), lay(40)})
	assert.InDelta(t, 80, l.HeightMM, 1e-9)
	assert.InDelta(t, 4800, l.MostMM2, 1)
	assert.Less(t, l.AtMM, 20.0)
	assert.InDelta(t, 4800, l.AreaMM2[loadSlabs/8], 1)
	assert.InDelta(t, 2400, l.AreaMM2[loadSlabs/2], 1)
	assert.Zero(t, PlateLoad(nil).MostMM2)
	assert.Zero(t, PlateLoad([]LaidPiece{{Piece: Piece{Scale: 1}}}).MostMM2, "no model, no load")
}

// A piece with less time after its run than another print takes is told; one whose order has no date,
// or time enough, is not.
func TestIrreplaceable(t *testing.T) {
	h := house()
	m := h.Machines[0]
	material, _ := h.Material(0, m.Process)
	lp := LaidPiece{Piece: Piece{Scale: 1, Process: m.Process, Tier: route.Raw}, Model: block(20, 20, 30)}
	ends := time.Date(2026, 5, 14, 18, 0, 0, 0, time.UTC)
	takes := h.EstimatePlate(m, material, []LaidPiece{lp}).Minutes + h.Book.V("plate.setup") + h.Book.V("plate.empty")
	after := func(min float64) time.Time { return ends.Add(time.Duration(min * float64(time.Minute))) }
	_, is := h.Irreplaceable(lp, m, material, time.Time{}, ends)
	assert.False(t, is)
	_, is = h.Irreplaceable(lp, m, material, after(takes+1), ends)
	assert.False(t, is)
	r, is := h.Irreplaceable(lp, m, material, after(takes-1), ends)
	assert.True(t, is)
	assert.InDelta(t, takes, r.ReprintMin, 1e-9)
	assert.InDelta(t, takes-1, r.SlackMin, 1e-9)
	assert.Equal(t, process.Resin, m.Process)

	// Hands work from nine on weekdays.
	there, from := h.Attended(time.Date(2026, 5, 16, 12, 0, 0, 0, time.UTC)) // a Saturday
	assert.False(t, there)
	assert.Equal(t, time.Monday, from.Weekday())
	there, _ = h.Attended(time.Date(2026, 5, 14, 12, 0, 0, 0, time.UTC))
	assert.True(t, there)
}
