-- +goose Up
-- Which materials a machine takes, and in which hours it must not run, in minutes since midnight.
ALTER TABLE machines ADD COLUMN takes TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(takes));
ALTER TABLE machines ADD COLUMN quiet_from_min INTEGER NOT NULL DEFAULT 0 CHECK (quiet_from_min BETWEEN 0 AND 1439);
ALTER TABLE machines ADD COLUMN quiet_to_min INTEGER NOT NULL DEFAULT 0 CHECK (quiet_to_min BETWEEN 0 AND 1439);

-- +goose Down
SELECT 1;
