-- +goose Up
-- What was set or tried on a machine, and what that took; of which model something was put right; at
-- which layer a piece failed.
CREATE TABLE tunings (
  id          INTEGER PRIMARY KEY,
  machine_id  INTEGER NOT NULL REFERENCES machines (id),
  material_id INTEGER REFERENCES materials (id),
  person_id   INTEGER REFERENCES people (id),
  at_ms       INTEGER NOT NULL,
  did         TEXT NOT NULL,
  hands_min   REAL NOT NULL CHECK (hands_min >= 0),
  grams       REAL NOT NULL CHECK (grams >= 0)
) STRICT;
CREATE INDEX tunings_machine ON tunings (machine_id, at_ms);
ALTER TABLE remedies ADD COLUMN model_id INTEGER REFERENCES models (id);
ALTER TABLE plate_pieces ADD COLUMN failed_layer INTEGER NOT NULL DEFAULT 0; -- 0: nobody noted it

CREATE TABLE new_bookings ( -- material used up: by a run, for a piece of it or by the plate, or without one
  id          INTEGER PRIMARY KEY,
  material_id INTEGER NOT NULL REFERENCES materials (id),
  run_id      INTEGER REFERENCES runs (id),
  piece_id    INTEGER REFERENCES pieces (id),
  grams       REAL NOT NULL,
  at_ms       INTEGER NOT NULL,
  lot_id      INTEGER REFERENCES lots (id)
) STRICT;
INSERT INTO new_bookings SELECT id, material_id, run_id, piece_id, grams, at_ms, lot_id FROM bookings;
DROP TABLE bookings;
ALTER TABLE new_bookings RENAME TO bookings;
CREATE INDEX bookings_run ON bookings (run_id);
CREATE INDEX bookings_lot ON bookings (lot_id) WHERE lot_id IS NOT NULL;

-- +goose Down
SELECT 1;
