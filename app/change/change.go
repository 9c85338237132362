// Package change is how anything is changed in the studio: who does it and when, the
// refusal that says what is wrong, and the transaction that saves all of it together
// with its line in the logbook, or none. It knows no rule of the trade.
package change

import (
	"context"
	"errors"
	"fmt"
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

// Base is what every room of app stands on: the studio's data and its clock.
type Base struct {
	Store *store.Store
	Clock Clock
}

// Actor is who does a change: a person, a client or a machine (id 0).
type Actor struct {
	ID   int64
	Name string
}

// ActorOf makes an actor of a person.
func ActorOf(p studio.Person) Actor { return Actor{p.ID, p.Name} }

// A Refusal is an answer to the person who asked: what is wrong, and what to do.
// Everything else that goes wrong is a fault of the program or the machine.
type Refusal struct {
	Text   string
	Fields []rates.Wrong // the fields of the form that it is about, if it is about any
}

func (r *Refusal) Error() string { return r.Text }

// Refuse makes a refusal of a text.
func Refuse(format string, args ...any) error { return &Refusal{Text: fmt.Sprintf(format, args...)} }

// RefuseField refuses what stands in one field of a form.
func RefuseField(field, format string, args ...any) error {
	text := fmt.Sprintf(format, args...)
	return &Refusal{Text: text, Fields: []rates.Wrong{{Field: field, Text: text}}}
}

// Refused turns a rule's error into a refusal, about the fields that it names; a question of
// studio's stays one.
func Refused(err error) error {
	var ask *studio.Confirm
	if err == nil || errors.As(err, &ask) {
		return err
	}
	r := &Refusal{Text: studio.UpperFirst(err.Error())}
	var wrong rates.Invalid
	if errors.As(err, &wrong) {
		for _, w := range wrong {
			r.Fields = append(r.Fields, rates.Wrong{Field: w.Field, Text: studio.UpperFirst(w.Text)})
		}
	}
	return r
}

// NotFound reports that what was asked for is not there.
func NotFound(err error) bool { return errors.Is(err, store.ErrNotFound) }

// Change is one change: the transaction, who does it and when.
type Change struct {
	*store.Tx
	Who Actor
	Now time.Time
}

// Act is who does the change, and when.
func (d Change) Act() studio.Act { return studio.Act{At: d.Now, PersonID: d.Who.ID, Who: d.Who.Name} }

// About says what a line of the logbook speaks of.
type About struct{ Order, Piece, Plate int64 }

// Note writes a line of the logbook: what happened, to what, and in words.
func (d Change) Note(what string, of About, format string, args ...any) error {
	return d.Log(studio.Entry{At: d.Now, PersonID: d.Who.ID, Who: d.Who.Name, Event: what, Text: fmt.Sprintf(format, args...),
		OrderID: of.Order, PieceID: of.Piece, PlateID: of.Plate})
}

// Do runs a change: what it saves is saved together, or not at all.
func (a Base) Do(ctx context.Context, who Actor, f func(Change) error) error {
	o, _ := ctx.Value(onceKey{}).(*once)
	u, _ := ctx.Value(unseenKey{}).(*unseen)
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		c := Change{tx, who, a.Clock.Now()}
		if err := u.holds(c); err != nil {
			return err
		}
		if err := o.claim(c); err != nil {
			return err
		}
		return f(c)
	})
	if err == nil && o != nil {
		o.claimed = true
	}
	if err == nil && u != nil {
		u.done = true
	}
	return err
}

// At is the change as of another time: what was done before it is written down.
func (d Change) At(t time.Time) Change {
	d.Now = t
	return d
}

// Logbook returns a page of the logbook, newest first, before an id (0: from the end).
func (a Base) Logbook(ctx context.Context, before int64) (list []studio.Entry, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Logbook(before, 60)
		return err
	})
	return list, err
}

// LastChange names the newest change of all.
func (a Base) LastChange(ctx context.Context) (id int64, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		id, err = tx.LastEntry()
		return err
	})
	return id, err
}
