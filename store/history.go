package store

import (
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/studio"
)

// StageTimes sums up, by process and kind, what stages with a mark took against the book,
// leaving out a kind and what took less than least or more than most times as long.
type StageTimes struct {
	Process string
	Kind    route.StageKind
	finish.Logged
}

// StageTimes returns them.
func (t *Tx) StageTimes(mark route.Mark, not route.StageKind, least, most float64) ([]StageTimes, error) {
	return rows[StageTimes](t, `
		SELECT process, kind, count(*) AS count, avg(r) AS mean, max(0, avg(r * r) - avg(r) * avg(r)) AS var FROM (
			SELECT p.process, s.kind, s.minutes / s.book_min AS r FROM stages s JOIN pieces p ON p.id = s.piece_id
			WHERE s.done_ms IS NOT NULL AND s.minutes > 0 AND s.book_min > 0 AND s.mark = ? AND s.kind <> ?)
		WHERE r BETWEEN ? AND ? GROUP BY process, kind`, string(mark), string(not), least, most)
}

// Looked is how many looks at pieces of a process there were, and how many sent the piece back.
type Looked struct {
	Process     string
	Count, Back int
}

// Looked returns them, for a kind of stage and the mark of one that sent back.
func (t *Tx) Looked(kind route.StageKind, back route.Mark) ([]Looked, error) {
	return rows[Looked](t, `SELECT p.process, count(*) AS count, count(CASE WHEN s.mark = ? THEN 1 END) AS back
		FROM stages s JOIN pieces p ON p.id = s.piece_id WHERE s.kind = ? AND s.done_ms IS NOT NULL GROUP BY p.process`, string(back), string(kind))
}

// StageCount is how many stages of a kind a person has marked.
type StageCount struct {
	PersonID int64
	Kind     route.StageKind
	Count    int
}

// StageCounts returns them, for one mark.
func (t *Tx) StageCounts(mark route.Mark) ([]StageCount, error) {
	return rows[StageCount](t, `SELECT person_id, kind, count(*) AS count FROM stages WHERE mark = ? AND person_id IS NOT NULL GROUP BY person_id, kind`, string(mark))
}

// ModelsWith returns the models of pieces that came off a plate with an outcome.
func (t *Tx) ModelsWith(outcome string) ([]int64, error) {
	return rows[int64](t, `SELECT DISTINCT p.model_id FROM plate_pieces o JOIN pieces p ON p.id = o.piece_id WHERE o.outcome = ? AND p.model_id IS NOT NULL`, outcome)
}

// RunResults returns the runs of plates in a state, with how many pieces came off how.
func (t *Tx) RunResults(state studio.PlateState) ([]studio.RunResult, error) {
	return rows[studio.RunResult](t, `SELECT r.machine_id, l.material_id, r.started_ms, r.planned_min, r.ended_ms,
			(SELECT json_group_object(outcome, n) FROM (SELECT outcome, count(*) AS n FROM plate_pieces o WHERE o.plate_id = l.id GROUP BY outcome)) AS outcomes,
			coalesce((SELECT cause FROM plate_pieces o WHERE o.plate_id = l.id AND o.outcome = 'failed' ORDER BY piece_id LIMIT 1), '') AS cause
		FROM runs r JOIN plates l ON l.id = r.plate_id WHERE l.state = ? ORDER BY r.id`, state)
}

// WithoutFaces returns models whose faces nobody has told apart yet.
func (t *Tx) WithoutFaces() ([]studio.Model, error) {
	return rows[studio.Model](t, `SELECT * FROM models WHERE json_extract(shape, '$.faces.outer') IS NULL OR json_extract(shape, '$.detail.raised') IS NULL ORDER BY id`)
}

// SaveShape changes a model's shape, when it is measured anew.
func (t *Tx) SaveShape(m studio.Model) error {
	return t.save("models", &m.ID, &m, `shape`, "")
}

// RunsOf returns the runs that an order's pieces lay in, with how many of the pieces on the
// plate were the order's.
func (t *Tx) RunsOf(orderID int64) ([]studio.RunShare, error) {
	return rows[studio.RunShare](t, `SELECT r.machine_id, r.started_ms, r.ended_ms, (SELECT count(*) FROM plate_pieces a WHERE a.plate_id = r.plate_id) AS pieces, count(*) AS ours
		FROM plate_pieces o JOIN pieces p ON p.id = o.piece_id JOIN runs r ON r.plate_id = o.plate_id
		WHERE p.order_id = ? GROUP BY r.id ORDER BY r.id`, orderID)
}
