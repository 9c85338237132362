// Package app is what people do in the studio: each exported method of App is one
// deed or one sheet. A deed loads what it needs, asks studio and core, and saves in
// one transaction together with its line in the logbook.
package app

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"strings"
	"time"

	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// Clock tells the time; the demo's can be moved.
type Clock interface{ Now() time.Time }

// Wall is the clock on the wall.
type Wall struct{}

// Now is the time it is.
func (Wall) Now() time.Time { return time.Now() }

// App is the studio at work.
type App struct {
	Store  *store.Store
	Clock  Clock
	Limits Limits

	queue queue
	cuts  cutModels
}

// Limits bound what comes in; naught means the default.
type Limits struct {
	UploadBytes int64 // of one file
	Triangles   int   // of one model
}

// Hand is who does a deed: a person, a client or a machine (id 0).
type Hand struct {
	ID   int64
	Name string
}

// HandOf makes a hand of a person.
func HandOf(p studio.Person) Hand { return Hand{p.ID, p.Name} }

// A Refusal is an answer to the person who asked: what is wrong, and what to do.
// Everything else that goes wrong is a fault of the program or the machine.
type Refusal struct{ Text string }

func (r *Refusal) Error() string { return r.Text }

func refuse(format string, args ...any) error { return &Refusal{fmt.Sprintf(format, args...)} }

// refused turns a rule's error into a refusal.
func refused(err error) error {
	if err == nil {
		return nil
	}
	return &Refusal{upper(err.Error())}
}

func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// NotFound reports that what was asked for is not there.
func NotFound(err error) bool { return errors.Is(err, store.ErrNotFound) }

// deed is one change: the transaction, who does it and when.
type deed struct {
	*store.Tx
	hand Hand
	now  time.Time
}

// about says what a line of the logbook speaks of.
type about struct{ order, piece, plate int64 }

func (d deed) log(what string, of about, format string, args ...any) error {
	return d.Log(studio.Entry{At: d.now, PersonID: d.hand.ID, Who: d.hand.Name, Deed: what, Text: fmt.Sprintf(format, args...),
		OrderID: of.order, PieceID: of.piece, PlateID: of.plate})
}

// do runs a change.
func (a *App) do(ctx context.Context, hand Hand, f func(deed) error) error {
	return a.Store.Write(ctx, func(tx *store.Tx) error { return f(deed{tx, hand, a.Clock.Now()}) })
}

// house loads what estimates draw on.
func house(tx *store.Tx) (h studio.House, err error) {
	if h.Studio, err = tx.Studio(); err != nil && !NotFound(err) {
		return h, err
	}
	own, _, err := tx.OwnRates()
	if err != nil {
		return h, err
	}
	h.Book = rates.Starting().With(own)
	if h.Machines, err = tx.Machines(); err != nil {
		return h, err
	}
	learned, err := tx.Lessons()
	if err != nil {
		return h, err
	}
	for i := range h.Machines {
		h.Machines[i].Learned = studio.Learn(learned[h.Machines[i].ID])
	}
	if h.Materials, err = tx.Materials(); err != nil {
		return h, err
	}
	if h.Taught, err = tx.Taught(); err != nil {
		return h, err
	}
	people, err := tx.People()
	h.Taught.Wages = map[int64]rates.Figure{}
	for _, p := range people {
		if p.WageMinor > 0 {
			wage := float64(p.WageMinor) / math.Pow10(int(studio.Digits(h.Studio.Currency)))
			h.Taught.Wages[p.ID] = rates.Of("wage of "+p.Name, wage, "¤/h", rates.Ours)
		}
	}
	return h, err
}

// House returns the studio with its machines, materials and rates.
func (a *App) House(ctx context.Context) (h studio.House, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err = house(tx)
		return err
	})
	return h, err
}

// Logbook returns a page of the logbook, newest first, before an id (0: from the end).
func (a *App) Logbook(ctx context.Context, before int64) (list []studio.Entry, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Logbook(before, 60)
		return err
	})
	return list, err
}

// Find looks for a few letters.
func (a *App) Find(ctx context.Context, letters string) (found []store.Found, err error) {
	if strings.TrimSpace(letters) == "" {
		return nil, nil
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		found, err = tx.Find(letters)
		return err
	})
	return found, err
}

// File opens a kept file; kind is its media type when it is a picture.
func (a *App) File(ctx context.Context, sha string) (f *os.File, kind string, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		kind, err = tx.PictureType(sha)
		if NotFound(err) {
			return nil
		}
		return err
	})
	if err != nil {
		return nil, "", err
	}
	f, err = a.Store.File(sha)
	return f, kind, err
}
