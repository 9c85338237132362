package store

import (
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/studio"
)

const pieceColumns = `SELECT p.id, p.code, p.order_id, p.item_id, p.part_id, p.name, p.process, p.material_id, p.scale, p.wall_mm, p.tier, p.attempt, p.state, p.replaces_id, p.model_id, p.orientation_id FROM pieces p `

func scanPiece(scan func(...any) error, p *studio.Piece) error {
	return scan(&p.ID, &p.Code, &p.OrderID, &p.ItemID, &p.PartID, &p.Name, &p.Process, &p.MaterialID, &p.Scale, &p.WallMM, &p.Tier,
		&p.Attempt, &p.State, id(&p.ReplacesID), id(&p.ModelID), id(&p.OrientationID))
}

// Piece returns one by code, with its stages.
func (t *Tx) Piece(code string) (studio.Piece, error) {
	return t.withStages(one(t, scanPiece, pieceColumns+`WHERE p.code = ? COLLATE NOCASE`, code))
}

// PieceByID returns one by id, with its stages.
func (t *Tx) PieceByID(pieceID int64) (studio.Piece, error) {
	return t.withStages(one(t, scanPiece, pieceColumns+`WHERE p.id = ?`, pieceID))
}

func (t *Tx) withStages(p studio.Piece, err error) (studio.Piece, error) {
	if err != nil {
		return p, err
	}
	p.Stages, err = rows(t, scanStage, stageColumns+`WHERE s.piece_id = ? ORDER BY s.position`, p.ID)
	return p, err
}

// PiecesOf returns an order's pieces with their stages, in the order they were made.
func (t *Tx) PiecesOf(orderID int64) ([]studio.Piece, error) {
	return t.pieces(`WHERE p.order_id = ? ORDER BY p.id`, orderID)
}

// PiecesIn returns pieces in these states with their stages; those of the order
// wanted soonest first.
func (t *Tx) PiecesIn(states ...studio.PieceState) ([]studio.Piece, error) {
	args := make([]any, len(states))
	for i, s := range states {
		args[i] = s
	}
	return t.pieces(`JOIN orders o ON o.id = p.order_id WHERE p.state IN (?`+strings.Repeat(", ?", len(states)-1)+`)
		ORDER BY o.wanted_ms IS NULL, o.wanted_ms, p.order_id, p.id`, args...)
}

// PiecesOfOrders returns every piece of the orders in a state, whatever its own, without
// its stages.
func (t *Tx) PiecesOfOrders(state studio.OrderState) ([]studio.Piece, error) {
	return rows(t, scanPiece, pieceColumns+`JOIN orders o ON o.id = p.order_id WHERE o.state = ? ORDER BY p.order_id, p.id`, state)
}

// Counted is how many pieces of an order are in a state.
type Counted struct {
	OrderID int64
	State   studio.PieceState
	Pieces  int
}

// CountPieces counts the pieces of every order by state.
func (t *Tx) CountPieces() ([]Counted, error) {
	return rows(t, func(scan func(...any) error, c *Counted) error { return scan(&c.OrderID, &c.State, &c.Pieces) },
		`SELECT order_id, state, count(*) FROM pieces GROUP BY order_id, state`)
}

// PiecesOnPlate returns the pieces of a plate with their stages.
func (t *Tx) PiecesOnPlate(plateID int64) ([]studio.Piece, error) {
	return t.pieces(`JOIN plate_pieces pp ON pp.piece_id = p.id WHERE pp.plate_id = ? ORDER BY p.id`, plateID)
}

func (t *Tx) pieces(where string, args ...any) ([]studio.Piece, error) {
	pieces, err := rows(t, scanPiece, pieceColumns+where, args...)
	if err != nil || len(pieces) == 0 {
		return nil, err
	}
	byID := make(map[int64]*studio.Piece, len(pieces))
	for i := range pieces {
		byID[pieces[i].ID] = &pieces[i]
	}
	inner := where
	if at := strings.Index(inner, "ORDER BY"); at >= 0 {
		inner = inner[:at]
	}
	stages, err := rows(t, scanStage, stageColumns+`WHERE s.piece_id IN (SELECT p.id FROM pieces p `+inner+`) ORDER BY s.piece_id, s.position`, args...)
	for _, s := range stages {
		if p := byID[s.PieceID]; p != nil {
			p.Stages = append(p.Stages, s)
		}
	}
	return pieces, err
}

