-- +goose Up
CREATE TABLE recipes ( -- of paint; one that was used is not changed but has a new version
  id              INTEGER PRIMARY KEY,
  number          INTEGER NOT NULL, -- the same for all its versions
  version         INTEGER NOT NULL CHECK (version > 0),
  name            TEXT NOT NULL CHECK (name <> ''),
  medium          TEXT NOT NULL,
  coat            TEXT NOT NULL DEFAULT '', -- what it is thinned with: water, spirits, lacquer
  colour          TEXT NOT NULL DEFAULT '', -- #rrggbb
  paints          TEXT NOT NULL, -- JSON: what, and how many parts of it
  thinner         TEXT NOT NULL DEFAULT '',
  thinner_percent REAL NOT NULL DEFAULT 0 CHECK (thinner_percent >= 0), -- of the paint
  tool            TEXT NOT NULL,
  pressure_bar    REAL NOT NULL DEFAULT 0 CHECK (pressure_bar >= 0),
  coats           INTEGER NOT NULL CHECK (coats > 0),
  film_um         REAL NOT NULL DEFAULT 0, -- dry, of a coat; 0: as the rate book has it
  solids_percent  REAL NOT NULL DEFAULT 0, -- by volume; 0: as the rate book has it
  over            TEXT NOT NULL DEFAULT '',
  over_colour     TEXT NOT NULL DEFAULT '',
  note            TEXT NOT NULL DEFAULT '',
  at_ms           INTEGER NOT NULL,
  by_id           INTEGER REFERENCES people (id),
  UNIQUE (number, version)
) STRICT;
CREATE TABLE swatches (
  id          INTEGER PRIMARY KEY,
  recipe_id   INTEGER NOT NULL REFERENCES recipes (id),
  order_id    INTEGER REFERENCES orders (id), -- NULL: for nobody yet
  over        TEXT NOT NULL DEFAULT '',
  over_colour TEXT NOT NULL DEFAULT '',
  coats       INTEGER NOT NULL CHECK (coats > 0),
  colour      TEXT NOT NULL DEFAULT '',
  photo_sha   TEXT REFERENCES files (sha),
  note        TEXT NOT NULL DEFAULT '',
  at_ms       INTEGER NOT NULL,
  by_id       INTEGER REFERENCES people (id),
  verdict     TEXT NOT NULL DEFAULT '' CHECK (verdict IN ('', 'yes', 'no')),
  judged_by   TEXT NOT NULL DEFAULT '', -- in words: the client, one of us
  judged_ms   INTEGER,
  judged_note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX swatches_recipe ON swatches (recipe_id);
CREATE INDEX swatches_order ON swatches (order_id) WHERE order_id IS NOT NULL;
CREATE INDEX swatches_photo ON swatches (photo_sha) WHERE photo_sha IS NOT NULL;
CREATE TABLE mixes ( -- of a recipe, in a pot
  id        INTEGER PRIMARY KEY,
  recipe_id INTEGER NOT NULL REFERENCES recipes (id),
  ml        REAL NOT NULL CHECK (ml > 0),
  left_ml   REAL NOT NULL CHECK (left_ml >= 0),
  at_ms     INTEGER NOT NULL,
  by_id     INTEGER REFERENCES people (id),
  ended     INTEGER NOT NULL DEFAULT 0 CHECK (ended IN (0, 1))
) STRICT;
CREATE INDEX mixes_recipe ON mixes (recipe_id);
CREATE TABLE regions ( -- of an item, as it is to be painted
  id            INTEGER PRIMARY KEY,
  item_id       INTEGER NOT NULL REFERENCES items (id) ON DELETE CASCADE,
  part_id       INTEGER REFERENCES parts (id) ON DELETE SET NULL, -- NULL: of the whole
  position      INTEGER NOT NULL,
  name          TEXT NOT NULL CHECK (name <> ''),
  stage         TEXT NOT NULL,
  recipe_number INTEGER NOT NULL,
  only          TEXT NOT NULL DEFAULT '', -- the numbers on the labels of the pieces that have it; empty: all
  over_id       INTEGER REFERENCES regions (id) ON DELETE SET NULL, -- what lies under it; NULL: the primer
  coats         INTEGER NOT NULL CHECK (coats > 0),
  share_percent REAL NOT NULL CHECK (share_percent > 0 AND share_percent <= 100), -- of what is seen
  area_mm2      REAL NOT NULL DEFAULT 0, -- as marked on the model, at its own size; 0: by its share
  edge_mm       REAL NOT NULL DEFAULT 0,
  marks         TEXT NOT NULL DEFAULT '[]', -- JSON: how it was marked on the model
  mirror        TEXT NOT NULL DEFAULT '' CHECK (mirror IN ('', 'x', 'y')), -- across which axis it is on the other side, too
  care          TEXT NOT NULL DEFAULT '' CHECK (care IN ('', 'focal', 'toned')),
  way           TEXT NOT NULL DEFAULT '' CHECK (way IN ('', 'mask', 'roll')),
  stop          TEXT NOT NULL DEFAULT '', -- where to stop
  stop_sha      TEXT REFERENCES files (sha)
) STRICT;
CREATE INDEX regions_item ON regions (item_id);
CREATE TABLE coats ( -- that were laid
  id        INTEGER PRIMARY KEY,
  piece_id  INTEGER NOT NULL REFERENCES pieces (id),
  position  INTEGER NOT NULL, -- of the stage on the piece's strip
  recipe_id INTEGER NOT NULL REFERENCES recipes (id),
  region    TEXT NOT NULL DEFAULT '',
  coats     INTEGER NOT NULL CHECK (coats > 0),
  ml        REAL NOT NULL DEFAULT 0, -- as worked out
  mix_id    INTEGER REFERENCES mixes (id),
  at_ms     INTEGER NOT NULL,
  by_id     INTEGER REFERENCES people (id)
) STRICT;
CREATE INDEX coats_piece ON coats (piece_id, position);
CREATE INDEX coats_recipe ON coats (recipe_id);
ALTER TABLE stages ADD COLUMN medium TEXT NOT NULL DEFAULT ''; -- that was laid at it; empty: as its item has it
ALTER TABLE stages ADD COLUMN film   REAL NOT NULL DEFAULT 0; -- how many times as thick as the rate book has it; 0: as it has it

-- +goose Down
SELECT 1;
