package store

import "sakuji/studio"

const tuningColumns = `machine_id, material_id, person_id, at_ms, did, hands_min, grams`

// Tunings returns what was set or tried on a machine, the newest first.
func (t *Tx) Tunings(machineID int64) ([]studio.Tuning, error) {
	return rows[studio.Tuning](t, `SELECT id, `+tuningColumns+` FROM tunings WHERE machine_id = ? ORDER BY at_ms DESC, id DESC LIMIT 60`, machineID)
}

// AddTuning notes one.
func (t *Tx) AddTuning(l *studio.Tuning) (err error) {
	l.ID, err = t.add("tunings", tuningColumns, l)
	return err
}

// SaveTuned writes what was found on a machine for its materials.
func (t *Tx) SaveTuned(m studio.Machine) error { return t.save("machines", &m.ID, &m, `tuned`, "") }

// Replacements returns what was replaced on a machine, the newest first.
func (t *Tx) Replacements(machineID int64) ([]studio.Replacement, error) {
	return rows[studio.Replacement](t, `SELECT * FROM replacements WHERE machine_id = ? ORDER BY at_ms DESC, id DESC LIMIT 60`, machineID)
}
