-- +goose Up
-- Pieces are turned by any angle on their plate, may be held where a person put them, and are kept
-- off a plate they were lifted from.
ALTER TABLE plate_pieces ADD COLUMN angle_deg REAL NOT NULL DEFAULT 0 CHECK (angle_deg >= 0 AND angle_deg < 360);
UPDATE plate_pieces SET angle_deg = 90 * quarters;
ALTER TABLE plate_pieces DROP COLUMN quarters;
ALTER TABLE plate_pieces ADD COLUMN locked INTEGER NOT NULL DEFAULT 0 CHECK (locked IN (0, 1));
ALTER TABLE plates ADD COLUMN kept_off TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(kept_off)); -- pieces that a person lifted off it

-- +goose Down
SELECT 1;
