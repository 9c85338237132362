package store

import (
	"database/sql/driver"

	"sakuji/studio"

	"modernc.org/sqlite"
)

const (
	orderOnce    = `number, created_ms, repeats_id`
	orderColumns = `client_id, title, use, wanted_ms, stale_ms, budget_minor, note, state, accepted_ms, delivered_ms, closed_ms, terms, weight`
	orderFrom    = ` FROM orders o JOIN clients c ON c.id = o.client_id `
	selectOrders = `SELECT o.*, c.name AS client` + orderFrom
)

// Orders returns orders in the states named, all of them for none; those wanted
// soonest first, those without a date last.
func (t *Tx) Orders(states ...studio.OrderState) ([]studio.Order, error) {
	where, args := "", []any(nil)
	if len(states) > 0 {
		where, args = in(states)
		where = `WHERE o.state IN ` + where
	}
	return rows[studio.Order](t, selectOrders+where+` ORDER BY o.wanted_ms IS NULL, o.wanted_ms, o.number`, args...)
}

// OrdersOf returns a client's orders, newest first.
func (t *Tx) OrdersOf(clientID int64) ([]studio.Order, error) {
	return rows[studio.Order](t, selectOrders+`WHERE o.client_id = ? ORDER BY o.id DESC`, clientID)
}

// Order returns one by number.
func (t *Tx) Order(number string) (studio.Order, error) {
	return one[studio.Order](t, selectOrders+`WHERE o.number = ?`, number)
}

// OrderByID returns one by id.
func (t *Tx) OrderByID(id int64) (studio.Order, error) {
	return one[studio.Order](t, selectOrders+`WHERE o.id = ?`, id)
}

// HighestNumber is the highest order number given out.
func (t *Tx) HighestNumber() (int, error) {
	return one[int](t, `SELECT coalesce(max(CAST(number AS INTEGER)), 0) FROM orders`)
}

// SaveOrder adds an order without an id, or changes one.
func (t *Tx) SaveOrder(o *studio.Order) error {
	if o.Weight == 0 {
		o.Weight = 1
	}
	return t.save("orders", &o.ID, o, orderColumns, orderOnce)
}

const (
	pointOnce    = `order_id, kind, at_ms`
	pointColumns = `text, answer, settled_ms`
	selectPoints = `SELECT id, ` + pointOnce + `, ` + pointColumns + ` FROM points `
)

// Points returns what is settled or open with the client of an order.
func (t *Tx) Points(orderID int64) ([]studio.Point, error) {
	return rows[studio.Point](t, selectPoints+`WHERE order_id = ? ORDER BY id`, orderID)
}

// OpenAsked returns clients' questions nobody has answered.
func (t *Tx) OpenAsked() ([]studio.Point, error) {
	return rows[studio.Point](t, selectPoints+`WHERE kind = ? AND settled_ms IS NULL ORDER BY id`, studio.Asked)
}

// SavePoint adds a point without an id, or changes one.
func (t *Tx) SavePoint(p *studio.Point) error {
	return t.save("points", &p.ID, p, pointColumns, pointOnce)
}

const pictureColumns = `order_id, sha, name, type`

// Pictures returns an order's reference pictures.
func (t *Tx) Pictures(orderID int64) ([]studio.Picture, error) {
	return rows[studio.Picture](t, `SELECT id, `+pictureColumns+` FROM pictures WHERE order_id = ? ORDER BY id`, orderID)
}

// AddPicture adds a reference picture.
func (t *Tx) AddPicture(p *studio.Picture) (err error) {
	p.ID, err = t.add("pictures", pictureColumns, p)
	return err
}

// PictureType returns the media type of a picture's or photograph's file; ErrNotFound when there is
// none of it.
func (t *Tx) PictureType(sha string) (string, error) {
	return one[string](t, `SELECT type FROM pictures WHERE sha = ?1 UNION ALL SELECT 'image/jpeg' FROM photos WHERE sha = ?1 OR full_sha = ?1
		UNION ALL SELECT 'image/jpeg' FROM swatches WHERE photo_sha = ?1 UNION ALL SELECT 'image/jpeg' FROM regions WHERE stop_sha = ?1 LIMIT 1`, sha)
}

const paymentColumns = `order_id, kind, amount_minor, currency, at_ms, note, reverses_id`

// AddPayment notes money that arrived or went back.
func (t *Tx) AddPayment(p *studio.Payment) (err error) {
	p.ID, err = t.add("payments", paymentColumns, p)
	return err
}

// Payments returns what arrived for an order and went back, oldest first.
func (t *Tx) Payments(orderID int64) ([]studio.Payment, error) {
	return rows[studio.Payment](t, `SELECT id, `+paymentColumns+` FROM payments WHERE order_id = ? ORDER BY id`, orderID)
}

// Paid returns what has arrived in all, by order.
func (t *Tx) Paid() (map[int64]int64, error) {
	list, err := rows[studio.Payment](t, `SELECT order_id, sum(amount_minor) AS amount_minor FROM payments GROUP BY order_id`)
	out := map[int64]int64{}
	for _, p := range list {
		out[p.OrderID] = p.AmountMinor
	}
	return out, err
}

// Found is one hit of a search.
type Found struct {
	Kind  string // order, colour, question, client, piece, place, note, model
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
