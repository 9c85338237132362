-- +goose Up
ALTER TABLE orders ADD COLUMN stale_ms INTEGER; -- the end of the day after which it is of no use; NULL: none

-- +goose Down
SELECT 1;
