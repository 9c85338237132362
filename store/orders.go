package store

import (
	"database/sql/driver"
	"strings"

	"sakuji/studio"

	"modernc.org/sqlite"
)

const orderColumns = `o.id, o.number, o.client_id, c.name, o.title, o.use, o.wanted_ms, coalesce(o.budget_minor, 0), o.note, o.state,
	o.created_ms, o.accepted_ms, o.delivered_ms, o.closed_ms, o.repeats_id, o.terms`

const orderFrom = ` FROM orders o JOIN clients c ON c.id = o.client_id `

func scanOrder(scan func(...any) error, o *studio.Order) error {
	return scan(&o.ID, &o.Number, &o.ClientID, &o.Client, &o.Title, &o.Use, at(&o.Wanted), &o.BudgetMinor, &o.Note, &o.State,
		at(&o.Created), at(&o.Accepted), at(&o.Delivered), at(&o.Closed), id(&o.RepeatsID), packed{&o.Terms})
}

// Orders returns orders in the states named, all of them for none; those wanted
// soonest first, those without a date last.
func (t *Tx) Orders(states ...studio.OrderState) ([]studio.Order, error) {
	where, args := "", []any{}
	if len(states) > 0 {
		where = `WHERE o.state IN (?` + strings.Repeat(", ?", len(states)-1) + `)`
		for _, s := range states {
			args = append(args, s)
		}
	}
	return rows(t, scanOrder, `SELECT `+orderColumns+orderFrom+where+` ORDER BY o.wanted_ms IS NULL, o.wanted_ms, o.number`, args...)
}

// OrdersOf returns a client's orders, newest first.
func (t *Tx) OrdersOf(clientID int64) ([]studio.Order, error) {
	return rows(t, scanOrder, `SELECT `+orderColumns+orderFrom+`WHERE o.client_id = ? ORDER BY o.id DESC`, clientID)
}

// Order returns one by number.
func (t *Tx) Order(number string) (studio.Order, error) {
	return one(t, scanOrder, `SELECT `+orderColumns+orderFrom+`WHERE o.number = ?`, number)
}

// OrderByID returns one by id.
func (t *Tx) OrderByID(id int64) (studio.Order, error) {
	return one(t, scanOrder, `SELECT `+orderColumns+orderFrom+`WHERE o.id = ?`, id)
}

// HighestNumber is the highest order number given out.
func (t *Tx) HighestNumber() (int, error) {
	return one(t, func(scan func(...any) error, n *int) error { return scan(n) },
		`SELECT coalesce(max(CAST(number AS INTEGER)), 0) FROM orders`)
}

