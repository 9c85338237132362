package store

import (
	"time"

	"sakuji/studio"
)

const (
	plateOnce      = `number, machine_id, material_id, created_ms`
	onPlateColumns = `plate_id, piece_id, x_mm, y_mm, angle_deg, locked, report, outcome, cause, changed, failed_layer`
	runOnce        = `plate_id, machine_id, planned_min, physics_min`
	runColumns     = `started_ms, room_c, ended_ms, emptied_ms, emptied_by, note, checked, skipped, lot_id, job, sent_ms, heard_ms, before, missing, missed_ms, seen`
	selectPlates   = `SELECT id, ` + plateOnce + `, state, kept_off, program FROM plates `
	selectRuns     = `SELECT id, ` + runOnce + `, ` + runColumns + ` FROM runs `
)

// Plate returns one by number, with its pieces and run.
func (t *Tx) Plate(number int) (studio.Plate, error) {
	return t.plate(`WHERE number = ?`, number)
}

// PlateOfPiece returns the newest plate that a piece lies or lay on.
func (t *Tx) PlateOfPiece(pieceID int64) (studio.Plate, error) {
	return t.plate(`WHERE id = (SELECT max(plate_id) FROM plate_pieces WHERE piece_id = ?)`, pieceID)
}

// Plates returns plates in these states with their pieces and runs, oldest first.
func (t *Tx) Plates(states ...studio.PlateState) ([]studio.Plate, error) {
	marks, args := in(states)
	return t.plates(`WHERE state IN `+marks+` ORDER BY id`, args...)
}

// EmptiedPlates returns the plates emptied last, newest first.
func (t *Tx) EmptiedPlates(limit int) ([]studio.Plate, error) {
	return t.plates(`WHERE state = ? ORDER BY id DESC LIMIT ?`, studio.PlateEmptied, limit)
}

func (t *Tx) plate(where string, key any) (studio.Plate, error) {
	plates, err := t.plates(where, key)
	if err == nil && len(plates) == 0 {
		err = doing(selectPlates, []any{key}, ErrNotFound)
	}
	if err != nil {
		return studio.Plate{}, err
	}
	return plates[0], nil
}

func (t *Tx) plates(where string, args ...any) ([]studio.Plate, error) {
	plates, err := rows[studio.Plate](t, selectPlates+where, args...)
	for i := range plates {
		if err == nil {
			err = t.fill(&plates[i])
		}
	}
	return plates, err
}

// fill adds what lies on a plate, and its run.
func (t *Tx) fill(p *studio.Plate) (err error) {
	p.Pieces, err = rows[studio.OnPlatePiece](t, `SELECT `+onPlateColumns+` FROM plate_pieces WHERE plate_id = ? ORDER BY piece_id`, p.ID)
	if err != nil {
		return err
	}
	runs, err := rows[studio.Run](t, selectRuns+`WHERE plate_id = ?`, p.ID)
	if len(runs) > 0 {
		p.Run = &runs[0]
	}
	return err
}

// RunsSince returns runs that were on at or after a time, oldest first.
func (t *Tx) RunsSince(from time.Time) ([]studio.Run, error) {
	return rows[studio.Run](t, selectRuns+`WHERE ended_ms IS NULL OR ended_ms >= ? ORDER BY started_ms`, at(&from))
}

// AddPlate adds a plate under the next number.
func (t *Tx) AddPlate(p *studio.Plate) (err error) {
	if p.Number, err = one[int](t, `SELECT coalesce(max(number), 0) + 1 FROM plates`); err != nil {
		return err
	}
	return t.save("plates", &p.ID, p, `state, kept_off, program`, plateOnce)
}

// SavePlate writes a plate's state and what lies on it.
func (t *Tx) SavePlate(p studio.Plate) error {
	if err := t.save("plates", &p.ID, &p, `state, kept_off, program`, plateOnce); err != nil {
		return err
	}
	if err := t.exec(`DELETE FROM plate_pieces WHERE plate_id = ?`, p.ID); err != nil {
		return err
	}
	for _, o := range p.Pieces {
		o.PlateID = p.ID
		if _, err := t.add("plate_pieces", onPlateColumns, &o); err != nil {
			return err
		}
	}
	return nil
}

// SaveRun adds a run without an id, or changes one.
func (t *Tx) SaveRun(r *studio.Run) error { return t.save("runs", &r.ID, r, runColumns, runOnce) }

// LastFailure returns why a piece failed on the plate it lay on last; empty where it did not.
func (t *Tx) LastFailure(pieceID int64) (string, error) {
	list, err := rows[string](t, `SELECT cause FROM plate_pieces WHERE piece_id = ? AND outcome = ? ORDER BY plate_id DESC LIMIT 1`, pieceID, studio.Failed)
	if len(list) == 0 {
		return "", err
	}
	return list[0], err
}

