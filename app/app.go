// Package app is what people do in the studio: each exported method of App is one
// change or one sheet. A change loads what it needs, asks studio and core, and saves in
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

// Actor is who does a change: a person, a client or a machine (id 0).
type Actor struct {
	ID   int64
	Name string
}

// ActorOf makes a hand of a person.
func ActorOf(p studio.Person) Actor { return Actor{p.ID, p.Name} }

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
	return &Refusal{studio.UpperFirst(err.Error())}
}

// NotFound reports that what was asked for is not there.
func NotFound(err error) bool { return errors.Is(err, store.ErrNotFound) }

// Change is one change: the transaction, who does it and when.
type Change struct {
	*store.Tx
	Who Actor
	Now time.Time
}

// About says what a line of the logbook speaks of.
type About struct{ Order, Piece, Plate int64 }

func (d Change) Note(what string, of About, format string, args ...any) error {
	return d.Log(studio.Entry{At: d.Now, PersonID: d.Who.ID, Who: d.Who.Name, Event: what, Text: fmt.Sprintf(format, args...),
		OrderID: of.Order, PieceID: of.Piece, PlateID: of.Plate})
}

// do runs a change.
func (a *App) do(ctx context.Context, hand Actor, f func(Change) error) error {
	return a.Store.Write(ctx, func(tx *store.Tx) error { return f(Change{tx, hand, a.Clock.Now()}) })
}

// shop loads what estimates draw on.
func shop(tx *store.Tx) (h studio.Shop, err error) {
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
	learned, err := tx.TimedRuns()
	if err != nil {
		return h, err
	}
	for i := range h.Machines {
		h.Machines[i].Calibration = studio.Calibrate(learned[h.Machines[i].ID])
	}
	if h.Materials, err = tx.Materials(); err != nil {
		return h, err
	}
	if h.History, err = tx.History(); err != nil {
		return h, err
	}
	people, err := tx.People()
	h.History.Wages = map[int64]rates.Figure{}
	for _, p := range people {
		if p.WageMinor > 0 {
			wage := float64(p.WageMinor) / math.Pow10(int(studio.Digits(h.Studio.Currency)))
			h.History.Wages[p.ID] = rates.Of("wage of "+p.Name, wage, "¤/h", rates.Ours)
		}
	}
	return h, err
}

// Shop returns the studio with its machines, materials and rates.
func (a *App) Shop(ctx context.Context) (h studio.Shop, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err = shop(tx)
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
