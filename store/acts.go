package store

import "time"

// ClaimAct takes the key of an act; it reports whether nobody had taken it before.
func (t *Tx) ClaimAct(key, path string, now time.Time) (fresh bool, err error) {
	r, err := t.change(`INSERT INTO acts (key, path, "to", told, at_ms) VALUES (?, ?, '', '', ?) ON CONFLICT DO NOTHING`, key, path, at(&now))
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// AnswerAct notes where the answer to an act led, and what it told.
func (t *Tx) AnswerAct(key, to, told string) error {
	return t.exec(`UPDATE acts SET "to" = ?, told = ? WHERE key = ?`, to, told, key)
}

// Act returns where the answer to an act led, and what it told.
func (t *Tx) Act(key string) (to, told string, err error) {
	a, err := one[struct{ To, Told string }](t, `SELECT "to", told FROM acts WHERE key = ?`, key)
	return a.To, a.Told, err
}

// SweepActs forgets acts that nobody sends again.
func (t *Tx) SweepActs(before time.Time) error {
	return t.exec(`DELETE FROM acts WHERE at_ms < ?`, at(&before))
}
