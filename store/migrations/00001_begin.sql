-- +goose Up
-- Times are Unix milliseconds UTC, money is integer minor units, durations are
-- seconds, hands are minutes, lengths mm, masses g.

CREATE TABLE studio (
  id          INTEGER PRIMARY KEY CHECK (id = 1),
  name        TEXT NOT NULL,
  address     TEXT NOT NULL,
  email       TEXT NOT NULL,
  tax_number  TEXT NOT NULL,
  currency    TEXT NOT NULL CHECK (length(currency) = 3),
  tax_percent REAL NOT NULL CHECK (tax_percent >= 0 AND tax_percent <= 100),
  time_zone   TEXT NOT NULL,
  public_url  TEXT NOT NULL,
  first_order INTEGER NOT NULL CHECK (first_order BETWEEN 1 AND 99999999)
) STRICT;

CREATE TABLE rate_book (
  version INTEGER PRIMARY KEY,
  at_ms   INTEGER NOT NULL,
  own     TEXT NOT NULL CHECK (json_valid(own)) -- the studio's own values by key
) STRICT;

CREATE TABLE people (
  id            INTEGER PRIMARY KEY,
  name          TEXT NOT NULL,
  initials      TEXT NOT NULL UNIQUE,
  role          TEXT NOT NULL CHECK (role IN ('owner', 'bench')),
  password_hash TEXT NOT NULL,
  letters_off   INTEGER NOT NULL DEFAULT 0 CHECK (letters_off IN (0, 1)),
  active        INTEGER NOT NULL DEFAULT 1 CHECK (active IN (0, 1))
) STRICT;

CREATE TABLE machines (
  id      INTEGER PRIMARY KEY,
  name    TEXT NOT NULL UNIQUE,
  process TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  figures TEXT NOT NULL CHECK (json_valid(figures)),
  active  INTEGER NOT NULL DEFAULT 1 CHECK (active IN (0, 1))
) STRICT;

CREATE TABLE materials (
  id      INTEGER PRIMARY KEY,
  name    TEXT NOT NULL UNIQUE,
  process TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  figures TEXT NOT NULL CHECK (json_valid(figures)),
  active  INTEGER NOT NULL DEFAULT 1 CHECK (active IN (0, 1))
) STRICT;

CREATE TABLE clients (
  id      INTEGER PRIMARY KEY,
  name    TEXT NOT NULL,
  email   TEXT NOT NULL,
  phone   TEXT NOT NULL,
  address TEXT NOT NULL, -- where parcels go
  note    TEXT NOT NULL
) STRICT;

CREATE TABLE orders (
  id           INTEGER PRIMARY KEY,
  number       TEXT NOT NULL UNIQUE,
  client_id    INTEGER NOT NULL REFERENCES clients (id),
  title        TEXT NOT NULL,
  use          TEXT NOT NULL, -- shelf, table, stage, worn …
  wanted_ms    INTEGER,       -- the end of the day it is wanted on
  budget_minor INTEGER,
  note         TEXT NOT NULL,
  state        TEXT NOT NULL CHECK (state IN ('enquiry', 'quoted', 'accepted', 'declined', 'cancelled', 'delivered', 'closed')),
  created_ms   INTEGER NOT NULL,
  accepted_ms  INTEGER,
  delivered_ms INTEGER,
  closed_ms    INTEGER,
  repeats_id   INTEGER REFERENCES orders (id)
) STRICT;
CREATE INDEX orders_client ON orders (client_id);
CREATE INDEX orders_state ON orders (state);

CREATE TABLE points ( -- what is settled or open with the client
  id         INTEGER PRIMARY KEY,
  order_id   INTEGER NOT NULL REFERENCES orders (id),
  kind       TEXT NOT NULL CHECK (kind IN ('colour', 'question', 'asked')), -- asked: by the client
  text       TEXT NOT NULL,
  answer     TEXT NOT NULL,
  at_ms      INTEGER NOT NULL,
  settled_ms INTEGER
) STRICT;
CREATE INDEX points_order ON points (order_id);

CREATE TABLE files ( -- contents lie on disk under their SHA-256
  sha   TEXT PRIMARY KEY CHECK (length(sha) = 64),
  bytes INTEGER NOT NULL,
  at_ms INTEGER NOT NULL
) STRICT;

