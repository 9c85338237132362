package store

import (
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/studio"
)

const (
	pieceOnce    = `code, order_id, item_id, part_id, replaces_id, kind`
	pieceColumns = `name, process, material_id, scale, wall_mm, profile, tier, attempt, state, model_id, orientation_id, parent_id, from_id, beside, place_id`
	stageColumns = `kind, mark, planned_min, book_min, repeat, again, rework, how, wait_s, person_id, done_ms, minutes, note, bath_id, until_ms, medium, film`
	selectPieces = `SELECT p.* FROM pieces p `
	selectStages = `SELECT piece_id, position, ` + stageColumns + `, coalesce(w.initials, '') AS initials FROM stages s LEFT JOIN people w ON w.id = s.person_id `
)

// Piece returns one by code, with its stages.
func (t *Tx) Piece(code string) (studio.Piece, error) {
	return t.withStages(one[studio.Piece](t, selectPieces+`WHERE p.code = ? COLLATE NOCASE`, code))
}

// PieceByID returns one by id, with its stages.
func (t *Tx) PieceByID(pieceID int64) (studio.Piece, error) {
	return t.withStages(one[studio.Piece](t, selectPieces+`WHERE p.id = ?`, pieceID))
}

func (t *Tx) withStages(p studio.Piece, err error) (studio.Piece, error) {
	if err != nil {
		return p, err
	}
	p.Stages, err = rows[studio.Stage](t, selectStages+`WHERE s.piece_id = ? ORDER BY s.position`, p.ID)
	return p, err
}

// asTrees orders pieces as they were made, what an assembly is made of after it.
const asTrees = `coalesce(p.parent_id, p.id), p.parent_id IS NOT NULL, p.id`

// PiecesOf returns an order's pieces with their stages, in the order they were made.
func (t *Tx) PiecesOf(orderID int64) ([]studio.Piece, error) {
	return t.pieces(`WHERE p.order_id = ? ORDER BY `+asTrees, orderID)
}

// PiecesIn returns pieces in these states with their stages; those of the order
// wanted soonest first.
func (t *Tx) PiecesIn(states ...studio.PieceState) ([]studio.Piece, error) {
	marks, args := in(states)
	return t.pieces(`JOIN orders o ON o.id = p.order_id WHERE p.state IN `+marks+`
		ORDER BY o.wanted_ms IS NULL, o.wanted_ms, p.order_id, `+asTrees, args...)
}

// PiecesOfKind returns pieces of a kind in these states, without their stages.
func (t *Tx) PiecesOfKind(kind studio.PieceKind, states ...studio.PieceState) ([]studio.Piece, error) {
	marks, args := in(states)
	return rows[studio.Piece](t, selectPieces+`WHERE p.state IN `+marks+` AND p.kind = ? ORDER BY p.id`, append(args, string(kind))...)
}

// Judged is what came of a trial.
type Judged struct {
	Code, Name, Note string
	Done             time.Time
}

// Judged returns what was noted at a kind of stage on pieces of a kind, the newest first.
func (t *Tx) Judged(of studio.PieceKind, kind route.StageKind, limit int) ([]Judged, error) {
	return rows[Judged](t, `SELECT p.code, p.name, s.note, s.done_ms FROM stages s JOIN pieces p ON p.id = s.piece_id
		WHERE p.kind = ? AND s.kind = ? AND s.note <> '' AND s.done_ms IS NOT NULL ORDER BY s.done_ms DESC LIMIT ?`, string(of), string(kind), limit)
}

// PiecesOfOrders returns every piece of the orders in a state, whatever its own, without
// its stages.
func (t *Tx) PiecesOfOrders(state studio.OrderState) ([]studio.Piece, error) {
	return rows[studio.Piece](t, selectPieces+`JOIN orders o ON o.id = p.order_id WHERE o.state = ? ORDER BY p.order_id, p.id`, state)
}

// Counted is how many pieces of an order are in a state.
type Counted struct {
	OrderID int64
	State   studio.PieceState
	Pieces  int
}

