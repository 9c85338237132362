package plates_test

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/studio"
	"sakuji/web/plates"
	"sakuji/web/webtest"
)

func TestPlateScreens(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(3, "raw")
	s.Accept(no)
	assert.Contains(t, s.Page("/plates"), "3 pieces")
	to := s.Sent("/plates", "machine", "1", "material", "1")
	assert.Equal(t, "/plates/1", to)
	body := s.Page(to)
	assert.Contains(t, body, "Plan and elevation of plate 1")
	assert.Contains(t, body, "Start on Tarn")
	assert.Contains(t, body, "Before you start.")
	s.Sent(to+"/lift", "code", no+"-1")
	assert.Contains(t, s.Page(to), "Would still fit")
	s.Sent(to+"/add", "code", no+"-1")
	s.Sent(to + "/fill")
	s.Sent(to+"/start", "started", s.Clock.At.In(webtest.Vienna(t)).Format("2006-01-02T15:04"), "room", "18.5")
	body = s.Page(to)
	assert.Contains(t, body, "The room is 18.5 °C")
	assert.Contains(t, body, "ends ")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post(to+"/fill").StatusCode)
	s.Clock.Pass(9 * time.Hour)
	s.Sent(to+"/end", "ended", "")
	assert.Contains(t, s.Page("/"), "Empty Tarn: plate 1 is finished")
	assert.Contains(t, s.Post(to+"/empty", "outcome[1]", "good", "outcome[2]", "failed", "outcome[3]", "good").Text, "say why it failed")
	s.Sent(to+"/empty", "outcome[1]", "good", "outcome[2]", "failed", "cause[2]", "power cut", "outcome[3]", "good", "note", "storm")
	body = s.Page(to)
	assert.Contains(t, body, "failed: power cut")
	s.Sent(to + "/take-back")
	assert.Contains(t, s.Page(to), "What came off it")
	assert.Equal(t, http.StatusNotFound, s.Get("/plates/77").StatusCode)
}

// Everything drawn on the plate lies within the bed's lines, and the elevation is
// at the same scale as the plan.
func TestPlateDrawing(t *testing.T) {
	s := webtest.Owned(t)
	s.Accept(s.Order(4, "raw"))
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	d := plates.DrawPlate(plates.PlateView{PlateSheet: sheet})
	require.Len(t, d.Pieces, 4)
	k := d.BedW / 143
	assert.InDelta(t, 40*k, d.GroundY-d.TopY, 1e-3)
	tallest := 0
	for _, p := range d.Pieces {
		assert.Greater(t, p.X, d.InX)
		assert.Less(t, p.X, d.InX+d.InW)
		assert.Greater(t, p.Y, d.InY)
		assert.Less(t, p.Y, d.InY+d.InH)
		assert.Equal(t, "40", p.Label)
		if p.Tallest {
			tallest++
		}
	}
	assert.Equal(t, 1, tallest, "one piece is marked as setting the time")
}
