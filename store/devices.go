package store

import "time"

// KeepDevice notes a device that a person has signed in at, and forgets all but their newest.
func (t *Tx) KeepDevice(hash string, personID int64, now time.Time, most int) error {
	if err := t.exec(`INSERT INTO devices (hash, person_id, at_ms) VALUES (?, ?, ?) ON CONFLICT (hash) DO UPDATE SET person_id = excluded.person_id, at_ms = excluded.at_ms`, hash, personID, at(&now)); err != nil {
		return err
	}
	return t.exec(`DELETE FROM devices WHERE person_id = ?1 AND hash NOT IN (SELECT hash FROM devices WHERE person_id = ?1 ORDER BY at_ms DESC LIMIT ?2)`, personID, most)
}

// DeviceOf returns who has signed in at a device last; 0: nobody.
func (t *Tx) DeviceOf(hash string) (personID int64, err error) {
	list, err := rows[int64](t, `SELECT person_id FROM devices WHERE hash = ?`, hash)
	if len(list) == 0 {
		return 0, err
	}
	return list[0], err
}
