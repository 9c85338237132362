package app

import (
	"context"
	"crypto/rand"
	"slices"
	"strings"

	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// SendQuote freezes the order as it is priced now and opens the client's link. The
// quote before it, if it still waited for an answer, ends. A licence that stops it is
// overruled by a reason, which the logbook keeps.
func (a *App) SendQuote(ctx context.Context, hand Actor, number, despite string) (q studio.Quote, err error) {
	err = a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		s, err := a.orderSheet(d.Tx, number)
		if err != nil {
			return err
		}
		if t := s.Troubles(); len(t) > 0 {
			return refuse("The quote cannot be sent yet. %s", strings.Join(t, " "))
		}
		if len(s.Stops) > 0 {
			if despite = strings.TrimSpace(despite); despite == "" {
				return refuse("%s To send it all the same, give the reason.", strings.Join(s.Stops, " "))
			}
			if err := d.Note("licence overruled", About{Order: o.ID}, "%s Reason: %s", strings.Join(s.Stops, " "), despite); err != nil {
				return err
			}
		}
		if s.Shop.Studio.Name == "" {
			return refuse("Set the studio up first: its name and currency stand on the quote.")
		}
		if s.Price.TotalMinor <= 0 {
			return refuse("The price comes to nothing; look at the items first.")
		}
		if s.Price.TotalMinor >= quote.MostMinor {
			return refuse("The price comes to %s: look at the items and the rates first.", s.Shop.Studio.Money(s.Price.TotalMinor))
		}
		for i := range s.Items { // so that a later default does not change what was offered
			if err := d.fixMaterials(s.Shop, &s.Items[i].Item); err != nil {
				return err
			}
		}
		doc, err := document(d.Tx, s)
		if err != nil {
			return err
		}
		q = studio.Quote{
			OrderID: o.ID, Revision: 1, Token: rand.Text(), State: studio.QuoteSent, Document: doc,
			TotalMinor: s.Price.TotalMinor, DepositMinor: s.Price.DepositMinor, Currency: s.Shop.Studio.Currency, Sent: d.Now,
		}
		zone := s.Shop.Studio.Zone()
		y, m, day := d.Now.In(zone).Date()
		q.ValidUntil = studio.EndOfDay(y, m, day+int(s.Shop.Book.V("valid")), zone)
		if newest := s.Newest(); newest != nil {
			q.Revision = newest.Revision + 1
		}
		if err := d.withdraw(o.ID, studio.QuoteReplaced); err != nil {
			return err
		}
		if err := d.SaveQuote(&q); err != nil {
			return err
		}
		if o.State == studio.Enquiry {
			o.State = studio.Quoted
			if err := d.SaveOrder(o); err != nil {
				return err
			}
		}
		return d.Note("quote sent", About{Order: o.ID}, "revision %d, %s, valid until %s", q.Revision, q.Total(), q.ValidUntil.In(zone).Format("2 January"))
	})
	return q, err
}

func (d Change) fixMaterials(h studio.Shop, it *studio.Item) error {
	fees := it.Extras
	it.Extras = own(fees) // fees are the models', not the item's
	defer func() { it.Extras = fees }()
	for k := range it.Parts {
		if m, ok := h.Material(it.Parts[k].MaterialID, it.Parts[k].Process); ok {
			it.Parts[k].MaterialID = m.ID
		}
	}
	return d.SaveItem(it)
}

// ClientQuote is a sent quote as the client sees it.
type ClientQuote struct {
	Quote    studio.Quote
	Order    studio.Order
	Ended    string // why the link no longer serves
	MayReply bool
	Asked    []studio.Point // the client's own questions and our answers
}

// ClientQuote returns the quote of a client's link.
func (a *App) ClientQuote(ctx context.Context, token string) (s ClientQuote, err error) {
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
			s.Ended = "The order is " + s.Order.State + "."
		}
		s.MayReply = s.Ended == "" && s.Quote.MayAnswer(now) == nil
		points, err := tx.Points(s.Order.ID)
		for _, p := range points {
			if p.Kind == studio.Asked {
				s.Asked = append(s.Asked, p)
			}
		}
		return err
	})
	return s, err
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
func (a *App) AnswerQuote(ctx context.Context, token string, ans Answer) error {
	ans.Name = strings.TrimSpace(ans.Name)
	if ans.Name == "" || len(ans.Name) > 200 {
		return refuse("Write your name, so that we know who answers.")
	}
	if ans.Accept && !ans.Agreed {
		return refuse("Tick that you have read the quote before you accept it.")
	}
	return a.do(ctx, Actor{Name: ans.Name + " (client)"}, func(d Change) error {
		q, err := d.QuoteByToken(token)
		if err != nil {
			return err
		}
		return d.answer(q, ans)
	})
}

