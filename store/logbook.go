package store

import (
	"time"

	"sakuji/studio"
)

// Log appends a line to the logbook.
func (t *Tx) Log(e studio.Entry) error {
	return t.exec(`INSERT INTO logbook (at_ms, person_id, who, event, text, order_id, piece_id, plate_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		at(&e.At), id(&e.PersonID), e.Who, e.Event, e.Text, id(&e.OrderID), id(&e.PieceID), id(&e.PlateID))
}

const logColumns = `SELECT l.id, l.at_ms, l.person_id, l.who, l.event, l.text, l.order_id, l.piece_id, l.plate_id,
	coalesce(o.number, ''), coalesce(p.code, ''), coalesce(pl.number, 0)
	FROM logbook l LEFT JOIN orders o ON o.id = l.order_id LEFT JOIN pieces p ON p.id = l.piece_id LEFT JOIN plates pl ON pl.id = l.plate_id `

func scanEntry(scan func(...any) error, e *studio.Entry) error {
	return scan(&e.ID, at(&e.At), id(&e.PersonID), &e.Who, &e.Event, &e.Text, id(&e.OrderID), id(&e.PieceID), id(&e.PlateID),
		&e.Order, &e.Piece, &e.Plate)
}

// Logbook returns lines before an id (0: the newest), newest first.
func (t *Tx) Logbook(before int64, limit int) ([]studio.Entry, error) {
	return rows(t, scanEntry, logColumns+`WHERE (?1 = 0 OR l.id < ?1) ORDER BY l.id DESC LIMIT ?2`, before, limit)
}

// LogOfOrder returns what the logbook says of an order and its pieces, newest first.
func (t *Tx) LogOfOrder(orderID int64, limit int) ([]studio.Entry, error) {
	return rows(t, scanEntry, logColumns+`WHERE l.order_id = ? ORDER BY l.id DESC LIMIT ?`, orderID, limit)
}

// LogOfPiece returns what the logbook says of a piece, newest first.
func (t *Tx) LogOfPiece(pieceID int64) ([]studio.Entry, error) {
	return rows(t, scanEntry, logColumns+`WHERE l.piece_id = ? ORDER BY l.id DESC`, pieceID)
}

// LogBetween returns lines of these times, oldest first.
func (t *Tx) LogBetween(from, to time.Time) ([]studio.Entry, error) {
	return rows(t, scanEntry, logColumns+`WHERE l.at_ms >= ? AND l.at_ms < ? ORDER BY l.at_ms, l.id`, at(&from), at(&to))
}

// LastEntry is the id of the newest line.
func (t *Tx) LastEntry() (int64, error) {
	return one(t, func(scan func(...any) error, n *int64) error { return scan(n) }, `SELECT coalesce(max(id), 0) FROM logbook`)
}

// LogMark is the newest line that may have changed what an order costs: its own, or one
// that speaks of no order and no plate. Whoever works something out beside the writer sees
// by it whether it still holds.
func (t *Tx) LogMark(orderID int64) (int64, error) {
	return one(t, func(scan func(...any) error, n *int64) error { return scan(n) },
		`SELECT coalesce(max(id), 0) FROM logbook WHERE order_id = ? OR order_id IS NULL AND plate_id IS NULL`, orderID)
}
