package store

import (
	"sakuji/studio"
)

const lotColumns = `material_id, label, received_ms, opened_ms, expires_ms, grams, price_per_kg, weighed_ms, weighed_g, ended_ms`

// Lots returns all lots with what was booked from each since it was weighed, the oldest first.
func (t *Tx) Lots() ([]studio.Lot, error) {
	return rows[studio.Lot](t, `SELECT id, `+lotColumns+`,
			coalesce((SELECT sum(grams) FROM bookings WHERE lot_id = lots.id AND (weighed_ms IS NULL OR at_ms > weighed_ms)), 0) AS booked_g
		FROM lots ORDER BY id`)
}

// SaveLot adds a lot without an id, or changes one.
func (t *Tx) SaveLot(l *studio.Lot) error { return t.save("lots", &l.ID, l, lotColumns, "") }

// SaveLeast writes below what a material is bought.
func (t *Tx) SaveLeast(m studio.Material) error { return t.save("materials", &m.ID, &m, `least_g`, "") }