// NoteAnswer records an answer that came by word of mouth.
func (a *App) NoteAnswer(ctx context.Context, hand Actor, number string, accept bool, name string, chosen studio.Chosen) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		quotes, err := d.Quotes(o.ID)
		if err != nil {
			return err
		}
		if len(quotes) == 0 || quotes[0].State != studio.QuoteSent {
			return refuse("No quote of order %s waits for an answer.", number)
		}
		if strings.TrimSpace(name) == "" {
			name = o.Client
		}
		if err := d.answer(quotes[0], Answer{Accept: accept, Name: name, Agreed: accept, Chosen: chosen, From: "told to us"}); err != nil {
			return err
		}
		return d.SeeAnswers(o.ID, d.Now)
	})
}

func (d Change) answer(q studio.Quote, ans Answer) error {
	if err := q.MayAnswer(d.Now); err != nil {
		return refused(err)
	}
	o, err := d.OrderByID(q.OrderID)
	if err != nil {
		return err
	}
	if err := o.MayChange(); err != nil {
		return refused(err)
	}
	q.Answered, q.AnsweredBy, q.AnsweredFrom = d.Now, ans.Name, ans.From
	was := o.State
	if ans.Accept {
		quotes, err := d.Quotes(o.ID)
		if err != nil {
			return err
		}
		for _, old := range quotes { // the change takes the place of what held before
			if old.State == studio.QuoteAccepted {
				old.State = studio.QuoteReplaced
				if err := d.SaveQuote(&old); err != nil {
					return err
				}
			}
		}
		taken, err := q.Document.Take(ans.Chosen)
		if err != nil {
			return refused(err)
		}
		q.Chosen, q.TotalMinor, q.DepositMinor = ans.Chosen, taken.TotalMinor, taken.DepositMinor
		if err := d.settleChoice(o, q); err != nil {
			return err
		}
		q.State, o.State = studio.QuoteAccepted, studio.Accepted
		if o.Accepted.IsZero() {
			o.Accepted = d.Now
		}
	} else {
		q.State = studio.QuoteDeclined
		if was != studio.Accepted { // a change declined leaves what was agreed
			o.State = studio.Declined
		}
	}
	if err := d.SaveQuote(&q); err != nil {
		return err
	}
	if err := d.SaveOrder(&o); err != nil {
		return err
	}
	if err := d.Note("quote "+q.State, About{Order: o.ID}, "revision %d, %s, by %s (%s)", q.Revision, q.Total(), ans.Name, ans.From); err != nil {
		return err
	}
	if !ans.Accept {
		return nil
	}
	return d.makePieces(o, q.Taken().Specs())
}