// CountPieces counts the pieces of every order by state, but for those inside or beside others
// and those of some kinds.
func (t *Tx) CountPieces(but ...studio.PieceKind) ([]Counted, error) {
	marks, args := in(but)
	return rows[Counted](t, `SELECT order_id, state, count(*) AS pieces FROM pieces WHERE parent_id IS NULL AND beside = 0 AND kind NOT IN `+marks+` GROUP BY order_id, state`, args...)
}

// SaveStandIn writes what a piece has become that stands in for another.
func (t *Tx) SaveStandIn(p *studio.Piece) error {
	return t.save("pieces", &p.ID, p, `kind, replaces_id, `+pieceColumns, "")
}

// MadeOf reports whether other pieces are made of one.
func (t *Tx) MadeOf(pieceID int64) (bool, error) {
	n, err := one[int](t, `SELECT count(*) FROM pieces WHERE from_id = ?`, pieceID)
	return n > 0, err
}

// PiecesOnPlate returns the pieces of a plate with their stages.
func (t *Tx) PiecesOnPlate(plateID int64) ([]studio.Piece, error) {
	return t.pieces(`JOIN plate_pieces pp ON pp.piece_id = p.id WHERE pp.plate_id = ? ORDER BY p.id`, plateID)
}

func (t *Tx) pieces(where string, args ...any) ([]studio.Piece, error) {
	pieces, err := rows[studio.Piece](t, selectPieces+where, args...)
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
	stages, err := rows[studio.Stage](t, selectStages+`WHERE s.piece_id IN (SELECT p.id FROM pieces p `+inner+`) ORDER BY s.piece_id, s.position`, args...)
	for _, s := range stages {
		if p := byID[s.PieceID]; p != nil {
			p.Stages = append(p.Stages, s)
		}
	}
	return pieces, err
}

// AddPiece adds a piece with its stages.
func (t *Tx) AddPiece(p *studio.Piece) (err error) {
	if p.ID, err = t.add("pieces", pieceOnce+`, `+pieceColumns, p); err != nil {
		return err
	}
	for i := range p.Stages {
		p.Stages[i].PieceID, p.Stages[i].Position = p.ID, i
	}
	return addAll(t, "stages", `piece_id, position, `+stageColumns, p.Stages)
}

// SavePiece changes a piece; its stages are saved by SaveStages.
func (t *Tx) SavePiece(p studio.Piece) error {
	return t.save("pieces", &p.ID, &p, pieceColumns, pieceOnce)
}

// SaveStages saves a piece's whole strip, in the order it has: what of it is new.
func (t *Tx) SaveStages(p *studio.Piece) error {
	before, err := rows[studio.Stage](t, selectStages+`WHERE s.piece_id = ? ORDER BY s.position`, p.ID)
	if err != nil {
		return err
	}
	if len(before) > len(p.Stages) {
		if err := t.exec(`DELETE FROM stages WHERE piece_id = ? AND position >= ?`, p.ID, len(p.Stages)); err != nil {
			return err
		}
	}
	for i := range p.Stages {
		s := &p.Stages[i]
		s.PieceID, s.Position = p.ID, i
		if i < len(before) && *s == before[i] {
			continue
		}
		if err := t.put("stages", `piece_id, position`, stageColumns, s); err != nil {
			return err
		}
	}
	return nil
}

// Codes returns the codes of an order's pieces.
func (t *Tx) Codes(orderID int64) ([]string, error) {
	return rows[string](t, `SELECT code FROM pieces WHERE order_id = ?`, orderID)
}

// WaitsSince returns stamped stages whose wait ended, or ends, after a time, first to end first.
func (t *Tx) WaitsSince(from time.Time) ([]studio.Stage, error) {
	return rows[studio.Stage](t, selectStages+`WHERE until_ms >= ? AND wait_s > 0 AND mark = ? ORDER BY until_ms`, at(&from), string(route.Done))
}
