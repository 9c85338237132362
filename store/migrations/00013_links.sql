-- +goose Up
-- Where a machine answers, and where on its bed nothing may lie.
ALTER TABLE machines ADD COLUMN link TEXT NOT NULL DEFAULT '';
ALTER TABLE machines ADD COLUMN keep_out TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(keep_out));

-- +goose Down
SELECT 1;