// SaveOrder adds an order without an id, or changes one.
func (t *Tx) SaveOrder(o *studio.Order) (err error) {
	budget := id(&o.BudgetMinor)
	if o.ID == 0 {
		o.ID, err = t.insert(`INSERT INTO orders (number, client_id, title, use, wanted_ms, budget_minor, note, state, created_ms,
			accepted_ms, delivered_ms, closed_ms, repeats_id, terms) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			o.Number, o.ClientID, o.Title, o.Use, at(&o.Wanted), budget, o.Note, o.State, at(&o.Created),
			at(&o.Accepted), at(&o.Delivered), at(&o.Closed), id(&o.RepeatsID), packed{o.Terms})
		return err
	}
	return t.exec(`UPDATE orders SET client_id = ?, title = ?, use = ?, wanted_ms = ?, budget_minor = ?, note = ?, state = ?,
		accepted_ms = ?, delivered_ms = ?, closed_ms = ?, terms = ? WHERE id = ?`,
		o.ClientID, o.Title, o.Use, at(&o.Wanted), budget, o.Note, o.State, at(&o.Accepted), at(&o.Delivered), at(&o.Closed), packed{o.Terms}, o.ID)
}

func scanPoint(scan func(...any) error, p *studio.Point) error {
	return scan(&p.ID, &p.OrderID, &p.Kind, &p.Text, &p.Answer, at(&p.At), at(&p.Settled))
}

const pointColumns = `SELECT id, order_id, kind, text, answer, at_ms, settled_ms FROM points `

// Points returns what is settled or open with the client of an order.
func (t *Tx) Points(orderID int64) ([]studio.Point, error) {
	return rows(t, scanPoint, pointColumns+`WHERE order_id = ? ORDER BY id`, orderID)
}

// OpenAsked returns clients' questions nobody has answered.
func (t *Tx) OpenAsked() ([]studio.Point, error) {
	return rows(t, scanPoint, pointColumns+`WHERE kind = ? AND settled_ms IS NULL ORDER BY id`, studio.Asked)
}

// SavePoint adds a point without an id, or changes one.
func (t *Tx) SavePoint(p *studio.Point) (err error) {
	if p.ID == 0 {
		p.ID, err = t.insert(`INSERT INTO points (order_id, kind, text, answer, at_ms, settled_ms) VALUES (?, ?, ?, ?, ?, ?)`,
			p.OrderID, p.Kind, p.Text, p.Answer, at(&p.At), at(&p.Settled))
		return err
	}
	return t.exec(`UPDATE points SET text = ?, answer = ?, settled_ms = ? WHERE id = ?`, p.Text, p.Answer, at(&p.Settled), p.ID)
}

// Pictures returns an order's reference pictures.
func (t *Tx) Pictures(orderID int64) ([]studio.Picture, error) {
	return rows(t, func(scan func(...any) error, p *studio.Picture) error {
		return scan(&p.ID, &p.OrderID, &p.SHA, &p.Name, &p.Type)
	}, `SELECT id, order_id, sha, name, type FROM pictures WHERE order_id = ? ORDER BY id`, orderID)
}

// AddPicture adds a reference picture.
func (t *Tx) AddPicture(p *studio.Picture) (err error) {
	p.ID, err = t.insert(`INSERT INTO pictures (order_id, sha, name, type) VALUES (?, ?, ?, ?)`, p.OrderID, p.SHA, p.Name, p.Type)
	return err
}

// PictureType returns the media type of a picture's file; ErrNotFound when no
// order has it.
func (t *Tx) PictureType(sha string) (string, error) {
	return one(t, func(scan func(...any) error, s *string) error { return scan(s) },
		`SELECT type FROM pictures WHERE sha = ? LIMIT 1`, sha)
}

// AddPayment notes money that arrived or went back.
func (t *Tx) AddPayment(p *studio.Payment) (err error) {
	p.ID, err = t.insert(`INSERT INTO payments (order_id, kind, amount_minor, currency, at_ms, note, reverses_id) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		p.OrderID, p.Kind, p.AmountMinor, p.Currency, at(&p.At), p.Note, id(&p.ReversesID))
	return err
}

// Payments returns what arrived for an order and went back, oldest first.
func (t *Tx) Payments(orderID int64) ([]studio.Payment, error) {
	return rows(t, func(scan func(...any) error, p *studio.Payment) error {
		return scan(&p.ID, &p.OrderID, &p.Kind, &p.AmountMinor, &p.Currency, at(&p.At), &p.Note, id(&p.ReversesID))
	}, `SELECT id, order_id, kind, amount_minor, currency, at_ms, note, reverses_id FROM payments WHERE order_id = ? ORDER BY id`, orderID)
}

// Paid returns what has arrived in all, by order.
func (t *Tx) Paid() (map[int64]int64, error) {
	type row struct{ order, minor int64 }
	list, err := rows(t, func(scan func(...any) error, r *row) error { return scan(&r.order, &r.minor) },
		`SELECT order_id, sum(amount_minor) FROM payments GROUP BY order_id`)
	out := map[int64]int64{}
	for _, r := range list {
		out[r.order] = r.minor
	}
	return out, err
}

// Found is one hit of a search.
type Found struct {
	Kind  string // order, colour, question, client, piece, note, model
	Key   string // number, id or code
	Name  string
	Extra string
}

// folded lets SQL compare texts as people do: without case and accents.
func init() {
	sqlite.MustRegisterDeterministicScalarFunction("folded", 1, func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
		text, ok := args[0].(string)
		if !ok {
			return args[0], nil
		}
		return studio.Folded(text), nil
	})
}

// like makes a pattern that holds the letters as they are, folded.
func like(letters string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(studio.Folded(letters)) + "%"
}

// Find looks for a few letters in orders with their notes, colours and questions, in clients,
// pieces and models; newest first, some of each.
func (t *Tx) Find(letters string) ([]Found, error) {
	return rows(t, func(scan func(...any) error, f *Found) error { return scan(&f.Kind, &f.Key, &f.Name, &f.Extra) }, `
		SELECT * FROM (SELECT 'order', o.number, o.title, c.name || ', ' || o.state`+orderFrom+`
			WHERE folded(o.number || char(10) || o.title || char(10) || c.name || char(10) || o.note) LIKE ?1 ESCAPE '\'
				OR EXISTS (SELECT 1 FROM items i WHERE i.order_id = o.id AND i.removed = 0 AND folded(i.title) LIKE ?1 ESCAPE '\') ORDER BY o.id DESC LIMIT 20)
		UNION ALL SELECT * FROM (SELECT CASE p.kind WHEN 'colour' THEN 'colour' ELSE 'question' END, o.number, p.text, trim(p.answer || ', ' || o.title, ', ') FROM points p JOIN orders o ON o.id = p.order_id
			WHERE folded(p.text || char(10) || p.answer) LIKE ?1 ESCAPE '\' ORDER BY p.id DESC LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'client', CAST(id AS TEXT), name, email FROM clients
			WHERE folded(name || char(10) || email || char(10) || note) LIKE ?1 ESCAPE '\' ORDER BY name LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'piece', code, name, state FROM pieces
			WHERE folded(code || char(10) || name) LIKE ?1 ESCAPE '\' ORDER BY id DESC LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'note', c.code, s.note, c.name FROM stages s JOIN pieces c ON c.id = s.piece_id
			WHERE s.note <> '' AND folded(s.note) LIKE ?1 ESCAPE '\' ORDER BY s.done_ms DESC LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'model', CAST(max(m.id) AS TEXT), d.name, 'model' FROM designs d JOIN models m ON m.design_id = d.id
			WHERE folded(d.name || char(10) || m.name) LIKE ?1 ESCAPE '\' GROUP BY d.id ORDER BY d.id DESC LIMIT 15)`, like(letters))
}
