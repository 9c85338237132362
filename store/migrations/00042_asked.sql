-- What is asked for often is found and not looked for from end to end; a partial index holds only what is open.

-- +goose Up
CREATE INDEX plate_pieces_outcome ON plate_pieces (outcome);
CREATE INDEX flaws_at ON flaws (at_ms);
CREATE INDEX flaws_over ON flaws (id) WHERE over_recipe <> 0;
CREATE INDEX points_open ON points (kind) WHERE settled_ms IS NULL;
CREATE INDEX quotes_state ON quotes (state);
CREATE INDEX quotes_news ON quotes (answered_ms) WHERE answered_ms IS NOT NULL AND seen_ms IS NULL;
CREATE INDEX stretches_to ON stretches (person_id, coalesce(to_ms, 9223372036854775807)); -- what runs has no end yet
CREATE INDEX runs_ended ON runs (ended_ms);
CREATE INDEX mixes_open ON mixes (id) WHERE ended = 0;
CREATE INDEX pieces_spelt ON pieces (code COLLATE NOCASE);
CREATE INDEX stages_wait ON stages (until_ms) WHERE wait_s > 0;

-- +goose Down
DROP INDEX plate_pieces_outcome;
DROP INDEX flaws_at;
DROP INDEX flaws_over;
DROP INDEX points_open;
DROP INDEX quotes_state;
DROP INDEX quotes_news;
DROP INDEX stretches_to;
DROP INDEX runs_ended;
DROP INDEX mixes_open;
DROP INDEX pieces_spelt;
DROP INDEX stages_wait;
