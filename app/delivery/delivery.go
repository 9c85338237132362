// Package delivery is an order on its way out of the studio: what is packed, what is still
// in work, and the hours that were planned beside those that were worked.
package delivery

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/quotes"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where orders leave.
type Room struct {
	change.Base
	quotes *quotes.Room
}

// New makes the room.
func New(base change.Base, quotes *quotes.Room) *Room { return &Room{base, quotes} }

// Packed is a line of the packing list: an item and the pieces it is delivered as.
type Packed struct {
	Item   studio.Item
	Pieces []studio.Piece
	Inside map[int64]int  // of an assembly: of how many prints it was joined
	With   []studio.Piece // what goes with its pieces and is not counted
}

// Contents writes what the pieces are with their labels, a line for each part: "Beak: 0412-1,
// 0412-3".
func (p Packed) Contents() (lines []string) {
	codes, names := map[string][]string{}, []string(nil)
	for _, piece := range p.Pieces {
		name := strings.TrimPrefix(piece.Name, p.Item.Title+", ")
		if n := p.Inside[piece.ID]; n > 0 {
			name = fmt.Sprintf("joined of %d", n)
		}
		if name == p.Item.Title {
			name = ""
		}
		if codes[name] == nil {
			names = append(names, name)
		}
		codes[name] = append(codes[name], piece.Code)
	}
	for _, name := range names {
		line := strings.Join(codes[name], ", ")
		if name != "" {
			line = studio.UpperFirst(name) + ": " + line
		}
		lines = append(lines, line)
	}
	return append(lines, p.bags()...)
}

// bags says what goes along in bags of their own, numbered: what comes off again, and what lies
// with the pieces.
func (p Packed) bags() (lines []string) {
	bag := func(what string) {
		lines = append(lines, fmt.Sprintf("Bag %d: %s", len(lines)+1, what))
	}
	for _, part := range p.Item.Parts {
		if when, _ := p.Item.JoinOf(part); when == studio.JoinLoose && p.Item.Joined() {
			bag(fmt.Sprintf("%d × %s, comes off", part.Copies*len(p.Pieces), part.Name))
		}
	}
	for _, with := range p.With {
		if with.Kind == studio.KindBase || with.Kind == studio.KindSoft {
			bag(strings.TrimPrefix(with.Name, p.Item.Title+", ") + ", " + with.Code)
		}
	}
	return lines
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
	quotes.OrderSheet
	Packed   []Packed
	Short    []studio.Piece // scrapped, and neither replaced nor settled
	Open     int            // pieces still in work
	Hours    []Compared
	Planned  float64
	Actual   float64
	Used     map[string]float64 // grams by material
	Estimate float64            // grams the quote counted on
}

// Complete reports whether everything is done that the client is to get.
func (s DeliverySheet) Complete() bool { return studio.Complete(s.PriceSheet.Specs(), s.Pieces) == nil }

// Given counts the pieces that the client is handed.
func (s DeliverySheet) Given() (n int) {
	for _, p := range s.Packed {
		n += len(p.Pieces)
	}
	return n
}

// Care is what the client should know of what they get.
func (s DeliverySheet) Care() []string {
	var items []studio.Item
	grams := map[int64]float64{}
	for _, line := range s.Packed {
		items = append(items, line.Item)
	}
	for _, it := range s.Items {
		grams[it.ID] = it.Estimate.Grams / float64(max(1, it.Copies))
	}
	return studio.Handover(s.Order, items, grams)
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
func (a *Room) Delivery(ctx context.Context, number string) (s DeliverySheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.delivery(tx, number)
		return err
	})
	return s, err
}

func (a *Room) delivery(tx *store.Tx, number string) (s DeliverySheet, err error) {
	if s.OrderSheet, err = a.quotes.Sheet(tx, number); err != nil {
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
		case p.Short(s.Pieces):
			s.Short = append(s.Short, p)
		case !p.Counts():
		default:
			if p.State != studio.PieceDone {
				s.Open++
			}
			if !p.ClientGets() && !p.Beside {
				continue
			}
			at, ok := index[p.ItemID]
			if !ok {
				at = len(s.Packed)
				index[p.ItemID] = at
				s.Packed = append(s.Packed, Packed{Item: items[p.ItemID], Inside: map[int64]int{}})
			}
			if p.Beside {
				s.Packed[at].With = append(s.Packed[at].With, p)
				continue
			}
			s.Packed[at].Pieces = append(s.Packed[at].Pieces, p)
			for _, c := range p.PartsOf(s.Pieces) {
				if c.Live() {
					s.Packed[at].Inside[p.ID]++
				}
			}
		}
	}
	for _, k := range route.All() {
		if c := hours[k]; c != nil && c.Planned+c.Actual > 0 {
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
		switch {
		case st.Repeat || st.Rework:
			c.Repeats++
		case p.Live(): // what was called off or lost was worked on, but is not planned any more
			c.Planned += st.PlannedMin
		}
		c.Actual += st.Minutes
	}
}

// Deliver notes that the order left the studio, now (zero) or on a day that has passed;
// sure says that a day long past is meant.
func (a *Room) Deliver(ctx context.Context, who change.Actor, number string, on time.Time, sure bool) error {
	return a.Do(ctx, who, func(c change.Change) error {
		o, err := c.Order(number)
		if err != nil {
			return err
		}
		pieces, err := c.PiecesOf(o.ID)
		if err != nil {
			return err
		}
		items, err := c.Items(o.ID)
		if err != nil {
			return err
		}
		if on.IsZero() {
			on = c.Now
		}
		o, e, err := o.Deliver(c.Act(), on, items, pieces, sure)
		if err != nil {
			return change.Refused(err)
		}
		return errors.Join(c.SaveOrder(&o), c.Log(e))
	})
}

// SpareOf is the label of a print that may stand in for a piece; empty: there is none.
func (s DeliverySheet) SpareOf(p studio.Piece) string {
	spare, _ := p.SpareOf(s.Pieces)
	return spare.Code
}
