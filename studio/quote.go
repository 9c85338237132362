package studio

import (
	"errors"
	"fmt"
	"time"
)

// QuoteState is where a quote is on its way.
type QuoteState string

// States of a quote.
const (
	QuoteSent      QuoteState = "sent"
	QuoteAccepted  QuoteState = "accepted"
	QuoteDeclined  QuoteState = "declined"
	QuoteReplaced  QuoteState = "replaced"
	QuoteWithdrawn QuoteState = "withdrawn"
)

// Quote is frozen once sent. Document holds all that the client saw.
type Quote struct {
	ID           int64
	OrderID      int64
	Revision     int
	Token        string
	State        QuoteState
	Document     Document
	TotalMinor   int64
	DepositMinor int64
	Currency     string
	Sent         time.Time
	ValidUntil   time.Time
	Answered     time.Time
	AnsweredBy   string
	AnsweredFrom string
	Seen         time.Time
	Chosen       Chosen // of what was offered, once accepted
}

// Money is an amount in the quote's currency.
func (q Quote) Money(minor int64) Money { return Money{minor, q.Currency} }

// Freeze makes a quote of a document; it can be answered for so many days.
func Freeze(a Act, o Order, revision int, token string, doc Document, days int) (Quote, Entry) {
	zone := doc.Studio.Zone()
	y, m, day := a.At.In(zone).Date()
	q := Quote{OrderID: o.ID, Revision: revision, Token: token, State: QuoteSent, Document: doc, Currency: doc.Studio.Currency, Sent: a.At, ValidUntil: EndOfDay(y, m, day+days, zone)}
	first := q.Taken()
	q.TotalMinor, q.DepositMinor = first.TotalMinor, first.DepositMinor
	return q, a.entry("quote sent", "revision %d, %s, valid until %s", q.Revision, q.Total(), q.ValidUntil.In(zone).Format("2 January")).of(o.ID, 0, 0)
}

// Ended says why the client's link no longer serves, or nothing.
func (q Quote) Ended(now time.Time) string {
	switch {
	case q.State == QuoteReplaced:
		return "A newer quote has taken its place."
	case q.State == QuoteWithdrawn:
		return "The studio has withdrawn it."
	case q.State == QuoteSent && now.After(q.ValidUntil):
		return "It was valid until a date that has passed."
	}
	return ""
}

// MayAnswer says whether the client can still accept or decline.
func (q Quote) MayAnswer(now time.Time) error {
	if why := q.Ended(now); why != "" {
		return errors.New(why)
	}
	if q.State != QuoteSent {
		return fmt.Errorf("this quote is already %s", q.State)
	}
	return nil
}

// Accept takes the client's yes to what they chose of what was offered.
func (q Quote) Accept(a Act, by, from string, chosen Chosen) (Quote, Entry, error) {
	if err := q.MayAnswer(a.At); err != nil {
		return q, Entry{}, err
	}
	taken, err := q.Document.Take(chosen)
	if err != nil {
		return q, Entry{}, err
	}
	q.State, q.Answered, q.AnsweredBy, q.AnsweredFrom = QuoteAccepted, a.At, by, from
	q.Chosen, q.TotalMinor, q.DepositMinor = chosen, taken.TotalMinor, taken.DepositMinor
	return q, q.answer(a), nil
}

// Decline takes the client's no.
func (q Quote) Decline(a Act, by, from string) (Quote, Entry, error) {
	if err := q.MayAnswer(a.At); err != nil {
		return q, Entry{}, err
	}
	q.State, q.Answered, q.AnsweredBy, q.AnsweredFrom = QuoteDeclined, a.At, by, from
	return q, q.answer(a), nil
}

func (q Quote) answer(a Act) Entry {
	return a.entry("quote "+string(q.State), "revision %d, %s, by %s (%s)", q.Revision, q.Total(), q.AnsweredBy, q.AnsweredFrom).of(q.OrderID, 0, 0)
}

// Give says that another quote has taken its place; it reports whether that ends it.
func (q Quote) Give() (Quote, bool) {
	if !OneOf(q.State, QuoteSent, QuoteAccepted) {
		return q, false
	}
	q.State = QuoteReplaced
	return q, true
}

// Withdraw ends a quote that waits for its answer; it reports whether it did.
func (q Quote) Withdraw() (Quote, bool) {
	if q.State != QuoteSent {
		return q, false
	}
	q.State = QuoteWithdrawn
	return q, true
}

// Total is the price, tax included.
func (q Quote) Total() Money { return Money{q.TotalMinor, q.Currency} }

// Deposit is what is asked on acceptance, of the whole price.
func (q Quote) Deposit() Money { return Money{q.DepositMinor, q.Currency} }

// Specs are the items that the quote is about: of one that was accepted, what was chosen.
func (q Quote) Specs() []Item {
	if q.Answered.IsZero() || q.State == QuoteDeclined {
		return q.Document.Specs()
	}
	return q.Taken().Specs()
}

// Taken is what holds of a quote: what was chosen, once it is accepted, before that what it
// offers first.
func (q Quote) Taken() Taken {
	t, err := q.Document.Take(q.Chosen)
	if err != nil { // what was chosen was checked when it was
		t, _ = q.Document.Take(Chosen{})
	}
	return t
}
