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
	TareG      float64 // of the empty bottle or spool; 0: not known
	Mix        []MixPart
}

// MixPart is what of another lot went into a mix.
type MixPart struct {
	LotID      int64   `json:"lot_id"`
	MaterialID int64   `json:"material_id"`
	Label      string  `json:"label"`
	Grams      float64 `json:"grams"`
}

// Recipe says what a mix is made of, in hundredths; empty: it is none.
func (l Lot) Recipe() string {
	var out []string
	for _, p := range l.Mix {
		out = append(out, fmt.Sprintf("%s %% of %s", rates.Number(100*p.Grams/l.Grams), p.Label))
	}
	if len(out) == 0 {
		return ""
	}
	return joinAnd(out)
}

// Again is what of the lots there are it takes to mix the same once more: of the same lots, or of those
// to use up first of the same materials.
func (l Lot) Again(lots []Lot) map[int64]float64 {
	out := map[int64]float64{}
	for _, p := range l.Mix {
		usable := Usable(lots, p.MaterialID)
		at := max(0, slices.IndexFunc(usable, func(o Lot) bool { return o.ID == p.LotID }))
		if len(usable) > 0 {
			out[usable[at].ID] += p.Grams
		}
	}
	return out
}

// MixedOf is a lot of a material mixed of so many grams of others: of their price, good as long as the
// first of them, and open. lots are those there are.
func MixedOf(material Material, label string, grams map[int64]float64, lots []Lot, now time.Time) (Lot, error) {
	l := Lot{MaterialID: material.ID, Label: strings.TrimSpace(label), Received: now, Opened: now}
	var wrong rates.Invalid
	priced := true
	for _, from := range lots {
		g := grams[from.ID]
		if g == 0 {
			continue
		}
		field := fmt.Sprintf("grams[%d]", from.ID)
		wrong.Need(g > 0 && g <= from.LeftG(), field, "of %s there are %s g", from.Label, rates.Number(from.LeftG()))
		wrong.Need(from.Ended.IsZero(), field, "%s is used up", from.Label)
		l.Grams += g
		l.PricePerKG += g * from.PricePerKG
		priced = priced && from.PricePerKG > 0
		l.Mix = append(l.Mix, MixPart{from.ID, from.MaterialID, from.Label, g})
		if !from.Expires.IsZero() && (l.Expires.IsZero() || from.Expires.Before(l.Expires)) {
			l.Expires = from.Expires
		}
	}
	wrong.Need(len(l.Mix) >= 2, "grams", "a mix is of two lots at least")
	if err := wrong.Err(); err != nil {
		return l, err
	}
	if l.PricePerKG /= l.Grams; !priced { // one of them has the book's price, which may change
		l.PricePerKG = 0
	}
	v := l.Check()
	if !l.Expires.IsZero() && !l.Expires.After(now) { // of something that has expired, which is told when it is used
		v = slices.DeleteFunc(v, func(w rates.Wrong) bool { return w.Field == "expires" })
	}
	return l, v.Err()
}

// Check says what is wrong with it.
func (l Lot) Check() (v rates.Invalid) {
	v.Need(strings.TrimSpace(l.Label) != "" && len(l.Label) <= 80, "label", "say what stands on it, in 80 letters")
	v.Need(l.Grams > 0 && l.Grams <= 1e6, "grams", "what is in it: more than nothing and at most 1,000 kg")
	v.Need(l.PricePerKG >= 0 && l.PricePerKG <= 1e6, "price", "its price: between 0 and 1,000,000 a kilogram")
	v.Need(l.Expires.IsZero() || l.Expires.After(l.Received), "expires", "it cannot expire before it came")
	v.Need(l.TareG >= 0 && l.TareG <= 1e5, "tare", "its empty bottle: between 0 and 100,000 g")
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

// WeighFull notes what a scale shows of it with its bottle or spool, which weighs so much when it is empty.
func (l Lot) WeighFull(grossG, tareG float64, now time.Time) (Lot, error) {
	if !(tareG > 0 && tareG <= 1e5) {
		return l, rates.Amiss("tare", "say what its bottle or spool weighs when it is empty")
	}
	if grossG < tareG-1 {
		return l, rates.Amiss("tare", "%s g are on the scale, less than the %s g of the empty bottle", rates.Number(grossG), rates.Number(tareG))
	}
	l.TareG = tareG
	return l.Weigh(min(l.Grams, max(0, grossG-tareG)), now)
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
