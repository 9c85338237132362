package pieces_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/route"
	"sakuji/studio"
)

// A failure is kept with its layer and a photograph; taken back, both are gone.
func TestAFailureWithItsPhotograph(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	s.Begin(number)
	s.Clock.Pass(10 * time.Hour)
	p := apptest.Lies(t, s, number).Pieces[0].Piece
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 60, 40)), nil))
	sha := s.Picture(b.Bytes())
	said := plates.Emptied{Outcomes: map[int64]studio.Outcome{p.ID: {What: studio.Failed, Cause: "half printed", Layer: -3}}, Photos: map[int64]string{p.ID: sha, 999: sha}}
	apptest.Refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, said), "a layer is between")
	said.Outcomes[p.ID] = studio.Outcome{What: studio.Failed, Cause: "half printed", Layer: 812}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, said))
	sheet := apptest.Lies(t, s, number)
	assert.Equal(t, 812, sheet.Pieces[0].FailedLayer)
	require.Len(t, sheet.Photos, 1)
	piece, err := s.Pieces.Piece(s.Ctx, p.Code)
	require.NoError(t, err)
	require.Len(t, piece.Photos, 1)
	assert.Equal(t, "half printed", piece.Photos[0].Text)
	f, kind, err := s.Models.File(s.Ctx, sha)
	require.NoError(t, err)
	f.Close()
	assert.Equal(t, "image/jpeg", kind)

	require.NoError(t, s.Plates.TakeBackPlate(s.Ctx, s.Bench, number))
	sheet = apptest.Lies(t, s, number)
	assert.Empty(t, sheet.Photos)
	assert.Zero(t, sheet.Pieces[0].FailedLayer)
	said.Photos = map[int64]string{p.ID: "../sakuji.db"}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, said))
	assert.Empty(t, apptest.Lies(t, s, number).Photos, "no name that leads elsewhere")
}
