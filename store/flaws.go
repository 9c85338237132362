package store

import (
	"time"

	"sakuji/studio"
)

const (
	flawColumns = `piece_id, position, stage, kind, cause, text, verdict, back_to, hidden_by, remedy, minutes, grams, photo_sha, marked, x, y, over_recipe, under_recipe, at_ms, by_id`
	selectFlaws = `SELECT f.id, f.piece_id, f.position, f.stage, f.kind, f.cause, f.text, f.verdict, f.back_to, f.hidden_by, f.remedy, f.minutes, f.grams, coalesce(f.photo_sha, '') AS photo_sha, f.marked, f.x, f.y, f.over_recipe, f.under_recipe, f.at_ms, f.by_id FROM flaws f `
)

// AddFlaw notes one.
func (t *Tx) AddFlaw(f *studio.Flaw) (err error) {
	f.ID, err = t.add("flaws", flawColumns, f)
	return err
}

// FlawsOf returns those of a piece, the newest first.
func (t *Tx) FlawsOf(pieceID int64) ([]studio.Flaw, error) {
	return rows[studio.Flaw](t, selectFlaws+`WHERE f.piece_id = ? ORDER BY f.id DESC`, pieceID)
}

// DropFlaws forgets those that sent a piece back from a stage, which was taken back.
func (t *Tx) DropFlaws(pieceID int64, position int) error {
	return t.exec(`DELETE FROM flaws WHERE piece_id = ? AND position = ? AND verdict = ?`, pieceID, position, studio.FlawBack)
}

// FlawsFrom returns those found from a moment on, the newest first.
func (t *Tx) FlawsFrom(from time.Time) ([]studio.Flaw, error) {
	return rows[studio.Flaw](t, selectFlaws+`WHERE f.at_ms >= ? ORDER BY f.at_ms DESC, f.id DESC`, at(&from))
}

// SeenBefore is how often a flaw was found on pieces of a model.
type SeenBefore struct {
	Kind  string
	Text  string // where, the last time
	Times int
}

// FlawsOfModel counts those that pieces of a model had, but for one piece.
func (t *Tx) FlawsOfModel(modelID, butPieceID int64) ([]SeenBefore, error) {
	return rows[SeenBefore](t, `SELECT f.kind, f.text, count(*) AS times FROM flaws f CROSS JOIN pieces p ON p.id = f.piece_id WHERE p.model_id = ? AND p.id <> ? GROUP BY f.kind ORDER BY count(*) DESC, max(f.id) DESC`, modelID, butPieceID)
}

// BadPairs returns pairs of coats that went wrong, the newest first.
func (t *Tx) BadPairs() ([]studio.Bad, error) {
	return rows[studio.Bad](t, `SELECT f.over_recipe, f.under_recipe, f.kind, p.code, f.at_ms FROM flaws f JOIN pieces p ON p.id = f.piece_id WHERE f.over_recipe <> 0 ORDER BY f.id DESC`)
}

// FailedPrint is how often prints failed of a cause, and what they took.
type FailedPrint struct {
	Cause  string
	Prints int
	Last   time.Time
}

// FailedPrints counts them from a moment on, the most frequent first.
func (t *Tx) FailedPrints(from time.Time, outcomes ...string) ([]FailedPrint, error) {
	marks, args := in(outcomes)
	return rows[FailedPrint](t, `SELECT q.cause, count(*) AS prints, max(u.ended_ms) AS last_ms FROM plate_pieces q JOIN runs u ON u.plate_id = q.plate_id
		WHERE q.outcome IN `+marks+` AND q.cause <> '' AND u.ended_ms >= ? GROUP BY q.cause ORDER BY count(*) DESC, q.cause`, append(args, at(&from))...)
}
