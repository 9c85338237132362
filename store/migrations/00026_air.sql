-- +goose Up
CREATE TABLE air ( -- of the studio, as people or a sensor say
  id               INTEGER PRIMARY KEY,
  at_ms            INTEGER NOT NULL,
  c                REAL NOT NULL CHECK (c BETWEEN -10 AND 50),
  humidity_percent REAL NOT NULL CHECK (humidity_percent BETWEEN 1 AND 100),
  by_id            INTEGER REFERENCES people (id) -- NULL: a sensor
) STRICT;
CREATE INDEX air_at ON air (at_ms);

-- +goose Down
SELECT 1;
