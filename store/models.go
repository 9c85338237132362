package store

import (
	"time"

	"sakuji/core/mesh"
	"sakuji/studio"
)

const modelColumns = `sha, name, measures, shape, at_ms, design_id, from_id, how, did, batch`

// ModelBySHA returns the model of a file.
func (t *Tx) ModelBySHA(sha string) (studio.Model, error) {
	return one[studio.Model](t, `SELECT * FROM models WHERE sha = ?`, sha)
}

// Model returns one by id.
func (t *Tx) Model(id int64) (studio.Model, error) {
	return one[studio.Model](t, `SELECT * FROM models WHERE id = ?`, id)
}

// AddModel adds a model; one without a design begins its own, of the given name.
func (t *Tx) AddModel(m *studio.Model, design string) (err error) {
	if m.DesignID == 0 {
		if m.DesignID, err = t.add("designs", `name, got_ms`, &studio.Design{Name: design, Got: m.At}); err != nil {
			return err
		}
	}
	if m.How == "" {
		m.How = studio.Sent
	}
	row := *m
	if row.Did == nil {
		row.Did = []mesh.Done{}
	}
	m.ID, err = t.add("models", modelColumns, &row)
	return err
}

// Versions returns all models of a design, in the order they came.
func (t *Tx) Versions(designID int64) ([]studio.Model, error) {
	return rows[studio.Model](t, `SELECT * FROM models WHERE design_id = ? ORDER BY id`, designID)
}

const designColumns = `name, licence, fee_minor, until_ms, source, got_ms, terms, rights`

// Design returns one by id.
func (t *Tx) Design(id int64) (studio.Design, error) {
	return one[studio.Design](t, `SELECT * FROM designs WHERE id = ?`, id)
}

// SaveDesign changes a design.
func (t *Tx) SaveDesign(d studio.Design) error {
	return t.save("designs", &d.ID, &d, designColumns, "")
}

// Shelved is a design as the shelf shows it: its newest version that is not one body
// of it, and where it is used.
type Shelved struct {
	studio.Design
	ModelID  int64
	File     string
	How      string
	Measures mesh.Measures
	At       time.Time
	Versions int
	Faults   []mesh.Fault // as far as studied
	Bodies   int          // 0 until studied
	Orders   []string     // numbers, the newest first
}

// Shelf returns the designs whose name, files, source or orders hold the letters, the
// newest first.
func (t *Tx) Shelf(letters string) ([]Shelved, error) {
	type row struct {
		Shelved
		Analysis studio.Analysis
	}
	list, err := rows[row](t, `SELECT d.*, m.id AS model_id, m.name AS file, m.how, m.measures, m.at_ms, coalesce(s.analysis, '{}') AS analysis,
			(SELECT count(*) FROM models v WHERE v.design_id = d.id) AS versions,
			(SELECT json_group_array(number) FROM (SELECT DISTINCT o.number FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0
				JOIN orders o ON o.id = i.order_id JOIN models v ON v.id = p.model_id WHERE v.design_id = d.id ORDER BY o.number DESC)) AS orders
		FROM designs d
		JOIN models m ON m.id = (SELECT max(v.id) FROM models v WHERE v.design_id = d.id AND v.how NOT IN ('body', 'cut', 'peg'))
		LEFT JOIN analyses s ON s.model_id = m.id
		WHERE ?1 = '' OR instr(folded(d.name), ?2) > 0 OR instr(folded(d.source), ?2) > 0
			OR EXISTS (SELECT 1 FROM models v WHERE v.design_id = d.id AND instr(folded(v.name), ?2) > 0)
			OR EXISTS (SELECT 1 FROM parts p JOIN items i ON i.id = p.item_id JOIN orders o ON o.id = i.order_id JOIN models v ON v.id = p.model_id
				WHERE v.design_id = d.id AND (instr(folded(o.number), ?2) > 0 OR instr(folded(o.title), ?2) > 0 OR instr(folded(i.title), ?2) > 0))
		ORDER BY m.id DESC`, letters, studio.Folded(letters))
	var out []Shelved
	for _, r := range list {
		r.Faults, r.Bodies = r.Analysis.Faults, len(r.Analysis.Bodies)
		out = append(out, r.Shelved)
	}
	return out, err
}

// Use is a part of an order that prints a version of a design.
type Use struct {
	ModelID, PartID, ItemID   int64
	Number, Order, Item, Part string
	State                     studio.OrderState
	Copies                    int
	Scale                     float64
	Pieces                    studio.PieceCounts
}

// Uses returns where a design's versions are printed, the newest order first.
func (t *Tx) Uses(designID int64) ([]Use, error) {
	return rows[Use](t, `SELECT p.model_id, p.id AS part_id, i.id AS item_id, o.number, o.title AS "order", i.title AS item, p.name AS part, o.state,
			i.copies * p.copies AS copies, i.scale,
			(SELECT json_group_object(state, n) FROM (SELECT state, count(*) AS n FROM pieces x WHERE x.part_id = p.id GROUP BY state)) AS pieces
		FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0 AND p.removed = 0 JOIN orders o ON o.id = i.order_id JOIN models m ON m.id = p.model_id
		WHERE m.design_id = ? ORDER BY o.id DESC, p.id`, designID)
}

// analysisRow is an analysis as its table has it.
type analysisRow struct {
	ModelID           int64
	Analysis          studio.Analysis
	StillSHA, ViewSHA string
	At                time.Time
}

// Analysis returns what was found out about a model.
func (t *Tx) Analysis(modelID int64) (studio.Analysis, error) {
	r, err := one[analysisRow](t, `SELECT analysis, coalesce(still_sha, '') AS still_sha, coalesce(view_sha, '') AS view_sha FROM analyses WHERE model_id = ?`, modelID)
	r.Analysis.StillSHA, r.Analysis.ViewSHA = r.StillSHA, r.ViewSHA
	return r.Analysis, err
}

// StillOf returns the picture of the model of a file.
func (t *Tx) StillOf(modelSHA string) (sha string, err error) {
	return one[string](t, `SELECT coalesce(s.still_sha, '') FROM models m JOIN analyses s ON s.model_id = m.id WHERE m.sha = ?`, modelSHA)
}

// SaveAnalysis keeps an analysis.
func (t *Tx) SaveAnalysis(modelID int64, s studio.Analysis, now time.Time) error {
	return t.put("analyses", `model_id`, `analysis, still_sha, view_sha, at_ms`, &analysisRow{modelID, s, s.StillSHA, s.ViewSHA, now})
}

// Unanalysed returns the models that have no analysis and no job for one.
func (t *Tx) Unanalysed() ([]int64, error) {
	return rows[int64](t, `SELECT id FROM models m WHERE NOT EXISTS (SELECT 1 FROM analyses s WHERE s.model_id = m.id)
			AND NOT EXISTS (SELECT 1 FROM jobs j WHERE j.model_id = m.id AND j.kind = ? AND j.state <> 'cancelled') ORDER BY id DESC`, studio.JobAnalyse)
}
