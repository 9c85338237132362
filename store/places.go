package store

import "sakuji/studio"

const placeColumns = `code, name, kind, ended`

// Places returns all places, those that are there no more, too; in the order in which they were made.
func (t *Tx) Places() ([]studio.Place, error) {
	return rows[studio.Place](t, `SELECT id, `+placeColumns+` FROM places ORDER BY id`)
}

// PlaceByCode returns one by the code of its label.
func (t *Tx) PlaceByCode(code string) (studio.Place, error) {
	return one[studio.Place](t, `SELECT id, `+placeColumns+` FROM places WHERE code = ? COLLATE NOCASE`, code)
}

// SavePlace adds a place without an id, or changes one.
func (t *Tx) SavePlace(p *studio.Place) error { return t.save("places", &p.ID, p, placeColumns, "") }

// PiecesAt returns what lies at a place of orders that are in work; 0: of all places.
func (t *Tx) PiecesAt(placeID int64) ([]studio.Piece, error) {
	return t.pieces(`JOIN orders o ON o.id = p.order_id WHERE p.place_id IS NOT NULL AND ?1 IN (0, p.place_id) AND o.state = ?2 ORDER BY p.code`, placeID, string(studio.Accepted))
}
