-- +goose Up
-- The field's names; ids that are never used again where rows are deleted; payments of
-- every kind; parts that were taken off; what a look repeated; keys of acts. Foreign keys
-- are off while tables are rebuilt, and checked after it.

ALTER TABLE studies RENAME TO analyses;
ALTER TABLE analyses RENAME COLUMN study TO analysis;
ALTER TABLE standings RENAME TO orientations;
ALTER TABLE parts RENAME COLUMN standing_id TO orientation_id;
ALTER TABLE pieces RENAME COLUMN standing_id TO orientation_id;
ALTER TABLE lessons RENAME TO timed_runs;
ALTER TABLE items RENAME COLUMN making TO options;
ALTER TABLE studio RENAME COLUMN ways TO defaults;
ALTER TABLE logbook RENAME COLUMN deed TO event;

CREATE TABLE new_orientations (
  id       INTEGER PRIMARY KEY AUTOINCREMENT, -- parts and frozen quotes speak of it
  model_id INTEGER NOT NULL REFERENCES models (id),
  process  TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  facts    TEXT NOT NULL CHECK (json_valid(facts)), -- matrix, heights, supports, what nobody reaches
  shape    TEXT NOT NULL CHECK (json_valid(shape)), -- as the model's, of it standing so
  taken    INTEGER NOT NULL DEFAULT 0 CHECK (taken IN (0, 1)), -- new parts stand so
  at_ms    INTEGER NOT NULL
) STRICT;
INSERT INTO new_orientations SELECT id, model_id, process, facts, shape, taken, at_ms FROM orientations;
DROP TABLE orientations;
ALTER TABLE new_orientations RENAME TO orientations;
CREATE INDEX orientations_model ON orientations (model_id, process);

CREATE TABLE new_jobs ( -- long work, in order; it survives a restart
  id       INTEGER PRIMARY KEY AUTOINCREMENT,
  kind     TEXT NOT NULL,    -- registered by the room that does it
  batch    TEXT NOT NULL,    -- files that came together
  order_id INTEGER REFERENCES orders (id),
  model_id INTEGER REFERENCES models (id), -- what it works on
  made_id  INTEGER REFERENCES models (id), -- what came of it
  sha      TEXT NOT NULL,
  bytes    INTEGER NOT NULL,
  name     TEXT NOT NULL,
  options  TEXT NOT NULL CHECK (json_valid(options)),
  state    TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')),
  share    REAL NOT NULL DEFAULT 0, -- done, 0 to 1
  note     TEXT NOT NULL DEFAULT '',
  who      TEXT NOT NULL,
  actor_id INTEGER REFERENCES people (id),
  at_ms    INTEGER NOT NULL,
  seen     INTEGER NOT NULL DEFAULT 0 CHECK (seen IN (0, 1))
) STRICT;
INSERT INTO new_jobs SELECT id, CASE kind WHEN 'study' THEN 'analyse' WHEN 'stand' THEN 'orient' ELSE kind END, batch, order_id, model_id, made_id, sha, bytes, name,
  options, state, share, note, who, hand_id, at_ms, seen FROM jobs;
DROP TABLE jobs;
ALTER TABLE new_jobs RENAME TO jobs;
CREATE INDEX jobs_state ON jobs (state);
CREATE INDEX jobs_batch ON jobs (batch);

CREATE TABLE new_variants ( -- other ways to make an order, side by side
  id       INTEGER PRIMARY KEY AUTOINCREMENT,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  position INTEGER NOT NULL,
  variant  TEXT NOT NULL CHECK (json_valid(variant))
) STRICT;
INSERT INTO new_variants SELECT id, order_id, position, variant FROM variants;
DROP TABLE variants;
ALTER TABLE new_variants RENAME TO variants;
CREATE INDEX variants_order ON variants (order_id);

