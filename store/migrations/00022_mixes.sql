-- +goose Up
-- A lot may be mixed of others; an empty bottle or spool has its weight.
ALTER TABLE lots ADD COLUMN mix TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(mix));
ALTER TABLE lots ADD COLUMN tare_g REAL NOT NULL DEFAULT 0 CHECK (tare_g >= 0);

-- +goose Down
SELECT 1;
