-- +goose Up
-- Photographs of pieces, as they came off a plate.
CREATE TABLE photos (
  id        INTEGER PRIMARY KEY,
  piece_id  INTEGER NOT NULL REFERENCES pieces (id),
  plate_id  INTEGER REFERENCES plates (id),
  person_id INTEGER REFERENCES people (id),
  sha       TEXT NOT NULL REFERENCES files (sha), -- a JPEG without metadata
  at_ms     INTEGER NOT NULL,
  text      TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX photos_piece ON photos (piece_id);
CREATE INDEX photos_plate ON photos (plate_id) WHERE plate_id IS NOT NULL;
CREATE INDEX photos_sha ON photos (sha);

-- +goose Down
SELECT 1;
