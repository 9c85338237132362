-- +goose Up
ALTER TABLE photos ADD COLUMN strokes    TEXT NOT NULL DEFAULT '[]'; -- JSON: drawn on it with a finger, from the left and the top, 0 to 1
ALTER TABLE photos ADD COLUMN offered    INTEGER NOT NULL DEFAULT 0 CHECK (offered IN (0, 1)); -- the client sees it
ALTER TABLE photos ADD COLUMN allowed_by TEXT NOT NULL DEFAULT ''; -- the client who allows everybody to see it; empty: nobody does
ALTER TABLE photos ADD COLUMN allowed_ms INTEGER;
ALTER TABLE photos ADD COLUMN full_sha   TEXT REFERENCES files (sha); -- as large as it came; NULL: it was not kept so
CREATE INDEX photos_full ON photos (full_sha) WHERE full_sha IS NOT NULL;
CREATE INDEX photos_allowed ON photos (allowed_ms) WHERE allowed_ms IS NOT NULL;

-- +goose Down
SELECT 1;
