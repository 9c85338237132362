package pieces_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/studio"
)

// A piece lies where it was put last; a place on which something lies is not taken away; what is no label is said so,
// and nothing is put anywhere.
func TestWhereThingsLie(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Primed)
	s.Accept(no)
	code := no + "-1"
	shelf, err := s.Pieces.AddPlace(s.Ctx, s.Bench, studio.Place{Name: " shelf C ", Kind: "shelf"})
	require.NoError(t, err)
	assert.Equal(t, "shelf C", shelf.Name)
	box, err := s.Pieces.AddPlace(s.Ctx, s.Bench, studio.Place{Name: "box", Kind: "box"})
	require.NoError(t, err)
	assert.NotEqual(t, shelf.Code, box.Code)
	_, err = s.Pieces.AddPlace(s.Ctx, s.Bench, studio.Place{Name: "loft", Kind: "attic"})
	assert.ErrorContains(t, err, "a shelf, a box")
	_, err = s.Pieces.AddPlace(s.Ctx, s.Bench, studio.Place{Kind: "box"})
	assert.ErrorContains(t, err, "needs a name")

	at := func() string {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		return p.Place.Name
	}
	require.NoError(t, s.Pieces.Put(s.Ctx, s.Bench, code, "p1"))
	assert.Equal(t, "shelf C", at())
	require.NoError(t, s.Pieces.Put(s.Ctx, s.Bench, "https://larch.example/bench?code="+code, "https://larch.example/bench?code="+box.Code))
	assert.Equal(t, "box", at())
	there, err := s.Pieces.Place(s.Ctx, box.Code)
	require.NoError(t, err)
	require.Len(t, there.Pieces, 1)
	assert.ErrorContains(t, s.Pieces.EndPlace(s.Ctx, s.Bench, box.Code), "lies there still")
	assert.ErrorContains(t, s.Pieces.Put(s.Ctx, s.Bench, "0999-9", box.Code), "No piece has the label 0999-9")
	assert.ErrorContains(t, s.Pieces.Put(s.Ctx, s.Bench, code, "P77"), "No place has the label P77")
	found, err := s.Today.Find(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, "waiting, box", found[0].Extra)
	require.NoError(t, s.Pieces.Put(s.Ctx, s.Bench, code, ""))
	assert.Empty(t, at())
	require.NoError(t, s.Pieces.EndPlace(s.Ctx, s.Bench, box.Code))
	assert.ErrorContains(t, s.Pieces.Put(s.Ctx, s.Bench, code, box.Code), "is there no more")
	list, err := s.Pieces.Places(s.Ctx)
	require.NoError(t, err)
	require.Len(t, list, 1)
	again, err := s.Pieces.AddPlace(s.Ctx, s.Bench, studio.Place{Name: "box", Kind: "box"})
	require.NoError(t, err)
	assert.NotEqual(t, box.Code, again.Code, "a label is never given twice")

	s.Print()
	require.NoError(t, s.Pieces.Put(s.Ctx, s.Bench, code, shelf.Code))
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	assert.Equal(t, "shelf C", at(), "a stamp moves nothing")
}