// ModelRuns returns the runs that prints lay in of models that wait in a state, newest first.
func (t *Tx) ModelRuns(emptied studio.PlateState, waiting studio.PieceState) ([]studio.ModelRun, error) {
	return rows[studio.ModelRun](t, `SELECT p.model_id, r.machine_id, r.ended_ms, json_group_array(o.cause) FILTER (WHERE o.outcome = ?3) AS causes, count(*) FILTER (WHERE o.outcome NOT IN (?3, ?4)) AS through
		FROM plate_pieces o JOIN pieces p ON p.id = o.piece_id JOIN plates l ON l.id = o.plate_id JOIN runs r ON r.plate_id = l.id
		WHERE l.state = ?1 AND p.model_id IN (SELECT model_id FROM pieces WHERE state = ?2)
		GROUP BY p.model_id, r.id ORDER BY r.ended_ms DESC, r.id DESC`, emptied, string(waiting), studio.Failed, studio.ScrappedOff)
}

// Remedies returns all that was put right on machines and of models, oldest first.
func (t *Tx) Remedies() ([]studio.Remedy, error) {
	return rows[studio.Remedy](t, `SELECT id, machine_id, model_id, person_id, at_ms, cause, did FROM remedies ORDER BY at_ms, id`)
}

// LastRemedies returns what was put right last on each machine.
func (t *Tx) LastRemedies() (map[int64]studio.Remedy, error) {
	list, err := t.Remedies()
	out := map[int64]studio.Remedy{}
	for _, r := range list {
		if r.ModelID == 0 {
			out[r.MachineID] = r
		}
	}
	return out, err
}

// ModelsPutRight returns when something was put right last of each model.
func (t *Tx) ModelsPutRight() (map[int64]time.Time, error) {
	list, err := t.Remedies()
	out := map[int64]time.Time{}
	for _, r := range list {
		if r.ModelID != 0 {
			out[r.ModelID] = r.At
		}
	}
	return out, err
}

// AddRemedy notes one.
func (t *Tx) AddRemedy(r *studio.Remedy) (err error) {
	r.ID, err = t.add("remedies", `machine_id, model_id, person_id, at_ms, cause, did`, r)
	return err
}

// EmptiedOn returns a machine's plates that were emptied, newest first.
func (t *Tx) EmptiedOn(machineID int64, limit int) ([]studio.Plate, error) {
	return t.plates(`WHERE state = ? AND machine_id = ? ORDER BY (SELECT ended_ms FROM runs WHERE plate_id = plates.id) DESC LIMIT ?`, studio.PlateEmptied, machineID, limit)
}

// Book notes material used up.
func (t *Tx) Book(b studio.Booking) error {
	_, err := t.add("bookings", `material_id, run_id, piece_id, lot_id, grams, at_ms`, &b)
	return err
}

// Unbook takes back what a run booked.
func (t *Tx) Unbook(runID int64) error { return t.exec(`DELETE FROM bookings WHERE run_id = ?`, runID) }

// SpentByPiece returns what was booked on each of an order's pieces, and its share of the runs it
// lay on: their time by the number of pieces on the plate.
func (t *Tx) SpentByPiece(orderID int64, now time.Time) (map[int64]studio.Spent, error) {
	list, err := rows[studio.Spent](t, `SELECT p.id AS piece_id,
			coalesce((SELECT sum(grams) FROM bookings WHERE piece_id = p.id), 0) AS grams,
			coalesce((SELECT sum((coalesce(r.ended_ms, ?) - r.started_ms) / 60000.0 / (SELECT count(*) FROM plate_pieces WHERE plate_id = r.plate_id))
				FROM plate_pieces o JOIN runs r ON r.plate_id = o.plate_id WHERE o.piece_id = p.id), 0) AS machine_min,
			coalesce((SELECT max(r.machine_id) FROM plate_pieces o JOIN runs r ON r.plate_id = o.plate_id WHERE o.piece_id = p.id), 0) AS machine_id
		FROM pieces p WHERE p.order_id = ?`, at(&now), orderID)
	out := map[int64]studio.Spent{}
	for _, s := range list {
		out[s.PieceID] = s
	}
	return out, err
}

// BookedFor returns the grams booked for an order's pieces, by material.
func (t *Tx) BookedFor(orderID int64) (map[int64]float64, error) {
	list, err := rows[studio.Booking](t, `SELECT b.material_id, sum(b.grams) AS grams FROM bookings b JOIN pieces p ON p.id = b.piece_id WHERE p.order_id = ? GROUP BY b.material_id`, orderID)
	out := map[int64]float64{}
	for _, b := range list {
		out[b.MaterialID] = b.Grams
	}
	return out, err
}
