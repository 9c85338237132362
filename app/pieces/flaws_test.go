package pieces_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/studio"
)

// What is wrong with a piece is noted with its cause, judged by what is still to come, and sends it back or not; what it
// cost and what held stands in the problem book, and the next piece of that model is looked at for it first.
func TestFlawsAreWrittenDown(t *testing.T) {
	s, no, _, _ := apptest.Painted(t, 2)
	code := no + "-1"
	apptest.ToBase(t, s, code)
	note := func(f studio.Flaw) error { return s.Pieces.NoteFlaw(s.Ctx, s.Bench, code, f, "") }
	apptest.Refusal(t, note(studio.Flaw{Kind: "rust", Verdict: studio.FlawMended}), "no flaw rust in the list")
	apptest.Refusal(t, note(studio.Flaw{Kind: "seam", Verdict: studio.FlawBack}), "Back to where?")
	apptest.Refusal(t, note(studio.Flaw{Kind: finish.OtherFlaw, Verdict: studio.FlawMended}), "Say what it is")
	apptest.Refusal(t, note(studio.Flaw{Kind: "seam", Cause: "putty sank", Verdict: studio.FlawPass}), "say why it may pass")
	apptest.Refusal(t, note(studio.Flaw{Kind: "seam", Verdict: studio.FlawMended, X: 2}), "not on the picture")
	apptest.Refusal(t, note(studio.Flaw{Kind: "seam", Verdict: studio.FlawMended, PhotoSHA: "00"}), "not of "+code)
	sheet, err := s.Pieces.Flaw(s.Ctx, code, "seam")
	require.NoError(t, err)
	assert.Equal(t, route.Fill, sheet.Back)
	assert.Empty(t, sheet.HiddenBy)
	require.NoError(t, note(studio.Flaw{Kind: "seam", Cause: "putty sank", Text: "at the collar", Verdict: studio.FlawMended, Minutes: 12, Grams: 3, Marked: true, X: 0.4, Y: 0.5, Remedy: "filled twice"}))
	require.NoError(t, note(studio.Flaw{Kind: "pits", Cause: "supports torn out", Verdict: studio.FlawBack, BackTo: route.Fill, Remedy: "spot putty"}))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, route.Fill, p.Kind(), "it is sent back")
	require.Len(t, p.Wrong, 2)
	again := 0.0
	for p.Kind() != route.Base {
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 7})
		require.NoError(t, err)
		again += 7
		p, err = s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
	}
	book, err := s.Pieces.Problems(s.Ctx)
	require.NoError(t, err)
	require.Len(t, book.Problems, 2)
	pits, seam := book.Problems[0], book.Problems[1]
	if pits.Name != "pits or pinholes" {
		pits, seam = seam, pits
	}
	assert.InDelta(t, again, pits.Minutes, 1e-6, "what was done again because of it")
	assert.Equal(t, "spot putty", pits.Remedies[0].Word)
	assert.Equal(t, "cut tips, do not tear; strip before the cure", pits.Next)
	assert.InDelta(t, 12, seam.Minutes, 1e-6)
	assert.InDelta(t, 3, book.Grams, 1e-6)
	for { // the other one, up to its look
		o, err := s.Pieces.Piece(s.Ctx, no+"-2")
		require.NoError(t, err)
		if o.Kind() == route.Look && !o.Wait {
			assert.Contains(t, o.Checks[0], "as before on this model")
			assert.Contains(t, o.Checks[0]+o.Checks[1], "at the collar")
			break
		}
		if o.Wait {
			s.Clock.At = o.Until
			continue
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-2", studio.Stamp{Minutes: 1})
		require.NoError(t, err)
	}
}

// One that sent a piece back by mistake is forgotten when that is taken back.
func TestAFlawIsTakenBack(t *testing.T) {
	s, no, _, _ := apptest.Painted(t, 1)
	code := no + "-1"
	apptest.ToBase(t, s, code)
	require.NoError(t, s.Pieces.NoteFlaw(s.Ctx, s.Bench, code, studio.Flaw{Kind: "pits", Cause: "supports torn out", Verdict: studio.FlawBack, BackTo: route.Fill}, ""))
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Empty(t, p.Wrong)
	assert.Equal(t, route.Base, p.Kind())
}

// A pair of coats that crazed once is named when it is planned again, and at the bench.
func TestAPairThatCrazedIsRemembered(t *testing.T) {
	s, no, r, item := apptest.Painted(t, 2)
	top := apptest.Grey("lining")
	over, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, top)
	require.NoError(t, err)
	plan, err := s.Paint.Plan(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: item.ID, Name: "lines", Stage: route.Shade, RecipeNumber: over.Number, OverID: plan.Items[0].Regions[0].ID, SharePercent: 5}, ""))
	code := no + "-1"
	apptest.ToBase(t, s, code)
	for _, also := range []int{0, over.Number} {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1, Early: true, Note: "agreed by telephone", Also: studio.AlsoLaid{Number: also, Coats: 1}})
		require.NoError(t, err)
		if now := p.Kind(); also == 0 {
			assert.Equal(t, route.Base, now)
		}
	}
	require.NoError(t, s.Pieces.NoteFlaw(s.Ctx, s.Bench, code, studio.Flaw{Kind: "crazed", Cause: "its solvent attacks what is under it", Text: "everywhere", Verdict: studio.FlawMended, Minutes: 5}, ""))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	flaw := p.Wrong[0]
	assert.NotZero(t, flaw.OverRecipe)
	assert.NotZero(t, flaw.UnderRecipe)
	plan, err = s.Paint.Plan(s.Ctx, no)
	require.NoError(t, err)
	assert.Contains(t, plan.Items[0].Regions[1].Warns, "went wrong on "+code)
	assert.Equal(t, []int{over.Number, r.Number}, []int{flaw.OverRecipe, flaw.UnderRecipe})
	apptest.ToBase(t, s, no+"-2")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-2", studio.Stamp{Minutes: 1, Early: true, Note: "agreed by telephone"})
	require.NoError(t, err)
	for {
		o, err := s.Pieces.Piece(s.Ctx, no+"-2")
		require.NoError(t, err)
		if o.Kind() == route.Shade {
			require.Len(t, o.ToPaint, 1)
			assert.Contains(t, o.ToPaint[0].Warns, "went wrong on "+code)
			return
		}
		s.Clock.At = s.Clock.At.Add(48 * 3600e9)
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-2", studio.Stamp{Minutes: 1})
		require.NoError(t, err)
	}
}
