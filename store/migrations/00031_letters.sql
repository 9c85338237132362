-- +goose Up
-- What a search looks for in pieces and in what was noted at their stages, as people compare letters.
CREATE INDEX stages_noted ON stages (folded(note), done_ms, piece_id) WHERE note <> '';
CREATE INDEX pieces_letters ON pieces (folded(code || char(10) || name));

-- +goose Down
SELECT 1;
