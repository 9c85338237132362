package store

import (
	"slices"
	"sync"

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
	type sums struct {
		Process string
		Kind    route.StageKind
		Count   int
		Sum, Sq float64
	}
	type of struct {
		process string
		kind    route.StageKind
	}
	var order []of
	all := map[of]sums{}
	err := inTwo(t, func(x sums) {
		k := of{x.Process, x.Kind}
		was, known := all[k]
		if !known {
			order = append(order, k)
		}
		all[k] = sums{x.Process, x.Kind, was.Count + x.Count, was.Sum + x.Sum, was.Sq + x.Sq}
	}, `SELECT process, kind, count(*) AS count, sum(r) AS sum, sum(r * r) AS sq FROM (
			SELECT p.process, s.kind, s.minutes / s.book_min AS r FROM stages s JOIN pieces p ON p.id = s.piece_id
			WHERE s.minutes > 0 AND s.book_min > 0 AND s.mark = ? AND s.kind <> ? AND `, `)
		WHERE r BETWEEN ? AND ? GROUP BY process, kind`, []any{string(mark), string(not)}, []any{least, most})
	out := make([]StageTimes, len(order))
	for i, k := range order {
		x := all[k]
		n := float64(x.Count)
		out[i] = StageTimes{x.Process, x.Kind, finish.Logged{Count: x.Count, Mean: x.Sum / n, Var: max(0, x.Sq/n-x.Sum/n*x.Sum/n)}}
	}
	return out, err
}

// Looked is how many looks at pieces of a process there were, and how many sent the piece back.
type Looked struct {
	Process     string
	Count, Back int
}

// Looked returns them, for a kind of stage and the mark of one that sent back.
func (t *Tx) Looked(kind route.StageKind, back route.Mark) (out []Looked, err error) {
	err = inTwo(t, func(x Looked) {
		for k := range out {
			if out[k].Process == x.Process {
				out[k].Count, out[k].Back = out[k].Count+x.Count, out[k].Back+x.Back
				return
			}
		}
		out = append(out, x)
	}, `SELECT p.process, count(*) AS count, count(CASE WHEN s.mark = ? THEN 1 END) AS back
		FROM stages s JOIN pieces p ON p.id = s.piece_id WHERE s.kind = ? AND `, ` GROUP BY p.process`, []any{string(back), string(kind)}, nil)
	return out, err
}

// StageCount is how many stages of a kind a person has marked.
type StageCount struct {
	PersonID int64
	Kind     route.StageKind
	Count    int
}

// StageCounts returns them, for one mark.
func (t *Tx) StageCounts(mark route.Mark) (out []StageCount, err error) {
	at := map[StageCount]int{}
	err = inTwo(t, func(x StageCount) {
		of := StageCount{PersonID: x.PersonID, Kind: x.Kind}
		k, known := at[of]
		if !known {
			k = len(out)
			at[of], out = k, append(out, of)
		}
		out[k].Count += x.Count
	}, `SELECT s.person_id, s.kind, count(*) AS count FROM stages s WHERE s.mark = ? AND s.person_id IS NOT NULL AND `, ` GROUP BY s.person_id, s.kind`, []any{string(mark)}, nil)
	return out, err
}

// past is what was summed up of the stages that were done before a moment; see the table of that name.
type past struct {
	sync.Mutex
	beforeMS, n int64
	of          map[string]any // rows, by their query
}

// inTwo reads a sum over the stages that are done in two: of what lies before the moment of the table past, which
// nothing touches any more, once; of what was done since each time.
func inTwo[T any](t *Tx, take func(T), query, rest string, before, after []any) error {
	type moment struct{ BeforeMS, N int64 }
	at, err := rows[moment](t, `SELECT before_ms, n FROM past /* which changes of stages and pieces touch */`)
	if err != nil {
		return err
	}
	var m moment
	if len(at) > 0 {
		m = at[0]
	}
	args := slices.Concat(before, []any{m.BeforeMS}, after)
	old, known := t.store.past.find(m.BeforeMS, m.N, query, args).([]T)
	if !known && m.BeforeMS > 0 { // most of the table: read through from end to end, the plus keeps it from the index
		if old, err = scanned[T](t, query+`+s.done_ms < ?`+rest, args); err != nil {
			return err
		}
		t.store.past.keep(m.BeforeMS, m.N, query, args, old)
	}
	fresh, err := rows[T](t, query+`s.done_ms >= ?`+rest, args...)
	for _, x := range append(slices.Clone(old), fresh...) {
		take(x)
	}
	return err
}

func (p *past) find(beforeMS, n int64, query string, args []any) any {
	p.Lock()
	defer p.Unlock()
	if p.beforeMS != beforeMS || p.n != n {
		return nil
	}
	return p.of[asked(query, args)]
}

func (p *past) keep(beforeMS, n int64, query string, args []any, found any) {
	p.Lock()
	defer p.Unlock()
	if p.beforeMS != beforeMS || p.n != n || p.of == nil {
		p.beforeMS, p.n, p.of = beforeMS, n, map[string]any{}
	}
	p.of[asked(query, args)] = found
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

// SaveShape changes a model's shape, when it is measured again.
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
