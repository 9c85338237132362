package app

import (
	"context"
	"slices"
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// Packed is a line of the packing list: an item and the pieces it is delivered as.
type Packed struct {
	Item   studio.Item
	Pieces []studio.Piece
}

// Codes writes the labels of the pieces, e.g. "0412-1, 0412-2".
func (p Packed) Codes() string {
	var codes []string
	for _, piece := range p.Pieces {
		codes = append(codes, piece.Code)
	}
	return strings.Join(codes, ", ")
}

// Compared sets planned and actual hands side by side, for one kind of stage.
type Compared struct {
	Kind    route.StageKind
	Planned float64 // minutes, first pass only
	Actual  float64 // minutes stamped, repeats included
	Repeats int
}

// DeliverySheet is an order on its way out of the studio.
type DeliverySheet struct {
	OrderSheet
	Packed   []Packed
	Short    []studio.Piece // scrapped, and neither replaced nor settled
	Open     int            // pieces still in work
	Hours    []Compared
	Planned  float64
	Actual   float64
	Used     map[string]float64 // grams by material
	Estimate float64            // grams the quote counted on
}

// Complete reports whether everything is done that the client is to get. Of an item without
// prints, such as a restoration, the hand who delivers it knows.
func (s DeliverySheet) Complete() bool {
	printed := slices.ContainsFunc(s.Items, func(it PricedItem) bool { return len(it.Parts) > 0 })
	return (len(s.Packed) > 0 || !printed && len(s.Items) > 0) && s.Open == 0 && len(s.Short) == 0
}

// Share maps minutes to a bar 200 long, the longest stage filling it.
func (s DeliverySheet) Share(minutes float64) float64 {
	longest := 1.0
	for _, c := range s.Hours {
		longest = max(longest, c.Planned, c.Actual)
	}
	return 200 * minutes / longest
}

// Delivery returns an order's delivery sheet.
func (a *App) Delivery(ctx context.Context, number string) (s DeliverySheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.delivery(tx, number)
		return err
	})
	return s, err
}

func (a *App) delivery(tx *store.Tx, number string) (s DeliverySheet, err error) {
	if s.OrderSheet, err = a.orderSheet(tx, number); err != nil {
		return s, err
	}
	index := map[int64]int{}
	items := map[int64]studio.Item{}
	if q := s.AcceptedQuote(); q != nil {
		for _, di := range q.Taken().Items {
			items[di.Spec.ID] = di.Spec
			s.Estimate += di.Cost.Grams
		}
	}
	hours := map[route.StageKind]*Compared{}
	for _, p := range s.Pieces {
		s.compare(hours, p)
		switch {
		case p.State == studio.Scrapped && !replaced(s.Pieces, p.ID):
			s.Short = append(s.Short, p)
		case !p.Live():
		default:
			if p.State != studio.PieceDone {
				s.Open++
			}
			at, ok := index[p.ItemID]
			if !ok {
				at = len(s.Packed)
				index[p.ItemID] = at
				s.Packed = append(s.Packed, Packed{Item: items[p.ItemID]})
			}
			s.Packed[at].Pieces = append(s.Packed[at].Pieces, p)
		}
	}
	for _, k := range route.All() {
		if c := hours[k]; c != nil {
			s.Hours = append(s.Hours, *c)
			s.Planned += c.Planned
			s.Actual += c.Actual
		}
	}
	booked, err := tx.BookedFor(s.Order.ID)
	s.Used = map[string]float64{}
	for _, m := range s.Shop.Materials {
		if g, ok := booked[m.ID]; ok {
			s.Used[m.Name] = g
		}
	}
	return s, err
}

func (s *DeliverySheet) compare(hours map[route.StageKind]*Compared, p studio.Piece) {
	for _, st := range p.Stages {
		c := hours[st.Kind]
		if c == nil {
			c = &Compared{Kind: st.Kind}
			hours[st.Kind] = c
		}
		if st.Repeat {
			c.Repeats++
		} else {
			c.Planned += st.Planned
		}
		c.Actual += st.Minutes
	}
}

// Deliver notes that the order left the studio, now (zero) or on a day that has
// passed.
func (a *App) Deliver(ctx context.Context, hand Actor, number string, on time.Time) error {
	return a.do(ctx, hand, func(d Change) error {
		s, err := a.delivery(d.Tx, number)
		if err != nil {
			return err
		}
		if on.IsZero() {
			on = d.Now
		}
		switch {
		case s.Order.State != studio.Accepted:
			return refuse("Order %s is %s and cannot be delivered.", number, s.Order.State)
		case len(s.Short) > 0:
			return refuse("%s was scrapped: print it again, or settle that the client does without.", s.Short[0].Code)
		case !s.Complete():
			return refuse("%s of order %s still in work.", studio.Say(s.Open, "piece"), number)
		case on.After(d.Now.Add(24 * time.Hour)):
			return refuse("It cannot have been delivered on a day to come.")
		}
		o := s.Order
		o.State, o.Delivered = studio.Delivered, on
		if err := d.SaveOrder(&o); err != nil {
			return err
		}
		return d.Note("delivered", About{Order: o.ID}, "%s to %s", studio.Say(len(s.Pieces), "piece"), o.Client)
	})
}

// CloseOrder ends an order that was delivered.
func (a *App) CloseOrder(ctx context.Context, hand Actor, number string) error {
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if o.State != studio.Delivered {
			return refuse("Order %s is %s: it is closed after delivery.", number, o.State)
		}
		o.State, o.Closed = studio.Closed, d.Now
		if err := d.SaveOrder(&o); err != nil {
			return err
		}
		return d.Note("order closed", About{Order: o.ID}, "%s", o.Title)
	})
}
