package store

import (
	"strings"
	"time"

	"sakuji/studio"
)

const (
	itemColumns = `position, title, tier, copies, scale, size_rule, options`
	partColumns = `model_id, name, copies, process, material_id, wall_mm, orientation_id, cut_into, machine_id, inside, hidden, finish_route, joins, profile, waived`
)

// itemRow is an item as its table has it.
type itemRow struct {
	studio.Item
	SizeRule studio.SizeRule
	Options  studio.ItemOptions
}

// Items returns an order's items with their parts and models.
func (t *Tx) Items(orderID int64) ([]studio.Item, error) {
	items, err := t.BareItems(orderID)
	oriented := t.orientedModels()
	for i := range items {
		for k := range items[i].Parts {
			p := &items[i].Parts[k]
			if err == nil {
				p.Model, err = oriented(p.ModelID, p.OrientationID)
			}
		}
	}
	return items, err
}

// BareItems returns an order's items with their parts, but without the parts' models.
func (t *Tx) BareItems(orderID int64) ([]studio.Item, error) {
	list, err := rows[itemRow](t, `SELECT id, order_id, `+itemColumns+` FROM items WHERE order_id = ? AND removed = 0 ORDER BY position, id`, orderID)
	if err != nil {
		return nil, err
	}
	items := make([]studio.Item, len(list))
	byID := make(map[int64]*studio.Item, len(list))
	for i, r := range list {
		items[i] = r.Item
		items[i].Rule, items[i].ItemOptions = r.SizeRule, r.Options
		byID[r.ID] = &items[i]
	}
	parts, err := rows[studio.Part](t, `SELECT id, item_id, `+partColumns+` FROM parts WHERE removed = 0
		AND item_id IN (SELECT id FROM items WHERE order_id = ? AND removed = 0) ORDER BY id`, orderID)
	if err != nil {
		return nil, err
	}
	for _, p := range parts {
		of := byID[p.ItemID]
		of.Parts = append(of.Parts, p)
	}
	return items, nil
}

// PartsOfWaiting returns the parts that pieces in a state are of, without their models.
func (t *Tx) PartsOfWaiting(state studio.PieceState) ([]studio.Part, error) {
	return rows[studio.Part](t, `SELECT id, item_id, `+partColumns+` FROM parts WHERE id IN (SELECT part_id FROM pieces WHERE state = ?)`, string(state))
}

// Part returns one, without its model.
func (t *Tx) Part(partID int64) (studio.Part, error) {
	return one[studio.Part](t, `SELECT id, item_id, `+partColumns+` FROM parts WHERE id = ?`, partID)
}

// SaveItem adds an item without an id with its parts, or changes both.
func (t *Tx) SaveItem(i *studio.Item) error {
	row := itemRow{*i, i.Rule, i.ItemOptions}
	if err := t.save("items", &i.ID, &row, itemColumns, `order_id`); err != nil {
		return err
	}
	for k := range i.Parts {
		p := &i.Parts[k]
		p.ItemID = i.ID
		if err := t.save("parts", &p.ID, p, partColumns, `item_id`); err != nil {
			return err
		}
	}
	return nil
}

// RemoveItem takes an item off its order; it stays in the database, as pieces and
// the logbook may speak of it.
func (t *Tx) RemoveItem(itemID int64) error {
	return t.exec(`UPDATE items SET removed = 1 WHERE id = ?`, itemID)
}

// PieceModels returns, by piece, what each is or was printed of, as it stands or stood.
func (t *Tx) PieceModels(pieces ...studio.Piece) (map[int64]studio.Model, error) {
	out := make(map[int64]studio.Model, len(pieces))
	oriented := t.orientedModels()
	for _, p := range pieces {
		if p.ModelID == 0 { // not made of one
			continue
		}
		m, err := oriented(p.ModelID, p.OrientationID)
		if err != nil {
			return nil, err
		}
		out[p.ID] = m
	}
	return out, nil
}

const (
	quoteOnce    = `order_id, revision, token, document, currency, sent_ms, valid_until_ms`
	quoteColumns = `state, total_minor, deposit_minor, answered_ms, answered_by, answered_from, seen_ms, chosen`
	selectQuotes = `SELECT id, ` + quoteOnce + `, ` + quoteColumns + ` FROM quotes `
)

// selectHeads leaves the document out: it is long, and lists need not read it.
var selectHeads = strings.Replace(selectQuotes, " document,", "", 1)

// Quotes returns an order's quotes, newest first.
func (t *Tx) Quotes(orderID int64) ([]studio.Quote, error) {
	return rows[studio.Quote](t, selectQuotes+`WHERE order_id = ? ORDER BY revision DESC`, orderID)
}

