package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/mail"
	"path"
	"strings"
	"time"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// MaxUploadBytes bounds one uploaded file.
const MaxUploadBytes = 256 << 20

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
func (a *App) SaveClient(ctx context.Context, hand Hand, c studio.Client) (studio.Client, error) {
	c.Name, c.Email = strings.TrimSpace(c.Name), strings.TrimSpace(c.Email)
	if c.Name == "" {
		return c, refuse("A client needs a name.")
	}
	if c.Email != "" {
		if _, err := mail.ParseAddress(c.Email); err != nil {
			return c, refuse("%q is not a mail address.", c.Email)
		}
	}
	err := a.do(ctx, hand, func(d deed) error {
		what := "client changed"
		if c.ID == 0 {
			what = "client added"
		}
		if err := d.Tx.SaveClient(&c); err != nil {
			return err
		}
		return d.log(what, about{}, "%s", c.Name)
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

func (d deed) fillOrder(o *studio.Order, f OrderForm, s studio.Studio) error {
	if name := strings.TrimSpace(f.NewClient); name != "" {
		c := studio.Client{Name: name}
		if err := d.SaveClient(&c); err != nil {
			return err
		}
		if err := d.log("client added", about{}, "%s", c.Name); err != nil {
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
func (a *App) NewOrder(ctx context.Context, hand Hand, f OrderForm) (o studio.Order, err error) {
	err = a.do(ctx, hand, func(d deed) error {
		h, err := house(d.Tx)
		if err != nil {
			return err
		}
		return d.newOrder(&o, f, h.Studio)
	})
	return o, err
}

func (d deed) newOrder(o *studio.Order, f OrderForm, s studio.Studio) error {
	if err := d.fillOrder(o, f, s); err != nil {
		return err
	}
	highest, err := d.HighestNumber()
	if err != nil {
		return err
	}
	o.Number, o.State, o.Created = studio.NextNumber(highest), studio.Enquiry, d.now
	if err := d.SaveOrder(o); err != nil {
		return err
	}
	return d.log("enquiry taken in", about{order: o.ID}, "%s", o.Title)
}

// ChangeOrder changes what is said about an order.
func (a *App) ChangeOrder(ctx context.Context, hand Hand, number string, f OrderForm) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		h, err := house(d.Tx)
		if err != nil {
			return err
		}
		if err := d.fillOrder(o, f, h.Studio); err != nil {
			return err
		}
		if err := d.SaveOrder(o); err != nil {
			return err
		}
		return d.log("order changed", about{order: o.ID}, "%s", o.Title)
	})
}

// onOrder loads an order that may be changed and runs a change on it.
func (a *App) onOrder(ctx context.Context, hand Hand, number string, f func(deed, *studio.Order) error) error {
	return a.do(ctx, hand, func(d deed) error {
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
func (a *App) RepeatOrder(ctx context.Context, hand Hand, number string) (o studio.Order, err error) {
	err = a.do(ctx, hand, func(d deed) error {
		old, err := d.Order(number)
		if err != nil {
			return err
		}
		h, err := house(d.Tx)
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
		return d.log("order repeated", about{order: o.ID}, "as order %s", old.Number)
	})
	return o, err
}

// CancelOrder ends an order; its pieces and its logbook stay.
func (a *App) CancelOrder(ctx context.Context, hand Hand, number, why string) error {
	return a.do(ctx, hand, func(d deed) error {
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
		return d.log("order cancelled", about{order: o.ID}, "%s", why)
	})
}

// withdraw ends the quotes of an order that are still open.
func (d deed) withdraw(orderID int64, state string) error {
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
func (d deed) callOff(p studio.Piece, why string) error {
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
	return d.log("piece called off", about{order: p.OrderID, piece: p.ID}, "%s: %s", p.Code, why)
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
func (a *App) AddPoint(ctx context.Context, hand Hand, number, kind, text string) error {
	text = strings.TrimSpace(text)
	if text == "" {
		return refuse("Write a few words.")
	}
	if len(text) > 4000 {
		return refuse("That is over 4,000 characters; nothing was saved. Shorten it, or send it as a picture.")
	}
	return a.do(ctx, hand, func(d deed) error {
		o, err := d.Order(number)
		if err != nil {
			return err
		}
		if !studio.OneOf(kind, studio.Colour, studio.Question, studio.Asked) {
			return refuse("A point is a colour or a question.")
		}
		p := studio.Point{OrderID: o.ID, Kind: kind, Text: text, At: d.now}
		if err := d.SavePoint(&p); err != nil {
			return err
		}
		return d.log(map[string]string{studio.Colour: "colour noted", studio.Question: "question noted", studio.Asked: "client asks"}[kind],
			about{order: o.ID}, "%s", text)
	})
}

// SettlePoint closes a point with its answer.
func (a *App) SettlePoint(ctx context.Context, hand Hand, number string, pointID int64, answer string) error {
	return a.do(ctx, hand, func(d deed) error {
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
				p.Answer, p.Settled = strings.TrimSpace(answer), d.now
				if err := d.SavePoint(&p); err != nil {
					return err
				}
				return d.log("settled with the client", about{order: o.ID}, "%s: %s", p.Text, p.Answer)
			}
		}
		return store.ErrNotFound
	})
}

// Upload is a file on its way in.
type Upload struct {
	Name string
	Open func() (io.ReadCloser, error)
}

// AddPictures adds reference pictures. Only what a browser shows as a picture is
// taken.
func (a *App) AddPictures(ctx context.Context, hand Hand, number string, uploads []Upload) error {
	for _, u := range uploads {
		sha, n, kind, err := a.keepPicture(u)
		if err != nil {
			return err
		}
		err = a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
			if err := d.AddFile(sha, n, d.now); err != nil {
				return err
			}
			if err := d.AddPicture(&studio.Picture{OrderID: o.ID, SHA: sha, Name: fileName(u.Name), Type: kind}); err != nil {
				return err
			}
			return d.log("reference picture", about{order: o.ID}, "%s", fileName(u.Name))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (a *App) keepPicture(u Upload) (sha string, n int64, kind string, err error) {
	r, err := u.Open()
	if err != nil {
		return "", 0, "", err
	}
	defer r.Close()
	head := make([]byte, 512)
	k, _ := io.ReadFull(r, head)
	kind = http.DetectContentType(head[:k])
	if !studio.OneOf(kind, "image/png", "image/jpeg", "image/gif", "image/webp") {
		return "", 0, "", refuse("%s is not a picture (PNG, JPEG, GIF or WebP); it was not kept.", fileName(u.Name))
	}
	sha, n, err = a.Store.Keep(io.MultiReader(strings.NewReader(string(head[:k])), r), 32<<20)
	if errors.Is(err, store.ErrTooLarge) {
		err = refuse("%s: %s. It was not kept.", fileName(u.Name), err)
	}
	return sha, n, kind, err
}

// fileName is the last part of a client's file name, printable and not too long.
func fileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return -1
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 120 {
		name = string(r[len(r)-120:])
	}
	return name
}

// AddItem reads model files and makes one item of them, a part for each file, or
// an item for each file. A file that cannot be read is told by name and is not
// kept; the others are.
func (a *App) AddItem(ctx context.Context, hand Hand, number string, uploads []Upload, eachItsOwn bool) (added []studio.Item, problems []string, err error) {
	var models []studio.Model
	for _, u := range uploads {
		m, err := a.readModel(ctx, u)
		var r *Refusal
		switch {
		case errors.As(err, &r):
			problems = append(problems, r.Text)
		case err != nil:
			return nil, problems, err
		default:
			models = append(models, m)
		}
	}
	if len(models) == 0 {
		return nil, problems, nil
	}
	groups := [][]studio.Model{models}
	if eachItsOwn {
		groups = nil
		for _, m := range models {
			groups = append(groups, []studio.Model{m})
		}
	}
	err = a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		h, err := house(d.Tx)
		if err != nil {
			return err
		}
		for _, g := range groups {
			it, err := d.newItem(h, *o, g)
			if err != nil {
				return err
			}
			added = append(added, it)
		}
		return nil
	})
	return added, problems, err
}

func (d deed) newItem(h studio.House, o studio.Order, models []studio.Model) (it studio.Item, err error) {
	items, err := d.Items(o.ID)
	if err != nil {
		return it, err
	}
	it = studio.Item{OrderID: o.ID, Position: len(items), Title: title(models[0].Name), Tier: route.Painted, Copies: 1, Scale: 1}
	if len(models) > 1 {
		it.Title = o.Title
	}
	for _, m := range models {
		p := studio.Part{ModelID: m.ID, Name: title(m.Name), Copies: 1, Process: process.Resin, Model: m}
		if _, why, ok := h.MachineFor(m, 1, process.Resin); !ok || why != "" {
			if _, why, ok := h.MachineFor(m, 1, process.Filament); ok && why == "" {
				p.Process = process.Filament
			}
		}
		if p.Process == process.Resin && thick(m) {
			p.WallMM = 2
		}
		if mat, ok := h.Material(0, p.Process); ok {
			p.MaterialID = mat.ID
		}
		it.Parts = append(it.Parts, p)
	}
	if err := d.SaveItem(&it); err != nil {
		return it, err
	}
	return it, d.log("item added", about{order: o.ID}, "%s, from %d file(s)", it.Title, len(models))
}

// thick reports whether resin would be hollowed: thicker than about 15–20 mm in
// the middle of every direction. Source: common practice.
func thick(m studio.Model) bool {
	d := m.Measures
	return min(d.SizeMM[0], d.SizeMM[1], d.SizeMM[2]) > 18 && d.AreaMM2 > 0 && 3*d.VolumeMM3/d.AreaMM2 > 6 && d.Cavities == 0
}

// title makes a name of a file's.
func title(file string) string {
	name := strings.TrimSuffix(file, path.Ext(file))
	return upper(strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(name)))
}

// readModel keeps a model file and measures it. A file already known is not
// measured again.
func (a *App) readModel(ctx context.Context, u Upload) (m studio.Model, err error) {
	name := fileName(u.Name)
	r, err := u.Open()
	if err != nil {
		return m, err
	}
	defer r.Close()
	sha, n, err := a.Store.Keep(r, MaxUploadBytes)
	if errors.Is(err, store.ErrTooLarge) {
		return m, refuse("%s: %s. Nothing of it was kept.", name, err)
	}
	if err != nil {
		return m, err
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		m, err = tx.ModelBySHA(sha)
		return err
	})
	if err == nil || !NotFound(err) {
		return m, err
	}
	f, err := a.Store.File(sha)
	if err != nil {
		return m, err
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return m, err
	}
	soup, err := mesh.ReadSTL(data, mesh.Limits{})
	if err != nil {
		if err := a.Store.Forget(ctx, sha); err != nil {
			return m, err
		}
		return m, refuse("%s could not be read as STL: %s. It was not kept.", name, err)
	}
	m = studio.Model{SHA: sha, Name: name}
	m.Measures, m.Shape = studio.MeasureModel(soup)
	err = a.Store.Write(ctx, func(tx *store.Tx) error {
		m.At = a.Clock.Now()
		if err := tx.AddFile(sha, n, m.At); err != nil {
			return err
		}
		if known, err := tx.ModelBySHA(sha); err == nil {
			m = known // somebody sent the same file at the same time
			return nil
		}
		return tx.AddModel(&m)
	})
	return m, err
}

// ItemForm is what can be chosen of an item.
type ItemForm struct {
	Title  string
	Tier   string
	Copies int
	Scale  float64
	Parts  map[int64]PartForm
}

// PartForm is what can be chosen of a part.
type PartForm struct {
	Process    string
	MaterialID int64
	WallMM     float64
	Copies     int
}

// ChangeItem changes an item and its parts.
func (a *App) ChangeItem(ctx context.Context, hand Hand, number string, itemID int64, f ItemForm) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		h, err := house(d.Tx)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID != itemID {
				continue
			}
			it.Title, it.Tier, it.Copies, it.Scale = strings.TrimSpace(f.Title), f.Tier, f.Copies, f.Scale
			if route.TierName(it.Tier) == "" {
				return refuse("Choose how far it is finished.")
			}
			for k := range it.Parts {
				p := &it.Parts[k]
				pf, ok := f.Parts[p.ID]
				if !ok {
					continue
				}
				if !studio.OneOf(pf.Process, process.Resin, process.Filament) {
					return refuse("A part is printed in resin or in filament.")
				}
				p.Process, p.WallMM, p.Copies = pf.Process, pf.WallMM, pf.Copies
				if p.Process == process.Filament {
					p.WallMM = 0
				}
				mat, _ := h.Material(pf.MaterialID, p.Process)
				p.MaterialID = mat.ID
			}
			if err := it.Check(); err != nil {
				return refused(err)
			}
			total := it.Pieces()
			for _, other := range items {
				if other.ID != it.ID {
					total += other.Pieces()
				}
			}
			if total > studio.MaxAllParts {
				return refuse("That comes to %d pieces; an order holds %d at most.", total, studio.MaxAllParts)
			}
			if err := d.SaveItem(&it); err != nil {
				return err
			}
			return d.log("item changed", about{order: o.ID}, "%s: %d × %s at %v", it.Title, it.Copies, route.TierName(it.Tier), it.Scale)
		}
		return store.ErrNotFound
	})
}

