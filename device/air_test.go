package device

import (
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/setup"
	"sakuji/core/route"
	"sakuji/studio"
)

// What a sensor says moves what dries, as a typed reading does; small changes are not noted, and one that cannot be is
// not believed.
func TestASensorTellsTheAir(t *testing.T) {
	s := apptest.New(t)
	sensor := &SimulatedSensor{}
	server := httptest.NewServer(sensor)
	t.Cleanup(server.Close)
	be := func(query string) {
		r, err := http.Post(server.URL+"/be?"+query, "", nil)
		require.NoError(t, err)
		r.Body.Close()
	}
	th := &Thermometer{App: s.App}
	require.NoError(t, th.Look(s.Ctx), "none is set up")
	require.NoError(t, s.Setup.SetDevices(s.Ctx, s.Owner, setup.Devices{Sensor: server.URL + "/"}))
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	until := func() time.Time {
		p, err := s.Pieces.Piece(s.Ctx, no+"-1")
		require.NoError(t, err)
		return p.Until
	}
	require.NoError(t, th.Look(s.Ctx))
	before := until()
	be("c=11&humidity=48")
	require.NoError(t, th.Look(s.Ctx))
	assert.True(t, until().After(before), "colder takes longer")
	cold := until()
	be("c=11.2&humidity=49")
	require.NoError(t, th.Look(s.Ctx))
	assert.Equal(t, cold, until())
	be("c=400&humidity=49")
	assert.ErrorContains(t, th.Look(s.Ctx), "between −10 and 50")
	log, err := s.Logbook(s.Ctx, 0)
	require.NoError(t, err)
	noted := 0
	for _, e := range log {
		if e.Event == "air noted" {
			noted++
			assert.Equal(t, "the sensor", e.Who)
		}
	}
	assert.Equal(t, 2, noted)
	server.Close()
	assert.ErrorContains(t, th.Look(s.Ctx), "does not answer")
	assert.Error(t, s.Setup.SetDevices(s.Ctx, s.Owner, setup.Devices{Labels: "the one on the shelf"}))
}

// A label goes to the printer; one that cannot print says why.
func TestLabelsArePrinted(t *testing.T) {
	printer := &SimulatedLabels{Roll: 1}
	server := httptest.NewServer(printer)
	t.Cleanup(server.Close)
	assert.ErrorContains(t, PrintLabel(t.Context(), server.URL, []byte("hello")), "that is no label")
	require.NoError(t, PrintLabel(t.Context(), server.URL, []byte("%PDF-1.4")))
	assert.Equal(t, 1, printer.Printed())
	assert.ErrorContains(t, PrintLabel(t.Context(), server.URL, []byte("%PDF-1.4")), "the roll is empty")
	server.Close()
	assert.ErrorContains(t, PrintLabel(t.Context(), server.URL, []byte("%PDF-1.4")), "does not answer")
}
