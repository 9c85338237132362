package store

import (
	"time"

	"sakuji/studio"
)

const jobColumns = `kind, batch, order_id, model_id, made_id, sha, bytes, name, options, state, share, note, who, actor_id, at_ms`

// AddJob puts a job at the end of the queue.
func (t *Tx) AddJob(j *studio.Job) (err error) {
	if j.State == "" {
		j.State = studio.JobWaiting
	}
	j.ID, err = t.add("jobs", jobColumns, j)
	return err
}

// NextJob takes the next job: what people wait for before analyses, else in order.
func (t *Tx) NextJob() (studio.Job, error) {
	return one[studio.Job](t, `UPDATE jobs SET state = 'running', tries = tries + 1 WHERE id = (SELECT id FROM jobs WHERE state = 'waiting' ORDER BY kind = ?, id LIMIT 1) RETURNING id, `+jobColumns, studio.JobAnalyse)
}

// Job returns one by id.
func (t *Tx) Job(id int64) (studio.Job, error) {
	return one[studio.Job](t, `SELECT id, `+jobColumns+` FROM jobs WHERE id = ?`, id)
}

// Batch returns the jobs that came together, in order.
func (t *Tx) Batch(batch string) ([]studio.Job, error) {
	return rows[studio.Job](t, `SELECT id, `+jobColumns+` FROM jobs WHERE batch = ? ORDER BY id`, batch)
}

const openJobs = `SELECT id, ` + jobColumns + ` FROM jobs WHERE seen = 0 AND state IN ('waiting', 'running', 'failed') AND `

// OpenJobs returns the jobs of an order or of a design that still run, or that failed
// and were not looked at; analyses only of the model named.
func (t *Tx) OpenJobs(orderID, designID, analysisOf int64) ([]studio.Job, error) {
	return rows[studio.Job](t, openJobs+`(kind <> ?4 AND (?1 <> 0 AND order_id = ?1 OR ?2 <> 0 AND model_id IN (SELECT id FROM models WHERE design_id = ?2))
		OR kind = ?4 AND model_id = ?3) ORDER BY id`, orderID, designID, analysisOf, studio.JobAnalyse)
}

// ShelfJobs returns the files on their way in that belong to no order and no design.
func (t *Tx) ShelfJobs() ([]studio.Job, error) {
	return rows[studio.Job](t, openJobs+`kind = 'read' AND order_id IS NULL AND model_id IS NULL ORDER BY id`)
}

// MoveJob says how far a running job is; it reports whether the job still runs.
func (t *Tx) MoveJob(id int64, share float64, note string) (running bool, err error) {
	r, err := t.change(`UPDATE jobs SET share = ?, note = ? WHERE id = ? AND state = 'running'`, share, note, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// EndJob ends a job that waits or runs; it reports whether it did.
func (t *Tx) EndJob(id int64, state, note string, madeID int64) (ended bool, err error) {
	r, err := t.change(`UPDATE jobs SET state = ?, note = ?, made_id = coalesce(nullif(?, 0), made_id), share = CASE ? WHEN 'done' THEN 1 ELSE share END
		WHERE id = ? AND state IN ('waiting', 'running')`, state, note, madeID, state, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// SeeJob puts a failed job out of sight.
func (t *Tx) SeeJob(id int64) error { return t.exec(`UPDATE jobs SET seen = 1 WHERE id = ?`, id) }

// WakeJobs puts jobs back that ran when the program ended; those begun so often already are
// set aside with a note.
func (t *Tx) WakeJobs(often int, note string) error {
	if err := t.exec(`UPDATE jobs SET state = 'failed', note = ? WHERE state = 'running' AND tries >= ?`, note, often); err != nil {
		return err
	}
	return t.exec(`UPDATE jobs SET state = 'waiting', share = 0, note = '' WHERE state = 'running'`)
}

// PutBackJob lets a running job wait again, as if it had not been begun.
func (t *Tx) PutBackJob(id int64) error {
	return t.exec(`UPDATE jobs SET state = 'waiting', share = 0, note = '', tries = tries - 1 WHERE id = ? AND state = 'running'`, id)
}

// RetryJob lets a failed job wait again; it reports whether there was one.
func (t *Tx) RetryJob(id int64) (again bool, err error) {
	r, err := t.change(`UPDATE jobs SET state = 'waiting', share = 0, note = '', tries = 0, seen = 0 WHERE id = ? AND state = 'failed'`, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// SweepJobs forgets jobs that ended long ago; what they made stays.
func (t *Tx) SweepJobs(before time.Time) error {
	return t.exec(`DELETE FROM jobs WHERE at_ms < ? AND (state IN ('done', 'cancelled') OR seen = 1)`, at(&before))
}

// DropFile takes the row of a kept file away if nothing speaks of it; it reports
// whether it did, and then the file itself may go.
func (t *Tx) DropFile(sha string) (dropped bool, err error) {
	r, err := t.change(`DELETE FROM files WHERE sha = ?1 AND NOT EXISTS (SELECT 1 FROM models WHERE sha = ?1) AND NOT EXISTS (SELECT 1 FROM pictures WHERE sha = ?1) AND NOT EXISTS (SELECT 1 FROM photos WHERE sha = ?1 OR full_sha = ?1)
		AND NOT EXISTS (SELECT 1 FROM swatches WHERE photo_sha = ?1) AND NOT EXISTS (SELECT 1 FROM regions WHERE stop_sha = ?1) AND NOT EXISTS (SELECT 1 FROM flaws WHERE photo_sha = ?1)
		AND NOT EXISTS (SELECT 1 FROM analyses WHERE view_sha = ?1 OR still_sha = ?1) AND NOT EXISTS (SELECT 1 FROM jobs WHERE sha = ?1 AND state IN ('waiting', 'running'))`, sha)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}