// RemoveItem takes an item off an order. Its pieces, if there are any, are called
// off when the client accepts the next quote.
func (a *App) RemoveItem(ctx context.Context, hand Hand, number string, itemID int64) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID == itemID {
				if err := d.Tx.RemoveItem(itemID); err != nil {
					return err
				}
				return d.log("item removed", about{order: o.ID}, "%s", it.Title)
			}
		}
		return store.ErrNotFound
	})
}

// PricedItem is an item with its estimate.
type PricedItem struct {
	studio.Item
	Estimate studio.Estimated
	Detail   string
	NetMinor int64 // its share of the net price
}

// OrderSheet is all that stands on an order's sheet.
type OrderSheet struct {
	House    studio.House
	Order    studio.Order
	Client   studio.Client
	Clients  []studio.Client
	Items    []PricedItem
	Price    quote.Price
	Points   []studio.Point
	Pictures []studio.Picture
	Quotes   []studio.Quote
	Payments []studio.Payment
	Pieces   []studio.Piece
	Log      []studio.Entry
	Now      time.Time
}

// Money writes an amount in the studio's currency.
func (s OrderSheet) Money(minor int64) studio.Money { return s.House.Studio.Money(minor) }

// Newest returns the newest quote, nil when none was sent.
func (s OrderSheet) Newest() *studio.Quote {
	if len(s.Quotes) == 0 {
		return nil
	}
	return &s.Quotes[0]
}

