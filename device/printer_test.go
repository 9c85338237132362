package device

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/process"
	"sakuji/studio"
)

var run = studio.Run{Started: time.Date(2026, 5, 14, 18, 0, 0, 0, time.UTC), PlannedMin: 600}

func pieces(n int) (out []studio.OnPlatePiece) {
	for i := range n {
		out = append(out, studio.OnPlatePiece{PieceID: int64(i + 1)})
	}
	return out
}

func TestTheSameSeedGoesTheSameWay(t *testing.T) {
	for plate := range 50 {
		a := Printers{Seed: 7}.Run(plate, process.Resin, run, pieces(5), 0.05)
		b := Printers{Seed: 7}.Run(plate, process.Resin, run, pieces(5), 0.05)
		assert.Equal(t, a, b)
	}
}

// Over many plates the share that fails is 1 − e^(−λT), within four standard errors.
func TestFailuresComeAtTheirRate(t *testing.T) {
	const n, rate = 4000, 0.03
	failed, stopped := 0, 0
	for plate := range n {
		out := Printers{Seed: 11}.Run(plate, process.Filament, run, pieces(4), rate)
		bad := 0
		for _, r := range out.Reports {
			if r != studio.Good {
				bad++
				assert.Contains(t, studio.Causes(), r, "a cause that can be chosen on the sheet")
			}
		}
		if bad > 0 {
			failed++
		}
		if out.Ended.Before(run.Due()) {
			stopped++
			assert.Equal(t, 4, bad, "a run that stops loses the plate")
			assert.False(t, out.Ended.Before(run.Started))
		} else {
			assert.LessOrEqual(t, bad, 1)
		}
	}
	p := process.FailureChance(rate, run.PlannedMin)
	assert.InDelta(t, p, float64(failed)/n, 4*0.007)
	assert.InDelta(t, stops, float64(stopped)/float64(failed), 0.06)
}

func TestNeverFailsWithoutARate(t *testing.T) {
	out := Printers{}.Run(1, process.Resin, run, pieces(3), 0)
	assert.Equal(t, run.Due(), out.Ended)
	assert.Len(t, out.Reports, 3)
}

func TestDriveReportsWhatHasEnded(t *testing.T) {
	s := apptest.New(t)
	s.Accept(s.Order(3, "raw"))
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	p := Printers{Seed: 3}
	require.NoError(t, p.Drive(s.Ctx, s.App))
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Equal(t, studio.PlateRunning, sheet.Plate.State)
	at, ok, err := p.Next(s.Ctx, s.App)
	require.NoError(t, err)
	require.True(t, ok)
	s.Clock.At = at.Add(time.Second)
	require.NoError(t, p.Drive(s.Ctx, s.App))
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Equal(t, studio.PlateFinished, sheet.Plate.State)
	assert.WithinDuration(t, at, sheet.Plate.Run.Ended, time.Millisecond)
	for _, lp := range sheet.Pieces {
		assert.NotEmpty(t, lp.Report)
	}
	_, ok, err = p.Next(s.Ctx, s.App)
	require.NoError(t, err)
	assert.False(t, ok)
}
