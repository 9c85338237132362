package studio

import (
	"fmt"
	"strings"
	"time"
)

// Act is who changes something, and when.
type Act struct {
	At       time.Time
	PersonID int64 // 0: a client, a machine or the console
	Who      string
}

// Entry is a line of the logbook.
type Entry struct {
	ID       int64
	At       time.Time
	PersonID int64
	Who      string
	Event    string
	Text     string
	OrderID  int64
	PieceID  int64
	PlateID  int64
	Order    string // number, when there is one
	Piece    string // code
	Plate    int    // number
}

// OfMoney reports whether the line tells amounts of money.
func (e Entry) OfMoney() bool {
	for _, what := range []string{"quote ", "deposit ", "payment ", "rates ", "order closed"} {
		if strings.HasPrefix(e.Event, what) {
			return true
		}
	}
	return false
}

// entry writes down that something happened.
func (a Act) entry(event, format string, args ...any) Entry {
	return Entry{At: a.At, PersonID: a.PersonID, Who: a.Who, Event: event, Text: fmt.Sprintf(format, args...)}
}

// of says what an entry speaks of.
func (e Entry) of(orderID, pieceID, plateID int64) Entry {
	e.OrderID, e.PieceID, e.PlateID = orderID, pieceID, plateID
	return e
}

// Confirm is what stands in the way of a change until somebody says that it is meant:
// not wrong, but hardly so.
type Confirm struct {
	Text string // what is strange about it
	Yes  string // what the button says that goes on all the same
}

func (q *Confirm) Error() string { return q.Text }

// TakeBack is how long a stamp or an emptied plate can be taken back: long enough
// to see a slip, too short to rewrite the day. Source: from memory.
const TakeBack = 30 * time.Minute

// MayTakeBack says whether something done at a time can still be taken back.
func MayTakeBack(done, now time.Time) error {
	if now.Sub(done) > TakeBack {
		return fmt.Errorf("it can be taken back for %d minutes; that was at %s", int(TakeBack.Minutes()), done.Format("15:04"))
	}
	return nil
}
