package studio

import (
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// OrderState is where an order is on its way.
type OrderState string

// States of an order.
const (
	Enquiry   OrderState = "enquiry"
	Quoted    OrderState = "quoted"
	Accepted  OrderState = "accepted"
	Declined  OrderState = "declined"
	Cancelled OrderState = "cancelled"
	Delivered OrderState = "delivered"
	Closed    OrderState = "closed"
)

// OpenOrders are the states of orders that still want work.
func OpenOrders() []OrderState { return []OrderState{Enquiry, Quoted, Accepted} }

// Order is a client's commission, from enquiry to delivery.
type Order struct {
	ID          int64
	Number      string
	ClientID    int64
	Client      string // the client's name
	Title       string
	Use         string
	Wanted      time.Time // zero: no date
	Stale       time.Time // after it nobody has a use for the order: its occasion is over; zero: never
	BudgetMinor int64     // 0: none named
	Note        string
	State       OrderState
	Created     time.Time
	Accepted    time.Time
	Delivered   time.Time
	Closed      time.Time
	RepeatsID   int64
	Terms       Terms
	Weight      float64 // of its lateness beside that of others, for the plan
}

// Weights are how much it matters that an order is late, beside others.
func Weights() []Weight {
	return []Weight{{1, "as that of others"}, {3, "more: it has an opening night"}, {0.3, "less: it can wait"}}
}

// Weighed is the order with one of them.
func (o Order) Weighed(weight float64) (Order, error) {
	var wrong rates.Invalid
	wrong.Need(slices.ContainsFunc(Weights(), func(w Weight) bool { return w.Value == weight }), "weight", "how much its being late matters: choose one of those")
	o.Weight = weight
	return o, wrong.Err()
}

// Weight is one of them.
type Weight struct {
	Value float64
	Name  string
}

// Open reports whether the order still wants work.
func (o Order) Open() bool {
	return OneOf(o.State, OpenOrders()...)
}

// Sent is the order once a quote of it is out.
func (o Order) Sent() Order {
	if o.State == Enquiry {
		o.State = Quoted
	}
	return o
}

// Accept is the order once its client has said yes.
func (o Order) Accept(at time.Time) (Order, error) {
	if err := o.MayChange(); err != nil {
		return o, err
	}
	if o.State = Accepted; o.Accepted.IsZero() {
		o.Accepted = at
	}
	return o, nil
}

// Decline is the order once its client has said no; a change declined leaves what was
// agreed.
func (o Order) Decline() (Order, error) {
	if err := o.MayChange(); err != nil {
		return o, err
	}
	if o.State != Accepted {
		o.State = Declined
	}
	return o, nil
}

// Cancel ends the order; its pieces and its logbook stay.
func (o Order) Cancel(a Act, why string) (Order, Entry, error) {
	if err := o.MayCancel(); err != nil {
		return o, Entry{}, err
	}
	o.State = Cancelled
	return o, a.entry("order cancelled", "%s", strings.TrimSpace(why)).of(o.ID, 0, 0), nil
}

// Complete says what keeps an order from leaving: pieces in work, or short of one. Of items
// without prints, such as a restoration, whoever delivers them knows.
func Complete(items []Item, pieces []Piece) error {
	open, live := 0, 0
	for _, p := range pieces {
		if p.Short(pieces) {
			return fmt.Errorf("%s was scrapped: print it again, or record that the client does without", p.Code)
		}
		if p.Counts() {
			if live++; p.State != PieceDone {
				open++
			}
		}
	}
	printed := slices.ContainsFunc(items, func(it Item) bool { return len(it.Parts) > 0 })
	switch {
	case open > 0:
		return fmt.Errorf("%s still in work", Say(open, "piece"))
	case live == 0 && (printed || len(items) == 0):
		return errors.New("nothing of it has been made")
	}
	return nil
}

// longAgo is how far back a delivery is noted without a question. Source: from memory.
const longAgo = 60 * 24 * time.Hour

// Deliver notes that the order left the studio on a day; sure says that one long past is
// meant.
func (o Order) Deliver(a Act, on time.Time, items []Item, pieces []Piece, sure bool) (Order, Entry, error) {
	if o.State != Accepted {
		return o, Entry{}, fmt.Errorf("order %s is %s and cannot be delivered", o.Number, o.State)
	}
	if err := Complete(items, pieces); err != nil {
		return o, Entry{}, err
	}
	switch {
	case on.After(a.At):
		return o, Entry{}, errors.New("it cannot have been delivered on a day to come. Note it when it has left")
	case !sure && !o.Accepted.IsZero() && on.Before(o.Accepted.Add(-24*time.Hour)):
		return o, Entry{}, &Confirm{Text: fmt.Sprintf("%s is before the order was accepted, %s.", on.Format("2 January 2006"), o.Accepted.Format("2 January 2006")), Yes: "Yes, it left then"}
	case !sure && a.At.Sub(on) > longAgo:
		return o, Entry{}, &Confirm{Text: fmt.Sprintf("%s is long ago.", on.Format("2 January 2006")), Yes: "Yes, it left then"}
	}
	n := 0
	for _, p := range pieces {
		if p.Counts() {
			n++
		}
	}
	o.State, o.Delivered = Delivered, on
	return o, a.entry("delivered", "%s to %s", Say(n, "piece"), o.Client).of(o.ID, 0, 0), nil
}

// farAhead is how far off a date is taken without a question. Source: from memory.
const farAhead = 3 * 365 * 24 * time.Hour

// WantedBy sets the day by which the client wants it; sure says that one that has passed, or
// lies years ahead, is meant.
func (o Order) WantedBy(a Act, day time.Time, sure bool) (Order, error) {
	if !sure && !day.IsZero() && !day.Equal(o.Wanted) {
		switch {
		case day.Before(a.At):
			return o, &Confirm{Text: fmt.Sprintf("%s has passed.", day.Format("Monday 2 January 2006")), Yes: "Yes, by that day"}
		case day.Sub(a.At) > farAhead:
			return o, &Confirm{Text: fmt.Sprintf("%s is more than three years ahead.", day.Format("Monday 2 January 2006")), Yes: "Yes, by that day"}
		}
	}
	o.Wanted = day
	return o, nil
}

// StaleAfter sets the day after which the order is of no use: that of its occasion, not before it is wanted.
func (o Order) StaleAfter(day time.Time) (Order, error) {
	var wrong rates.Invalid
	wrong.Need(day.IsZero() || !day.Before(o.Wanted), "stale", "the day after which it is of no use does not come before the one it is wanted by")
	o.Stale = day
	return o, wrong.Err()
}

// Close files an order that was delivered. With money still open it takes a reason.
func (o Order) Close(a Act, account Account, why string) (Order, Entry, error) {
	why = strings.TrimSpace(why)
	switch {
	case o.State != Delivered:
		return o, Entry{}, fmt.Errorf("order %s is %s: it is closed after delivery", o.Number, o.State)
	case account.Open().Minor > 0 && why == "":
		return o, Entry{}, fmt.Errorf("%s of order %s still to be paid. To close it all the same, give the reason", account.Open(), o.Number)
	case account.Open().Minor < 0 && why == "":
		return o, Entry{}, fmt.Errorf("%s more than agreed has been paid for order %s. Note the refund, or give the reason to close it all the same", account.Over(), o.Number)
	}
	o.State, o.Closed = Closed, a.At
	text := o.Title
	if why != "" {
		text = fmt.Sprintf("%s, with %s open: %s", o.Title, account.Open(), why)
	}
	return o, a.entry("order closed", "%s", text).of(o.ID, 0, 0), nil
}

// CheckItems says what is wrong with the items of an order, as a whole.
func CheckItems(items []Item) error {
	total := 0
	for _, it := range items {
		if err := it.Check(); err != nil {
			return err
		}
		total += it.Pieces()
	}
	if total > MaxAllParts {
		return fmt.Errorf("that comes to %d pieces; an order holds %d at most", total, MaxAllParts)
	}
	return nil
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

// InHouse says whether the order's pieces are still in the studio.
func (o Order) InHouse() error {
	if OneOf(o.State, Delivered, Closed) {
		return fmt.Errorf("order %s is %s; its pieces are out of the studio", o.Number, o.State)
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

	Reference = "note"      // a note, or a link, to go by
	Countable = "count"     // what can be counted on it: 37 stars on the cloak
	Deviation = "deviation" // what was agreed to be otherwise than in the references
)

// OurPoints are the kinds that the studio writes down.
func OurPoints() []string { return []string{Question, Colour, Reference, Countable, Deviation} }

// PointName is what a kind is called.
func PointName(kind string) string {
	return map[string]string{Colour: "colour", Question: "we ask", Asked: "asks us", Reference: "reference", Countable: "count", Deviation: "agreed deviation"}[kind]
}

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

// Link is the address that a point is, or begins with; empty: it is words.
func (p Point) Link() string {
	word, _, _ := strings.Cut(p.Text, " ")
	if u, err := url.Parse(word); err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" {
		return word
	}
	return ""
}

// Picture is a reference picture of an order.
type Picture struct {
	ID      int64
	OrderID int64
	SHA     string
	Name    string
	Type    string
}

// Shows reports whether a browser shows it as a picture.
func (p Picture) Shows() bool { return strings.HasPrefix(p.Type, "image/") }

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
	Fees     []LicenceFee `json:"-"` // of its models' licences; nothing of the item's own
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
	OrientationID int64  // how it stands on its plate; 0: as the file does
	CutInto       int    // printed in so many pieces; 0 and 1: in one
	MachineID     int64  // priced on; 0: the cheapest that it fits
	Inside        string // what is finished of its inside: nothing, finish.InsidePrimed or InsidePainted
	Hidden        bool   // nobody sees it once it is joined: it stays raw
	FinishRoute   string // how it is smoothed; empty: as the item is
	Joins         string // when it is joined: JoinBefore, JoinAfter, JoinLoose; empty: as suggested
	Profile       PrintProfile
	Waived        string // why a closed hollow of it is printed as it is; empty: it is not
	Model         Model
}

// Unseen reports whether nobody sees the part once it is joined: so it was said, or it is a
// plug or dowel.
func (p Part) Unseen() bool { return p.Hidden || p.Model.How == Peg }

// Sealed says why a part must not be printed as it is: resin that is shut in is never cured.
// Nothing where there is no closed hollow, or it is printed in filament. Source: common
// practice.
func (p Part) Sealed() string {
	if n := p.Model.Measures.Cavities; process.Of(p.Process).Wet && n > 0 {
		return fmt.Sprintf("%s has %s: resin shut in is never cured, and bursts or weeps later. Bore it on the sheet of its prints, or fill it.", p.Name, Say(n, "closed hollow"))
	}
	return ""
}

// ToCut says that a part which is priced in several pieces is still one: it is cut before its
// plate.
func (p Part) ToCut() string {
	if p.CutInto < 2 {
		return ""
	}
	return fmt.Sprintf("%s is priced in %d pieces and still one: cut it on the sheet of its prints before its plate.", p.Name, p.CutInto)
}

// Pieces is in how many pieces each copy is printed.
func (p Part) Pieces() int { return max(1, p.CutInto) }

// Limits of what an item may ask for.
const (
	MaxCopies   = 1000
	MaxScale    = 100.0
	MinScale    = 0.01
	MaxWallMM   = 50.0
	MaxAllParts = 5000 // pieces of one order
	MaxTitle    = 200  // letters
	MaxAsked    = 50   // questions that a client asks on one order
)

// Check says what is wrong with an item.
func (i Item) Check() error {
	var v rates.Invalid
	v.Need(strings.TrimSpace(i.Title) != "", "title", "the item needs a name")
	v.Need(utf8.RuneCountInString(i.Title) <= MaxTitle, "title", "the name: at most %d letters", MaxTitle)
	v.Need(i.Copies >= 1 && i.Copies <= MaxCopies, "copies", "copies: between 1 and %d", MaxCopies)
	v.Need(i.Scale >= MinScale && i.Scale <= MaxScale, "scale", "scale: between %v and %v times the file’s size", MinScale, MaxScale)
	v = append(v, i.ItemOptions.Check()...)
	for _, p := range i.Parts {
		at := func(field string) string { return fmt.Sprintf("parts[%d].%s", p.ID, field) }
		v.Need(p.CutInto >= 0 && p.CutInto <= process.MostParts, at("cut"), "%s: printed in %d pieces at most", p.Name, process.MostParts)
		v.Need(p.Copies >= 1 && p.Copies <= MaxCopies, at("copies"), "copies of %s: between 1 and %d", p.Name, MaxCopies)
		v.Need(p.WallMM >= 0 && p.WallMM <= MaxWallMM, at("wall"), "wall of %s: between 0 (solid) and %v mm", p.Name, MaxWallMM)
		v = append(v, p.Profile.Check(p.Process, p.Name, at)...)
		v.Need(p.FinishRoute == "" || finish.RouteName(p.FinishRoute) != "", at("route"), "%s: there is no finish route %s", p.Name, p.FinishRoute)
		v.Need(OneOf(p.Joins, JoinAsSuggested, JoinBefore, JoinAfter, JoinLoose), at("joins"), "%s is joined before paint, after it, or comes off", p.Name)
		v.Need(OneOf(p.Inside, finish.InsideRaw, finish.InsidePrimed, finish.InsidePainted), at("inside"), "inside of %s: left as printed, primed or painted", p.Name)
	}
	return v.Err()
}

// prints are the parts that are printed: none of an item that is sold as files.
func (i Item) prints() []Part {
	if !route.Printed(i.Tier) {
		return nil
	}
	return i.Parts
}

// Pieces is how many prints the item comes to.
func (i Item) Pieces() (n int) {
	for _, p := range i.prints() {
		n += p.Copies * i.Copies
	}
	return n
}

// NextNumber gives the order after the highest number so far, but not below the
// number a studio goes on from; four digits at least.
func NextNumber(highest, first int) string { return fmt.Sprintf("%04d", max(highest+1, first)) }

// NextCode is the label of the next piece of an order: its number and a count.
func NextCode(number string, taken []string) string {
	return CodeOf(number, HighestCode(number, taken)+1)
}

// CodeOf is the label of an order's n-th piece.
func CodeOf(number string, n int) string { return fmt.Sprintf("%s-%d", number, n) }

// HighestCode is the highest count on the labels of an order's pieces.
func HighestCode(number string, taken []string) (highest int) {
	for _, c := range taken {
		if rest, ok := strings.CutPrefix(c, number+"-"); ok {
			if n, err := strconv.Atoi(strings.TrimRight(rest, letters)); err == nil {
				highest = max(highest, n)
			}
		}
	}
	return highest
}

// OneOf reports whether v is among the allowed.
func OneOf[T comparable](v T, allowed ...T) bool { return slices.Contains(allowed, v) }
