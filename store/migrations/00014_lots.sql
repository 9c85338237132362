-- +goose Up
-- What is bought of a material, bottle by bottle or spool by spool, and what is left of it.
CREATE TABLE lots (
  id           INTEGER PRIMARY KEY,
  material_id  INTEGER NOT NULL REFERENCES materials (id),
  label        TEXT NOT NULL, -- what stands on it
  received_ms  INTEGER NOT NULL,
  opened_ms    INTEGER,
  expires_ms   INTEGER,
  grams        REAL NOT NULL CHECK (grams > 0), -- as bought
  price_per_kg REAL NOT NULL DEFAULT 0 CHECK (price_per_kg >= 0), -- 0: as the book has it
  weighed_ms   INTEGER,
  weighed_g    REAL NOT NULL DEFAULT 0 CHECK (weighed_g >= 0), -- what was left then
  ended_ms     INTEGER -- empty, or thrown away
) STRICT;
CREATE INDEX lots_material ON lots (material_id);
ALTER TABLE bookings ADD COLUMN lot_id INTEGER REFERENCES lots (id);
CREATE INDEX bookings_lot ON bookings (lot_id) WHERE lot_id IS NOT NULL;
ALTER TABLE runs ADD COLUMN lot_id INTEGER REFERENCES lots (id);
ALTER TABLE materials ADD COLUMN least_g REAL NOT NULL DEFAULT 0 CHECK (least_g >= 0); -- below which it is bought

-- +goose Down
SELECT 1;
