package store

import (
	"database/sql"
	"errors"
	"strings"
	"time"

	"sakuji/studio"
)

const plateColumns = `SELECT id, number, machine_id, material_id, state, created_ms FROM plates `

func scanPlate(scan func(...any) error, p *studio.Plate) error {
	return scan(&p.ID, &p.Number, &p.MachineID, &p.MaterialID, &p.State, at(&p.Created))
}

// Plate returns one by number, with its pieces and run.
func (t *Tx) Plate(number int) (studio.Plate, error) {
	p, err := one(t, scanPlate, plateColumns+`WHERE number = ?`, number)
	if err != nil {
		return p, err
	}
	return p, t.fill(&p)
}

// Plates returns plates in these states with their pieces and runs, oldest first.
func (t *Tx) Plates(states ...studio.PlateState) ([]studio.Plate, error) {
	args := make([]any, len(states))
	for i, s := range states {
		args[i] = s
	}
	plates, err := rows(t, scanPlate, plateColumns+`WHERE state IN (?`+strings.Repeat(", ?", len(states)-1)+`) ORDER BY id`, args...)
	for i := range plates {
		if err == nil {
			err = t.fill(&plates[i])
		}
	}
	return plates, err
}

// EmptiedPlates returns the plates emptied last, newest first.
func (t *Tx) EmptiedPlates(limit int) ([]studio.Plate, error) {
	plates, err := rows(t, scanPlate, plateColumns+`WHERE state = ? ORDER BY id DESC LIMIT ?`, studio.PlateEmptied, limit)
	for i := range plates {
		if err == nil {
			err = t.fill(&plates[i])
		}
	}
	return plates, err
}

// PlateOfPiece returns the newest plate that a piece lies or lay on.
func (t *Tx) PlateOfPiece(pieceID int64) (studio.Plate, error) {
	p, err := one(t, scanPlate, plateColumns+`WHERE id = (SELECT max(plate_id) FROM plate_pieces WHERE piece_id = ?)`, pieceID)
	if err != nil {
		return p, err
	}
	return p, t.fill(&p)
}

func (t *Tx) fill(p *studio.Plate) (err error) {
	p.Pieces, err = rows(t, func(scan func(...any) error, o *studio.OnPlatePiece) error {
		return scan(&o.PlateID, &o.PieceID, &o.XMM, &o.YMM, &o.Quarters, &o.Report, &o.Outcome, &o.Cause)
	}, `SELECT plate_id, piece_id, x_mm, y_mm, quarters, report, outcome, cause FROM plate_pieces WHERE plate_id = ? ORDER BY piece_id`, p.ID)
	if err != nil {
		return err
	}
	r, err := one(t, scanRun, runColumns+`WHERE plate_id = ?`, p.ID)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	p.Run = &r
	return err
}

const runColumns = `SELECT id, plate_id, machine_id, started_ms, planned_min, room_c, ended_ms, emptied_ms, emptied_by, note, coalesce(physics_min, 0) FROM runs `

func scanRun(scan func(...any) error, r *studio.Run) error {
	var room sql.NullFloat64
	err := scan(&r.ID, &r.PlateID, &r.MachineID, at(&r.Started), &r.PlannedMin, &room, at(&r.Ended), at(&r.Emptied), id(&r.EmptiedBy), &r.Note, &r.PhysicsMin)
	if room.Valid {
		r.RoomC = &room.Float64
	}
	return err
}

// RunsSince returns runs that were on at or after a time, oldest first.
func (t *Tx) RunsSince(from time.Time) ([]studio.Run, error) {
	return rows(t, scanRun, runColumns+`WHERE ended_ms IS NULL OR ended_ms >= ? ORDER BY started_ms`, at(&from))
}

// AddPlate adds a plate under the next number.
func (t *Tx) AddPlate(p *studio.Plate) (err error) {
	p.Number, err = one(t, func(scan func(...any) error, n *int) error { return scan(n) }, `SELECT coalesce(max(number), 0) + 1 FROM plates`)
	if err != nil {
		return err
	}
	p.ID, err = t.insert(`INSERT INTO plates (number, machine_id, material_id, state, created_ms) VALUES (?, ?, ?, ?, ?)`,
		p.Number, p.MachineID, p.MaterialID, p.State, at(&p.Created))
	return err
}

// SavePlate writes a plate's state and what lies on it.
func (t *Tx) SavePlate(p studio.Plate) error {
	if err := t.exec(`UPDATE plates SET state = ? WHERE id = ?`, p.State, p.ID); err != nil {
		return err
	}
	if err := t.exec(`DELETE FROM plate_pieces WHERE plate_id = ?`, p.ID); err != nil {
		return err
	}
	for _, o := range p.Pieces {
		if err := t.exec(`INSERT INTO plate_pieces (plate_id, piece_id, x_mm, y_mm, quarters, report, outcome, cause) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			p.ID, o.PieceID, o.XMM, o.YMM, o.Quarters, o.Report, o.Outcome, o.Cause); err != nil {
			return err
		}
	}
	return nil
}

// SaveRun adds a run without an id, or changes one.
func (t *Tx) SaveRun(r *studio.Run) (err error) {
	if r.ID == 0 {
		r.ID, err = t.insert(`INSERT INTO runs (plate_id, machine_id, started_ms, planned_min, room_c, ended_ms, emptied_ms, emptied_by, note, physics_min)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, nullif(?, 0.0))`, r.PlateID, r.MachineID, at(&r.Started), r.PlannedMin, r.RoomC, at(&r.Ended), at(&r.Emptied), id(&r.EmptiedBy), r.Note, r.PhysicsMin)
		return err
	}
	return t.exec(`UPDATE runs SET started_ms = ?, planned_min = ?, room_c = ?, ended_ms = ?, emptied_ms = ?, emptied_by = ?, note = ? WHERE id = ?`,
		at(&r.Started), r.PlannedMin, r.RoomC, at(&r.Ended), at(&r.Emptied), id(&r.EmptiedBy), r.Note, r.ID)
}

// Book notes material used up.
func (t *Tx) Book(b studio.Booking) error {
	return t.exec(`INSERT INTO bookings (material_id, run_id, piece_id, grams, at_ms) VALUES (?, ?, ?, ?, ?)`,
		b.MaterialID, b.RunID, id(&b.PieceID), b.Grams, at(&b.At))
}

// Unbook takes back what a run booked.
func (t *Tx) Unbook(runID int64) error { return t.exec(`DELETE FROM bookings WHERE run_id = ?`, runID) }

// BookedFor returns the grams booked for an order's pieces, by material.
func (t *Tx) BookedFor(orderID int64) (map[int64]float64, error) {
	type row struct {
		material int64
		grams    float64
	}
	list, err := rows(t, func(scan func(...any) error, r *row) error { return scan(&r.material, &r.grams) },
		`SELECT b.material_id, sum(b.grams) FROM bookings b JOIN pieces p ON p.id = b.piece_id WHERE p.order_id = ? GROUP BY b.material_id`, orderID)
	out := map[int64]float64{}
	for _, r := range list {
		out[r.material] = r.grams
	}
	return out, err
}
