// Package apptest is a small studio for tests: a real SQLite folder, a clock that
// is set by hand, one owner, one pair of hands, two machines and two clients'
// models of known measure.
package apptest

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/app"
	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/money"
	"sakuji/app/orders"
	"sakuji/app/pictures"
	"sakuji/app/pieces"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/app/setup"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/store/storetest"
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
	Owner change.Actor
	Bench change.Actor
	Resin int64 // material ids
	PLA   int64
	Tarn  int64 // machine ids
	Fell  int64
}

func init() { setup.HashCheaply() }

// Password is the owner's.
const Password = "larch-and-lantern"

// Bare opens a studio with nobody in it.
func Bare(t testing.TB) *Studio {
	t.Helper()
	data, err := bare()
	require.NoError(t, err)
	return open(t, data)
}

// begun is when a studio opens.
var begun = time.Date(2026, 5, 14, 7, 0, 0, 0, time.UTC)

// open opens a studio whose database is there already.
func open(t testing.TB, database []byte) *Studio {
	t.Helper()
	s := &Studio{T: t, Ctx: t.Context(), Dir: t.TempDir(), Clock: &Clock{begun}}
	require.NoError(t, os.WriteFile(filepath.Join(s.Dir, store.DatabaseName), database, 0o600))
	st, err := store.Open(s.Ctx, s.Dir)
	require.NoError(t, err)
	if _, timed := t.(*testing.B); !timed { // it is slow
		st.Guard()
	}
	t.Cleanup(func() { st.Close() })
	s.App = app.New(st, s.Clock)
	return s
}

// made is a database that is made once and copied for each test.
func made(fill func(*Studio) error) (database []byte, err error) {
	dir, err := os.MkdirTemp("", "sakuji-made-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	ctx := context.Background()
	st, err := store.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	s := &Studio{Ctx: ctx, Dir: dir, Clock: &Clock{begun}}
	s.App = app.New(st, s.Clock)
	if err := errors.Join(fill(s), st.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(dir, store.DatabaseName))
}

var bare = sync.OnceValues(func() ([]byte, error) { return made(func(*Studio) error { return nil }) })

// New opens a studio that is set up.
func New(t testing.TB) *Studio {
	t.Helper()
	m, err := setUp()
	require.NoError(t, err)
	s := open(t, m.database)
	s.Owner, s.Bench, s.Resin, s.PLA, s.Tarn, s.Fell = m.Owner, m.Bench, m.Resin, m.PLA, m.Tarn, m.Fell
	return s
}

// setStudio is a studio that is set up, and whose.
type setStudio struct {
	Studio
	database []byte
}

var setUp = sync.OnceValues(func() (m setStudio, err error) {
	m.database, err = made(func(s *Studio) error {
		defer func() { m.Studio = *s }()
		return s.setUp()
	})
	return m, err
})

// setUp names people, machines and materials.
func (s *Studio) setUp() error {
	p, err := s.Setup.FirstOwner(s.Ctx, setup.PersonForm{Name: "Ilse Karg", Password: Password})
	if err != nil {
		return err
	}
	s.Owner = change.ActorOf(p)
	if p, err = s.Setup.SavePerson(s.Ctx, s.Owner, 0, setup.PersonForm{Name: "Jory Tamm", Role: studio.Bench, Active: true, Password: Password}); err != nil {
		return err
	}
	s.Bench = change.ActorOf(p)
	if err := s.Setup.SaveStudio(s.Ctx, s.Owner, studio.Studio{Name: "Test & Try", Address: "1 Bench Row", Currency: "EUR", TaxPercent: 20, TimeZone: "Europe/Vienna"}); err != nil {
		return err
	}
	book := rates.Starting()
	for _, m := range []struct {
		name string
		from rates.Template
		to   *int64
	}{{"Tarn", book.Machines[0], &s.Tarn}, {"Fell", book.Machines[2], &s.Fell}} {
		made, err := s.Setup.SaveMachine(s.Ctx, s.Owner, 0, setup.GearForm{Name: m.name, From: m.from.Name, Active: true})
		if err != nil {
			return err
		}
		*m.to = made.ID
	}
	for _, m := range []struct {
		from rates.Template
		to   *int64
	}{{book.Materials[0], &s.Resin}, {book.Materials[3], &s.PLA}} {
		made, err := s.Setup.SaveMaterial(s.Ctx, s.Owner, 0, setup.GearForm{Name: m.from.Name, From: m.from.Name, Active: true})
		if err != nil {
			return err
		}
		*m.to = made.ID
	}
	return nil
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
func Upload(name string, data []byte) models.Upload {
	return models.Upload{Name: name, Open: func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }}
}

// Picture keeps a picture and says under which name.
func (s *Studio) Picture(data []byte) string {
	s.T.Helper()
	sha, err := s.Pictures.Keep(s.Ctx, "a picture", bytes.NewReader(data), pictures.AsSeen)
	require.NoError(s.T, err)
	return sha
}

// Order takes in an order of copies of the vase at a tier.
func (s *Studio) Order(copies int, tier string) string {
	s.T.Helper()
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Odile Brackwater", Title: "Vases", Use: "shelf", Wanted: "2026-05-29", Sure: true})
	require.NoError(s.T, err)
	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{Upload("vase.stl", Vase())}, false)
	require.NoError(s.T, err)
	require.Empty(s.T, problems)
	s.Change(o.Number, items[0].ID, copies, tier, 1)
	return o.Number
}

