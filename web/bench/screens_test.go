package bench_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/web/webtest"
)

func TestBenchScreens(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(2, "primed")
	s.Accept(no)
	s.Print()
	body := s.Page("/bench")
	assert.Contains(t, body, no+"-1")
	assert.Contains(t, body, "Wash twice")
	assert.Equal(t, "/bench/"+no+"-2", s.Get("/bench?code="+no+"-2").Header.Get("Location"), "a scanned label lands on its piece")
	assert.Contains(t, s.Get("/bench?code=9999-1").Text, "No piece and no place has the label")

	piece := s.Page("/bench/" + no + "-1")
	assert.Contains(t, piece, "no flame, heater or spark near", "the caution of the stage")
	assert.Contains(t, piece, "Stamp, then the next (1 left)")
	s.Sent("/bench/hand", "hand", "2")
	assert.Equal(t, "/bench/"+no+"-2", s.Sent("/bench/"+no+"-1/stamp", "minutes", "4", "note", "", "then", "next", "next", no+"-2"))
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, "JT", p.Stages[1].Initials, "the chosen hand, though the owner is signed in")
	assert.Contains(t, s.Page("/bench/"+no+"-1"), "alcohol off at")
	assert.Contains(t, s.Page("/bench?show=waits"), "alcohol off")
	assert.Contains(t, s.Post("/bench/"+no+"-1/stamp", "minutes", "4").Text, "must wait")
	s.Sent("/bench/" + no + "-1/take-back")
	assert.Contains(t, s.Page("/bench/"+no+"-1"), "Wash twice")
	s.Sent("/bench/"+no+"-1/back", "to", "print", "note", "dropped")
	assert.Contains(t, s.Page("/bench/"+no+"-1"), "attempt 2")
	assert.Contains(t, s.Page("/bench?show=all&order="+no), "waits for a plate, attempt 2")
	assert.Equal(t, http.StatusNotFound, s.Get("/bench/0000-1").StatusCode)
}
