package route

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func strip(kinds ...StageKind) (s Stages) {
	for _, k := range kinds {
		s = append(s, Stage{Kind: k, Mark: Todo, PlannedMin: 5})
	}
	return s
}

func kinds(stages []Stage) (out []StageKind) {
	for _, s := range stages {
		out = append(out, s.Kind)
	}
	return out
}

// usual are the stages of a print of resin or filament when nothing special is asked.
func usual(process, tier string) []StageKind {
	if process == "resin" {
		return Course{After: []StageKind{Wash, RemoveSupports, Cure}, Tier: tier, Smooth: []StageKind{Sand, Fill, Prime, Look}}.Stages()
	}
	return Course{After: []StageKind{RemoveSupports}, Tier: tier, Smooth: []StageKind{Fill, Sand, Prime, Look}}.Stages()
}

func TestRoutes(t *testing.T) {
	assert.Equal(t, []StageKind{Print, Wash, RemoveSupports, Cure, Pack}, usual("resin", Raw))
	assert.Equal(t, []StageKind{Print, RemoveSupports, Fill, Sand, Prime, Look, Pack}, usual("filament", Primed))
	painted := usual("resin", Painted)
	assert.Equal(t, Pack, painted[len(painted)-1])
	assert.Contains(t, painted, Shade)
	for _, process := range []string{"resin", "filament"} {
		for _, tier := range []string{Raw, Primed, Painted} {
			seen := map[string]bool{}
			for _, k := range usual(process, tier) {
				m := k.Traits()
				assert.Len(t, m.Mark, 2)
				assert.False(t, seen[m.Mark], "two stages with the mark %s", m.Mark)
				seen[m.Mark] = true
			}
		}
	}
}

// Uncured resin, dust, spray and alcohol are named where they occur.
func TestCautionsStandAtTheirStage(t *testing.T) {
	assert.Contains(t, Print.Traits().Caution, "nitrile gloves")
	assert.Contains(t, Wash.Traits().Caution, "no flame")
	assert.Contains(t, Sand.Traits().Caution, "respirator")
	assert.Contains(t, Prime.Traits().Caution, "organic-vapour")
	for _, k := range []StageKind{Print, Wash, Cure, Sand, Fill, Prime, Base, Shade, Clear, RemoveSupports} {
		assert.Contains(t, k.Traits().Caution, "safety data sheet", k)
	}
}

func TestStampingInOrder(t *testing.T) {
	noon := time.Date(2026, 5, 14, 12, 0, 0, 0, time.UTC)
	s := strip(Print, Wash, Cure)
	require.ErrorIs(t, s.MayStamp(noon), ErrOnPlate)
	s[0].Mark = Done
	require.NoError(t, s.MayStamp(noon))
	s[1].Mark, s[1].Until = Done, noon.Add(30*time.Minute)
	var wait *WaitError
	require.ErrorAs(t, s.MayStamp(noon), &wait)
	assert.Equal(t, "alcohol off at 12:30", wait.Error())
	require.NoError(t, s.MayStamp(noon.Add(30*time.Minute)))
	s[2].Mark = Done
	require.ErrorIs(t, s.MayStamp(noon), ErrFinished)
	assert.Equal(t, 3, s.Now())
}

func TestSendingBackRepeatsInOrder(t *testing.T) {
	s := strip(Print, Wash, RemoveSupports, Cure, Sand, Fill, Prime, Look, Base, Pack)
	for i := range 7 {
		s[i].Mark = Done
	}
	assert.Equal(t, []StageKind{Prime, Fill, Sand, Cure, RemoveSupports, Wash, Print}, s.BackTo())
	repeat, err := s.Back(Fill)
	require.NoError(t, err)
	assert.Equal(t, []StageKind{Fill, Prime, Look}, kinds(repeat))

	// The same again after the repeat was done: the second round starts at the second fill.
	s[7].Mark, s[7].Again = SentBack, len(repeat)
	s = append(s[:8:8], append(repeat, s[8:]...)...)
	s[8].Mark, s[9].Mark = Done, Done
	repeat, err = s.Back(Fill)
	require.NoError(t, err)
	assert.Equal(t, []StageKind{Fill, Prime, Look}, kinds(repeat))
	repeat, err = s.Back(Print)
	require.NoError(t, err)
	assert.Equal(t, []StageKind{Print, Wash, RemoveSupports, Cure, Sand, Fill, Prime, Look}, kinds(repeat))

	_, err = s.Back(Shade)
	assert.ErrorContains(t, err, "shades")
	_, err = strip(Print).Back(Print)
	assert.True(t, errors.Is(err, ErrNoLook))
}

// A route of putty has two rounds of filling and sanding: sent back to the print, or made
// again in the place of a scrapped piece, it passes both again, whatever was repeated.
func TestRoundsAreRepeatedWhole(t *testing.T) {
	putty := []StageKind{Print, RemoveSupports, Fill, Sand, Prime, Fill, Sand, Prime, Look, Base, Shade, Clear, Pack}
	s := strip(putty...)
	for i := range s {
		s[i].BookMin, s[i].PlannedMin = float64(i), float64(2*i)
	}
	for i := range 8 {
		s[i].Mark = Done
	}
	assert.Equal(t, putty, kinds(s.Planned()))
	assert.EqualValues(t, 6, s.Planned()[6].BookMin, "the book's minutes go along")

	again, err := s.Back(Fill) // the look finds a spot
	require.NoError(t, err)
	assert.Equal(t, []StageKind{Fill, Sand, Prime, Look}, kinds(again))
	assert.True(t, again[0].Repeat)
	s[8].Mark, s[8].Again = SentBack, len(again)
	s = append(s[:9:9], append(again, s[9:]...)...)
	assert.Equal(t, putty, kinds(s.Planned()), "a repeat is not planned again")

	s[9].Mark = Done // filled again; while sanding it breaks
	to, err := s.Back(Print)
	require.NoError(t, err)
	assert.Equal(t, putty[:7], kinds(to))
	s[10].Mark, s[10].Again = SentBack, len(to)
	s = append(s[:11:11], append(to, s[11:]...)...)
	assert.Equal(t, putty, kinds(s.Planned()), "a repeat in a repeat")
	for i := range s {
		if s[i].Mark == Todo {
			s[i].Mark = Done
		}
	}
	assert.Equal(t, putty, kinds(s.Planned()))
}
