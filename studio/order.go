package studio

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/process"
)

// States of an order.
const (
	Enquiry   = "enquiry"
	Quoted    = "quoted"
	Accepted  = "accepted"
	Declined  = "declined"
	Cancelled = "cancelled"
	Delivered = "delivered"
	Closed    = "closed"
)

// Order is a client's commission, from enquiry to delivery.
type Order struct {
	ID          int64
	Number      string
	ClientID    int64
	Client      string // the client's name
	Title       string
	Use         string
	Wanted      time.Time // zero: no date
	BudgetMinor int64     // 0: none named
	Note        string
	State       string
	Created     time.Time
	Accepted    time.Time
	Delivered   time.Time
	Closed      time.Time
	RepeatsID   int64
	Terms       Terms
}

// Open reports whether the order still wants work.
func (o Order) Open() bool {
	return o.State == Enquiry || o.State == Quoted || o.State == Accepted
}

// MayChange says whether items can be changed: until it is delivered or over.
func (o Order) MayChange() error {
	if !o.Open() {
		return fmt.Errorf("order %s is %s: it cannot be changed any more; repeat it instead", o.Number, o.State)
	}
	return nil
}

// MayCancel says whether the order can be cancelled.
func (o Order) MayCancel() error {
	if !o.Open() {
		return fmt.Errorf("order %s is %s and cannot be cancelled", o.Number, o.State)
	}
	return nil
}

// Uses are what an order can be for.
func Uses() []string { return []string{"shelf", "table", "stage", "worn", "gaming", "other"} }

// Kinds of points.
const (
	Colour   = "colour"   // a decision on colour
	Question = "question" // we ask the client
	Asked    = "asked"    // the client asks us
)

// Point is something settled or open with the client.
type Point struct {
	ID      int64
	OrderID int64
	Kind    string
	Text    string
	Answer  string
	At      time.Time
	Settled time.Time // zero while it is open
}

// Open reports whether it still wants an answer.
func (p Point) Open() bool { return p.Settled.IsZero() }

// Picture is a reference picture of an order.
type Picture struct {
	ID      int64
	OrderID int64
	SHA     string
	Name    string
	Type    string
}

// Item is a line of the order: a design at a size, a finish, a quantity.
type Item struct {
	ID       int64
	OrderID  int64
	Position int
	Title    string
	Tier     string
	Copies   int
	Scale    float64 // ratio to the file
	Rule     SizeRule
	Parts    []Part
	ItemOptions
}

// Part is a model printed one or more times for an item.
type Part struct {
	ID            int64
	ItemID        int64
	ModelID       int64
	Name          string
	Copies        int // in one copy of the item
	Process       string
	MaterialID    int64 // 0: the first of the process
	WallMM        float64
	OrientationID int64 // how it stands on its plate; 0: as the file does
	CutInto       int   // printed in so many pieces; 0 and 1: in one
	MachineID     int64 // priced on; 0: the cheapest that it fits
	Model         Model
}

// Limits of what an item may ask for.
const (
	MaxCopies   = 1000
	MaxScale    = 100.0
	MinScale    = 0.01
	MaxWallMM   = 50.0
	MaxAllParts = 5000 // pieces of one order
)

// Check says what is wrong with an item.
func (i Item) Check() error {
	var wrong []string
	if strings.TrimSpace(i.Title) == "" {
		wrong = append(wrong, "the item needs a name")
	}
	if i.Copies < 1 || i.Copies > MaxCopies {
		wrong = append(wrong, fmt.Sprintf("copies: between 1 and %d", MaxCopies))
	}
	if !(i.Scale >= MinScale && i.Scale <= MaxScale) {
		wrong = append(wrong, fmt.Sprintf("scale: between %v and %v times the file’s size", MinScale, MaxScale))
	}
	wrong = append(wrong, i.ItemOptions.Check()...)
	for _, p := range i.Parts {
		if p.CutInto < 0 || p.CutInto > process.MostParts {
			wrong = append(wrong, fmt.Sprintf("%s: printed in %d pieces at most", p.Name, process.MostParts))
		}
		if p.Copies < 1 || p.Copies > MaxCopies {
			wrong = append(wrong, fmt.Sprintf("copies of %s: between 1 and %d", p.Name, MaxCopies))
		}
		if !(p.WallMM >= 0 && p.WallMM <= MaxWallMM) {
			wrong = append(wrong, fmt.Sprintf("wall of %s: between 0 (solid) and %v mm", p.Name, MaxWallMM))
		}
	}
	if len(wrong) > 0 {
		return errors.New(strings.Join(wrong, "; "))
	}
	return nil
}

// Pieces is how many prints the item comes to.
func (i Item) Pieces() (n int) {
	for _, p := range i.Parts {
		n += p.Copies * i.Copies
	}
	return n
}

// NextNumber gives the order after the highest number so far, but not below the
// number a studio goes on from; four digits at least.
func NextNumber(highest, first int) string { return fmt.Sprintf("%04d", max(highest+1, first)) }

// States of a quote.
const (
	QuoteSent      = "sent"
	QuoteAccepted  = "accepted"
	QuoteDeclined  = "declined"
	QuoteReplaced  = "replaced"
	QuoteWithdrawn = "withdrawn"
)

// Quote is frozen once sent. Document holds all that the client saw.
type Quote struct {
	ID           int64
	OrderID      int64
	Revision     int
	Token        string
	State        string
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

// Total is the price, tax included.
func (q Quote) Total() Money { return Money{q.TotalMinor, q.Currency} }

// Deposit is what is asked on acceptance.
func (q Quote) Deposit() Money { return Money{q.DepositMinor, q.Currency} }

// Payment is money that arrived.
type Payment struct {
	ID          int64
	OrderID     int64
	Kind        string
	AmountMinor int64
	Currency    string
	At          time.Time
}

// NextCode is the label of the next piece of an order: its number and a count.
func NextCode(number string, taken []string) string {
	highest := 0
	for _, c := range taken {
		var n int
		if rest, ok := strings.CutPrefix(c, number+"-"); ok {
			if _, err := fmt.Sscanf(rest, "%d", &n); err == nil {
				highest = max(highest, n)
			}
		}
	}
	return fmt.Sprintf("%s-%d", number, highest+1)
}

// OneOf reports whether v is among the allowed.
func OneOf(v string, allowed ...string) bool { return slices.Contains(allowed, v) }
