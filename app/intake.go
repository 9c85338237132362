package app

import (
	"context"
	"net/mail"
	"strings"
	"time"

	"sakuji/store"
	"sakuji/studio"
)

// Clients returns all clients.
func (a *App) Clients(ctx context.Context) (list []studio.Client, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Clients()
		return err
	})
	return list, err
}

// Client returns a client and their orders.
func (a *App) Client(ctx context.Context, id int64) (c studio.Client, orders []studio.Order, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if c, err = tx.Client(id); err != nil {
			return err
		}
		orders, err = tx.OrdersOf(id)
		return err
	})
	return c, orders, err
}

// SaveClient adds a client (id 0) or changes one.
func (a *App) SaveClient(ctx context.Context, hand Actor, c studio.Client) (studio.Client, error) {
	c.Name, c.Email = strings.TrimSpace(c.Name), strings.TrimSpace(c.Email)
	if c.Name == "" {
		return c, refuse("A client needs a name.")
	}
	if c.Email != "" {
		if _, err := mail.ParseAddress(c.Email); err != nil {
			return c, refuse("%q is not a mail address.", c.Email)
		}
	}
	err := a.do(ctx, hand, func(d Change) error {
		what, was := "client added", studio.Client{}
		if c.ID != 0 {
			what = "client changed"
			old, err := d.Tx.Client(c.ID)
			if err != nil {
				return err
			}
			was = old
		}
		if err := d.Tx.SaveClient(&c); err != nil {
			return err
		}
		for _, may := range []struct {
			now, before bool
			text        string
		}{{c.MayShow, was.MayShow, "pictures shown in public"}, {c.MayShare, was.MayShare, "the model file shared or sold on"}} {
			if may.now == may.before {
				continue
			}
			if err := d.Note("permission "+map[bool]string{true: "given", false: "taken back"}[may.now], About{}, "%s: %s", c.Name, may.text); err != nil {
				return err
			}
		}
		return d.Note(what, About{}, "%s", c.Name)
	})
	return c, err
}

// OrderForm is what can be said about an order.
type OrderForm struct {
	ClientID  int64
	NewClient string // a client not known yet, by name
	Title     string
	Use       string
	Wanted    string // YYYY-MM-DD, or empty
	Budget    string // an amount, or empty
	Note      string
}

func (d Change) fillOrder(o *studio.Order, f OrderForm, s studio.Studio) error {
	if name := strings.TrimSpace(f.NewClient); name != "" {
		c := studio.Client{Name: name}
		if err := d.SaveClient(&c); err != nil {
			return err
		}
		if err := d.Note("client added", About{}, "%s", c.Name); err != nil {
			return err
		}
		f.ClientID = c.ID
	}
	if f.ClientID == 0 {
		return refuse("Who asks? Choose a client, or write a new one’s name.")
	}
	if _, err := d.Client(f.ClientID); err != nil {
		return refuse("That client is not in the book.")
	}
	o.ClientID, o.Title, o.Note, o.Use = f.ClientID, strings.TrimSpace(f.Title), strings.TrimSpace(f.Note), f.Use
	if o.Title == "" {
		return refuse("What is it? An order needs a few words.")
	}
	if !studio.OneOf(o.Use, studio.Uses()...) {
		o.Use = "shelf"
	}
	o.Wanted = time.Time{}
	if f.Wanted != "" {
		day, err := time.ParseInLocation(time.DateOnly, f.Wanted, s.Zone())
		if err != nil {
			return refuse("%q is not a date.", f.Wanted)
		}
		o.Wanted = day.AddDate(0, 0, 1).Add(-time.Minute)
	}
	o.BudgetMinor = 0
	if strings.TrimSpace(f.Budget) != "" {
		minor, err := studio.ParseMoney(f.Budget, s.Currency)
		if err != nil || minor < 0 {
			return refuse("Budget: %q is not an amount.", f.Budget)
		}
		o.BudgetMinor = minor
	}
	return nil
}

// NewOrder takes an enquiry in.
func (a *App) NewOrder(ctx context.Context, hand Actor, f OrderForm) (o studio.Order, err error) {
	err = a.do(ctx, hand, func(d Change) error {
		h, err := shop(d.Tx)
		if err != nil {
			return err
		}
		return d.newOrder(&o, f, h.Studio)
	})
	return o, err
}

func (d Change) newOrder(o *studio.Order, f OrderForm, s studio.Studio) error {
	if err := d.fillOrder(o, f, s); err != nil {
		return err
	}
	highest, err := d.HighestNumber()
	if err != nil {
		return err
	}
	o.Number, o.State, o.Created = studio.NextNumber(highest, s.FirstOrder), studio.Enquiry, d.Now
	if err := d.SaveOrder(o); err != nil {
		return err
	}
	return d.Note("enquiry taken in", About{Order: o.ID}, "%s", o.Title)
}

// ChangeOrder changes what is said about an order.
func (a *App) ChangeOrder(ctx context.Context, hand Actor, number string, f OrderForm) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		h, err := shop(d.Tx)
		if err != nil {
			return err
		}
		if err := d.fillOrder(o, f, h.Studio); err != nil {
			return err
		}
		if err := d.SaveOrder(o); err != nil {
			return err
		}
		return d.Note("order changed", About{Order: o.ID}, "%s", o.Title)
	})
}

