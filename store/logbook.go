package store

import (
	"math"
	"time"

	"sakuji/studio"
)

// Log appends a line to the logbook.
func (t *Tx) Log(e studio.Entry) error {
	_, err := t.add("logbook", `at_ms, person_id, who, event, text, order_id, piece_id, plate_id`, &e)
	return err
}

const selectLog = `SELECT l.*, coalesce(o.number, '') AS "order", coalesce(p.code, '') AS piece, coalesce(pl.number, 0) AS plate
	FROM logbook l LEFT JOIN orders o ON o.id = l.order_id LEFT JOIN pieces p ON p.id = l.piece_id LEFT JOIN plates pl ON pl.id = l.plate_id `

// Logbook returns lines before an id (0: the newest), newest first.
func (t *Tx) Logbook(before int64, limit int) ([]studio.Entry, error) {
	if before == 0 {
		before = math.MaxInt64
	}
	return rows[studio.Entry](t, selectLog+`WHERE l.id < ? ORDER BY l.id DESC LIMIT ?`, before, limit)
}

// LogOfOrder returns what the logbook says of an order and its pieces, newest first.
func (t *Tx) LogOfOrder(orderID int64, limit int) ([]studio.Entry, error) {
	return rows[studio.Entry](t, selectLog+`WHERE l.order_id = ? ORDER BY l.id DESC LIMIT ?`, orderID, limit)
}

// LogOfPiece returns what the logbook says of a piece, newest first.
func (t *Tx) LogOfPiece(pieceID int64) ([]studio.Entry, error) {
	return rows[studio.Entry](t, selectLog+`WHERE l.piece_id = ? ORDER BY l.id DESC`, pieceID)
}

// LogOf returns the lines of some events since a time, oldest first.
func (t *Tx) LogOf(from time.Time, events ...string) ([]studio.Entry, error) {
	marks, args := in(events)
	return rows[studio.Entry](t, selectLog+`WHERE l.event IN `+marks+` AND l.at_ms >= ? ORDER BY l.at_ms, l.id`, append(args, at(&from))...)
}

// LastEntry is the id of the newest line.
func (t *Tx) LastEntry() (int64, error) {
	return one[int64](t, `SELECT coalesce(max(id), 0) FROM logbook`)
}

// LogMark is the newest line that may have changed what an order costs: its own, or one
// that speaks of no order and no plate. Whoever works something out beside the writer sees
// by it whether it still holds.
func (t *Tx) LogMark(orderID int64) (int64, error) {
	return one[int64](t, `SELECT coalesce(max(id), 0) FROM logbook WHERE order_id = ? OR order_id IS NULL AND plate_id IS NULL`, orderID)
}
