package store

import "sakuji/studio"

const orientationColumns = `model_id, process, facts, shape, taken, at_ms`

// Orientations returns the ways a model may stand for a process, as they were found.
func (t *Tx) Orientations(modelID int64, process string) ([]studio.Orientation, error) {
	return rows[studio.Orientation](t, `SELECT * FROM orientations WHERE model_id = ? AND process = ? ORDER BY id`, modelID, process)
}

// Orientation returns one by id.
func (t *Tx) Orientation(id int64) (studio.Orientation, error) {
	return one[studio.Orientation](t, `SELECT * FROM orientations WHERE id = ?`, id)
}

// ChosenOrientation returns how new parts of a model stand; 0 when nobody chose.
func (t *Tx) ChosenOrientation(modelID int64, process string) (int64, error) {
	return found(one[int64](t, `SELECT id FROM orientations WHERE model_id = ? AND process = ? AND taken = 1`, modelID, process))
}

// SaveOrientations puts orientations in the place of those that nothing stands in.
func (t *Tx) SaveOrientations(modelID int64, process string, list []studio.Orientation) error {
	if err := t.exec(`DELETE FROM orientations WHERE model_id = ? AND process = ? AND taken = 0
		AND NOT EXISTS (SELECT 1 FROM parts WHERE orientation_id = orientations.id) AND NOT EXISTS (SELECT 1 FROM pieces WHERE orientation_id = orientations.id)`, modelID, process); err != nil {
		return err
	}
	for i := range list {
		o := &list[i]
		o.ModelID, o.Process = modelID, process
		var err error
		if o.ID, err = t.add("orientations", orientationColumns, o); err != nil {
			return err
		}
	}
	return nil
}

// ChooseOrientation makes one the way that new parts of its model stand; 0 for as the file
// stands.
func (t *Tx) ChooseOrientation(modelID int64, process string, orientationID int64) error {
	return t.exec(`UPDATE orientations SET taken = (id = ?) WHERE model_id = ? AND process = ?`, orientationID, modelID, process)
}

// PartsOf returns the parts that print a model in a process, of orders in these states.
func (t *Tx) PartsOf(modelID int64, process string, states ...studio.OrderState) ([]PartOf, error) {
	marks, args := in(states)
	return rows[PartOf](t, `SELECT p.id, i.order_id, p.orientation_id FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0 JOIN orders o ON o.id = i.order_id
		WHERE p.model_id = ? AND p.process = ? AND p.removed = 0 AND o.state IN `+marks+` ORDER BY p.id`, append([]any{modelID, process}, args...)...)
}

// PartOf is a part and the order it belongs to.
type PartOf struct{ ID, OrderID, OrientationID int64 }

// OrientPart lets a part stand another way.
func (t *Tx) OrientPart(partID, orientationID int64) error {
	return t.exec(`UPDATE parts SET orientation_id = nullif(?, 0) WHERE id = ?`, orientationID, partID)
}

// ModelOriented returns a model as it stands on a plate; as its file does without an
// orientation.
func (t *Tx) ModelOriented(modelID, orientationID int64) (studio.Model, error) {
	m, err := t.Model(modelID)
	if err != nil || orientationID == 0 {
		return m, err
	}
	o, err := t.Orientation(orientationID)
	return m.Oriented(o), err
}

// orientedModels is ModelOriented for many parts or pieces, each asked for once.
func (t *Tx) orientedModels() func(modelID, orientationID int64) (studio.Model, error) {
	known := map[[2]int64]studio.Model{}
	return func(modelID, orientationID int64) (m studio.Model, err error) {
		key := [2]int64{modelID, orientationID}
		m, ok := known[key]
		if !ok {
			m, err = t.ModelOriented(modelID, orientationID)
			known[key] = m
		}
		return m, err
	}
}