// settleChoice makes the order's items what the client chose of alternatives and options.
// Where nothing was to be chosen, items changed since the quote was sent stay as they are.
func (d Change) settleChoice(o studio.Order, q studio.Quote) error {
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

// makePieces brings an order's pieces in line with what was accepted. What is
// printed as asked stays; what is not printed yet is changed; too few are made
// anew, too many are called off and stay in the book.
func (d Change) makePieces(o studio.Order, items []studio.Item) error {
	h, err := shop(d.Tx)
	if err != nil {
		return err
	}
	pieces, err := d.PiecesOf(o.ID)
	if err != nil {
		return err
	}
	codes, err := d.Codes(o.ID)
	if err != nil {
		return err
	}
	wanted := map[int64]bool{}
	added := 0
	for _, it := range items {
		for _, part := range it.Parts {
			wanted[part.ID] = true
			m, err := d.ModelOriented(part.ModelID, part.OrientationID)
			if err != nil {
				return err
			}
			n, err := d.fitPieces(h, pieces, m, part, it)
			if err != nil {
				return err
			}
			for ; n > 0; n-- {
				p := studio.Piece{
					Code: studio.NextCode(o.Number, codes), OrderID: o.ID, ItemID: it.ID, PartID: part.ID, ModelID: part.ModelID, OrientationID: part.OrientationID, Name: pieceName(it, part),
					Process: part.Process, MaterialID: part.MaterialID, Scale: it.Scale, WallMM: part.WallMM, Tier: it.Tier,
					Attempt: 1, State: studio.Waiting, Stages: h.StagesFor(m, part, it),
				}
				if err := d.AddPiece(&p); err != nil {
					return err
				}
				codes = append(codes, p.Code)
				added++
			}
		}
	}
	for _, p := range pieces {
		if p.Live() && !wanted[p.PartID] {
			if err := d.callOff(p, "its item was taken off the order"); err != nil {
				return err
			}
		}
	}
	if added == 0 {
		return nil
	}
	return d.Note("pieces made", About{Order: o.ID}, "%s for a plate", studio.Say(added, "piece")+map[bool]string{true: " waits", false: " wait"}[added == 1])
}

func pieceName(it studio.Item, part studio.Part) string {
	if len(it.Parts) < 2 {
		return it.Title
	}
	name := part.Name // a part named after its item need not say so twice
	if n := len(it.Title); len(name) > n && strings.EqualFold(name[:n], it.Title) {
		name = strings.TrimLeft(name[n:], " ,")
	}
	return it.Title + ", " + name
}

// fitPieces changes or calls off the pieces of a part and returns how many are
// missing.
func (d Change) fitPieces(h studio.Shop, pieces []studio.Piece, m studio.Model, part studio.Part, it studio.Item) (missing int, err error) {
	want := part.Copies * it.Copies
	rank := map[string]int{studio.PieceDone: 0, studio.AtBench: 1, studio.OnPlate: 2, studio.Waiting: 3}
	var own []studio.Piece
	for _, p := range pieces {
		switch {
		case p.PartID != part.ID:
		case p.Live():
			own = append(own, p)
		case p.State == studio.LeftOut || p.State == studio.Scrapped && !replaced(pieces, p.ID):
			want-- // settled with the client, or still to be settled: not made anew by itself
		}
	}
	slices.SortStableFunc(own, func(a, b studio.Piece) int { return rank[a.State] - rank[b.State] })
	kept := 0
	for _, p := range own {
		fits := p.SameSpec(part, it)
		switch {
		case kept >= want:
			err = d.callOff(p, "the order wants fewer")
		case !fits && p.State != studio.Waiting:
			err = d.callOff(p, "it was printed as it was ordered before")
		default:
			kept++
			if fits && p.Tier == it.Tier && p.Name == pieceName(it, part) {
				continue
			}
			err = d.refit(h, p, m, part, it)
		}
		if err != nil {
			return 0, err
		}
	}
	return max(0, want-kept), nil
}

func replaced(pieces []studio.Piece, id int64) bool {
	return slices.ContainsFunc(pieces, func(p studio.Piece) bool { return p.ReplacesID == id })
}

// refit plans a piece's strip anew for what is asked of it now.
func (d Change) refit(h studio.Shop, p studio.Piece, m studio.Model, part studio.Part, it studio.Item) error {
	p.Name, p.Process, p.MaterialID, p.Scale, p.WallMM, p.Tier = pieceName(it, part), part.Process, part.MaterialID, it.Scale, part.WallMM, it.Tier
	p.Stages = studio.Retier(p.Stages, h.StagesFor(m, part, it))
	if p.State == studio.PieceDone && p.Now() != nil {
		p.State = studio.AtBench
	}
	if err := d.SavePiece(p); err != nil {
		return err
	}
	if err := d.SaveStages(&p); err != nil {
		return err
	}
	return d.Note("piece changed", About{Order: p.OrderID, Piece: p.ID}, "%s: %s at %v", p.Code, route.TierName(p.Tier), p.Scale)
}

// AskAboutQuote is the client's question; it shows on Today.
func (a *App) AskAboutQuote(ctx context.Context, token, text string) error {
	s, err := a.ClientQuote(ctx, token)
	if err != nil {
		return err
	}
	if s.Ended != "" {
		return refuse("%s", s.Ended)
	}
	if len(s.Asked) >= 50 {
		return refuse("There are fifty questions on this quote already. Please write to the studio.")
	}
	return a.AddPoint(ctx, Actor{Name: s.Order.Client + " (client)"}, s.Order.Number, studio.Asked, text)
}

// SeeAnswer marks a client's answers as looked at.
func (a *App) SeeAnswer(ctx context.Context, hand Actor, number string) error {
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		return d.SeeAnswers(o.ID, d.Now)
	})
}

// RecordDeposit notes that money arrived.
func (a *App) RecordDeposit(ctx context.Context, hand Actor, number, amount string) error {
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if !studio.OneOf(o.State, studio.Accepted, studio.Delivered) {
			return refuse("Order %s is %s: no deposit is expected.", number, o.State)
		}
		s, err := d.Studio()
		if err != nil {
			return err
		}
		minor, err := studio.ParseMoney(amount, s.Currency)
		if err != nil || minor <= 0 {
			return refuse("Deposit: %q is not an amount.", amount)
		}
		p := studio.Payment{OrderID: o.ID, Kind: "deposit", AmountMinor: minor, Currency: s.Currency, At: d.Now}
		if err := d.AddPayment(&p); err != nil {
			return err
		}
		return d.Note("deposit arrived", About{Order: o.ID}, "%s", s.Money(minor))
	})
}

// KindSums returns an item's cost by kind, in the order of quote.Kinds.
func (p PricedItem) KindSums() (out []int64) {
	for _, k := range quote.Kinds() {
		out = append(out, p.Estimate.ByKind(k))
	}
	return out
}
