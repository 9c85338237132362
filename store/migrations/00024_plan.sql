-- +goose Up
-- What people do and when; when somebody or a machine is away; tasks moved by hand; the plan that was agreed on.
ALTER TABLE people ADD COLUMN crafts TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(crafts)); -- none: all
ALTER TABLE people ADD COLUMN days TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(days)); -- of the week, Sunday 0; none: as the studio
ALTER TABLE people ADD COLUMN from_min INTEGER NOT NULL DEFAULT 0 CHECK (from_min BETWEEN 0 AND 1439);
ALTER TABLE people ADD COLUMN to_min INTEGER NOT NULL DEFAULT 0 CHECK (to_min BETWEEN 0 AND 1440); -- both 0: as the studio
CREATE TABLE absences (
  id         INTEGER PRIMARY KEY,
  person_id  INTEGER REFERENCES people (id),
  machine_id INTEGER REFERENCES machines (id), -- neither: everybody
  from_ms    INTEGER NOT NULL,
  to_ms      INTEGER NOT NULL CHECK (to_ms > from_ms),
  why        TEXT NOT NULL
) STRICT;
CREATE TABLE fine_days ( -- when it is warm, dry and light enough to spray outside, as somebody says
  day      TEXT PRIMARY KEY,
  from_min INTEGER NOT NULL CHECK (from_min BETWEEN 0 AND 1440),
  to_min   INTEGER NOT NULL CHECK (to_min BETWEEN from_min AND 1440)
) STRICT, WITHOUT ROWID;
CREATE TABLE plan_moves ( -- the last of a task that is not undone counts
  id        INTEGER PRIMARY KEY,
  task      TEXT NOT NULL,
  person_id INTEGER REFERENCES people (id), -- NULL: anybody
  at_ms     INTEGER, -- NULL: it is let go
  by_id     INTEGER REFERENCES people (id),
  set_ms    INTEGER NOT NULL,
  undone    INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1))
) STRICT;
CREATE INDEX plan_moves_task ON plan_moves (task, id);
CREATE TABLE plan_agreed (
  task       TEXT PRIMARY KEY,
  person_id  INTEGER,
  machine_id INTEGER,
  order_id   INTEGER,
  title      TEXT NOT NULL,
  from_ms    INTEGER NOT NULL,
  to_ms      INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

ALTER TABLE orders ADD COLUMN weight REAL NOT NULL DEFAULT 1 CHECK (weight > 0); -- of its lateness, beside that of others

-- +goose Down
SELECT 1;
