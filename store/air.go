package store

import (
	"time"

	"sakuji/studio"
)

const airColumns = `at_ms, c, humidity_percent, by_id`

// Air returns what the air was from a moment on, in the order of time.
func (t *Tx) Air(from time.Time) ([]studio.AirReading, error) {
	return rows[studio.AirReading](t, `SELECT id, `+airColumns+` FROM air WHERE at_ms >= ? ORDER BY at_ms, id`, at(&from))
}

// AddAir keeps a reading.
func (t *Tx) AddAir(r *studio.AirReading) (err error) {
	r.ID, err = t.add("air", airColumns, r)
	return err
}
