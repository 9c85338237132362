package quotes

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"unicode/utf8"

	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/pieces"
	"sakuji/core/quote"
	"sakuji/store"
	"sakuji/studio"
)

// SendQuote freezes the order as it is priced now and opens the client's link. The
// quote before it, if it still waited for an answer, ends. A licence that stops it is
// overruled by a reason, which the logbook keeps.
//
// The price is worked out beside the one writer; what was changed meanwhile is priced again.
func (a *Room) SendQuote(ctx context.Context, who change.Actor, number, despite string) (q studio.Quote, err error) {
	despite = strings.TrimSpace(despite)
	for range 4 {
		var s OrderSheet
		var doc studio.Document
		var ask dates
		var mark int64
		err = a.Store.Read(ctx, func(tx *store.Tx) error {
			if s, err = a.Sheet(tx, number); err != nil {
				return err
			}
			if err := s.maySend(despite); err != nil {
				return err
			}
			if doc, ask, err = document(tx, s); err != nil {
				return err
			}
			mark, err = tx.LogMark(s.Order.ID)
			return err
		})
		if err == nil {
			err = a.promised(ctx, ask, &doc)
		}
		if err != nil {
			return q, err
		}
		err = a.orders.OnOrder(ctx, who, number, func(c change.Change, o *studio.Order) error {
			now, err := c.LogMark(o.ID)
			if err != nil {
				return err
			}
			if now != mark {
				return errMoved
			}
			q, err = a.send(c, *o, s, doc, despite)
			return err
		})
		if !errors.Is(err, errMoved) {
			return q, err
		}
	}
	return q, change.Refuse("Somebody keeps changing this order; nothing was sent. Try again in a moment.")
}

// errMoved says that what was priced has been changed since.
var errMoved = errors.New("the order was changed meanwhile")

// maySend says what keeps a quote from being sent.
func (s OrderSheet) maySend(despite string) error {
	if err := s.Order.MayChange(); err != nil {
		return change.Refused(err)
	}
	if t := s.Troubles(); len(t) > 0 {
		return change.Refuse("The quote cannot be sent yet. %s", strings.Join(t, " "))
	}
	switch {
	case len(s.Stops)+len(s.Sealed) > 0 && despite == "":
		return change.Refuse("%s To send it all the same, give the reason.", strings.Join(slices.Concat(s.Stops, s.Sealed), " "))
	case s.Shop.Studio.Name == "":
		return change.Refuse("Set the studio up first: its name and currency stand on the quote.")
	case s.Price.TotalMinor <= 0:
		return change.Refuse("The price comes to nothing; look at the items first.")
	case s.Price.TotalMinor >= quote.MostMinor:
		return change.Refuse("The price comes to %s: look at the items and the rates first.", s.Shop.Studio.Money(s.Price.TotalMinor))
	}
	return nil
}

// send saves a frozen quote in the place of the one before it.
func (a *Room) send(c change.Change, o studio.Order, s OrderSheet, doc studio.Document, despite string) (q studio.Quote, err error) {
	overruled := func(event string, why []string) error {
		if len(why) == 0 {
			return nil
		}
		return c.Note(event, change.About{Order: o.ID}, "%s Reason: %s", strings.Join(why, " "), despite)
	}
	if err := errors.Join(overruled("licence overruled", s.Stops), overruled("closed hollow waived", s.Sealed)); err != nil {
		return q, err
	}
	for _, it := range s.Specs() { // so that a later default does not change what was offered
		for k := range it.Parts {
			if m, ok := s.Shop.Material(it.Parts[k].MaterialID, it.Parts[k].Process); ok {
				it.Parts[k].MaterialID = m.ID
			}
			if it.Parts[k].Sealed() != "" && it.Parts[k].Waived == "" {
				it.Parts[k].Waived = despite
			}
		}
		if err := c.SaveItem(&it); err != nil {
			return q, err
		}
	}
	revision := 1
	if newest := s.Newest(); newest != nil {
		revision = newest.Revision + 1
	}
	if err := end(c, o.ID, studio.QuoteReplaced); err != nil {
		return q, err
	}
	if doc.Instead != nil {
		off, err := callsOff(c, s.Shop, o, slices.DeleteFunc(s.Specs(), func(it studio.Item) bool { return it.Option }))
		if err != nil {
			return q, err
		}
		doc.Instead.CallsOff = off
	}
	q, e := studio.Freeze(c.Act(), o, revision, rand.Text(), doc, int(s.Shop.Book.V("valid")))
	if err := c.SaveQuote(&q); err != nil {
		return q, err
	}
	o = o.Sent()
	if err := c.SaveOrder(&o); err != nil {
		return q, err
	}
	return q, c.Log(e)
}

