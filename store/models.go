package store

import (
	"encoding/json"
	"strings"
	"time"

	"sakuji/core/mesh"
	"sakuji/studio"
)

const modelColumns = `m.id, m.sha, m.name, m.measures, m.shape, m.at_ms, m.design_id, m.from_id, m.how, m.did, m.batch`

func scanModel(scan func(...any) error, m *studio.Model) error {
	return scan(&m.ID, &m.SHA, &m.Name, packed{&m.Measures}, shape{&m.Shape}, at(&m.At), &m.DesignID, id(&m.FromID), &m.How, packed{&m.Did}, &m.Batch)
}

// ModelBySHA returns the model of a file.
func (t *Tx) ModelBySHA(sha string) (studio.Model, error) {
	return one(t, scanModel, `SELECT `+modelColumns+` FROM models m WHERE m.sha = ?`, sha)
}

// Model returns one by id.
func (t *Tx) Model(id int64) (studio.Model, error) {
	return one(t, scanModel, `SELECT `+modelColumns+` FROM models m WHERE m.id = ?`, id)
}

// AddModel adds a model; one without a design begins its own, of the given name.
func (t *Tx) AddModel(m *studio.Model, design string) (err error) {
	if m.DesignID == 0 {
		if m.DesignID, err = t.insert(`INSERT INTO designs (name, got_ms) VALUES (?, ?)`, design, at(&m.At)); err != nil {
			return err
		}
	}
	if m.How == "" {
		m.How = studio.Sent
	}
	did := m.Did
	if did == nil {
		did = []mesh.Done{}
	}
	m.ID, err = t.insert(`INSERT INTO models (sha, name, measures, shape, at_ms, design_id, from_id, how, did, batch) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		m.SHA, m.Name, packed{m.Measures}, packed{m.Shape}, at(&m.At), m.DesignID, id(&m.FromID), m.How, packed{did}, m.Batch)
	return err
}

// Versions returns all models of a design, in the order they came.
func (t *Tx) Versions(designID int64) ([]studio.Model, error) {
	return rows(t, scanModel, `SELECT `+modelColumns+` FROM models m WHERE m.design_id = ? ORDER BY m.id`, designID)
}

const designColumns = `id, name, licence, fee_minor, until_ms, source, got_ms, terms, rights`

func scanDesign(scan func(...any) error, d *studio.Design) error {
	return scan(&d.ID, &d.Name, &d.Licence, &d.FeeMinor, at(&d.Until), &d.Source, at(&d.Got), &d.Terms, &d.Rights)
}

// Design returns one by id.
func (t *Tx) Design(id int64) (studio.Design, error) {
	return one(t, scanDesign, `SELECT `+designColumns+` FROM designs WHERE id = ?`, id)
}

// SaveDesign changes a design.
func (t *Tx) SaveDesign(d studio.Design) error {
	return t.exec(`UPDATE designs SET name = ?, licence = ?, fee_minor = ?, until_ms = ?, source = ?, got_ms = ?, terms = ?, rights = ? WHERE id = ?`,
		d.Name, d.Licence, d.FeeMinor, at(&d.Until), d.Source, at(&d.Got), d.Terms, d.Rights, d.ID)
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
	return rows(t, func(scan func(...any) error, s *Shelved) error {
		var orders, analysis string
		d := &s.Design
		if err := scan(&d.ID, &d.Name, &d.Licence, &d.FeeMinor, at(&d.Until), &d.Source, at(&d.Got), &d.Terms, &d.Rights,
			&s.ModelID, &s.File, &s.How, packed{&s.Measures}, at(&s.At), &s.Versions, &analysis, &orders); err != nil {
			return err
		}
		if orders != "" {
			s.Orders = strings.Split(orders, ",")
		}
		if analysis == "" {
			return nil
		}
		var known studio.Analysis
		err := json.Unmarshal([]byte(analysis), &known)
		s.Faults, s.Bodies = known.Faults, len(known.Bodies)
		return err
	}, `SELECT d.id, d.name, d.licence, d.fee_minor, d.until_ms, d.source, d.got_ms, d.terms, d.rights,
			m.id, m.name, m.how, m.measures, m.at_ms, (SELECT count(*) FROM models v WHERE v.design_id = d.id), coalesce(s.analysis, ''),
			coalesce((SELECT group_concat(number, ',') FROM (SELECT DISTINCT o.number FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0
				JOIN orders o ON o.id = i.order_id JOIN models v ON v.id = p.model_id WHERE v.design_id = d.id ORDER BY o.number DESC)), '')
		FROM designs d
		JOIN models m ON m.id = (SELECT max(v.id) FROM models v WHERE v.design_id = d.id AND v.how NOT IN ('body', 'cut', 'peg'))
		LEFT JOIN analyses s ON s.model_id = m.id
		WHERE ?1 = '' OR folded(d.name) LIKE ?2 ESCAPE '\' OR folded(d.source) LIKE ?2 ESCAPE '\'
			OR EXISTS (SELECT 1 FROM models v WHERE v.design_id = d.id AND folded(v.name) LIKE ?2 ESCAPE '\')
			OR EXISTS (SELECT 1 FROM parts p JOIN items i ON i.id = p.item_id JOIN orders o ON o.id = i.order_id JOIN models v ON v.id = p.model_id
				WHERE v.design_id = d.id AND (folded(o.number) LIKE ?2 ESCAPE '\' OR folded(o.title) LIKE ?2 ESCAPE '\' OR folded(i.title) LIKE ?2 ESCAPE '\'))
		ORDER BY m.id DESC`, letters, like(letters))
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
	return rows(t, func(scan func(...any) error, u *Use) error {
		return scan(&u.ModelID, &u.PartID, &u.ItemID, &u.Number, &u.Order, &u.Item, &u.Part, &u.State, &u.Copies, &u.Scale, packed{&u.Pieces})
	}, `SELECT p.model_id, p.id, i.id, o.number, o.title, i.title, p.name, o.state, i.copies * p.copies, i.scale,
			(SELECT json_group_object(state, n) FROM (SELECT state, count(*) AS n FROM pieces x WHERE x.part_id = p.id GROUP BY state))
		FROM parts p JOIN items i ON i.id = p.item_id AND i.removed = 0 AND p.removed = 0 JOIN orders o ON o.id = i.order_id JOIN models m ON m.id = p.model_id
		WHERE m.design_id = ? ORDER BY o.id DESC, p.id`, designID)
}

// Analysis returns what was found out about a model.
func (t *Tx) Analysis(modelID int64) (studio.Analysis, error) {
	return one(t, func(scan func(...any) error, s *studio.Analysis) error {
		return scan(packed{s}, &s.StillSHA, &s.ViewSHA)
	},
		`SELECT analysis, coalesce(still_sha, ''), coalesce(view_sha, '') FROM analyses WHERE model_id = ?`, modelID)
}

// StillOf returns the picture of the model of a file.
func (t *Tx) StillOf(modelSHA string) (sha string, err error) {
	return one(t, func(scan func(...any) error, s *string) error { return scan(s) },
		`SELECT coalesce(s.still_sha, '') FROM models m JOIN analyses s ON s.model_id = m.id WHERE m.sha = ?`, modelSHA)
}

// SaveAnalysis keeps an analysis.
func (t *Tx) SaveAnalysis(modelID int64, s studio.Analysis, now time.Time) error {
	return t.exec(`INSERT INTO analyses (model_id, analysis, still_sha, view_sha, at_ms) VALUES (?, ?, nullif(?, ''), nullif(?, ''), ?)
		ON CONFLICT (model_id) DO UPDATE SET analysis = excluded.analysis, still_sha = excluded.still_sha, view_sha = excluded.view_sha, at_ms = excluded.at_ms`,
		modelID, packed{s}, s.StillSHA, s.ViewSHA, at(&now))
}

// Unanalysed returns the models that have no analysis and no job for one.
func (t *Tx) Unanalysed() ([]int64, error) {
	return rows(t, func(scan func(...any) error, n *int64) error { return scan(n) },
		`SELECT id FROM models m WHERE NOT EXISTS (SELECT 1 FROM analyses s WHERE s.model_id = m.id)
			AND NOT EXISTS (SELECT 1 FROM jobs j WHERE j.model_id = m.id AND j.kind = ? AND j.state <> 'cancelled') ORDER BY id DESC`, studio.JobAnalyse)
}
