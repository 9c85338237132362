package store

import "sakuji/studio"

const recipeColumns = `number, version, name, medium, coat, colour, paints, thinner, thinner_percent, tool, pressure_bar, coats, film_um, solids_percent, over, over_colour, note, at_ms, by_id`

// Recipes returns all versions of all recipes, in the order in which they were made.
func (t *Tx) Recipes() ([]studio.Recipe, error) {
	return rows[studio.Recipe](t, `SELECT id, `+recipeColumns+` FROM recipes ORDER BY id`)
}

// SaveRecipe adds a recipe without an id, or changes one.
func (t *Tx) SaveRecipe(r *studio.Recipe) error {
	return t.save("recipes", &r.ID, r, recipeColumns, "")
}

// RecipeUsed reports whether a version of a recipe was laid, tried or mixed.
func (t *Tx) RecipeUsed(recipeID int64) (bool, error) {
	n, err := one[int](t, `SELECT EXISTS (SELECT 1 FROM coats WHERE recipe_id = ?1) OR EXISTS (SELECT 1 FROM swatches WHERE recipe_id = ?1) OR EXISTS (SELECT 1 FROM mixes WHERE recipe_id = ?1)`, recipeID)
	return n > 0, err
}

const (
	swatchOnce    = `recipe_id, order_id, over, over_colour, coats, colour, photo_sha, note, at_ms, by_id`
	swatchColumns = `verdict, judged_by, judged_ms, judged_note`
	selectSwatch  = `SELECT id, recipe_id, order_id, over, over_colour, coats, colour, coalesce(photo_sha, '') AS photo_sha, note, at_ms, by_id, ` + swatchColumns + ` FROM swatches `
)

// Swatches returns all, the oldest first.
func (t *Tx) Swatches() ([]studio.Swatch, error) {
	return rows[studio.Swatch](t, selectSwatch+`ORDER BY id`)
}

// SwatchesFor returns those laid for an order, the oldest first.
func (t *Tx) SwatchesFor(orderID int64) ([]studio.Swatch, error) {
	return rows[studio.Swatch](t, selectSwatch+`WHERE order_id = ? ORDER BY id`, orderID)
}

// Swatch returns one.
func (t *Tx) Swatch(id int64) (studio.Swatch, error) {
	return one[studio.Swatch](t, selectSwatch+`WHERE id = ?`, id)
}

// SaveSwatch adds a swatch without an id, or notes what was said of one.
func (t *Tx) SaveSwatch(s *studio.Swatch) error {
	return t.save("swatches", &s.ID, s, swatchColumns, swatchOnce)
}

const (
	mixOnce    = `recipe_id, ml, at_ms, by_id`
	mixColumns = `left_ml, ended`
)

// Mixes returns what is mixed and not used up, the newest first.
func (t *Tx) Mixes() ([]studio.Mix, error) {
	return rows[studio.Mix](t, `SELECT id, `+mixOnce+`, `+mixColumns+` FROM mixes WHERE ended = 0 ORDER BY id DESC`)
}

// Mix returns one.
func (t *Tx) Mix(id int64) (studio.Mix, error) {
	return one[studio.Mix](t, `SELECT id, `+mixOnce+`, `+mixColumns+` FROM mixes WHERE id = ?`, id)
}

// SaveMix adds a mix without an id, or changes what is left of one.
func (t *Tx) SaveMix(m *studio.Mix) error { return t.save("mixes", &m.ID, m, mixColumns, mixOnce) }

const (
	regionOnce    = `item_id`
	regionColumns = `part_id, position, name, stage, recipe_number, only, over_id, coats, share_percent, area_mm2, edge_mm, marks, mirror, care, way, stop, stop_sha`
	selectRegion  = `SELECT r.id, r.item_id, r.part_id, r.position, r.name, r.stage, r.recipe_number, r.only, r.over_id, r.coats, r.share_percent, r.area_mm2, r.edge_mm, r.marks, r.mirror, r.care, r.way, r.stop, coalesce(r.stop_sha, '') AS stop_sha, i.order_id FROM regions r JOIN items i ON i.id = r.item_id `
)

// Regions returns the paint plan of an item, in the order of painting.
func (t *Tx) Regions(itemID int64) ([]studio.Region, error) {
	return rows[studio.Region](t, selectRegion+`WHERE r.item_id = ? ORDER BY r.position, r.id`, itemID)
}

// RegionsOf returns the paint plans of an order's items.
func (t *Tx) RegionsOf(orderID int64) ([]studio.Region, error) {
	return rows[studio.Region](t, selectRegion+`WHERE i.order_id = ? ORDER BY r.item_id, r.position, r.id`, orderID)
}

// RegionsIn returns the paint plans of orders in a state.
func (t *Tx) RegionsIn(state studio.OrderState) ([]studio.Region, error) {
	return rows[studio.Region](t, selectRegion+`JOIN orders o ON o.id = i.order_id WHERE o.state = ? ORDER BY r.item_id, r.position, r.id`, string(state))
}

// RegionsOfRecipe returns the regions of orders in a state that are painted with a recipe, whatever its version.
func (t *Tx) RegionsOfRecipe(number int, state studio.OrderState) ([]studio.Region, error) {
	return rows[studio.Region](t, selectRegion+`JOIN orders o ON o.id = i.order_id WHERE r.recipe_number = ? AND o.state = ? ORDER BY i.order_id, r.item_id, r.position, r.id`, number, string(state))
}

