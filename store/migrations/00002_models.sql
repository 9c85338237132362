-- +goose Up
-- A design is all versions of one model: as sent, revised, mended, reduced. The
-- licence is the design's, for it is of the source and not of a file.
CREATE TABLE designs (
  id         INTEGER PRIMARY KEY,
  name       TEXT NOT NULL,
  licence    TEXT NOT NULL DEFAULT '' CHECK (licence IN ('', 'own', 'client', 'personal', 'per copy', 'subscription')),
  fee_minor  INTEGER NOT NULL DEFAULT 0 CHECK (fee_minor >= 0), -- for each copy, or a month of the subscription
  until_ms   INTEGER,                                           -- the end of a subscription
  source     TEXT NOT NULL DEFAULT '',
  got_ms     INTEGER,
  terms      TEXT NOT NULL DEFAULT '',
  rights     TEXT NOT NULL DEFAULT '' -- what is known of rights in what it shows
) STRICT;

ALTER TABLE models ADD COLUMN design_id INTEGER REFERENCES designs (id);
ALTER TABLE models ADD COLUMN from_id INTEGER REFERENCES models (id); -- the version it was made of
ALTER TABLE models ADD COLUMN how TEXT NOT NULL DEFAULT 'sent' CHECK (how IN ('sent', 'revised', 'mended', 'reduced', 'unit', 'body', 'hollowed', 'cut', 'peg'));
ALTER TABLE models ADD COLUMN batch TEXT NOT NULL DEFAULT ''; -- of the job that made it: pieces of one cut belong together
ALTER TABLE models ADD COLUMN did TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(did));
INSERT INTO designs (id, name, got_ms) SELECT id, name, at_ms FROM models;
UPDATE models SET design_id = id;
CREATE INDEX models_design ON models (design_id);

CREATE TABLE studies ( -- what took longer than measuring: faults, bodies, walls, pictures
  model_id INTEGER PRIMARY KEY REFERENCES models (id),
  study    TEXT NOT NULL CHECK (json_valid(study)),
  still_sha TEXT REFERENCES files (sha), -- a picture
  view_sha TEXT REFERENCES files (sha), -- for the part sheet: a mesh a browser can turn
  at_ms    INTEGER NOT NULL
) STRICT;

CREATE TABLE jobs ( -- long work, in order; it survives a restart
  id       INTEGER PRIMARY KEY,
  kind     TEXT NOT NULL CHECK (kind IN ('read', 'study', 'mend', 'reduce', 'unit', 'bodies', 'stand', 'hollow', 'cut')),
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
  hand_id  INTEGER REFERENCES people (id),
  at_ms    INTEGER NOT NULL,
  seen     INTEGER NOT NULL DEFAULT 0 CHECK (seen IN (0, 1))
) STRICT;
CREATE INDEX jobs_state ON jobs (state);
CREATE INDEX jobs_batch ON jobs (batch);

CREATE TABLE lessons ( -- what runs and prepared files taught of a machine's times
  id         INTEGER PRIMARY KEY,
  machine_id INTEGER NOT NULL REFERENCES machines (id),
  run_id     INTEGER UNIQUE REFERENCES runs (id),
  what       TEXT NOT NULL,
  ours_min   REAL NOT NULL CHECK (ours_min > 0), -- by physics alone
  real_min   REAL NOT NULL CHECK (real_min > 0),
  at_ms      INTEGER NOT NULL
) STRICT;
CREATE INDEX lessons_machine ON lessons (machine_id);
ALTER TABLE runs ADD COLUMN physics_min REAL; -- planned, before what the machine taught

CREATE TABLE standings ( -- ways for a model to stand, worked out by process
  id       INTEGER PRIMARY KEY,
  model_id INTEGER NOT NULL REFERENCES models (id),
  process  TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  facts    TEXT NOT NULL CHECK (json_valid(facts)), -- matrix, heights, supports, what nobody reaches
  shape    TEXT NOT NULL CHECK (json_valid(shape)), -- as the model's, of it standing so
  taken    INTEGER NOT NULL DEFAULT 0 CHECK (taken IN (0, 1)), -- new parts stand so
  at_ms    INTEGER NOT NULL
) STRICT;
CREATE INDEX standings_model ON standings (model_id, process);
ALTER TABLE parts ADD COLUMN standing_id INTEGER REFERENCES standings (id); -- none: as the file stands
ALTER TABLE pieces ADD COLUMN standing_id INTEGER REFERENCES standings (id);
ALTER TABLE pieces ADD COLUMN model_id INTEGER REFERENCES models (id); -- what it is or was printed of; none: its part's
UPDATE pieces SET model_id = (SELECT model_id FROM parts WHERE parts.id = pieces.part_id);

ALTER TABLE clients ADD COLUMN may_show INTEGER NOT NULL DEFAULT 0 CHECK (may_show IN (0, 1));
ALTER TABLE clients ADD COLUMN may_share INTEGER NOT NULL DEFAULT 0 CHECK (may_share IN (0, 1));
ALTER TABLE items ADD COLUMN size_rule TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(size_rule));

-- +goose Down
SELECT 1;
