-- +goose Up
CREATE TABLE stretches ( -- a time for which somebody's clock ran for the stage that was next of a piece
  id          INTEGER PRIMARY KEY,
  person_id   INTEGER NOT NULL REFERENCES people (id),
  piece_id    INTEGER NOT NULL REFERENCES pieces (id),
  shown       TEXT NOT NULL,
  planned_min REAL NOT NULL CHECK (planned_min >= 0),
  from_ms     INTEGER NOT NULL,
  to_ms       INTEGER CHECK (to_ms >= from_ms) -- NULL: it runs
) STRICT;
CREATE UNIQUE INDEX stretches_run ON stretches (person_id, piece_id) WHERE to_ms IS NULL; -- one clock for a piece
CREATE INDEX stretches_piece ON stretches (piece_id, shown);

-- +goose Down
SELECT 1;
