-- +goose Up
ALTER TABLE jobs ADD COLUMN tries INTEGER NOT NULL DEFAULT 0 CHECK (tries >= 0); -- how often it was begun: what ends the program with it is not begun for ever

-- +goose Down
SELECT 1;
