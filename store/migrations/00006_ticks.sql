-- +goose Up
CREATE TABLE ticks ( -- counts the changes, whoever makes them: what was read at one of them is known by it
	id INTEGER PRIMARY KEY CHECK (id = 1),
	n INTEGER NOT NULL
);
INSERT INTO ticks (id, n) VALUES (1, 0);

-- +goose Down
SELECT 1;
