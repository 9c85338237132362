package store

import (
	"strings"
	"unicode/utf8"

	"sakuji/studio"
)

// fewest is from how many letters on the indexes of three letters help.
const fewest = 3

// phrase is letters as those indexes are asked for them.
func phrase(letters string) string { return `"` + strings.ReplaceAll(letters, `"`, `""`) + `"` }

// finds is a query of the rows in a table whose text has some letters, the newest first: ?1 the letters, folded, ?2 the
// same as a phrase. Fewer than three letters are looked for text by text.
func finds(letters, of, table, text string, most string) string {
	if utf8.RuneCountInString(letters) < fewest {
		return `SELECT id FROM ` + table + ` WHERE ` + text + ` <> '' AND instr(folded(` + text + `), ?1) > 0 ORDER BY id DESC LIMIT ` + most
	}
	return `SELECT rowid FROM ` + of + ` WHERE letters MATCH ?2 ORDER BY rowid DESC LIMIT ` + most
}

// Find looks for a few letters in orders with their notes, colours and questions, in clients,
// pieces, models, recipes and what was painted; newest first, some of each.
func (t *Tx) Find(letters string) ([]Found, error) {
	letters = studio.Folded(letters)
	return rows[Found](t, `
		SELECT * FROM (SELECT 'order' AS kind, o.number AS key, o.title AS name, c.name || ', ' || o.state AS extra`+orderFrom+`
			WHERE instr(folded(o.number || char(10) || o.title || char(10) || c.name || char(10) || o.note), ?1) > 0
				OR o.id IN (SELECT order_id FROM items WHERE removed = 0 AND instr(folded(title), ?1) > 0) ORDER BY o.id DESC LIMIT 20)
		UNION ALL SELECT * FROM (SELECT CASE WHEN p.kind = 'colour' THEN 'colour' WHEN p.kind IN ('question', 'asked') THEN 'question' ELSE 'reference' END, o.number, p.text, trim(p.answer || ', ' || o.title, ', ') FROM points p JOIN orders o ON o.id = p.order_id
			WHERE instr(folded(p.text || char(10) || p.answer), ?1) > 0 ORDER BY p.id DESC LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'client', CAST(id AS TEXT), name, email FROM clients
			WHERE instr(folded(name || char(10) || email || char(10) || note), ?1) > 0 ORDER BY name LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'piece', p.code, p.name, p.state || coalesce(', ' || w.name, '') FROM pieces p LEFT JOIN places w ON w.id = p.place_id
			WHERE p.id IN (`+finds(letters, "find_pieces", "pieces", "code || char(10) || name", "15")+`) ORDER BY p.id DESC)
		UNION ALL SELECT * FROM (SELECT 'place', code, name, kind FROM places
			WHERE ended = 0 AND instr(folded(code || char(10) || name), ?1) > 0 ORDER BY id LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'note', c.code, s.note, c.name FROM stages s JOIN pieces c ON c.id = s.piece_id
			WHERE s.id IN (`+finds(letters, "find_notes", "stages", "note", "15")+`) ORDER BY s.done_ms DESC)
		UNION ALL SELECT * FROM (SELECT 'model', CAST(max(m.id) AS TEXT), d.name, 'model' FROM designs d JOIN models m ON m.design_id = d.id
			WHERE instr(folded(d.name || char(10) || m.name), ?1) > 0 GROUP BY d.id ORDER BY d.id DESC LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'recipe', CAST(number AS TEXT), name, 'R' || number FROM recipes
			WHERE instr(folded(name || char(10) || 'R' || number || char(10) || note || char(10) || paints), ?1) > 0 GROUP BY number ORDER BY number DESC LIMIT 15)
		UNION ALL SELECT * FROM (SELECT 'coat', CAST(r.number AS TEXT), c.region || ', ' || p.code, r.name || ', ' || o.title FROM coats c JOIN recipes r ON r.id = c.recipe_id JOIN pieces p ON p.id = c.piece_id JOIN orders o ON o.id = p.order_id
			WHERE c.id IN (`+finds(letters, "find_coats", "coats", "region", "300")+`) GROUP BY p.order_id, c.region, r.number ORDER BY max(c.id) DESC LIMIT 15)`, letters, phrase(letters))
}
