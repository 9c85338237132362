// Package orders is what a client asks for: the client, the order from enquiry on, its
// items and parts, reference pictures, and the points that are open or settled with the
// client. It knows what is to be made, and of no price.
package orders

import (
	"context"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/app/pictures"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where orders are.
type Room struct {
	change.Base
	models   *models.Room
	pictures *pictures.Room
	queue    *jobs.Queue
}

// New makes the room; files that arrive for an order become its items.
func New(base change.Base, models *models.Room, pictures *pictures.Room, queue *jobs.Queue) *Room {
	a := &Room{base, models, pictures, queue}
	models.Arrived = a.itemsOf
	return a
}

// Clients returns all clients.
func (a *Room) Clients(ctx context.Context) (list []studio.Client, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Clients()
		return err
	})
	return list, err
}

// Client returns a client and their orders.
func (a *Room) Client(ctx context.Context, id int64) (c studio.Client, orders []studio.Order, err error) {
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
func (a *Room) SaveClient(ctx context.Context, who change.Actor, c studio.Client) (studio.Client, error) {
	c.Name, c.Email = strings.TrimSpace(c.Name), strings.TrimSpace(c.Email)
	if c.Name == "" {
		return c, change.Refuse("A client needs a name.")
	}
	if c.Email != "" {
		if _, err := mail.ParseAddress(c.Email); err != nil {
			return c, change.Refuse("%q is not a mail address.", c.Email)
		}
	}
	err := a.Do(ctx, who, func(d change.Change) error {
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
			if err := d.Note("permission "+map[bool]string{true: "given", false: "taken back"}[may.now], change.About{}, "%s: %s", c.Name, may.text); err != nil {
				return err
			}
		}
		return d.Note(what, change.About{}, "%s", c.Name)
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
	Stale     string // alike: the day after which it is of no use
	Budget    string // an amount, or empty
	Note      string
	Weight    float64 // of its lateness; 0: as it is
	Sure      bool    // a strange date, or another client of a name that is known, is meant
}

func fillOrder(d change.Change, o *studio.Order, f OrderForm, s studio.Studio) error {
	if name := strings.TrimSpace(f.NewClient); name != "" {
		known, err := d.Clients()
		if err != nil {
			return err
		}
		if at := slices.IndexFunc(known, func(c studio.Client) bool { return studio.Folded(c.Name) == studio.Folded(name) }); at >= 0 && !f.Sure {
			return &studio.Confirm{Text: fmt.Sprintf("There is a client called %s already. Choose them from the list, unless this is somebody else.", studio.ClientLabel(known[at], known)), Yes: "Yes, somebody else"}
		}
		c := studio.Client{Name: name}
		if err := d.SaveClient(&c); err != nil {
			return err
		}
		if err := d.Note("client added", change.About{}, "%s", c.Name); err != nil {
			return err
		}
		f.ClientID = c.ID
	}
	if f.ClientID == 0 {
		return change.Refuse("Who asks? Choose a client, or write a new one’s name.")
	}
	if _, err := d.Client(f.ClientID); err != nil {
		return change.Refuse("That client is not in the book.")
	}
	o.ClientID, o.Title, o.Note, o.Use = f.ClientID, strings.TrimSpace(f.Title), strings.TrimSpace(f.Note), f.Use
	if o.Title == "" {
		return change.Refuse("What is it? An order needs a few words.")
	}
	if !studio.OneOf(o.Use, studio.Uses()...) {
		o.Use = "shelf"
	}
	wanted, err := endOf(f.Wanted, s)
	if err != nil {
		return err
	}
	stale, err := endOf(f.Stale, s)
	if err != nil {
		return err
	}
	by, err := o.WantedBy(d.Act(), wanted, f.Sure)
	if err != nil {
		return change.Refused(err)
	}
	if *o, err = by.StaleAfter(stale); err != nil {
		return change.Refused(err)
	}
	if f.Weight != 0 {
		if *o, err = o.Weighed(f.Weight); err != nil {
			return change.Refused(err)
		}
	}
	o.BudgetMinor, err = budgetOf(f.Budget, s)
	return err
}

// budgetOf is a budget as a form has it; 0 for none.
func budgetOf(amount string, s studio.Studio) (minor int64, err error) {
	if strings.TrimSpace(amount) == "" {
		return 0, nil
	}
	if minor, err = studio.ParseMoney(amount, s.Currency); err != nil || minor < 0 {
		return 0, change.RefuseField("budget", "Budget: %q is not an amount.", amount)
	}
	return minor, nil
}

// endOf is the end of a day as a form has it; zero for none.
func endOf(date string, s studio.Studio) (time.Time, error) {
	if date == "" {
		return time.Time{}, nil
	}
	day, err := time.ParseInLocation(time.DateOnly, date, s.Zone())
	if err != nil {
		return day, change.Refuse("%q is not a date.", date)
	}
	if err := studio.Believed(day); err != nil {
		return day, change.Refused(err)
	}
	y, m, d := day.Date()
	return studio.EndOfDay(y, m, d, s.Zone()), nil
}

// NewOrder takes an enquiry in.
func (a *Room) NewOrder(ctx context.Context, who change.Actor, f OrderForm) (o studio.Order, err error) {
	err = a.Do(ctx, who, func(d change.Change) error {
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		return newOrder(d, &o, f, h.Studio)
	})
	return o, err
}

func newOrder(d change.Change, o *studio.Order, f OrderForm, s studio.Studio) error {
	if err := fillOrder(d, o, f, s); err != nil {
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
	return d.Note("enquiry taken in", change.About{Order: o.ID}, "%s", o.Title)
}

// ChangeOrder changes what is said about an order.
func (a *Room) ChangeOrder(ctx context.Context, who change.Actor, number string, f OrderForm) error {
	return a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		if err := fillOrder(d, o, f, h.Studio); err != nil {
			return err
		}
		if err := d.SaveOrder(o); err != nil {
			return err
		}
		return d.Note("order changed", change.About{Order: o.ID}, "%s", o.Title)
	})
}

// OnOrder loads an order that may be changed and runs a change on it.
func (a *Room) OnOrder(ctx context.Context, who change.Actor, number string, f func(change.Change, *studio.Order) error) error {
	return a.Do(ctx, who, func(d change.Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if err := o.MayChange(); err != nil {
			return change.Refused(err)
		}
		return f(d, &o)
	})
}

// RepeatOrder makes a new enquiry of an old order: client, items, parts and
// settled colours come along; dates, prices and pieces do not.
func (a *Room) RepeatOrder(ctx context.Context, who change.Actor, number string) (o studio.Order, err error) {
	err = a.Do(ctx, who, func(d change.Change) error {
		old, err := d.Order(number)
		if err != nil {
			return err
		}
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		o.RepeatsID = old.ID
		if err := newOrder(d, &o, OrderForm{ClientID: old.ClientID, Title: old.Title, Use: old.Use, Note: old.Note}, h.Studio); err != nil {
			return err
		}
		items, err := d.Items(old.ID)
		if err != nil {
			return err
		}
		for _, it := range items {
			was, parts := it.ID, slices.Clone(it.Parts)
			it.ID, it.OrderID = 0, o.ID
			for k := range it.Parts {
				it.Parts[k].ID = 0
			}
			if err := save(d, &it); err != nil {
				return err
			}
			same := map[int64]int64{}
			for k, p := range parts {
				same[p.ID] = it.Parts[k].ID
			}
			if _, err := CopyPaint(d, was, it.ID, same); err != nil {
				return err
			}
		}
		points, err := d.Points(old.ID)
		if err != nil {
			return err
		}
		for _, p := range points {
			if !p.Open() && studio.OneOf(p.Kind, studio.Colour, studio.Reference, studio.Countable, studio.Deviation) {
				p.ID, p.OrderID = 0, o.ID
				if err := d.SavePoint(&p); err != nil {
					return err
				}
			}
		}
		return d.Note("order repeated", change.About{Order: o.ID}, "as order %s", old.Number)
	})
	return o, err
}

// CopyPaint copies the paint plan of an item behind that of another one, and says how many regions it has. What is marked on
// a part goes along where the same part is named; labels are those of the other item, and stay behind.
func CopyPaint(d change.Change, from, to int64, parts map[int64]int64) (n int, err error) {
	regions, err := d.Regions(from)
	if err != nil {
		return 0, err
	}
	there, err := d.Regions(to)
	if err != nil {
		return 0, err
	}
	fresh := map[int64]int64{}
	for k, r := range regions {
		was := r.ID
		r.ID, r.ItemID, r.PartID, r.Position, r.OverID, r.Only = 0, to, parts[r.PartID], len(there)+k, fresh[r.OverID], ""
		if r.PartID == 0 {
			r.AreaMM2, r.Marks, r.Mirror = 0, nil, ""
		}
		if err := d.SaveRegion(&r); err != nil {
			return k, err
		}
		fresh[was] = r.ID
	}
	return len(regions), nil
}

// AddPoint notes a colour decision or a question; a client's own question too.
func (a *Room) AddPoint(ctx context.Context, who change.Actor, number, kind, text string) error {
	text = strings.TrimSpace(text)
	if text == "" {
		return change.Refuse("Write a few words.")
	}
	if len(text) > 4000 {
		return change.Refuse("That is over 4,000 characters; nothing was saved. Shorten it, or send it as a picture.")
	}
	return a.Do(ctx, who, func(d change.Change) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if !studio.OneOf(kind, append(studio.OurPoints(), studio.Asked)...) {
			return change.Refuse("A point is a question, a colour, a reference, a count or a deviation.")
		}
		if kind == studio.Asked {
			points, err := d.Points(o.ID)
			if err != nil {
				return err
			}
			if asked := slices.DeleteFunc(points, func(p studio.Point) bool { return p.Kind != studio.Asked }); len(asked) >= studio.MaxAsked {
				return change.Refuse("There are %d questions on this quote already. Please write to the studio.", studio.MaxAsked)
			}
		}
		p := studio.Point{OrderID: o.ID, Kind: kind, Text: text, At: d.Now}
		if studio.OneOf(kind, studio.Reference, studio.Countable, studio.Deviation) { // nobody is asked
			p.Settled = d.Now
		}
		if err := d.SavePoint(&p); err != nil {
			return err
		}
		return d.Note(map[string]string{studio.Colour: "colour noted", studio.Question: "question noted", studio.Asked: "client asks", studio.Reference: "reference noted", studio.Countable: "count noted", studio.Deviation: "deviation agreed"}[kind],
			change.About{Order: o.ID}, "%s", text)
	})
}

