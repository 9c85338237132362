package store

import (
	"strings"
	"time"

	"sakuji/studio"
)

// Items returns an order's items with their parts and models.
func (t *Tx) Items(orderID int64) ([]studio.Item, error) {
	items, err := rows(t, func(scan func(...any) error, i *studio.Item) error {
		return scan(&i.ID, &i.OrderID, &i.Position, &i.Title, &i.Tier, &i.Copies, &i.Scale, packed{&i.Rule}, packed{&i.ItemOptions})
	}, `SELECT id, order_id, position, title, tier, copies, scale, size_rule, options FROM items WHERE order_id = ? AND removed = 0 ORDER BY position, id`, orderID)
	if err != nil {
		return nil, err
	}
	for i := range items {
		items[i].Parts, err = rows(t, func(scan func(...any) error, p *studio.Part) error {
			return scan(&p.ID, &p.ItemID, &p.ModelID, &p.Name, &p.Copies, &p.Process, id(&p.MaterialID), &p.WallMM, id(&p.OrientationID), &p.CutInto, id(&p.MachineID))
		}, `SELECT id, item_id, model_id, name, copies, process, material_id, wall_mm, orientation_id, cut_into, machine_id FROM parts WHERE item_id = ? AND removed = 0 ORDER BY id`, items[i].ID)
		if err != nil {
			return nil, err
		}
		for k := range items[i].Parts {
			p := &items[i].Parts[k]
			if p.Model, err = t.ModelOriented(p.ModelID, p.OrientationID); err != nil {
				return nil, err
			}
		}
	}
	return items, nil
}

