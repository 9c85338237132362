package store

import (
	"errors"
	"fmt"

	"sakuji/studio"
)

const orientationColumns = `SELECT id, model_id, process, facts, shape, taken, at_ms FROM standings `

func scanOrientation(scan func(...any) error, s *studio.Orientation) error {
	return scan(&s.ID, &s.ModelID, &s.Process, packed{&s.Facts}, packed{&s.Shape}, &s.Taken, at(&s.At))
}

// Orientations returns the ways a model may stand for a process, as they were found.
func (t *Tx) Orientations(modelID int64, process string) ([]studio.Orientation, error) {
	return rows(t, scanOrientation, orientationColumns+`WHERE model_id = ? AND process = ? ORDER BY id`, modelID, process)
}

// Orientation returns one by id.
func (t *Tx) Orientation(id int64) (studio.Orientation, error) {
	return one(t, scanOrientation, orientationColumns+`WHERE id = ?`, id)
}

// ChosenOrientation returns how new parts of a model stand; 0 when nobody chose.
func (t *Tx) ChosenOrientation(modelID int64, process string) (int64, error) {
	n, err := one(t, func(scan func(...any) error, n *int64) error { return scan(n) },
		`SELECT id FROM standings WHERE model_id = ? AND process = ? AND taken = 1`, modelID, process)
	if errors.Is(err, ErrNotFound) {
		return 0, nil
	}
	return n, err
}

// SaveOrientations puts orientations in the place of those that nothing stands in.
func (t *Tx) SaveOrientations(modelID int64, process string, list []studio.Orientation) error {
	if err := t.exec(`DELETE FROM standings WHERE model_id = ? AND process = ? AND taken = 0
		AND NOT EXISTS (SELECT 1 FROM parts WHERE standing_id = standings.id) AND NOT EXISTS (SELECT 1 FROM pieces WHERE standing_id = standings.id)`, modelID, process); err != nil {
		return err
	}
	for i := range list {
		s := &list[i]
		var err error
		if s.ID, err = t.insert(`INSERT INTO standings (model_id, process, facts, shape, taken, at_ms) VALUES (?, ?, ?, ?, ?, ?)`,
			modelID, process, packed{s.Facts}, packed{s.Shape}, s.Taken, at(&s.At)); err != nil {
			return err
		}
	}
	return nil
}

// ChooseOrientation makes one the way that new parts of its model stand, and all parts of open
// orders that print it in its process; 0 for as the file stands. Pieces that wait
// follow. It says how many parts it was.
func (t *Tx) ChooseOrientation(modelID int64, process string, orientationID int64) (parts int, err error) {
	if err := t.exec(`UPDATE standings SET taken = (id = ?) WHERE model_id = ? AND process = ?`, orientationID, modelID, process); err != nil {
		return 0, err
	}
	const these = `SELECT p.id FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0 JOIN orders o ON o.id = i.order_id
		WHERE p.model_id = ? AND p.process = ? AND o.state IN ('enquiry', 'quoted', 'accepted')`
	if err := t.exec(`UPDATE parts SET standing_id = nullif(?, 0) WHERE id IN (`+these+`)`, orientationID, modelID, process); err != nil {
		return 0, err
	}
	if err := t.exec(`UPDATE pieces SET standing_id = nullif(?, 0) WHERE state = 'waiting' AND model_id = ? AND part_id IN (`+these+`)`, orientationID, modelID, modelID, process); err != nil {
		return 0, err
	}
	return one(t, func(scan func(...any) error, n *int) error { return scan(n) }, `SELECT count(*) FROM (`+these+`)`, modelID, process)
}

// ModelOriented returns a model as it stands on a plate; as its file does without a
// orientation.
func (t *Tx) ModelOriented(modelID, orientationID int64) (studio.Model, error) {
	m, err := t.model(modelID)
	if err != nil || orientationID == 0 {
		return m, err
	}
	key := fmt.Sprintf("standing %d", orientationID)
	if s, ok := t.models.Load(key); ok {
		return m.Oriented(s.(studio.Orientation)), nil
	}
	s, err := t.Orientation(orientationID)
	if err == nil && !t.writing {
		t.models.Store(key, s)
	}
	return m.Oriented(s), err
}
