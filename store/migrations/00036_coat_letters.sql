-- +goose Up
CREATE INDEX coats_letters ON coats (folded(region));

-- +goose Down
SELECT 1;