// SaveItem adds an item without an id with its parts, or changes both.
func (t *Tx) SaveItem(i *studio.Item) (err error) {
	if i.ID == 0 {
		i.ID, err = t.insert(`INSERT INTO items (order_id, position, title, tier, copies, scale, size_rule, options) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			i.OrderID, i.Position, i.Title, i.Tier, i.Copies, i.Scale, packed{i.Rule}, packed{i.ItemOptions})
	} else {
		err = t.exec(`UPDATE items SET position = ?, title = ?, tier = ?, copies = ?, scale = ?, size_rule = ?, options = ? WHERE id = ?`,
			i.Position, i.Title, i.Tier, i.Copies, i.Scale, packed{i.Rule}, packed{i.ItemOptions}, i.ID)
	}
	if err != nil {
		return err
	}
	for k := range i.Parts {
		p := &i.Parts[k]
		p.ItemID = i.ID
		if p.ID == 0 {
			p.ID, err = t.insert(`INSERT INTO parts (item_id, model_id, name, copies, process, material_id, wall_mm, orientation_id, cut_into, machine_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
				p.ItemID, p.ModelID, p.Name, p.Copies, p.Process, id(&p.MaterialID), p.WallMM, id(&p.OrientationID), p.CutInto, id(&p.MachineID))
		} else {
			err = t.exec(`UPDATE parts SET model_id = ?, name = ?, copies = ?, process = ?, material_id = ?, wall_mm = ?, orientation_id = ?, cut_into = ?, machine_id = ? WHERE id = ?`,
				p.ModelID, p.Name, p.Copies, p.Process, id(&p.MaterialID), p.WallMM, id(&p.OrientationID), p.CutInto, id(&p.MachineID), p.ID)
		}
		if err != nil {
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
	for _, p := range pieces {
		m, err := t.ModelOriented(p.ModelID, p.OrientationID)
		if err != nil {
			return nil, err
		}
		out[p.ID] = m
	}
	return out, nil
}

const quoteColumns = `SELECT id, order_id, revision, token, state, document, total_minor, deposit_minor, currency, sent_ms,
	valid_until_ms, answered_ms, answered_by, answered_from, seen_ms, chosen FROM quotes `

// quoteHeads leaves the document out: it is long, and lists need not read it.
var quoteHeads = strings.Replace(quoteColumns, "document", "'{}'", 1)

func scanQuote(scan func(...any) error, q *studio.Quote) error {
	return scan(&q.ID, &q.OrderID, &q.Revision, &q.Token, &q.State, packed{&q.Document}, &q.TotalMinor, &q.DepositMinor, &q.Currency,
		at(&q.Sent), at(&q.ValidUntil), at(&q.Answered), &q.AnsweredBy, &q.AnsweredFrom, at(&q.Seen), packed{&q.Chosen})
}

// Quotes returns an order's quotes, newest first.
func (t *Tx) Quotes(orderID int64) ([]studio.Quote, error) {
	return rows(t, scanQuote, quoteColumns+`WHERE order_id = ? ORDER BY revision DESC`, orderID)
}

// QuoteByToken returns the quote of a client's link.
func (t *Tx) QuoteByToken(token string) (studio.Quote, error) {
	return one(t, scanQuote, quoteColumns+`WHERE token = ?`, token)
}

// AcceptedQuotes returns the quotes that hold, without their documents.
func (t *Tx) AcceptedQuotes() ([]studio.Quote, error) {
	return rows(t, scanQuote, quoteHeads+`WHERE state = ? ORDER BY id`, studio.QuoteAccepted)
}

// UnseenAnswers returns quotes answered and not yet looked at, without their
// documents.
func (t *Tx) UnseenAnswers() ([]studio.Quote, error) {
	return rows(t, scanQuote, quoteHeads+`WHERE answered_ms IS NOT NULL AND seen_ms IS NULL ORDER BY answered_ms`)
}

// SaveQuote adds a quote without an id; of one that has an id only the answer, with what
// was chosen and what that comes to, and the state can change.
func (t *Tx) SaveQuote(q *studio.Quote) (err error) {
	if q.ID == 0 {
		q.ID, err = t.insert(`INSERT INTO quotes (order_id, revision, token, state, document, total_minor, deposit_minor, currency,
			sent_ms, valid_until_ms, answered_ms, answered_by, answered_from, seen_ms, chosen) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			q.OrderID, q.Revision, q.Token, q.State, packed{q.Document}, q.TotalMinor, q.DepositMinor, q.Currency,
			at(&q.Sent), at(&q.ValidUntil), at(&q.Answered), q.AnsweredBy, q.AnsweredFrom, at(&q.Seen), packed{q.Chosen})
		return err
	}
	return t.exec(`UPDATE quotes SET state = ?, answered_ms = ?, answered_by = ?, answered_from = ?, seen_ms = ?, chosen = ?, total_minor = ?, deposit_minor = ? WHERE id = ?`,
		q.State, at(&q.Answered), q.AnsweredBy, q.AnsweredFrom, at(&q.Seen), packed{q.Chosen}, q.TotalMinor, q.DepositMinor, q.ID)
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
	return rows(t, func(scan func(...any) error, q *QuoteRow) error {
		return scan(&q.Order, &q.Title, &q.Client, &q.Revision, &q.State, &q.OrderState, &q.TotalMinor, &q.Currency, at(&q.Sent), at(&q.ValidUntil), at(&q.Answered))
	}, `SELECT o.number, o.title, c.name, q.revision, q.state, o.state, q.total_minor, q.currency, q.sent_ms, q.valid_until_ms, q.answered_ms
		FROM quotes q JOIN orders o ON o.id = q.order_id JOIN clients c ON c.id = o.client_id
		WHERE ?1 IS NULL OR q.sent_ms < ?1 ORDER BY q.sent_ms DESC, q.id DESC LIMIT ?2`, at(&before), limit)
}

// Variants returns the variants of an order.
func (t *Tx) Variants(orderID int64) ([]studio.Variant, error) {
	return rows(t, func(scan func(...any) error, v *studio.Variant) error {
		return scan(packed{v}, &v.ID, &v.OrderID, &v.Position)
	}, `SELECT variant, id, order_id, position FROM variants WHERE order_id = ? ORDER BY position, id`, orderID)
}

// SaveVariant adds a variant without an id, or changes one.
func (t *Tx) SaveVariant(v *studio.Variant) (err error) {
	if v.ID == 0 {
		v.ID, err = t.insert(`INSERT INTO variants (order_id, position, variant) VALUES (?, ?, ?)`, v.OrderID, v.Position, packed{v})
		return err
	}
	return t.exec(`UPDATE variants SET position = ?, variant = ? WHERE id = ? AND order_id = ?`, v.Position, packed{v}, v.ID, v.OrderID)
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