// onOrder loads an order that may be changed and runs a change on it.
func (a *App) onOrder(ctx context.Context, hand Actor, number string, f func(Change, *studio.Order) error) error {
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if err := o.MayChange(); err != nil {
			return refused(err)
		}
		return f(d, &o)
	})
}

// RepeatOrder makes a new enquiry of an old order: client, items, parts and
// settled colours come along; dates, prices and pieces do not.
func (a *App) RepeatOrder(ctx context.Context, hand Actor, number string) (o studio.Order, err error) {
	err = a.do(ctx, hand, func(d Change) error {
		old, err := d.Order(number)
		if err != nil {
			return err
		}
		h, err := shop(d.Tx)
		if err != nil {
			return err
		}
		o.RepeatsID = old.ID
		if err := d.newOrder(&o, OrderForm{ClientID: old.ClientID, Title: old.Title, Use: old.Use, Note: old.Note}, h.Studio); err != nil {
			return err
		}
		items, err := d.Items(old.ID)
		if err != nil {
			return err
		}
		for _, it := range items {
			it.ID, it.OrderID = 0, o.ID
			for k := range it.Parts {
				it.Parts[k].ID = 0
			}
			if err := d.SaveItem(&it); err != nil {
				return err
			}
		}
		points, err := d.Points(old.ID)
		if err != nil {
			return err
		}
		for _, p := range points {
			if p.Kind == studio.Colour && !p.Open() {
				p.ID, p.OrderID = 0, o.ID
				if err := d.SavePoint(&p); err != nil {
					return err
				}
			}
		}
		return d.Note("order repeated", About{Order: o.ID}, "as order %s", old.Number)
	})
	return o, err
}

// CancelOrder ends an order; its pieces and its logbook stay.
func (a *App) CancelOrder(ctx context.Context, hand Actor, number, why string) error {
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if err := o.MayCancel(); err != nil {
			return refused(err)
		}
		if err := d.withdraw(o.ID, studio.QuoteWithdrawn); err != nil {
			return err
		}
		pieces, err := d.PiecesOf(o.ID)
		if err != nil {
			return err
		}
		for _, p := range pieces {
			if p.Live() && p.State != studio.PieceDone {
				if err := d.callOff(p, "its order is cancelled"); err != nil {
					return err
				}
			}
		}
		o.State = studio.Cancelled
		if err := d.SaveOrder(&o); err != nil {
			return err
		}
		return d.Note("order cancelled", About{Order: o.ID}, "%s", why)
	})
}

// withdraw ends the quotes of an order that are still open.
func (d Change) withdraw(orderID int64, state string) error {
	quotes, err := d.Quotes(orderID)
	if err != nil {
		return err
	}
	for _, q := range quotes {
		if q.State == studio.QuoteSent {
			q.State = state
			if err := d.SaveQuote(&q); err != nil {
				return err
			}
		}
	}
	return nil
}

// callOff cancels a piece; laid on a plate that has not started, it is lifted off.
func (d Change) callOff(p studio.Piece, why string) error {
	if p.State == studio.OnPlate {
		plate, err := d.PlateOfPiece(p.ID)
		if err != nil {
			return err
		}
		if plate.State == studio.PlateLaid {
			plate.Pieces = without(plate.Pieces, p.ID)
			if err := d.SavePlate(plate); err != nil {
				return err
			}
		}
	}
	p.State = studio.PieceOff
	if err := d.SavePiece(p); err != nil {
		return err
	}
	return d.Note("piece called off", About{Order: p.OrderID, Piece: p.ID}, "%s: %s", p.Code, why)
}

func without(list []studio.OnPlatePiece, pieceID int64) (out []studio.OnPlatePiece) {
	for _, o := range list {
		if o.PieceID != pieceID {
			out = append(out, o)
		}
	}
	return out
}

// AddPoint notes a colour decision or a question; a client's own question too.
func (a *App) AddPoint(ctx context.Context, hand Actor, number, kind, text string) error {
	text = strings.TrimSpace(text)
	if text == "" {
		return refuse("Write a few words.")
	}
	if len(text) > 4000 {
		return refuse("That is over 4,000 characters; nothing was saved. Shorten it, or send it as a picture.")
	}
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if !studio.OneOf(kind, studio.Colour, studio.Question, studio.Asked) {
			return refuse("A point is a colour or a question.")
		}
		p := studio.Point{OrderID: o.ID, Kind: kind, Text: text, At: d.Now}
		if err := d.SavePoint(&p); err != nil {
			return err
		}
		return d.Note(map[string]string{studio.Colour: "colour noted", studio.Question: "question noted", studio.Asked: "client asks"}[kind],
			About{Order: o.ID}, "%s", text)
	})
}

// SettlePoint closes a point with its answer.
func (a *App) SettlePoint(ctx context.Context, hand Actor, number string, pointID int64, answer string) error {
	return a.do(ctx, hand, func(d Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		points, err := d.Points(o.ID)
		if err != nil {
			return err
		}
		for _, p := range points {
			if p.ID == pointID {
				p.Answer, p.Settled = strings.TrimSpace(answer), d.Now
				if err := d.SavePoint(&p); err != nil {
					return err
				}
				return d.Note("settled with the client", About{Order: o.ID}, "%s: %s", p.Text, p.Answer)
			}
		}
		return store.ErrNotFound
	})
}
