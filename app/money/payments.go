// Package money is what clients pay: deposits, parts, the rest, what goes back, and
// mistakes reversed; and the end of an order, when nothing is open any more.
package money

import (
	"context"
	"errors"

	"sakuji/app/change"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where payments are noted.
type Room struct{ change.Base }

// New makes the room.
func New(base change.Base) *Room { return &Room{base} }

// PaymentForm is what can be said about money that arrived or went back.
type PaymentForm struct {
	Kind   studio.PaymentKind
	Amount string // as typed
	Note   string
	Sure   bool // more than is owed, or went back than was paid, is meant
}

// account loads an order with what was agreed and paid.
func account(tx *store.Tx, number string) (o studio.Order, a studio.Account, err error) {
	if o, err = tx.Order(number); err != nil {
		return o, a, err
	}
	quotes, err := tx.Quotes(o.ID)
	if err != nil {
		return o, a, err
	}
	payments, err := tx.Payments(o.ID)
	var accepted *studio.Quote
	for i := range quotes {
		if quotes[i].State == studio.QuoteAccepted {
			accepted = &quotes[i]
		}
	}
	a = studio.AccountOf(accepted, payments)
	if a.Agreed.Currency == "" { // nothing was agreed or paid yet
		st, err := tx.Studio()
		if err != nil && !change.NotFound(err) {
			return o, a, err
		}
		a.Agreed.Currency, a.Deposit.Currency, a.Paid.Currency = st.Currency, st.Currency, st.Currency
	}
	return o, a, err
}

// on loads an order's account, and saves what comes of it.
func (a *Room) on(ctx context.Context, who change.Actor, number string, f func(studio.Act, studio.Order, studio.Account) (studio.Payment, studio.Entry, error)) error {
	return a.Do(ctx, who, func(c change.Change) error {
		o, acc, err := account(c.Tx, number)
		if err != nil {
			return err
		}
		p, e, err := f(c.Act(), o, acc)
		if err != nil {
			return change.Refused(err)
		}
		return errors.Join(c.AddPayment(&p), c.Log(e))
	})
}

// NotePayment notes money that arrived, or that went back to the client.
func (a *Room) NotePayment(ctx context.Context, who change.Actor, number string, f PaymentForm) error {
	return a.on(ctx, who, number, func(act studio.Act, o studio.Order, acc studio.Account) (studio.Payment, studio.Entry, error) {
		minor, err := studio.ParseMoney(f.Amount, acc.Agreed.Currency)
		if err != nil {
			return studio.Payment{}, studio.Entry{}, change.RefuseField("amount", "%s.", studio.UpperFirst(err.Error()))
		}
		amount := studio.Money{Minor: minor, Currency: acc.Agreed.Currency}
		if f.Kind == studio.PaidBack {
			return acc.PayBack(act, o, amount, f.Note, f.Sure)
		}
		return acc.Receive(act, o, f.Kind, amount, f.Note, f.Sure)
	})
}

// ReversePayment takes back a payment that was entered by mistake.
func (a *Room) ReversePayment(ctx context.Context, who change.Actor, number string, id int64) error {
	return a.on(ctx, who, number, func(act studio.Act, o studio.Order, acc studio.Account) (studio.Payment, studio.Entry, error) {
		return acc.Reverse(act, o, id)
	})
}

// CloseOrder files an order that was delivered; with money open it takes a reason.
func (a *Room) CloseOrder(ctx context.Context, who change.Actor, number, why string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		o, acc, err := account(c.Tx, number)
		if err != nil {
			return err
		}
		o, e, err := o.Close(c.Act(), acc, why)
		if err != nil {
			return change.Refused(err)
		}
		return errors.Join(c.SaveOrder(&o), c.Log(e))
	})
}