const stageColumns = `SELECT s.piece_id, s.position, s.kind, s.mark, s.planned_min, coalesce(s.book_min, 0), s.repeat, s.again, s.wait_s, s.person_id, coalesce(w.initials, ''),
	s.done_ms, coalesce(s.minutes, 0), s.note, s.until_ms FROM stages s LEFT JOIN people w ON w.id = s.person_id `

func scanStage(scan func(...any) error, s *studio.Stage) error {
	return scan(&s.PieceID, &s.Position, &s.Kind, &s.Mark, &s.Planned, &s.Book, &s.Repeat, &s.Again, &s.WaitS, id(&s.PersonID), &s.Initials,
		at(&s.Done), &s.Minutes, &s.Note, at(&s.Until))
}

// AddPiece adds a piece with its stages.
func (t *Tx) AddPiece(p *studio.Piece) (err error) {
	p.ID, err = t.insert(`INSERT INTO pieces (code, order_id, item_id, part_id, name, process, material_id, scale, wall_mm, tier, attempt, state, replaces_id, model_id, orientation_id)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, p.Code, p.OrderID, p.ItemID, p.PartID, p.Name, p.Process, p.MaterialID, p.Scale, p.WallMM,
		p.Tier, p.Attempt, p.State, id(&p.ReplacesID), id(&p.ModelID), id(&p.OrientationID))
	if err != nil {
		return err
	}
	return t.SaveStages(p)
}

// SavePiece changes a piece; its stages are saved by SaveStages.
func (t *Tx) SavePiece(p studio.Piece) error {
	return t.exec(`UPDATE pieces SET name = ?, process = ?, material_id = ?, scale = ?, wall_mm = ?, tier = ?, attempt = ?, state = ?, model_id = ?, orientation_id = ? WHERE id = ?`,
		p.Name, p.Process, p.MaterialID, p.Scale, p.WallMM, p.Tier, p.Attempt, p.State, id(&p.ModelID), id(&p.OrientationID), p.ID)
}

// SaveStages writes a piece's whole strip, in the order it has.
func (t *Tx) SaveStages(p *studio.Piece) error {
	if err := t.exec(`DELETE FROM stages WHERE piece_id = ? AND position >= ?`, p.ID, len(p.Stages)); err != nil {
		return err
	}
	for i := range p.Stages {
		s := &p.Stages[i]
		s.PieceID, s.Position = p.ID, i
		minutes := any(s.Minutes)
		if s.Done.IsZero() {
			minutes = nil
		}
		if err := t.exec(`INSERT INTO stages (piece_id, position, kind, mark, planned_min, book_min, repeat, again, wait_s, person_id, done_ms, minutes, note, until_ms)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT (piece_id, position) DO UPDATE SET kind = excluded.kind, mark = excluded.mark, planned_min = excluded.planned_min, book_min = excluded.book_min,
				repeat = excluded.repeat, again = excluded.again, wait_s = excluded.wait_s, person_id = excluded.person_id, done_ms = excluded.done_ms,
				minutes = excluded.minutes, note = excluded.note, until_ms = excluded.until_ms`,
			p.ID, i, string(s.Kind), string(s.Mark), s.Planned, s.Book, s.Repeat, s.Again, s.WaitS, id(&s.PersonID), at(&s.Done), minutes, s.Note, at(&s.Until)); err != nil {
			return err
		}
	}
	return nil
}

// Codes returns the codes of an order's pieces.
func (t *Tx) Codes(orderID int64) ([]string, error) {
	return rows(t, func(scan func(...any) error, s *string) error { return scan(s) }, `SELECT code FROM pieces WHERE order_id = ?`, orderID)
}

// WaitsEnded returns stamped stages whose wait ended between two times, oldest
// first, with the name of their piece in Note.
func (t *Tx) WaitsEnded(from, to time.Time) ([]studio.Stage, error) {
	return rows(t, scanStage, `SELECT s.piece_id, s.position, s.kind, s.mark, s.planned_min, coalesce(s.book_min, 0), s.repeat, s.again, s.wait_s, s.person_id, '', s.done_ms,
		coalesce(s.minutes, 0), p.name, s.until_ms FROM stages s JOIN pieces p ON p.id = s.piece_id
		WHERE s.until_ms >= ? AND s.until_ms < ? AND s.wait_s > 0 AND s.mark = ? ORDER BY s.until_ms`, at(&from), at(&to), string(route.Done))
}
