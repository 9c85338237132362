package store

import (
	"time"

	"sakuji/studio"
)

const absenceColumns = `person_id, machine_id, from_ms, to_ms, why`

// Absences returns those that are not over by a moment, in order of their begin.
func (t *Tx) Absences(after time.Time) ([]studio.Absence, error) {
	return rows[studio.Absence](t, `SELECT id, `+absenceColumns+` FROM absences WHERE to_ms > ? ORDER BY from_ms, id`, at(&after))
}

// AddAbsence notes one.
func (t *Tx) AddAbsence(a *studio.Absence) (err error) {
	a.ID, err = t.add("absences", absenceColumns, a)
	return err
}

// DropAbsence takes one back.
func (t *Tx) DropAbsence(id int64) error { return t.exec(`DELETE FROM absences WHERE id = ?`, id) }

// FineDays returns what is said of the weather from a day on.
func (t *Tx) FineDays(from string) ([]studio.FineDay, error) {
	return rows[studio.FineDay](t, `SELECT * FROM fine_days WHERE day >= ? ORDER BY day`, from)
}

// SaveFineDay says it of a day.
func (t *Tx) SaveFineDay(f studio.FineDay) error {
	return t.put("fine_days", "day", "from_min, to_min", &f)
}

const moveColumns = `task, person_id, at_ms, by_id, set_ms`

// Moves returns for each task that was moved by hand how it was moved last; what was undone does not count.
func (t *Tx) Moves() ([]studio.PlanMove, error) {
	return rows[studio.PlanMove](t, `SELECT id, `+moveColumns+` FROM plan_moves WHERE id IN (SELECT max(id) FROM plan_moves WHERE undone = 0 GROUP BY task) ORDER BY id`)
}

// LastMove returns the one that an undo takes back.
func (t *Tx) LastMove() (studio.PlanMove, error) {
	return one[studio.PlanMove](t, `SELECT id, `+moveColumns+` FROM plan_moves WHERE undone = 0 ORDER BY id DESC LIMIT 1`)
}

// AddMove keeps one.
func (t *Tx) AddMove(m *studio.PlanMove) (err error) {
	m.ID, err = t.add("plan_moves", moveColumns, m)
	return err
}

// UndoMove takes one back.
func (t *Tx) UndoMove(id int64) error {
	return t.exec(`UPDATE plan_moves SET undone = 1 WHERE id = ?`, id)
}

// Agreed returns the plan that was agreed on.
func (t *Tx) Agreed() ([]studio.AgreedTask, error) {
	return rows[studio.AgreedTask](t, `SELECT `+agreedColumns+` FROM plan_agreed`)
}

const agreedColumns = `task, person_id, machine_id, order_id, title, from_ms, to_ms`

// SaveAgreed puts a plan in the place of the one before.
func (t *Tx) SaveAgreed(list []studio.AgreedTask) error {
	if err := t.exec(`DELETE FROM plan_agreed`); err != nil {
		return err
	}
	return addAll(t, "plan_agreed", agreedColumns, list)
}
