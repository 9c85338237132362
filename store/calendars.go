package store

import "sakuji/studio"

const calendarColumns = `secret, person_id, machine_id, by_id, made_ms`

// Calendars returns those that somebody has made; for 0 everybody's.
func (t *Tx) Calendars(byID int64) ([]studio.Calendar, error) {
	return rows[studio.Calendar](t, `SELECT id, `+calendarColumns+` FROM calendars WHERE ?1 = 0 OR by_id = ?1 ORDER BY id`, byID)
}

// Calendar returns the one of a secret.
func (t *Tx) Calendar(secret string) (studio.Calendar, error) {
	return one[studio.Calendar](t, `SELECT id, `+calendarColumns+` FROM calendars WHERE secret = ?`, secret)
}

// AddCalendar adds one.
func (t *Tx) AddCalendar(c *studio.Calendar) (err error) {
	c.ID, err = t.add("calendars", calendarColumns, c)
	return err
}

// DropCalendar ends one.
func (t *Tx) DropCalendar(id int64) error { return t.exec(`DELETE FROM calendars WHERE id = ?`, id) }
