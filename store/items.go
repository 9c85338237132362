package store

import (
	"strings"
	"time"

	"sakuji/studio"
)

// Items returns an order's items with their parts and models.
func (t *Tx) Items(orderID int64) ([]studio.Item, error) {
	items, err := rows(t, func(scan func(...any) error, i *studio.Item) error {
		return scan(&i.ID, &i.OrderID, &i.Position, &i.Title, &i.Tier, &i.Copies, &i.Scale, packed{&i.Rule})
	}, `SELECT id, order_id, position, title, tier, copies, scale, size_rule FROM items WHERE order_id = ? AND removed = 0 ORDER BY position, id`, orderID)
	if err != nil {
		return nil, err
	}
	for i := range items {
		items[i].Parts, err = rows(t, func(scan func(...any) error, p *studio.Part) error {
			return scan(&p.ID, &p.ItemID, &p.ModelID, &p.Name, &p.Copies, &p.Process, id(&p.MaterialID), &p.WallMM)
		}, `SELECT id, item_id, model_id, name, copies, process, material_id, wall_mm FROM parts WHERE item_id = ? ORDER BY id`, items[i].ID)
		if err != nil {
			return nil, err
		}
		for k := range items[i].Parts {
			if items[i].Parts[k].Model, err = t.model(items[i].Parts[k].ModelID); err != nil {
				return nil, err
			}
		}
	}
	return items, nil
}

// SaveItem adds an item without an id with its parts, or changes both.
func (t *Tx) SaveItem(i *studio.Item) (err error) {
	if i.ID == 0 {
		i.ID, err = t.insert(`INSERT INTO items (order_id, position, title, tier, copies, scale, size_rule) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			i.OrderID, i.Position, i.Title, i.Tier, i.Copies, i.Scale, packed{i.Rule})
	} else {
		err = t.exec(`UPDATE items SET position = ?, title = ?, tier = ?, copies = ?, scale = ?, size_rule = ? WHERE id = ?`,
			i.Position, i.Title, i.Tier, i.Copies, i.Scale, packed{i.Rule}, i.ID)
	}
	if err != nil {
		return err
	}
	for k := range i.Parts {
		p := &i.Parts[k]
		p.ItemID = i.ID
		if p.ID == 0 {
			p.ID, err = t.insert(`INSERT INTO parts (item_id, model_id, name, copies, process, material_id, wall_mm) VALUES (?, ?, ?, ?, ?, ?, ?)`,
				p.ItemID, p.ModelID, p.Name, p.Copies, p.Process, id(&p.MaterialID), p.WallMM)
		} else {
			err = t.exec(`UPDATE parts SET model_id = ?, name = ?, copies = ?, process = ?, material_id = ?, wall_mm = ? WHERE id = ?`,
				p.ModelID, p.Name, p.Copies, p.Process, id(&p.MaterialID), p.WallMM, p.ID)
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

// PartModels returns the model of each part asked for.
func (t *Tx) PartModels(partIDs ...int64) (map[int64]studio.Model, error) {
	out := map[int64]studio.Model{}
	for _, pid := range partIDs {
		if _, ok := out[pid]; ok {
			continue
		}
		modelID, err := one(t, func(scan func(...any) error, n *int64) error { return scan(n) }, `SELECT model_id FROM parts WHERE id = ?`, pid)
		if err != nil {
			return nil, err
		}
		m, err := t.model(modelID)
		if err != nil {
			return nil, err
		}
		out[pid] = m
	}
	return out, nil
}

const quoteColumns = `SELECT id, order_id, revision, token, state, document, total_minor, deposit_minor, currency, sent_ms,
	valid_until_ms, answered_ms, answered_by, answered_from, seen_ms FROM quotes `

// quoteHeads leaves the document out: it is long, and lists need not read it.
var quoteHeads = strings.Replace(quoteColumns, "document", "'{}'", 1)

func scanQuote(scan func(...any) error, q *studio.Quote) error {
	return scan(&q.ID, &q.OrderID, &q.Revision, &q.Token, &q.State, packed{&q.Document}, &q.TotalMinor, &q.DepositMinor, &q.Currency,
		at(&q.Sent), at(&q.ValidUntil), at(&q.Answered), &q.AnsweredBy, &q.AnsweredFrom, at(&q.Seen))
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
	return rows(t, scanQuote, quoteHeads+`WHERE state = 'accepted' ORDER BY id`)
}

// UnseenAnswers returns quotes answered and not yet looked at, without their
// documents.
func (t *Tx) UnseenAnswers() ([]studio.Quote, error) {
	return rows(t, scanQuote, quoteHeads+`WHERE answered_ms IS NOT NULL AND seen_ms IS NULL ORDER BY answered_ms`)
}

// SaveQuote adds a quote without an id; of one that has an id only the answer and
// the state can change.
func (t *Tx) SaveQuote(q *studio.Quote) (err error) {
	if q.ID == 0 {
		q.ID, err = t.insert(`INSERT INTO quotes (order_id, revision, token, state, document, total_minor, deposit_minor, currency,
			sent_ms, valid_until_ms, answered_ms, answered_by, answered_from, seen_ms) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			q.OrderID, q.Revision, q.Token, q.State, packed{q.Document}, q.TotalMinor, q.DepositMinor, q.Currency,
			at(&q.Sent), at(&q.ValidUntil), at(&q.Answered), q.AnsweredBy, q.AnsweredFrom, at(&q.Seen))
		return err
	}
	return t.exec(`UPDATE quotes SET state = ?, answered_ms = ?, answered_by = ?, answered_from = ?, seen_ms = ? WHERE id = ?`,
		q.State, at(&q.Answered), q.AnsweredBy, q.AnsweredFrom, at(&q.Seen), q.ID)
}

// SeeAnswers marks an order's answers as looked at.
func (t *Tx) SeeAnswers(orderID int64, now time.Time) error {
	return t.exec(`UPDATE quotes SET seen_ms = ? WHERE order_id = ? AND answered_ms IS NOT NULL AND seen_ms IS NULL`, at(&now), orderID)
}