// AcceptedQuote returns the quote that holds, nil when none was accepted.
func (s OrderSheet) AcceptedQuote() *studio.Quote {
	for i := range s.Quotes {
		if s.Quotes[i].State == studio.QuoteAccepted {
			return &s.Quotes[i]
		}
	}
	return nil
}

// Changed reports whether the items differ from the newest quote, by price or kind.
func (s OrderSheet) Changed() bool {
	q := s.Newest()
	if q == nil || !studio.OneOf(q.State, studio.QuoteSent, studio.QuoteAccepted) {
		return true
	}
	if len(q.Document.Items) != len(s.Items) {
		return true
	}
	for i, it := range s.Items {
		if spec(it.Item) != spec(q.Document.Items[i].Spec) {
			return true
		}
	}
	return false
}

func spec(it studio.Item) string {
	s := fmt.Sprintf("%d %q %s %d %v", it.ID, it.Title, it.Tier, it.Copies, it.Scale)
	for _, p := range it.Parts {
		s += fmt.Sprintf(" | %d %d %s %d %v", p.ModelID, p.Copies, p.Process, p.MaterialID, p.WallMM)
	}
	return s
}

// DepositPaid is what has arrived.
func (s OrderSheet) DepositPaid() (minor int64) {
	for _, p := range s.Payments {
		minor += p.AmountMinor
	}
	return minor
}

