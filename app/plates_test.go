package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/route"
	"sakuji/studio"
)

// What comes off a plate is looked at against its part: a flaw is mended at a stage of its own, after
// the cure and before the smoothing, or taken as it is where nobody sees it; both are prints that
// came through. A piece made in its place, or finished otherwise, has no flaw to mend.
func TestMendedOffThePlate(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin)
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	s.Clock.Pass(12 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.Len(t, sheet.Pieces, 3)
	assert.Contains(t, sheet.Check(sheet.Pieces[0]), "Complete, no cracks")
	out := map[int64]studio.Outcome{}
	id := func(k int) int64 { return sheet.Pieces[k].Piece.ID }
	empty := func() error {
		return s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()})
	}
	out[id(0)] = studio.Outcome{What: studio.Rework, Stage: route.Mend, Minutes: 12}
	out[id(1)], out[id(2)] = studio.Outcome{What: studio.HiddenFlaw, Cause: "a dent under the foot"}, studio.Outcome{What: studio.Good}
	refusal(t, empty(), "say what the flaw is")
	out[id(0)] = studio.Outcome{What: studio.Rework, Cause: "the rim broke", Stage: route.Base, Minutes: 12}
	refusal(t, empty(), "say how it is mended")
	out[id(0)] = studio.Outcome{What: studio.Rework, Cause: "the rim broke", Stage: route.Mend, Minutes: 1e9}
	refusal(t, empty(), "in how many minutes, a day at most")
	out[id(0)] = studio.Outcome{What: studio.Rework, Cause: "the rim broke", Stage: route.Mend, Minutes: 12}
	require.NoError(t, empty())
	kinds := func(code string) (out []route.StageKind) {
		by, _ := piecesOf(t, s, no)
		for _, st := range by[code].Stages {
			out = append(out, st.Kind)
		}
		return out
	}
	mended := sheet.Pieces[0].Piece.Code
	assert.Equal(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Mend, route.Fill}, kinds(mended)[:6])
	by, _ := piecesOf(t, s, no)
	assert.Equal(t, "the rim broke", by[mended].Stages[4].How)
	assert.NotContains(t, kinds(sheet.Pieces[1].Piece.Code), route.Mend)
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	_, through := sheet.Plate.Teaches(s.Clock.Now())
	assert.True(t, through, "the run went through")

	// Taken back, the flaw is gone with it; and a plan of another tier keeps it.
	require.NoError(t, s.Plates.TakeBackPlate(s.Ctx, s.Owner, number))
	assert.NotContains(t, kinds(mended), route.Mend)
	require.NoError(t, empty())
	order, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, order.Items[0].ID, 3, route.Painted, 1)
	s.Accept(no)
	assert.Equal(t, route.Mend, kinds(mended)[4])
	assert.Contains(t, kinds(mended), route.Base)
	by, _ = piecesOf(t, s, no)
	for _, st := range by[mended].Strip().Planned() {
		assert.NotEqual(t, route.Mend, st.Kind, "the next print has no flaw")
	}
	s.Finish(mended)
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	for _, c := range d.Hours {
		if c.Kind == route.Mend {
			assert.Zero(t, c.Planned, "nobody was charged for it")
			assert.Equal(t, 1, c.Repeats)
		}
	}
}