// QuoteByToken returns the quote of a client's link.
func (t *Tx) QuoteByToken(token string) (studio.Quote, error) {
	return one[studio.Quote](t, selectQuotes+`WHERE token = ?`, token)
}

// AcceptedQuotes returns the quotes that hold, without their documents.
func (t *Tx) AcceptedQuotes() ([]studio.Quote, error) {
	return rows[studio.Quote](t, selectHeads+`WHERE state = ? ORDER BY id`, studio.QuoteAccepted)
}

// UnseenAnswers returns quotes answered and not yet looked at, without their
// documents.
func (t *Tx) UnseenAnswers() ([]studio.Quote, error) {
	return rows[studio.Quote](t, selectHeads+`WHERE answered_ms IS NOT NULL AND seen_ms IS NULL ORDER BY answered_ms`)
}

// SaveQuote adds a quote without an id; of one that has an id only the answer, with what
// was chosen and what that comes to, and the state can change.
func (t *Tx) SaveQuote(q *studio.Quote) error {
	return t.save("quotes", &q.ID, q, quoteColumns, quoteOnce)
}

// SeeAnswers marks an order's answers as looked at.
func (t *Tx) SeeAnswers(orderID int64, now time.Time) error {
	return t.exec(`UPDATE quotes SET seen_ms = ? WHERE order_id = ? AND answered_ms IS NOT NULL AND seen_ms IS NULL`, at(&now), orderID)
}

// QuoteRow is a quote as a list shows it.
type QuoteRow struct {
	Order, Title, Client string
	Revision             int
	State                studio.QuoteState
	OrderState           studio.OrderState
	TotalMinor           int64
	Currency             string
	Sent, ValidUntil     time.Time
	Answered             time.Time
}

// StateText says where the quote stands; one whose order was cancelled stands nowhere.
func (q QuoteRow) StateText() string {
	if q.OrderState == studio.Cancelled && q.State == studio.QuoteAccepted {
		return "order cancelled"
	}
	return string(q.State)
}

// QuoteRows lists quotes without their documents, newest first; before is the time to begin
// before, zero for now.
func (t *Tx) QuoteRows(before time.Time, limit int) ([]QuoteRow, error) {
	return rows[QuoteRow](t, `SELECT o.number AS "order", o.title, c.name AS client, q.revision, q.state, o.state AS order_state, q.total_minor, q.currency, q.sent_ms, q.valid_until_ms, q.answered_ms
		FROM quotes q JOIN orders o ON o.id = q.order_id JOIN clients c ON c.id = o.client_id
		WHERE q.sent_ms < coalesce(?, 9223372036854775807) ORDER BY q.sent_ms DESC, q.id DESC LIMIT ?`, at(&before), limit)
}

// variantRow is a variant as its table has it.
type variantRow struct {
	ID, OrderID int64
	Position    int
	Variant     studio.Variant
}

// Variants returns the variants of an order.
func (t *Tx) Variants(orderID int64) ([]studio.Variant, error) {
	list, err := rows[variantRow](t, `SELECT id, order_id, position, variant FROM variants WHERE order_id = ? ORDER BY position, id`, orderID)
	var out []studio.Variant
	for _, r := range list {
		v := r.Variant
		v.ID, v.OrderID, v.Position = r.ID, r.OrderID, r.Position
		out = append(out, v)
	}
	return out, err
}

// SaveVariant adds a variant without an id, or changes one.
func (t *Tx) SaveVariant(v *studio.Variant) error {
	return t.save("variants", &v.ID, &variantRow{v.ID, v.OrderID, v.Position, *v}, `position, variant`, `order_id`)
}

// DropVariant takes a variant away; what was sent keeps its own copy.
func (t *Tx) DropVariant(orderID, variantID int64) error {
	return t.exec(`DELETE FROM variants WHERE id = ? AND order_id = ?`, variantID, orderID)
}

// PutBack brings an item back onto its order with just these of its parts; others that it
// had stay in the database, as pieces and quotes may speak of them.
func (t *Tx) PutBack(it studio.Item) error {
	if err := t.exec(`UPDATE items SET removed = 0 WHERE id = ?`, it.ID); err != nil {
		return err
	}
	if err := t.exec(`UPDATE parts SET removed = 1 WHERE item_id = ?`, it.ID); err != nil {
		return err
	}
	for _, p := range it.Parts {
		if err := t.exec(`UPDATE parts SET removed = 0 WHERE id = ? AND item_id = ?`, p.ID, it.ID); err != nil {
			return err
		}
	}
	return nil
}