// Change sets an item's copies, tier and scale.
func (s *Studio) Change(number string, itemID int64, copies int, tier string, scale float64) {
	s.T.Helper()
	require.NoError(s.T, s.Orders.ChangeItem(s.Ctx, s.Owner, number, itemID, orders.ItemForm{Title: "Vase", Tier: tier, Copies: copies, Scale: scale}))
}

// Accept sends the order's quote and accepts it as the client.
func (s *Studio) Accept(number string) studio.Quote {
	s.T.Helper()
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, number, "")
	require.NoError(s.T, err)
	require.NoError(s.T, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "Odile Brackwater", Agreed: true, From: "192.0.2.7"}))
	return q
}

// Print lays what waits on Tarn, runs it and empties it; failing names the codes
// that fail.
func (s *Studio) Print(failing ...string) int {
	s.T.Helper()
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(s.T, err)
	s.Begin(number)
	s.Clock.Pass(12 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(s.T, err)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
		for _, code := range failing {
			if p.Piece.Code == code {
				out[p.Piece.ID] = studio.Outcome{What: studio.Failed, Cause: "half printed"}
			}
		}
	}
	require.NoError(s.T, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()}))
	return number
}

// PrintAll prints plate after plate until no piece waits for one.
func (s *Studio) PrintAll() {
	s.T.Helper()
	for {
		sheet, err := s.Pieces.Bench(s.Ctx, pieces.BenchAll, "")
		require.NoError(s.T, err)
		if !slices.ContainsFunc(sheet.Rows, func(r pieces.BenchRow) bool { return r.State == studio.Waiting }) {
			return
		}
		s.Print()
	}
}

// House is a studio with years of history behind it and forty prints of an order at the bench.
func House(t testing.TB) (s *Studio, number string) {
	t.Helper()
	s = New(t)
	number = s.Order(40, route.Primed)
	s.Accept(number)
	s.PrintAll()
	first, err := s.Pieces.Piece(s.Ctx, number+"-1")
	require.NoError(t, err)
	storetest.Fill(t, s.Dir, first.ID)
	return s, number
}

// Begin starts a plate as a careful person does: a machine that is held is put right first, and for
// what failed before something is changed.
func (s *Studio) Begin(number int) {
	s.T.Helper()
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(s.T, err)
	if sheet.Hold != "" {
		require.NoError(s.T, s.Plates.PutRight(s.Ctx, s.Bench,
			studio.Remedy{MachineID: sheet.Machine.ID, Cause: "wrong settings", Did: "exposure set again"}))
	}
	started := studio.Started{Changed: map[int64]string{}, Looked: map[string]bool{}}
	for _, a := range sheet.Again {
		started.Changed[a.Piece.ID] = a.Fault.Changes[0]
	}
	for _, c := range sheet.Ready {
		started.Looked[c.Key] = true
	}
	require.NoError(s.T, s.Plates.StartRun(s.Ctx, s.Bench, number, started))
}

// Paid notes an amount as the kind of payment that is expected next.
func (s *Studio) Paid(number, amount string) error {
	sheet, err := s.Quotes.OrderSheet(s.Ctx, number)
	require.NoError(s.T, err)
	return s.Money.NotePayment(s.Ctx, s.Owner, number, money.PaymentForm{Kind: sheet.Account().Next(), Amount: amount})
}

// Finish stamps every stage of a piece, waiting where it must.
func (s *Studio) Finish(code string) {
	s.T.Helper()
	for {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(s.T, err)
		if p.State != studio.AtBench {
			return
		}
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 5, Note: "it held"})
		require.NoError(s.T, err)
	}
}
