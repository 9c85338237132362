-- +goose Up
-- Points may also be notes, counts and deviations that were agreed.
CREATE TABLE new_points (
  id         INTEGER PRIMARY KEY,
  order_id   INTEGER NOT NULL REFERENCES orders (id),
  kind       TEXT NOT NULL CHECK (kind IN ('colour', 'question', 'asked', 'note', 'count', 'deviation')),
  text       TEXT NOT NULL,
  answer     TEXT NOT NULL,
  at_ms      INTEGER NOT NULL,
  settled_ms INTEGER
) STRICT;
INSERT INTO new_points SELECT id, order_id, kind, text, answer, at_ms, settled_ms FROM points;
DROP TABLE points;
ALTER TABLE new_points RENAME TO points;
CREATE INDEX points_order ON points (order_id);

-- +goose Down
SELECT 1;
