-- +goose Up
-- What an item takes beside its prints is a piece too: sculpts, trials, what is restored, bases,
-- goods bought in, soft goods, and hours that leave no thing of their own. They have no part.
CREATE TABLE new_pieces (
  id             INTEGER PRIMARY KEY,
  code           TEXT NOT NULL UNIQUE, -- as on its label: order number and a count, and a letter for what an assembly is made of
  order_id       INTEGER NOT NULL REFERENCES orders (id),
  item_id        INTEGER NOT NULL REFERENCES items (id),
  part_id        INTEGER REFERENCES parts (id), -- of an assembly: its largest; none: it is not made of a model
  kind           TEXT NOT NULL DEFAULT 'print' CHECK (kind IN ('print', 'assembly', 'master', 'mould', 'cast', 'sculpt', 'trial', 'restoration', 'base', 'bought', 'soft', 'work', 'file')),
  parent_id      INTEGER REFERENCES pieces (id), -- the assembly that it becomes part of
  from_id        INTEGER REFERENCES pieces (id), -- of a mould the print it is made around, of a cast its mould
  beside         INTEGER NOT NULL DEFAULT 0 CHECK (beside IN (0, 1)), -- goes into or with the other pieces of its item, and is not counted
  name           TEXT NOT NULL,
  process        TEXT NOT NULL CHECK (process IN ('resin', 'filament', '')),
  material_id    INTEGER REFERENCES materials (id),
  scale          REAL NOT NULL,
  wall_mm        REAL NOT NULL,
  tier           TEXT NOT NULL CHECK (tier IN ('file', 'raw', 'coloured', 'primed', 'painted')),
  attempt        INTEGER NOT NULL DEFAULT 1,
  state          TEXT NOT NULL CHECK (state IN ('waiting', 'on plate', 'in parts', 'bench', 'done', 'scrapped', 'left out', 'cancelled')),
  replaces_id    INTEGER REFERENCES pieces (id),
  orientation_id INTEGER REFERENCES orientations (id),
  model_id       INTEGER REFERENCES models (id)
) STRICT;
INSERT INTO new_pieces SELECT id, code, order_id, item_id, part_id, kind, parent_id, from_id, 0, name, process, material_id, scale, wall_mm, tier, attempt, state, replaces_id, orientation_id, model_id FROM pieces;
DROP TABLE pieces;
ALTER TABLE new_pieces RENAME TO pieces;
CREATE INDEX pieces_order ON pieces (order_id);
CREATE INDEX pieces_state ON pieces (state);
CREATE INDEX pieces_parent ON pieces (parent_id) WHERE parent_id IS NOT NULL;
CREATE INDEX pieces_from ON pieces (from_id) WHERE from_id IS NOT NULL;

-- Two more stopping points: a file made ready, and printed in a colour and left unpainted.
CREATE TABLE new_items (
  id        INTEGER PRIMARY KEY,
  order_id  INTEGER NOT NULL REFERENCES orders (id),
  position  INTEGER NOT NULL,
  title     TEXT NOT NULL,
  tier      TEXT NOT NULL CHECK (tier IN ('file', 'raw', 'coloured', 'primed', 'painted')),
  copies    INTEGER NOT NULL CHECK (copies BETWEEN 1 AND 1000),
  scale     REAL NOT NULL CHECK (scale > 0),
  removed   INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1)),
  size_rule TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(size_rule)),
  options   TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(options)) -- finish route, counted features, extras
) STRICT;
INSERT INTO new_items SELECT id, order_id, position, title, tier, copies, scale, removed, size_rule, options FROM items;
DROP TABLE items;
ALTER TABLE new_items RENAME TO items;
CREATE INDEX items_order ON items (order_id);

-- What came off a plate may be mended, or taken as it is where the flaw is hidden.
CREATE TABLE new_plate_pieces (
  plate_id INTEGER NOT NULL REFERENCES plates (id),
  piece_id INTEGER NOT NULL REFERENCES pieces (id),
  x_mm     REAL NOT NULL,
  y_mm     REAL NOT NULL,
  quarters INTEGER NOT NULL CHECK (quarters BETWEEN 0 AND 3),
  report   TEXT NOT NULL DEFAULT '', -- what the machine said became of it
  outcome  TEXT NOT NULL DEFAULT '' CHECK (outcome IN ('', 'good', 'rework', 'hidden', 'failed', 'scrapped', 'called off')),
  cause    TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (plate_id, piece_id)
) STRICT, WITHOUT ROWID;
INSERT INTO new_plate_pieces SELECT plate_id, piece_id, x_mm, y_mm, quarters, report, outcome, cause FROM plate_pieces;
DROP TABLE plate_pieces;
ALTER TABLE new_plate_pieces RENAME TO plate_pieces;
CREATE INDEX plate_pieces_piece ON plate_pieces (piece_id);

ALTER TABLE stages ADD COLUMN rework INTEGER NOT NULL DEFAULT 0 CHECK (rework IN (0, 1)); -- it mends what came off a plate with a flaw
ALTER TABLE stages ADD COLUMN how TEXT NOT NULL DEFAULT ''; -- with what it is done: the paper, the primer, the adhesive
ALTER TABLE parts ADD COLUMN finish_route TEXT NOT NULL DEFAULT ''; -- how it is smoothed; empty: as its item is
ALTER TABLE parts ADD COLUMN joins TEXT NOT NULL DEFAULT '' CHECK (joins IN ('', 'before', 'after', 'loose')); -- to its assembly: before paint, after it, or it comes off; empty: as the tool decides
ALTER TABLE parts ADD COLUMN waived TEXT NOT NULL DEFAULT ''; -- why a closed hollow is printed as it is; empty: it is not

-- +goose Down
SELECT 1;