CREATE TABLE new_payments (
  id           INTEGER PRIMARY KEY AUTOINCREMENT,
  order_id     INTEGER NOT NULL REFERENCES orders (id),
  kind         TEXT NOT NULL CHECK (kind IN ('deposit', 'part', 'rest', 'refund', 'reversal')),
  amount_minor INTEGER NOT NULL CHECK (amount_minor <> 0), -- less than nothing: it went back
  currency     TEXT NOT NULL,
  at_ms        INTEGER NOT NULL,
  note         TEXT NOT NULL DEFAULT '',
  reverses_id  INTEGER UNIQUE REFERENCES payments (id) -- a mistake is reversed, not edited
) STRICT;
INSERT INTO new_payments (id, order_id, kind, amount_minor, currency, at_ms) SELECT id, order_id, kind, amount_minor, currency, at_ms FROM payments;
DROP TABLE payments;
ALTER TABLE new_payments RENAME TO payments;
CREATE INDEX payments_order ON payments (order_id);

CREATE TABLE new_plates (
  id          INTEGER PRIMARY KEY,
  number      INTEGER NOT NULL UNIQUE,
  machine_id  INTEGER NOT NULL REFERENCES machines (id),
  material_id INTEGER NOT NULL REFERENCES materials (id),
  state       TEXT NOT NULL CHECK (state IN ('laid', 'running', 'finished', 'emptied', 'discarded')),
  created_ms  INTEGER NOT NULL
) STRICT;
INSERT INTO new_plates SELECT id, number, machine_id, material_id, CASE state WHEN 'dissolved' THEN 'discarded' ELSE state END, created_ms FROM plates;
DROP TABLE plates;
ALTER TABLE new_plates RENAME TO plates;
CREATE INDEX plates_state ON plates (state);

CREATE TABLE new_plate_pieces (
  plate_id INTEGER NOT NULL REFERENCES plates (id),
  piece_id INTEGER NOT NULL REFERENCES pieces (id),
  x_mm     REAL NOT NULL,
  y_mm     REAL NOT NULL,
  quarters INTEGER NOT NULL CHECK (quarters BETWEEN 0 AND 3),
  report   TEXT NOT NULL DEFAULT '', -- what the machine said became of it
  outcome  TEXT NOT NULL DEFAULT '' CHECK (outcome IN ('', 'good', 'failed', 'scrapped', 'called off')),
  cause    TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (plate_id, piece_id)
) STRICT, WITHOUT ROWID;
INSERT INTO new_plate_pieces SELECT plate_id, piece_id, x_mm, y_mm, quarters, report, outcome, cause FROM plate_pieces;
DROP TABLE plate_pieces;
ALTER TABLE new_plate_pieces RENAME TO plate_pieces;
CREATE INDEX plate_pieces_piece ON plate_pieces (piece_id);

ALTER TABLE parts ADD COLUMN removed INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1)); -- pieces and sent quotes may speak of it
ALTER TABLE stages ADD COLUMN again INTEGER NOT NULL DEFAULT 0 CHECK (again >= 0); -- of one that sent the piece back: how many after it are the repeat
UPDATE stages SET again = (
  SELECT count(*) FROM stages r WHERE r.piece_id = stages.piece_id AND r.position > stages.position AND r.repeat = 1
    AND r.position <= stages.position + (SELECT count(*) FROM stages q WHERE q.piece_id = stages.piece_id AND q.position > stages.position AND q.repeat = 1
      AND NOT EXISTS (SELECT 1 FROM stages n WHERE n.piece_id = q.piece_id AND n.position > stages.position AND n.position < q.position AND n.repeat = 0)))
  WHERE mark = 'sent back';

CREATE TABLE acts ( -- forms carry a key of their own: sent twice, they do a thing once
  key   TEXT PRIMARY KEY,
  path  TEXT NOT NULL,
  "to"  TEXT NOT NULL, -- where its answer led
  told  TEXT NOT NULL,
  at_ms INTEGER NOT NULL
) STRICT;
CREATE INDEX acts_at ON acts (at_ms);

-- +goose Down
SELECT 1;
