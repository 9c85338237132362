-- +goose Up
-- Copies that are cast: the print they are made of, its moulds, and each casting.
CREATE TABLE new_pieces (
  id             INTEGER PRIMARY KEY,
  code           TEXT NOT NULL UNIQUE, -- as on its label: order number and a count, and a letter for what an assembly is made of
  order_id       INTEGER NOT NULL REFERENCES orders (id),
  item_id        INTEGER NOT NULL REFERENCES items (id),
  part_id        INTEGER NOT NULL REFERENCES parts (id), -- of an assembly: its largest
  kind           TEXT NOT NULL DEFAULT 'print' CHECK (kind IN ('print', 'assembly', 'master', 'mould', 'cast')),
  parent_id      INTEGER REFERENCES pieces (id), -- the assembly that it becomes part of
  from_id        INTEGER REFERENCES pieces (id), -- of a mould the print it is made around, of a cast its mould
  name           TEXT NOT NULL,
  process        TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  material_id    INTEGER NOT NULL REFERENCES materials (id),
  scale          REAL NOT NULL,
  wall_mm        REAL NOT NULL,
  tier           TEXT NOT NULL CHECK (tier IN ('raw', 'primed', 'painted')),
  attempt        INTEGER NOT NULL DEFAULT 1,
  state          TEXT NOT NULL CHECK (state IN ('waiting', 'on plate', 'in parts', 'bench', 'done', 'scrapped', 'left out', 'cancelled')),
  replaces_id    INTEGER REFERENCES pieces (id),
  orientation_id INTEGER REFERENCES orientations (id),
  model_id       INTEGER REFERENCES models (id)
) STRICT;
INSERT INTO new_pieces SELECT id, code, order_id, item_id, part_id, kind, parent_id, NULL, name, process, material_id, scale, wall_mm, tier, attempt, state, replaces_id, orientation_id, model_id FROM pieces;
DROP TABLE pieces;
ALTER TABLE new_pieces RENAME TO pieces;
CREATE INDEX pieces_order ON pieces (order_id);
CREATE INDEX pieces_state ON pieces (state);
CREATE INDEX pieces_parent ON pieces (parent_id) WHERE parent_id IS NOT NULL;
CREATE INDEX pieces_from ON pieces (from_id) WHERE from_id IS NOT NULL;

-- +goose Down
SELECT 1;
