-- +goose Up
-- When what wears on a machine was replaced last.
CREATE TABLE replacements (
  id         INTEGER PRIMARY KEY,
  machine_id INTEGER NOT NULL REFERENCES machines (id),
  person_id  INTEGER REFERENCES people (id),
  what       TEXT NOT NULL CHECK (what IN ('film', 'screen', 'nozzle')),
  at_ms      INTEGER NOT NULL
) STRICT;
CREATE INDEX replacements_machine ON replacements (machine_id, what, at_ms);

-- +goose Down
SELECT 1;
