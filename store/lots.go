package store

import (
	"sakuji/studio"
)

const lotColumns = `material_id, label, received_ms, opened_ms, expires_ms, grams, price_per_kg, weighed_ms, weighed_g, ended_ms, mix, tare_g`

// Lots returns all lots with what was booked from each since it was weighed, the oldest first.
func (t *Tx) Lots() ([]studio.Lot, error) {
	return rows[studio.Lot](t, `SELECT id, `+lotColumns+`,
			coalesce((SELECT sum(grams) FROM bookings WHERE lot_id = lots.id AND (weighed_ms IS NULL OR at_ms > weighed_ms)), 0) AS booked_g
		FROM lots ORDER BY id`)
}

// SaveLot adds a lot without an id, or changes one.
func (t *Tx) SaveLot(l *studio.Lot) error { return t.save("lots", &l.ID, l, lotColumns, "") }

const bathColumns = `name, litres, strength_percent, filled_ms, ended_ms`

// Baths returns the baths that are in use, with what went through each.
func (t *Tx) Baths() ([]studio.Bath, error) {
	return rows[studio.Bath](t, `SELECT b.id, b.name, b.litres, b.strength_percent, b.filled_ms, b.ended_ms, count(s.piece_id) AS parts,
			coalesce(sum(json_extract(m.measures, '$.area_mm2') * p.scale * p.scale), 0) AS area_mm2
		FROM baths b LEFT JOIN stages s ON s.bath_id = b.id LEFT JOIN pieces p ON p.id = s.piece_id LEFT JOIN models m ON m.id = p.model_id
		WHERE b.ended_ms IS NULL GROUP BY b.id ORDER BY b.id`)
}

// SaveBath adds a bath without an id, or changes one.
func (t *Tx) SaveBath(b *studio.Bath) error { return t.save("baths", &b.ID, b, bathColumns, "") }

// Whence is what a piece was made with: machine and plate, lot and bath, by name; empty where nobody
// noted it.
type Whence struct {
	Machine string
	Plate   int
	Lot     string
	Bath    string
}

// WhenceOf returns what a piece was made with last.
func (t *Tx) WhenceOf(pieceID int64) (w Whence, err error) {
	list, err := rows[Whence](t, `SELECT m.name AS machine, l.number AS plate, coalesce(lots.label, '') AS lot,
			coalesce((SELECT b.name FROM stages s JOIN baths b ON b.id = s.bath_id WHERE s.piece_id = ?1 ORDER BY s.position DESC LIMIT 1), '') AS bath
		FROM plate_pieces o JOIN plates l ON l.id = o.plate_id JOIN runs r ON r.plate_id = l.id JOIN machines m ON m.id = r.machine_id LEFT JOIN lots ON lots.id = r.lot_id
		WHERE o.piece_id = ?1 ORDER BY l.id DESC LIMIT 1`, pieceID)
	if len(list) > 0 {
		w = list[0]
	}
	return w, err
}

// PieceIn is a piece with its label and its name.
type PieceIn struct{ Code, Name string }

// PiecesFrom returns the pieces that runs have printed from a lot.
func (t *Tx) PiecesFrom(lotID int64) ([]PieceIn, error) {
	return rows[PieceIn](t, `SELECT DISTINCT p.code, p.name FROM bookings b JOIN pieces p ON p.id = b.piece_id WHERE b.lot_id = ? ORDER BY p.code`, lotID)
}

// PiecesThrough returns the pieces that were washed in a bath.
func (t *Tx) PiecesThrough(bathID int64) ([]PieceIn, error) {
	return rows[PieceIn](t, `SELECT DISTINCT p.code, p.name FROM stages s JOIN pieces p ON p.id = s.piece_id WHERE s.bath_id = ? ORDER BY p.code`, bathID)
}

// SaveLeast writes below what a material is bought.
func (t *Tx) SaveLeast(m studio.Material) error { return t.save("materials", &m.ID, &m, `least_g`, "") }

// UseSince is what a machine has run since a part of it was replaced last, or ever.
func (t *Tx) UseSince(machineID int64, what string) (studio.Use, error) {
	return one[studio.Use](t, `SELECT count(*) AS plates, coalesce(sum((r.ended_ms - r.started_ms) / 3600000.0), 0) AS hours,
			coalesce(sum((SELECT sum(grams) FROM bookings WHERE run_id = r.id)), 0) AS grams
		FROM runs r WHERE r.machine_id = ?1 AND r.ended_ms IS NOT NULL
			AND r.ended_ms > coalesce((SELECT max(at_ms) FROM replacements WHERE machine_id = ?1 AND what = ?2), 0)`, machineID, what)
}

// AddReplacement notes one.
func (t *Tx) AddReplacement(r *studio.Replacement) (err error) {
	r.ID, err = t.add("replacements", `machine_id, person_id, what, at_ms`, r)
	return err
}
