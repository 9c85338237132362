-- +goose Up
-- Indexes over a function of ours, which SQLite's own program does not have: without them it checks the database. What is
-- looked for by fewer than three letters is read through plain ones.
DROP INDEX IF EXISTS stages_noted;
DROP INDEX IF EXISTS pieces_letters;
CREATE INDEX stages_noted ON stages (note, done_ms, piece_id) WHERE note <> '';
CREATE INDEX pieces_letters ON pieces (code, name);

-- Which programs have served this studio: a program that is too old says which one it takes.
CREATE TABLE programs (
  version  TEXT PRIMARY KEY,
  schema   INTEGER NOT NULL,
  first_ms INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- +goose Down
SELECT 1;