CREATE TABLE pictures (
  id       INTEGER PRIMARY KEY,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  sha      TEXT NOT NULL REFERENCES files (sha),
  name     TEXT NOT NULL,
  type     TEXT NOT NULL
) STRICT;
CREATE INDEX pictures_order ON pictures (order_id);

CREATE TABLE models (
  id       INTEGER PRIMARY KEY,
  sha      TEXT NOT NULL UNIQUE REFERENCES files (sha),
  name     TEXT NOT NULL,
  measures TEXT NOT NULL CHECK (json_valid(measures)),
  shape    TEXT NOT NULL CHECK (json_valid(shape)), -- profile, overhang and outlines
  at_ms    INTEGER NOT NULL
) STRICT;

CREATE TABLE items (
  id       INTEGER PRIMARY KEY,
  order_id INTEGER NOT NULL REFERENCES orders (id),
  position INTEGER NOT NULL,
  title    TEXT NOT NULL,
  tier     TEXT NOT NULL CHECK (tier IN ('raw', 'primed', 'painted')),
  copies   INTEGER NOT NULL CHECK (copies BETWEEN 1 AND 1000),
  scale    REAL NOT NULL CHECK (scale > 0),
  removed  INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1))
) STRICT;
CREATE INDEX items_order ON items (order_id);

CREATE TABLE parts (
  id          INTEGER PRIMARY KEY,
  item_id     INTEGER NOT NULL REFERENCES items (id),
  model_id    INTEGER NOT NULL REFERENCES models (id),
  name        TEXT NOT NULL,
  copies      INTEGER NOT NULL CHECK (copies BETWEEN 1 AND 1000), -- in one copy of the item
  process     TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  material_id INTEGER REFERENCES materials (id),
  wall_mm     REAL NOT NULL CHECK (wall_mm >= 0) -- 0: solid
) STRICT;
CREATE INDEX parts_item ON parts (item_id);

CREATE TABLE quotes (
  id             INTEGER PRIMARY KEY,
  order_id       INTEGER NOT NULL REFERENCES orders (id),
  revision       INTEGER NOT NULL,
  token          TEXT NOT NULL UNIQUE,
  state          TEXT NOT NULL CHECK (state IN ('sent', 'accepted', 'declined', 'replaced', 'withdrawn')),
  document       TEXT NOT NULL CHECK (json_valid(document)), -- frozen whole
  total_minor    INTEGER NOT NULL,
  deposit_minor  INTEGER NOT NULL,
  currency       TEXT NOT NULL,
  sent_ms        INTEGER NOT NULL,
  valid_until_ms INTEGER NOT NULL,
  answered_ms    INTEGER,
  answered_by    TEXT NOT NULL,
  answered_from  TEXT NOT NULL,
  seen_ms        INTEGER, -- when the owner looked at the answer
  UNIQUE (order_id, revision)
) STRICT;

CREATE TABLE payments (
  id           INTEGER PRIMARY KEY,
  order_id     INTEGER NOT NULL REFERENCES orders (id),
  kind         TEXT NOT NULL CHECK (kind IN ('deposit')),
  amount_minor INTEGER NOT NULL CHECK (amount_minor > 0),
  currency     TEXT NOT NULL,
  at_ms        INTEGER NOT NULL
) STRICT;
CREATE INDEX payments_order ON payments (order_id);

CREATE TABLE pieces (
  id          INTEGER PRIMARY KEY,
  code        TEXT NOT NULL UNIQUE, -- as on its label: order number and a count
  order_id    INTEGER NOT NULL REFERENCES orders (id),
  item_id     INTEGER NOT NULL REFERENCES items (id),
  part_id     INTEGER NOT NULL REFERENCES parts (id),
  name        TEXT NOT NULL,
  process     TEXT NOT NULL CHECK (process IN ('resin', 'filament')),
  material_id INTEGER NOT NULL REFERENCES materials (id),
  scale       REAL NOT NULL,
  wall_mm     REAL NOT NULL,
  tier        TEXT NOT NULL CHECK (tier IN ('raw', 'primed', 'painted')),
  attempt     INTEGER NOT NULL DEFAULT 1,
  state       TEXT NOT NULL CHECK (state IN ('waiting', 'on plate', 'bench', 'done', 'scrapped', 'left out', 'cancelled')),
  replaces_id INTEGER REFERENCES pieces (id)
) STRICT;
CREATE INDEX pieces_order ON pieces (order_id);
CREATE INDEX pieces_state ON pieces (state);

