-- +goose Up
-- Devices that somebody has signed in at before, by the hash of what they carry: wrong passwords that others try do not keep
-- them out.
CREATE TABLE devices (
  hash      TEXT PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES people (id),
  at_ms     INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX devices_person ON devices (person_id, at_ms);

-- +goose Down
SELECT 1;
