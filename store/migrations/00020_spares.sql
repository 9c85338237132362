-- +goose Up
-- A spare is a print beside one that could not be printed again in time: it stays on the shelf, or
-- stands in for it.
CREATE TABLE new_pieces (
  id             INTEGER PRIMARY KEY,
  code           TEXT NOT NULL UNIQUE, -- as on its label: order number and a count, and a letter for what an assembly is made of
  order_id       INTEGER NOT NULL REFERENCES orders (id),
  item_id        INTEGER NOT NULL REFERENCES items (id),
  part_id        INTEGER REFERENCES parts (id), -- of an assembly: its largest; none: it is not made of a model
  kind           TEXT NOT NULL DEFAULT 'print' CHECK (kind IN ('print', 'assembly', 'master', 'mould', 'cast', 'sculpt', 'trial', 'restoration', 'base', 'bought', 'soft', 'work', 'file', 'spare')),
  parent_id      INTEGER REFERENCES pieces (id), -- the assembly that it becomes part of
  from_id        INTEGER REFERENCES pieces (id), -- of a mould the print it is made around, of a cast its mould, of a spare the print it is one of
  beside         INTEGER NOT NULL DEFAULT 0 CHECK (beside IN (0, 1)), -- goes into or with the other pieces of its item, and is not counted
  name           TEXT NOT NULL,
  process        TEXT NOT NULL CHECK (process IN ('resin', 'filament', '')),
  material_id    INTEGER REFERENCES materials (id),
  scale          REAL NOT NULL,
  wall_mm        REAL NOT NULL,
  profile        TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(profile)), -- how it is printed where that differs from its machine's figures
  tier           TEXT NOT NULL CHECK (tier IN ('file', 'raw', 'coloured', 'primed', 'painted')),
  attempt        INTEGER NOT NULL DEFAULT 1,
  state          TEXT NOT NULL CHECK (state IN ('waiting', 'on plate', 'in parts', 'bench', 'done', 'scrapped', 'left out', 'cancelled')),
  replaces_id    INTEGER REFERENCES pieces (id),
  orientation_id INTEGER REFERENCES orientations (id),
  model_id       INTEGER REFERENCES models (id)
) STRICT;
INSERT INTO new_pieces SELECT id, code, order_id, item_id, part_id, kind, parent_id, from_id, beside, name, process, material_id, scale, wall_mm, profile, tier, attempt, state, replaces_id, orientation_id, model_id FROM pieces;
DROP TABLE pieces;
ALTER TABLE new_pieces RENAME TO pieces;
CREATE INDEX pieces_order ON pieces (order_id);
CREATE INDEX pieces_state ON pieces (state);
CREATE INDEX pieces_parent ON pieces (parent_id) WHERE parent_id IS NOT NULL;
CREATE INDEX pieces_from ON pieces (from_id) WHERE from_id IS NOT NULL;
CREATE INDEX pieces_model ON pieces (model_id) WHERE model_id IS NOT NULL;

-- +goose Down
SELECT 1;
