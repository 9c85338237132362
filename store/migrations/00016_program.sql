-- +goose Up
-- What a machine program that was prepared of a plate says it takes.
ALTER TABLE plates ADD COLUMN program TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(program));

-- +goose Down
SELECT 1;