// callsOff says which pieces that were begun a change would call off, and what has gone into them:
// it is tried and undone.
func callsOff(c change.Change, h studio.Shop, o studio.Order, items []studio.Item) (off []string, err error) {
	before, err := c.PiecesOf(o.ID)
	if err != nil {
		return nil, err
	}
	spent, err := c.SpentByPiece(o.ID, c.Act().At)
	if err != nil {
		return nil, err
	}
	var after []studio.Piece
	err = c.Try(func() error {
		if err := pieces.Make(c, o, items); err != nil {
			return err
		}
		after, err = c.PiecesOf(o.ID)
		return err
	})
	for _, p := range before {
		gone := slices.ContainsFunc(after, func(q studio.Piece) bool { return q.ID == p.ID && q.State == studio.PieceOff })
		if gone && p.Live() && p.Begun() {
			off = append(off, h.Invested(p, spent[p.ID]))
		}
	}
	return off, err
}

// end ends the quotes of an order that wait for an answer: one newer takes their place, or
// they are withdrawn.
func end(c change.Change, orderID int64, as studio.QuoteState) error {
	quotes, err := c.Quotes(orderID)
	if err != nil {
		return err
	}
	for _, q := range quotes {
		if q.State != studio.QuoteSent {
			continue
		}
		ended := false
		if as == studio.QuoteReplaced {
			q, ended = q.Give()
		} else {
			q, ended = q.Withdraw()
		}
		if ended {
			if err := c.SaveQuote(&q); err != nil {
				return err
			}
		}
	}
	return nil
}

// ClientQuote is a sent quote as the client sees it.
type ClientQuote struct {
	Quote    studio.Quote
	Order    studio.Order
	Ended    string // why the link no longer serves
	MayReply bool
	Asked    []studio.Point // the client's own questions and our answers
	Photos   []studio.Photo // that the studio shows them
}

// ClientQuote returns the quote of a client's link.
func (a *Room) ClientQuote(ctx context.Context, token string) (s ClientQuote, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Quote, err = tx.QuoteByToken(token); err != nil {
			return err
		}
		if s.Order, err = tx.OrderByID(s.Quote.OrderID); err != nil {
			return err
		}
		now := a.Clock.Now()
		s.Ended = s.Quote.Ended(now)
		if s.Order.State == studio.Cancelled || s.Order.State == studio.Closed {
			s.Ended = "The order is " + string(s.Order.State) + "."
		}
		s.MayReply = s.Ended == "" && s.Quote.MayAnswer(now) == nil
		points, err := tx.Points(s.Order.ID)
		for _, p := range points {
			if p.Kind == studio.Asked {
				s.Asked = append(s.Asked, p)
			}
		}
		if err != nil || s.Ended != "" {
			return err
		}
		s.Photos, err = tx.PhotosOfOrder(s.Order.ID)
		s.Photos = slices.DeleteFunc(s.Photos, func(p studio.Photo) bool { return !p.Offered })
		return err
	})
	return s, err
}

// AllowPhotos notes which of the photographs that a client is shown everybody may see; those that are not named nobody
// else may.
func (a *Room) AllowPhotos(ctx context.Context, token, by string, ids []int64) error {
	s, err := a.ClientQuote(ctx, token)
	if err != nil {
		return err
	}
	by = strings.TrimSpace(by)
	switch {
	case s.Ended != "":
		return change.Refuse("%s", s.Ended)
	case len(ids) > 0 && by == "":
		return change.RefuseField("by", "Who allows it? Nothing was changed.")
	case utf8.RuneCountInString(by) > 200:
		return change.RefuseField("by", "A name has at most 200 letters. Nothing was changed.")
	}
	return a.Do(ctx, change.Actor{Name: s.Order.Client + " (client)"}, func(c change.Change) error {
		for _, p := range s.Photos {
			p = p.Allow(by, slices.Contains(ids, p.ID), c.Now)
			if err := c.SavePhoto(&p); err != nil {
				return err
			}
		}
		return c.Note("photographs allowed", change.About{Order: s.Order.ID}, "%d of %d may be seen by everybody%s", len(ids), len(s.Photos), studio.Dash(by))
	})
}

// Answer is what a client says to a quote.
type Answer struct {
	Accept bool
	Name   string // who says so
	Agreed bool   // the tick beside the terms
	Chosen studio.Chosen
	From   string // network address, or "told to us" for an answer noted by hand
}

// AnswerQuote records the client's yes or no. A yes makes the pieces.
func (a *Room) AnswerQuote(ctx context.Context, token string, ans Answer) error {
	ans.Name = strings.TrimSpace(ans.Name)
	if ans.Name == "" || len(ans.Name) > 200 {
		return change.Refuse("Write your name, so that we know who answers.")
	}
	if ans.Accept && !ans.Agreed {
		return change.Refuse("Tick that you have read the quote before you accept it.")
	}
	return a.Do(ctx, change.Actor{Name: ans.Name + " (client)"}, func(d change.Change) error {
		q, err := d.QuoteByToken(token)
		if err != nil {
			return err
		}
		return answer(d, q, ans)
	})
}

