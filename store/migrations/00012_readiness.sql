-- +goose Up
-- What was put right on a machine after failures; what is changed for another attempt; what was
-- looked at before a run, and what was not.
CREATE TABLE remedies (
  id         INTEGER PRIMARY KEY,
  machine_id INTEGER NOT NULL REFERENCES machines (id),
  person_id  INTEGER REFERENCES people (id),
  at_ms      INTEGER NOT NULL,
  cause      TEXT NOT NULL,
  did        TEXT NOT NULL -- one thing, so that somebody learns which it was
) STRICT;
CREATE INDEX remedies_machine ON remedies (machine_id, at_ms);
ALTER TABLE plate_pieces ADD COLUMN changed TEXT NOT NULL DEFAULT ''; -- for this attempt, where one before failed
ALTER TABLE runs ADD COLUMN checked TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(checked));
ALTER TABLE runs ADD COLUMN skipped TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(skipped)); -- asked before the run and not looked at

-- +goose Down
SELECT 1;