// Planned is an item that has a paint plan.
type Planned struct {
	ItemID int64
	Title  string
	Order  string
	Client string
}

// PlannedItems returns them, the newest first.
func (t *Tx) PlannedItems(most int) ([]Planned, error) {
	return rows[Planned](t, `SELECT i.id AS item_id, i.title, o.number AS "order", k.name AS client FROM items i JOIN orders o ON o.id = i.order_id JOIN clients k ON k.id = o.client_id
		WHERE i.id IN (SELECT item_id FROM regions) AND i.removed = 0 ORDER BY i.id DESC LIMIT ?`, most)
}

// SaveRegion adds a region without an id, or changes one.
func (t *Tx) SaveRegion(r *studio.Region) error {
	return t.save("regions", &r.ID, r, regionColumns, regionOnce)
}

// DropRegion takes one out of its plan; what was laid of it stays.
func (t *Tx) DropRegion(id int64) error { return t.exec(`DELETE FROM regions WHERE id = ?`, id) }

const laidColumns = `piece_id, position, recipe_id, region, coats, ml, mix_id, at_ms, by_id`

// Laid returns the coats that were laid on a piece, the first first.
func (t *Tx) Laid(pieceID int64) ([]studio.Laid, error) {
	return rows[studio.Laid](t, `SELECT id, `+laidColumns+` FROM coats WHERE piece_id = ? ORDER BY id`, pieceID)
}

// LastLaid returns the coat that was laid last on each piece in a state.
func (t *Tx) LastLaid(state studio.PieceState) ([]studio.Laid, error) {
	return rows[studio.Laid](t, `SELECT id, `+laidColumns+` FROM coats WHERE id IN (SELECT max(c.id) FROM pieces p JOIN coats c ON c.piece_id = p.id WHERE p.state = ? GROUP BY p.id)`, string(state))
}

// AddLaid notes a coat.
func (t *Tx) AddLaid(l *studio.Laid) (err error) {
	l.ID, err = t.add("coats", laidColumns, l)
	return err
}

// DropLaid takes back the coats of a stage that is open again.
func (t *Tx) DropLaid(pieceID int64, position int) error {
	return t.exec(`DELETE FROM coats WHERE piece_id = ? AND position >= ?`, pieceID, position)
}

// Was is a coat on a piece, as it is looked up years later.
type Was struct {
	studio.Laid
	Code, Name string // of the piece
	Order      string
	Client     string
	Number     int // of the recipe
	Version    int
	Recipe     string
	Colour     string
	Pieces     int // of the order that have it alike; the one that is named was the last
}

const selectWas = `SELECT max(c.id) AS id, c.piece_id, c.position, c.recipe_id, c.region, c.coats, c.ml, c.mix_id, c.at_ms, c.by_id,
		p.code, p.name, o.number AS "order", k.name AS client, r.number, r.version, r.name AS recipe, r.colour, count(*) AS pieces
	FROM coats c JOIN pieces p ON p.id = c.piece_id JOIN orders o ON o.id = p.order_id JOIN clients k ON k.id = o.client_id JOIN recipes r ON r.id = c.recipe_id `

// LaidOn returns what was laid on a piece, the first first.
func (t *Tx) LaidOn(pieceID int64) ([]Was, error) {
	return rows[Was](t, selectWas+`WHERE c.piece_id = ? GROUP BY c.id ORDER BY c.id`, pieceID)
}

// lastLaid is how many coats are looked through at the most, of those that have some letters.
const lastLaid = "600"

// WasLaid finds the coats whose region, piece, order, client or recipe has some letters in its name, pieces of an order
// that have them alike once, the last first; empty letters: the last ones. Recipe 0 is any.
func (t *Tx) WasLaid(letters string, recipe, most int) ([]Was, error) {
	letters = studio.Folded(letters)
	hits := `SELECT id FROM coats ORDER BY id DESC LIMIT ` + lastLaid
	switch {
	case recipe != 0:
		hits = `SELECT id FROM coats WHERE recipe_id IN (SELECT id FROM recipes WHERE number = ?3) ORDER BY id DESC LIMIT ` + lastLaid
	case letters != "":
		hits = `SELECT * FROM (` + finds(letters, "find_coats", "coats", "region", lastLaid) + `)
			UNION SELECT id FROM coats WHERE piece_id IN (` + finds(letters, "find_pieces", "pieces", "code || char(10) || name", lastLaid) + `)
			UNION SELECT id FROM coats WHERE recipe_id IN (SELECT id FROM recipes WHERE instr(folded(name), ?1) > 0)
			UNION SELECT id FROM coats WHERE piece_id IN (SELECT id FROM pieces WHERE order_id IN (SELECT o.id FROM orders o JOIN clients k ON k.id = o.client_id WHERE instr(folded(o.title || char(10) || k.name), ?1) > 0 ORDER BY o.id DESC LIMIT 30))`
	}
	return rows[Was](t, selectWas+`WHERE c.id IN (`+hits+`) AND ?1 = ?1 AND ?2 = ?2 AND ?3 = ?3
		GROUP BY p.order_id, p.item_id, c.region, c.recipe_id, c.coats ORDER BY max(c.id) DESC LIMIT ?4`, letters, phrase(letters), recipe, most)
}
