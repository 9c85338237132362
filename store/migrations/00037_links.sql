-- +goose Up
-- A run is known to its machine by a name that is never used again, and it is kept when its start was sent, so that it is
-- sent once, also over a restart and after a backup came back.
ALTER TABLE runs ADD COLUMN job TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN sent_ms INTEGER;
ALTER TABLE runs ADD COLUMN heard_ms INTEGER;
ALTER TABLE runs ADD COLUMN before TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN missing TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN missed_ms INTEGER;
ALTER TABLE runs ADD COLUMN seen TEXT NOT NULL DEFAULT '';
UPDATE runs SET job = 'plate-' || (SELECT number FROM plates WHERE id = plate_id) || '-' || plate_id, sent_ms = started_ms, heard_ms = started_ms
  WHERE ended_ms IS NULL;

-- +goose Down
SELECT 1;
