-- +goose Up
-- What prints are washed in, how much has gone through, and which bath a piece was washed in.
CREATE TABLE baths (
  id               INTEGER PRIMARY KEY,
  name             TEXT NOT NULL,
  litres           REAL NOT NULL CHECK (litres > 0),
  strength_percent REAL NOT NULL CHECK (strength_percent > 0 AND strength_percent <= 100),
  filled_ms        INTEGER NOT NULL,
  ended_ms         INTEGER
) STRICT;
ALTER TABLE stages ADD COLUMN bath_id INTEGER REFERENCES baths (id);
CREATE INDEX stages_bath ON stages (bath_id) WHERE bath_id IS NOT NULL;

-- +goose Down
SELECT 1;
