-- +goose Up
ALTER TABLE photos ADD COLUMN stage TEXT NOT NULL DEFAULT ''; -- that was stamped last when it was taken

-- +goose Down
SELECT 1;