// NoteAnswer records an answer that came by word of mouth.
func (a *Room) NoteAnswer(ctx context.Context, who change.Actor, number string, accept bool, name string, chosen studio.Chosen) error {
	return a.orders.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		quotes, err := d.Quotes(o.ID)
		if err != nil {
			return err
		}
		if len(quotes) == 0 || quotes[0].State != studio.QuoteSent {
			return change.Refuse("No quote of order %s waits for an answer.", number)
		}
		if strings.TrimSpace(name) == "" {
			name = o.Client
		}
		if err := answer(d, quotes[0], Answer{Accept: accept, Name: name, Agreed: accept, Chosen: chosen, From: "told to us"}); err != nil {
			return err
		}
		return d.SeeAnswers(o.ID, d.Now)
	})
}

// answer takes the client's answer: the quote, the order, and on a yes its pieces.
func answer(d change.Change, q studio.Quote, ans Answer) error {
	o, err := d.OrderByID(q.OrderID)
	if err != nil {
		return err
	}
	var e studio.Entry
	if !ans.Accept {
		if q, e, err = q.Decline(d.Act(), ans.Name, ans.From); err == nil {
			o, err = o.Decline()
		}
	} else {
		if q, e, err = q.Accept(d.Act(), ans.Name, ans.From, ans.Chosen); err == nil {
			o, err = o.Accept(d.Now)
		}
	}
	if err != nil {
		return change.Refused(err)
	}
	if ans.Accept {
		if err := giveWay(d, q); err != nil {
			return err
		}
		if err := settleChoice(d, o, q); err != nil {
			return err
		}
	}
	if err := errors.Join(d.SaveQuote(&q), d.SaveOrder(&o), d.Log(e)); err != nil || !ans.Accept {
		return err
	}
	items, err := asCut(d, o, q.Taken().Specs())
	if err != nil {
		return err
	}
	return pieces.Make(d, o, items)
}

// asCut takes items as they stand on the order where that is what was agreed: a part may have been
// cut since, into the pieces that it was priced in.
func asCut(d change.Change, o studio.Order, agreed []studio.Item) ([]studio.Item, error) {
	now, err := d.Items(o.ID)
	for i, it := range agreed {
		for _, n := range now {
			if n.ID == it.ID && n.Same(it) {
				option := it.Option
				agreed[i] = n
				agreed[i].Option = option
			}
		}
	}
	return agreed, err
}

// UseBodies prints each body of a part's model, or each piece of its cut, as a part of its own. Cut
// into the pieces it was priced in, an accepted order's pieces are made at once, at the price that
// was agreed.
func (a *Room) UseBodies(ctx context.Context, who change.Actor, number string, partID, ofID int64) error {
	return a.Do(ctx, who, func(c change.Change) error {
		o, err := orders.TakeApart(c, number, partID, ofID)
		if err != nil || o.State != studio.Accepted {
			return err
		}
		s, err := a.Sheet(c.Tx, number)
		if err != nil || s.Changed() {
			return err
		}
		items, err := c.Items(o.ID)
		if err != nil {
			return err
		}
		return pieces.Make(c, o, items)
	})
}

// giveWay ends what was accepted before a change that is accepted now.
func giveWay(d change.Change, by studio.Quote) error {
	quotes, err := d.Quotes(by.OrderID)
	if err != nil {
		return err
	}
	for _, old := range quotes {
		if old.State != studio.QuoteAccepted {
			continue
		}
		if old, ok := old.Give(); ok {
			if err := d.SaveQuote(&old); err != nil {
				return err
			}
		}
	}
	return nil
}

// settleChoice makes the order's items what the client chose of alternatives and options.
// Where nothing was to be chosen, items changed since the quote was sent stay as they are.
func settleChoice(d change.Change, o studio.Order, q studio.Quote) error {
	taken := map[int64]bool{}
	for _, it := range q.Taken().Specs() {
		taken[it.ID] = true
		if q.Chosen.Alternative == 0 && !it.Option {
			continue
		}
		it.Option = false
		if err := d.SaveItem(&it); err != nil {
			return err
		}
	}
	for _, opt := range q.Document.Options {
		if !taken[opt.Item.Spec.ID] {
			if err := d.Tx.RemoveItem(opt.Item.Spec.ID); err != nil {
				return err
			}
		}
	}
	if len(q.Document.Alternatives) == 0 {
		return nil
	}
	variants, err := d.Variants(o.ID)
	for _, v := range variants {
		if err == nil {
			err = d.Tx.DropVariant(o.ID, v.ID)
		}
	}
	return err
}

// AskAboutQuote is the client's question; it shows on Today.
func (a *Room) AskAboutQuote(ctx context.Context, token, text string) error {
	s, err := a.ClientQuote(ctx, token)
	if err != nil {
		return err
	}
	if s.Ended != "" {
		return change.Refuse("%s", s.Ended)
	}
	return a.orders.AddPoint(ctx, change.Actor{Name: s.Order.Client + " (client)"}, s.Order.Number, studio.Asked, text)
}

// SeeAnswer marks a client's answers as looked at.
func (a *Room) SeeAnswer(ctx context.Context, who change.Actor, number string) error {
	return a.Do(ctx, who, func(d change.Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		return d.SeeAnswers(o.ID, d.Now)
	})
}
