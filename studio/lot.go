package studio

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/rates"
)

// Lot is a bottle, a spool or a box of a material.
type Lot struct {
	ID         int64
	MaterialID int64
	Label      string
	Received   time.Time
	Opened     time.Time
	Expires    time.Time // zero: it does not
	Grams      float64   // as bought
	PricePerKG float64   // 0: as the book has it
	Weighed    time.Time
	WeighedG   float64 // what was left then
	Ended      time.Time
	BookedG    float64 // from it, since it was weighed last, or at all
}

// Check says what is wrong with it.
func (l Lot) Check() (v rates.Invalid) {
	v.Need(strings.TrimSpace(l.Label) != "" && len(l.Label) <= 80, "label", "say what stands on it, in 80 letters")
	v.Need(l.Grams > 0 && l.Grams <= 1e6, "grams", "what is in it: more than nothing and at most 1,000 kg")
	v.Need(l.PricePerKG >= 0 && l.PricePerKG <= 1e6, "price", "its price: between 0 and 1,000,000 a kilogram")
	v.Need(l.Expires.IsZero() || l.Expires.After(l.Received), "expires", "it cannot expire before it came")
	return v
}

// LeftG is what should be left of it: what was bought or weighed, less what was booked since.
func (l Lot) LeftG() float64 {
	if !l.Weighed.IsZero() {
		return max(0, l.WeighedG-l.BookedG)
	}
	return max(0, l.Grams-l.BookedG)
}

// Expired reports whether it is past its date.
func (l Lot) Expired(now time.Time) bool { return !l.Expires.IsZero() && now.After(l.Expires) }

// Weigh notes what is left of it.
func (l Lot) Weigh(grams float64, now time.Time) (Lot, error) {
	if !(grams >= 0 && grams <= l.Grams) {
		return l, rates.Amiss("left", "between nothing and the %s g that were bought", rates.Number(l.Grams))
	}
	l.Weighed, l.WeighedG, l.BookedG = now, grams, 0
	return l, nil
}

// Usable are the lots of a material that something may be taken from, in the order in which they
// should be used up: those that are open, then those that expire first, then the oldest.
func Usable(lots []Lot, materialID int64) (out []Lot) {
	for _, l := range lots {
		if l.MaterialID == materialID && l.Ended.IsZero() {
			out = append(out, l)
		}
	}
	slices.SortStableFunc(out, func(a, b Lot) int {
		switch {
		case a.Opened.IsZero() != b.Opened.IsZero():
			return map[bool]int{true: 1, false: -1}[a.Opened.IsZero()]
		case a.Expires.IsZero() != b.Expires.IsZero():
			return map[bool]int{true: 1, false: -1}[a.Expires.IsZero()]
		case !a.Expires.Equal(b.Expires):
			return a.Expires.Compare(b.Expires)
		}
		return a.Received.Compare(b.Received)
	})
	return out
}

// Short says what speaks against taking so much from the lot; empty: nothing.
func (l Lot) Short(grams float64, now time.Time) string {
	switch {
	case l.Expired(now):
		return fmt.Sprintf("%s expired on %s.", l.Label, l.Expires.Format("2 January 2006"))
	case l.LeftG() < grams:
		return fmt.Sprintf("%s should have %s g left; the run takes %s g with its loss.", l.Label, rates.Number(l.LeftG()), rates.Number(grams))
	}
	return ""
}

// Stock is what there is of a material, what is spoken for, and what should be bought.
type Stock struct {
	Material  Material
	Lots      []Lot
	LeftG     float64
	ReservedG float64 // by pieces of accepted orders that wait for a plate or lie on one that has not ended
	LeastG    float64
}

// BuyG is what to buy: so much that the least is left when all that is spoken for is printed.
func (s Stock) BuyG() float64 { return max(0, s.LeastG+s.ReservedG-s.LeftG) }
