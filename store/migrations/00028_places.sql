-- +goose Up
CREATE TABLE places ( -- where pieces lie
  id    INTEGER PRIMARY KEY,
  code  TEXT NOT NULL UNIQUE COLLATE NOCASE, -- on its label
  name  TEXT NOT NULL CHECK (name <> ''),
  kind  TEXT NOT NULL CHECK (kind IN ('shelf', 'box', 'booth', 'line')),
  ended INTEGER NOT NULL DEFAULT 0 CHECK (ended IN (0, 1))
) STRICT;
ALTER TABLE pieces ADD COLUMN place_id INTEGER REFERENCES places (id); -- NULL: nobody has said where it lies
CREATE INDEX pieces_place ON pieces (place_id) WHERE place_id IS NOT NULL;

-- +goose Down
SELECT 1;
