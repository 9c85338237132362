// Package apptest is a small studio for tests: a real SQLite folder, a clock that
// is set by hand, one owner, one pair of hands, two machines and two clients'
// models of known measure.
package apptest

import (
	"bytes"
	"context"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/app"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// Clock stands where it is set.
type Clock struct{ At time.Time }

// Now is where it was set.
func (c *Clock) Now() time.Time { return c.At }

// Pass moves it on.
func (c *Clock) Pass(d time.Duration) { c.At = c.At.Add(d) }

// Studio is the test studio.
type Studio struct {
	*app.App
	T     testing.TB
	Ctx   context.Context
	Clock *Clock
	Dir   string
	Owner app.Actor
	Bench app.Actor
	Resin int64 // material ids
	PLA   int64
	Tarn  int64 // machine ids
	Fell  int64
}

// Password is the owner's.
const Password = "larch-and-lantern"

// Bare opens a studio with nobody in it.
func Bare(t testing.TB) *Studio {
	t.Helper()
	s := &Studio{T: t, Ctx: t.Context(), Dir: t.TempDir(), Clock: &Clock{time.Date(2026, 5, 14, 7, 0, 0, 0, time.UTC)}}
	st, err := store.Open(s.Ctx, s.Dir)
	require.NoError(t, err)
	t.Cleanup(func() { st.Close() })
	s.App = &app.App{Store: st, Clock: s.Clock}
	return s
}

// New opens a studio that is set up.
func New(t testing.TB) *Studio {
	t.Helper()
	s := Bare(t)
	p, err := s.FirstOwner(s.Ctx, app.PersonForm{Name: "Ilse Karg", Password: Password})
	require.NoError(t, err)
	s.Owner = app.ActorOf(p)
	p, err = s.SavePerson(s.Ctx, s.Owner, 0, app.PersonForm{Name: "Jory Tamm", Role: studio.Bench, Active: true, Password: Password})
	require.NoError(t, err)
	s.Bench = app.ActorOf(p)
	require.NoError(t, s.SaveStudio(s.Ctx, s.Owner, studio.Studio{Name: "Test & Try", Address: "1 Bench Row", Currency: "EUR", TaxPercent: 20, TimeZone: "Europe/Vienna"}))
	book := rates.Starting()
	for _, m := range []struct {
		name string
		from rates.Template
		to   *int64
	}{{"Tarn", book.Machines[0], &s.Tarn}, {"Fell", book.Machines[2], &s.Fell}} {
		made, err := s.SaveMachine(s.Ctx, s.Owner, 0, app.GearForm{Name: m.name, From: m.from.Name, Active: true})
		require.NoError(t, err)
		*m.to = made.ID
	}
	for _, m := range []struct {
		from rates.Template
		to   *int64
	}{{book.Materials[0], &s.Resin}, {book.Materials[3], &s.PLA}} {
		made, err := s.SaveMaterial(s.Ctx, s.Owner, 0, app.GearForm{Name: m.from.Name, From: m.from.Name, Active: true})
		require.NoError(t, err)
		*m.to = made.ID
	}
	return s
}

// Vase is a solid of revolution 40 mm tall and 24 mm wide, as an STL.
func Vase() []byte { return VaseOf(24) }

// VaseOf is a vase of another width, in mm.
func VaseOf(widthMM float64) []byte {
	return mesh.WriteSTL(meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {widthMM / 2, 15}, {6, 30}, {8, 40}, {0, 40}}, 48))
}

// Slab is a block of 60 × 30 × 10 mm, as an STL.
func Slab() []byte {
	return mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 30, Z: 10}))
}

// Upload makes a file on its way in.
func Upload(name string, data []byte) app.Upload {
	return app.Upload{Name: name, Open: func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }}
}

// Order takes in an order of copies of the vase at a tier.
func (s *Studio) Order(copies int, tier string) string {
	s.T.Helper()
	o, err := s.NewOrder(s.Ctx, s.Owner, app.OrderForm{NewClient: "Odile Brackwater", Title: "Vases", Use: "shelf", Wanted: "2026-05-29"})
	require.NoError(s.T, err)
	items, problems, err := s.AddItem(s.Ctx, s.Owner, o.Number, []app.Upload{Upload("vase.stl", Vase())}, false)
	require.NoError(s.T, err)
	require.Empty(s.T, problems)
	s.Change(o.Number, items[0].ID, copies, tier, 1)
	return o.Number
}

// Change sets an item's copies, tier and scale.
func (s *Studio) Change(number string, itemID int64, copies int, tier string, scale float64) {
	s.T.Helper()
	require.NoError(s.T, s.ChangeItem(s.Ctx, s.Owner, number, itemID, app.ItemForm{Title: "Vase", Tier: tier, Copies: copies, Scale: scale}))
}

// Accept sends the order's quote and accepts it as the client.
func (s *Studio) Accept(number string) studio.Quote {
	s.T.Helper()
	q, err := s.SendQuote(s.Ctx, s.Owner, number, "")
	require.NoError(s.T, err)
	require.NoError(s.T, s.AnswerQuote(s.Ctx, q.Token, app.Answer{Accept: true, Name: "Odile Brackwater", Agreed: true, From: "192.0.2.7"}))
	return q
}

// Print lays what waits on Tarn, runs it and empties it; failing names the codes
// that fail.
func (s *Studio) Print(failing ...string) int {
	s.T.Helper()
	number, _, err := s.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin)
	require.NoError(s.T, err)
	require.NoError(s.T, s.StartRun(s.Ctx, s.Bench, number, time.Time{}, nil))
	s.Clock.Pass(12 * time.Hour)
	sheet, err := s.PlateSheet(s.Ctx, number)
	require.NoError(s.T, err)
	out := map[int64]app.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = app.Outcome{What: studio.Good}
		for _, code := range failing {
			if p.Piece.Code == code {
				out[p.Piece.ID] = app.Outcome{What: studio.Failed, Cause: "half printed"}
			}
		}
	}
	require.NoError(s.T, s.EmptyPlate(s.Ctx, s.Bench, number, out, sheet.Plate.Run.Due(), ""))
	return number
}

// Finish stamps every stage of a piece, waiting where it must.
func (s *Studio) Finish(code string) {
	s.T.Helper()
	for {
		p, err := s.Piece(s.Ctx, code)
		require.NoError(s.T, err)
		if p.State != studio.AtBench {
			return
		}
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Stamp(s.Ctx, s.Bench, code, app.Stamp{Minutes: 5})
		require.NoError(s.T, err)
	}
}
