package store

import (
	"time"

	"sakuji/studio"
)

const (
	stretchOnce    = `person_id, piece_id, shown, planned_min, from_ms`
	stretchColumns = `to_ms`
	selectStretch  = `SELECT id, ` + stretchOnce + `, ` + stretchColumns + ` FROM stretches `
)

// Running returns the clocks that run, those begun first first.
func (t *Tx) Running() ([]studio.Stretch, error) {
	return rows[studio.Stretch](t, selectStretch+`WHERE to_ms IS NULL ORDER BY from_ms, id`)
}

// StretchesWith returns all stretches of the people who had a clock running for a stage of a piece, from the time
// of the first of those on: what they ran at once is shared.
func (t *Tx) StretchesWith(pieceID int64, shown string) ([]studio.Stretch, error) {
	return rows[studio.Stretch](t, selectStretch+`WHERE person_id IN (SELECT person_id FROM stretches WHERE piece_id = ? AND shown = ?)
		AND coalesce(to_ms, 9223372036854775807) >= (SELECT min(from_ms) FROM stretches WHERE piece_id = ? AND shown = ?) ORDER BY from_ms, id`, pieceID, shown, pieceID, shown)
}

// StretchesFrom returns a person's from a moment on, and those that run.
func (t *Tx) StretchesFrom(personID int64, from time.Time) ([]studio.Stretch, error) {
	return rows[studio.Stretch](t, selectStretch+`WHERE person_id = ? AND coalesce(to_ms, 9223372036854775807) >= ? ORDER BY from_ms, id`, personID, at(&from))
}

// SaveStretch adds one without an id, or ends one.
func (t *Tx) SaveStretch(s *studio.Stretch) error {
	return t.save("stretches", &s.ID, s, stretchColumns, stretchOnce)
}