// SettlePoint closes a point with its answer.
func (a *Room) SettlePoint(ctx context.Context, who change.Actor, number string, pointID int64, answer string) error {
	return a.Do(ctx, who, func(d change.Change) error {
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
				return d.Note("settled with the client", change.About{Order: o.ID}, "%s: %s", p.Text, p.Answer)
			}
		}
		return store.ErrNotFound
	})
}

// Orders returns the orders in the states named, all for none.
func (a *Room) Orders(ctx context.Context, states ...studio.OrderState) (list []studio.Order, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Orders(states...)
		return err
	})
	return list, err
}

// Progress says how far an order in work is, e.g. "18 of 24 done".
func (a *Room) Progress(ctx context.Context) (text map[int64]string, err error) {
	text = map[int64]string{}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		counts, err := tx.CountPieces(studio.StaysHere()...)
		done, all := map[int64]int{}, map[int64]int{}
		for _, c := range counts {
			if studio.OneOf(c.State, studio.LivePieces()...) {
				all[c.OrderID] += c.Pieces
			}
			if c.State == studio.PieceDone {
				done[c.OrderID] += c.Pieces
			}
		}
		for id, n := range all {
			text[id] = fmt.Sprintf("%d of %s done", done[id], studio.Say(n, "piece"))
		}
		return err
	})
	return text, err
}
