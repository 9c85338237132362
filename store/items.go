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
			return scan(&p.ID, &p.ItemID, &p.ModelID, &p.Name, &p.Copies, &p.Process, id(&p.MaterialID), &p.WallMM, id(&p.StandingID))
		}, `SELECT id, item_id, model_id, name, copies, process, material_id, wall_mm, standing_id FROM parts WHERE item_id = ? ORDER BY id`, items[i].ID)
		if err != nil {
			return nil, err
		}
		for k := range items[i].Parts {
			p := &items[i].Parts[k]
			if p.Model, err = t.ModelAsStood(p.ModelID, p.StandingID); err != nil {
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
			p.ID, err = t.insert(`INSERT INTO parts (item_id, model_id, name, copies, process, material_id, wall_mm, standing_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
				p.ItemID, p.ModelID, p.Name, p.Copies, p.Process, id(&p.MaterialID), p.WallMM, id(&p.StandingID))
		} else {
			err = t.exec(`UPDATE parts SET model_id = ?, name = ?, copies = ?, process = ?, material_id = ?, wall_mm = ?, standing_id = ? WHERE id = ?`,
				p.ModelID, p.Name, p.Copies, p.Process, id(&p.MaterialID), p.WallMM, id(&p.StandingID), p.ID)
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
		m, err := t.ModelAsStood(p.ModelID, p.StandingID)
		if err != nil {
			return nil, err
		}
		out[p.ID] = m
	}
	return out, nil
}

// FollowParts makes the pieces that wait what their parts are now.
func (t *Tx) FollowParts(orderID int64) error {
	return t.exec(`UPDATE pieces SET (model_id, standing_id) = (SELECT model_id, standing_id FROM parts WHERE parts.id = pieces.part_id)
		WHERE order_id = ? AND state = 'waiting'`, orderID)
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
