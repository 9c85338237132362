package store

import (
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// History returns what the studio's own past says: what stages took against the book, who
// has practised what, which models printed well, how often runs failed.
//
// Whatever changes it writes to the logbook, so that between two lines of it the answer
// stays and is remembered.
func (t *Tx) History() (out studio.History, err error) {
	if t.writing {
		return t.history()
	}
	newest, err := one(t, func(scan func(...any) error, id *int64) error { return scan(id) }, `SELECT coalesce(max(id), 0) FROM logbook`)
	if err != nil {
		return out, err
	}
	if was, ok := t.models.Load(historyAt{}); ok && was.(historyAt).newest == newest {
		return *was.(historyAt).what, nil
	}
	out, err = t.history()
	if err == nil {
		t.models.Store(historyAt{}, historyAt{newest, &out})
	}
	return out, err
}

// historyAt is what was learned by a line of the logbook.
type historyAt struct {
	newest int64
	what   *studio.History
}

func (t *Tx) history() (out studio.History, err error) {
	out = studio.History{Logged: map[string]map[route.StageKind]finish.Logged{}, Practice: map[int64]finish.Practice{}, Wages: map[int64]rates.Figure{},
		Printed: map[int64]bool{}, Failed: map[[2]int64]studio.FailedRuns{}}
	type logged struct {
		process string
		kind    route.StageKind
		finish.Logged
	}
	// What took ten times the book's minutes, or a tenth, was something else than the stage.
	list, err := rows(t, func(scan func(...any) error, l *logged) error {
		return scan(&l.process, &l.kind, &l.Count, &l.Mean, &l.Var)
	}, `
		SELECT process, kind, count(*), avg(r), max(0, avg(r * r) - avg(r) * avg(r)) FROM (
			SELECT p.process, s.kind, s.minutes / s.book_min AS r FROM stages s JOIN pieces p ON p.id = s.piece_id
			WHERE s.done_ms IS NOT NULL AND s.minutes > 0 AND s.book_min > 0 AND s.mark = 'done' AND s.kind <> 'print')
		WHERE r BETWEEN 0.1 AND 10 GROUP BY process, kind`)
	if err != nil {
		return out, err
	}
	for _, l := range list {
		if out.Logged[l.process] == nil {
			out.Logged[l.process] = map[route.StageKind]finish.Logged{}
		}
		out.Logged[l.process][l.kind] = l.Logged
	}
	type practice struct {
		person int64
		kind   route.StageKind
		n      int
	}
	done, err := rows(t, func(scan func(...any) error, p *practice) error { return scan(&p.person, &p.kind, &p.n) },
		`SELECT person_id, kind, count(*) FROM stages WHERE mark = 'done' AND person_id IS NOT NULL GROUP BY person_id, kind`)
	if err != nil {
		return out, err
	}
	for _, p := range done {
		if out.Practice[p.person] == nil {
			out.Practice[p.person] = finish.Practice{}
		}
		out.Practice[p.person][p.kind] = p.n
	}
	printed, err := rows(t, func(scan func(...any) error, id *int64) error { return scan(id) },
		`SELECT DISTINCT p.model_id FROM plate_pieces o JOIN pieces p ON p.id = o.piece_id WHERE o.outcome = 'good' AND p.model_id IS NOT NULL`)
	if err != nil {
		return out, err
	}
	for _, m := range printed {
		out.Printed[m] = true
	}
	type failed struct {
		machine, material int64
		studio.FailedRuns
	}
	runs, err := rows(t, func(scan func(...any) error, f *failed) error {
		return scan(&f.machine, &f.material, &f.Hours, &f.Fails)
	}, `
		SELECT machine_id, material_id, sum(hours), sum(fails) FROM (
			SELECT r.machine_id, l.material_id, (coalesce(r.ended_ms, r.started_ms + r.planned_min * 60000) - r.started_ms) / 3600000.0 AS hours,
				(SELECT avg(o.outcome IN ('failed', 'scrapped')) FROM plate_pieces o WHERE o.plate_id = l.id) AS fails
			FROM runs r JOIN plates l ON l.id = r.plate_id WHERE l.state = 'emptied')
		WHERE hours > 0 AND fails IS NOT NULL GROUP BY machine_id, material_id`)
	for _, f := range runs {
		out.Failed[[2]int64{f.machine, f.material}] = f.FailedRuns
	}
	return out, err
}

// WithoutDetail returns models whose creases nobody has measured yet.
func (t *Tx) WithoutDetail() ([]studio.Model, error) {
	return rows(t, scanModel, `SELECT `+modelColumns+` FROM models m WHERE json_extract(m.shape, '$.detail.raised') IS NULL ORDER BY m.id`)
}

// SaveDetail adds the creases to a model's shape.
func (t *Tx) SaveDetail(m studio.Model) error {
	t.models.Delete(m.ID)
	return t.exec(`UPDATE models SET shape = ? WHERE id = ?`, packed{m.Shape}, m.ID)
}

// MachineMinutes returns what runs took for an order, by machine: each run's time shared
// equally by the pieces on its plate, failed runs included.
func (t *Tx) MachineMinutes(orderID int64) (map[int64]float64, error) {
	type row struct {
		machine int64
		minutes float64
	}
	list, err := rows(t, func(scan func(...any) error, r *row) error { return scan(&r.machine, &r.minutes) }, `
		SELECT r.machine_id, sum((r.ended_ms - r.started_ms) / 60000.0 / (SELECT count(*) FROM plate_pieces a WHERE a.plate_id = r.plate_id))
		FROM plate_pieces o JOIN pieces p ON p.id = o.piece_id JOIN runs r ON r.plate_id = o.plate_id
		WHERE p.order_id = ? AND r.ended_ms IS NOT NULL GROUP BY r.machine_id`, orderID)
	out := map[int64]float64{}
	for _, r := range list {
		out[r.machine] = r.minutes
	}
	return out, err
}
