-- +goose Up
CREATE TABLE flaws ( -- what went wrong under hands
  id           INTEGER PRIMARY KEY,
  piece_id     INTEGER NOT NULL REFERENCES pieces (id),
  position     INTEGER NOT NULL, -- of the stage on its strip at which it was found
  stage        TEXT NOT NULL,
  kind         TEXT NOT NULL,
  cause        TEXT NOT NULL,
  text         TEXT NOT NULL DEFAULT '', -- where it is
  verdict      TEXT NOT NULL CHECK (verdict IN ('back', 'pass', 'mended')),
  back_to      TEXT NOT NULL DEFAULT '',
  hidden_by    TEXT NOT NULL DEFAULT '',
  remedy       TEXT NOT NULL DEFAULT '',
  minutes      REAL NOT NULL DEFAULT 0 CHECK (minutes >= 0), -- of hands that it took on the spot
  grams        REAL NOT NULL DEFAULT 0 CHECK (grams >= 0),
  photo_sha    TEXT REFERENCES files (sha), -- on which it is marked; NULL: on the picture of its model
  marked       INTEGER NOT NULL DEFAULT 0 CHECK (marked IN (0, 1)),
  x            REAL NOT NULL DEFAULT 0 CHECK (x BETWEEN 0 AND 1), -- from the left
  y            REAL NOT NULL DEFAULT 0 CHECK (y BETWEEN 0 AND 1), -- from the top
  over_recipe  INTEGER NOT NULL DEFAULT 0, -- numbers of the coats that lay there: the one on top, and the one under it
  under_recipe INTEGER NOT NULL DEFAULT 0,
  at_ms        INTEGER NOT NULL,
  by_id        INTEGER REFERENCES people (id)
) STRICT;
CREATE INDEX flaws_piece ON flaws (piece_id);
CREATE INDEX flaws_kind ON flaws (kind, at_ms);

-- +goose Down
SELECT 1;
