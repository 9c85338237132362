package store

import (
	"errors"
	"fmt"

	"sakuji/studio"
)

const standingColumns = `SELECT id, model_id, process, facts, shape, taken, at_ms FROM standings `

func scanStanding(scan func(...any) error, s *studio.Standing) error {
	return scan(&s.ID, &s.ModelID, &s.Process, packed{&s.Facts}, packed{&s.Shape}, &s.Taken, at(&s.At))
}

// Standings returns the ways a model may stand for a process, as they were found.
func (t *Tx) Standings(modelID int64, process string) ([]studio.Standing, error) {
	return rows(t, scanStanding, standingColumns+`WHERE model_id = ? AND process = ? ORDER BY id`, modelID, process)
}

// Standing returns one by id.
func (t *Tx) Standing(id int64) (studio.Standing, error) {
	return one(t, scanStanding, standingColumns+`WHERE id = ?`, id)
}

// TakenStanding returns how new parts of a model stand; 0 when nobody chose.
func (t *Tx) TakenStanding(modelID int64, process string) (int64, error) {
	n, err := one(t, func(scan func(...any) error, n *int64) error { return scan(n) },
		`SELECT id FROM standings WHERE model_id = ? AND process = ? AND taken = 1`, modelID, process)
	if errors.Is(err, ErrNotFound) {
		return 0, nil
	}
	return n, err
}

// SaveStandings puts ways to stand in the place of those that nothing stands in.
func (t *Tx) SaveStandings(modelID int64, process string, list []studio.Standing) error {
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

// TakeStanding makes one the way that new parts of its model stand, and all parts of open
// orders that print it in its process; 0 for as the file stands. Pieces that wait
// follow. It says how many parts it was.
func (t *Tx) TakeStanding(modelID int64, process string, standingID int64) (parts int, err error) {
	if err := t.exec(`UPDATE standings SET taken = (id = ?) WHERE model_id = ? AND process = ?`, standingID, modelID, process); err != nil {
		return 0, err
	}
	const these = `SELECT p.id FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0 JOIN orders o ON o.id = i.order_id
		WHERE p.model_id = ? AND p.process = ? AND o.state IN ('enquiry', 'quoted', 'accepted')`
	if err := t.exec(`UPDATE parts SET standing_id = nullif(?, 0) WHERE id IN (`+these+`)`, standingID, modelID, process); err != nil {
		return 0, err
	}
	if err := t.exec(`UPDATE pieces SET standing_id = nullif(?, 0) WHERE state = 'waiting' AND model_id = ? AND part_id IN (`+these+`)`, standingID, modelID, modelID, process); err != nil {
		return 0, err
	}
	return one(t, func(scan func(...any) error, n *int) error { return scan(n) }, `SELECT count(*) FROM (`+these+`)`, modelID, process)
}

// ModelAsStood returns a model as it stands on a plate; as its file does without a
// standing.
func (t *Tx) ModelAsStood(modelID, standingID int64) (studio.Model, error) {
	m, err := t.model(modelID)
	if err != nil || standingID == 0 {
		return m, err
	}
	key := fmt.Sprintf("standing %d", standingID)
	if s, ok := t.models.Load(key); ok {
		return m.Stood(s.(studio.Standing)), nil
	}
	s, err := t.Standing(standingID)
	if err == nil && !t.writing {
		t.models.Store(key, s)
	}
	return m.Stood(s), err
}
