-- +goose Up
ALTER TABLE parts ADD COLUMN inside TEXT NOT NULL DEFAULT '' CHECK (inside IN ('', 'primed', 'painted')); -- what is finished of its inside
ALTER TABLE parts ADD COLUMN hidden INTEGER NOT NULL DEFAULT 0 CHECK (hidden IN (0, 1)); -- nobody sees it once it is joined

-- +goose Down
SELECT 1;