// Troubles lists what keeps the order from being quoted.
func (s OrderSheet) Troubles() (out []string) {
	if len(s.Items) == 0 {
		out = append(out, "Add an item: drop its model files.")
	}
	for _, it := range s.Items {
		for _, t := range it.Estimate.Troubles {
			out = append(out, it.Title+", "+t)
		}
	}
	return out
}

// OrderSheet returns an order's sheet, priced.
func (a *App) OrderSheet(ctx context.Context, number string) (s OrderSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.orderSheet(tx, number)
		return err
	})
	return s, err
}

func (a *App) orderSheet(tx *store.Tx, number string) (s OrderSheet, err error) {
	s.Now = a.Clock.Now()
	if s.Order, err = tx.Order(number); err != nil {
		return s, err
	}
	if s.House, err = house(tx); err != nil {
		return s, err
	}
	if s.Client, err = tx.Client(s.Order.ClientID); err != nil {
		return s, err
	}
	if s.Clients, err = tx.Clients(); err != nil {
		return s, err
	}
	items, err := tx.Items(s.Order.ID)
	if err != nil {
		return s, err
	}
	if s.Items, s.Price, err = price(s.House, items); err != nil {
		return s, err
	}
	if s.Points, err = tx.Points(s.Order.ID); err != nil {
		return s, err
	}
	if s.Pictures, err = tx.Pictures(s.Order.ID); err != nil {
		return s, err
	}
	if s.Quotes, err = tx.Quotes(s.Order.ID); err != nil {
		return s, err
	}
	if s.Payments, err = tx.Payments(s.Order.ID); err != nil {
		return s, err
	}
	if s.Pieces, err = tx.PiecesOf(s.Order.ID); err != nil {
		return s, err
	}
	s.Log, err = tx.LogOfOrder(s.Order.ID, 40)
	return s, err
}

// price estimates items and asks a price for them together.
func price(h studio.House, items []studio.Item) (out []PricedItem, p quote.Price, err error) {
	var costs []quote.Item
	for _, it := range items {
		e := h.Estimate(it)
		out = append(out, PricedItem{Item: it, Estimate: e, Detail: h.Detail(it)})
		costs = append(costs, e.Item)
	}
	p, err = quote.Ask(costs, terms(h), studio.Digits(h.Studio.Currency))
	for i := range out {
		if err == nil {
			out[i].NetMinor = p.Shares[i]
		}
	}
	return out, p, err
}

func terms(h studio.House) quote.Terms {
	return quote.Terms{MarginPercent: h.Book.V("margin"), TaxPercent: h.Studio.TaxPercent, DepositPercent: h.Book.V("deposit")}
}

// Orders returns the orders in the states named, all for none.
func (a *App) Orders(ctx context.Context, states ...string) (list []studio.Order, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err = tx.Orders(states...)
		return err
	})
	return list, err
}
