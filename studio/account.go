package studio

import (
	"errors"
	"fmt"
	"slices"
	"time"
)

// PaymentKind is what a payment is.
type PaymentKind string

// Kinds of payments.
const (
	PaidDeposit PaymentKind = "deposit"
	PaidPart    PaymentKind = "part"
	PaidRest    PaymentKind = "rest"
	PaidBack    PaymentKind = "refund"   // money that went back to the client
	Reversed    PaymentKind = "reversal" // takes back an entry that was a mistake
)

// Payment is money that arrived, or went back.
type Payment struct {
	ID          int64
	OrderID     int64
	Kind        PaymentKind
	AmountMinor int64 // what arrived; less than nothing for what went back
	Currency    string
	At          time.Time
	Note        string
	ReversesID  int64 // the payment that it takes back
}

// Amount is the payment as money.
func (p Payment) Amount() Money { return Money{p.AmountMinor, p.Currency} }

// Text says what the payment is.
func (p Payment) Text() string {
	return map[PaymentKind]string{PaidDeposit: "deposit", PaidPart: "part payment", PaidRest: "the rest", PaidBack: "paid back", Reversed: "entered by mistake, reversed"}[p.Kind]
}

// Account is what was agreed for an order, what has been paid and what is still to pay.
type Account struct {
	Agreed   Money // nothing before the client has accepted
	Deposit  Money // asked on acceptance
	Paid     Money
	Payments []Payment // oldest first
}

// AccountOf sets what was agreed and what was paid side by side; accepted is nil before
// the client's yes.
func AccountOf(accepted *Quote, payments []Payment) (a Account) {
	a.Payments = payments
	currency := ""
	if accepted != nil {
		currency = accepted.Currency
		a.Agreed, a.Deposit = accepted.Total(), accepted.Deposit()
	}
	for _, p := range payments {
		if currency == "" {
			currency = p.Currency
		}
		a.Paid.Minor += p.AmountMinor
	}
	a.Agreed.Currency, a.Deposit.Currency, a.Paid.Currency = currency, currency, currency
	return a
}

// Open is what is still to pay; less than nothing when too much was paid.
func (a Account) Open() Money { return Money{a.Agreed.Minor - a.Paid.Minor, a.Agreed.Currency} }

// Over is what was paid above what was agreed.
func (a Account) Over() Money { return Money{max(0, a.Paid.Minor-a.Agreed.Minor), a.Agreed.Currency} }

// DepositOpen is what of the deposit has not arrived.
func (a Account) DepositOpen() Money {
	return Money{max(0, a.Deposit.Minor-a.Paid.Minor), a.Agreed.Currency}
}

// Due is what is to be paid next: the deposit, then the rest.
func (a Account) Due() Money {
	if d := a.DepositOpen(); d.Minor > 0 {
		return d
	}
	return Money{max(0, a.Open().Minor), a.Agreed.Currency}
}

// Next is the kind of payment that is expected next.
func (a Account) Next() PaymentKind {
	if a.DepositOpen().Minor > 0 {
		return PaidDeposit
	}
	return PaidRest
}

// Reversible lists the payments that can still be reversed.
func (a Account) Reversible(p Payment) bool {
	return p.Kind != Reversed && !slices.ContainsFunc(a.Payments, func(q Payment) bool { return q.ReversesID == p.ID })
}

// Receive notes money that arrived. sure says that more than is owed is meant.
func (a Account) Receive(act Act, o Order, kind PaymentKind, amount Money, note string, sure bool) (Payment, Entry, error) {
	switch {
	case !OneOf(o.State, Accepted, Delivered, Closed):
		return Payment{}, Entry{}, fmt.Errorf("order %s is %s: no money is expected", o.Number, o.State)
	case !OneOf(kind, PaidDeposit, PaidPart, PaidRest):
		return Payment{}, Entry{}, errors.New("what arrives is a deposit, a part or the rest")
	case amount.Minor <= 0:
		return Payment{}, Entry{}, errors.New("write the amount that arrived")
	case amount.Minor > a.Open().Minor && !sure:
		owed := "nothing more is owed"
		if open := a.Open(); open.Minor > 0 {
			owed = fmt.Sprintf("%s are still to pay", open)
		}
		return Payment{}, Entry{}, &Confirm{Text: fmt.Sprintf("%s is more than that: %s for order %s.", amount, owed, o.Number), Yes: fmt.Sprintf("Yes, %s arrived", amount)}
	}
	p := Payment{OrderID: o.ID, Kind: kind, AmountMinor: amount.Minor, Currency: amount.Currency, At: act.At, Note: note}
	return p, act.entry("payment arrived", "%s, %s%s", amount, p.Text(), Dash(note)).of(o.ID, 0, 0), nil
}

// PayBack notes money that went back to the client. sure says that more than was paid is
// meant.
func (a Account) PayBack(act Act, o Order, amount Money, note string, sure bool) (Payment, Entry, error) {
	switch {
	case amount.Minor <= 0:
		return Payment{}, Entry{}, errors.New("write the amount that went back")
	case amount.Minor > a.Paid.Minor && !sure:
		return Payment{}, Entry{}, &Confirm{Text: fmt.Sprintf("Only %s have been paid for order %s.", a.Paid, o.Number), Yes: fmt.Sprintf("Yes, %s went back", amount)}
	}
	p := Payment{OrderID: o.ID, Kind: PaidBack, AmountMinor: -amount.Minor, Currency: amount.Currency, At: act.At, Note: note}
	return p, act.entry("payment sent back", "%s%s", amount, Dash(note)).of(o.ID, 0, 0), nil
}

// Reverse takes back a payment that was entered by mistake; both stay in the book.
func (a Account) Reverse(act Act, o Order, id int64) (Payment, Entry, error) {
	at := slices.IndexFunc(a.Payments, func(p Payment) bool { return p.ID == id })
	if at < 0 {
		return Payment{}, Entry{}, errors.New("there is no such payment on this order")
	}
	was := a.Payments[at]
	if !a.Reversible(was) {
		return Payment{}, Entry{}, errors.New("that payment has been reversed already")
	}
	p := Payment{OrderID: o.ID, Kind: Reversed, AmountMinor: -was.AmountMinor, Currency: was.Currency, At: act.At, ReversesID: was.ID}
	return p, act.entry("payment reversed", "%s of %s", was.Amount(), was.At.In(time.UTC).Format("2 January")).of(o.ID, 0, 0), nil
}