CREATE TABLE stages (
  id          INTEGER PRIMARY KEY,
  piece_id    INTEGER NOT NULL REFERENCES pieces (id),
  position    INTEGER NOT NULL,
  kind        TEXT NOT NULL,
  mark        TEXT NOT NULL CHECK (mark IN ('todo', 'done', 'sent back')),
  planned_min REAL NOT NULL,
  wait_s      INTEGER NOT NULL,
  person_id   INTEGER REFERENCES people (id),
  done_ms     INTEGER,
  minutes     REAL,
  note        TEXT NOT NULL DEFAULT '',
  until_ms    INTEGER,
  UNIQUE (piece_id, position)
) STRICT;
CREATE INDEX stages_done ON stages (done_ms);

CREATE TABLE plates (
  id          INTEGER PRIMARY KEY,
  number      INTEGER NOT NULL UNIQUE,
  machine_id  INTEGER NOT NULL REFERENCES machines (id),
  material_id INTEGER NOT NULL REFERENCES materials (id),
  state       TEXT NOT NULL CHECK (state IN ('laid', 'running', 'finished', 'emptied', 'dissolved')),
  created_ms  INTEGER NOT NULL
) STRICT;
CREATE INDEX plates_state ON plates (state);

CREATE TABLE plate_pieces (
  plate_id INTEGER NOT NULL REFERENCES plates (id),
  piece_id INTEGER NOT NULL REFERENCES pieces (id),
  x_mm     REAL NOT NULL,
  y_mm     REAL NOT NULL,
  quarters INTEGER NOT NULL CHECK (quarters BETWEEN 0 AND 3),
  report   TEXT NOT NULL DEFAULT '', -- what the machine said became of it
  outcome  TEXT NOT NULL DEFAULT '' CHECK (outcome IN ('', 'good', 'failed', 'scrapped')),
  cause    TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (plate_id, piece_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX plate_pieces_piece ON plate_pieces (piece_id);

CREATE TABLE runs (
  id          INTEGER PRIMARY KEY,
  plate_id    INTEGER NOT NULL UNIQUE REFERENCES plates (id),
  machine_id  INTEGER NOT NULL REFERENCES machines (id),
  started_ms  INTEGER NOT NULL,
  planned_min REAL NOT NULL,
  room_c      REAL,
  ended_ms    INTEGER,
  emptied_ms  INTEGER,
  emptied_by  INTEGER REFERENCES people (id),
  note        TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX runs_machine ON runs (machine_id, started_ms);

CREATE TABLE bookings ( -- material used up
  id          INTEGER PRIMARY KEY,
  material_id INTEGER NOT NULL REFERENCES materials (id),
  run_id      INTEGER NOT NULL REFERENCES runs (id),
  piece_id    INTEGER REFERENCES pieces (id),
  grams       REAL NOT NULL,
  at_ms       INTEGER NOT NULL
) STRICT;
CREATE INDEX bookings_run ON bookings (run_id);

CREATE TABLE logbook ( -- append only
  id        INTEGER PRIMARY KEY,
  at_ms     INTEGER NOT NULL,
  person_id INTEGER REFERENCES people (id),
  who       TEXT NOT NULL,
  deed      TEXT NOT NULL,
  text      TEXT NOT NULL,
  order_id  INTEGER REFERENCES orders (id),
  piece_id  INTEGER REFERENCES pieces (id),
  plate_id  INTEGER REFERENCES plates (id)
) STRICT;
CREATE INDEX logbook_order ON logbook (order_id);
CREATE INDEX logbook_piece ON logbook (piece_id);
CREATE INDEX logbook_at ON logbook (at_ms);
CREATE TRIGGER logbook_no_update BEFORE UPDATE ON logbook BEGIN SELECT RAISE(ABORT, 'the logbook is append only'); END;
CREATE TRIGGER logbook_no_delete BEFORE DELETE ON logbook BEGIN SELECT RAISE(ABORT, 'the logbook is append only'); END;

CREATE TABLE sessions (
  token  TEXT PRIMARY KEY,
  data   BLOB NOT NULL,
  expiry REAL NOT NULL
) STRICT;
CREATE INDEX sessions_expiry ON sessions (expiry);

-- +goose Down
SELECT 1;
