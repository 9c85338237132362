-- +goose Up
-- What a studio has learned of its stages is summed up over all of them: those that were done before a moment once,
-- those since then each time. The moment follows the stamps at a distance of one to two weeks; n counts whatever has
-- touched what lies before it.
CREATE TABLE past (
  id        INTEGER PRIMARY KEY CHECK (id = 1),
  before_ms INTEGER NOT NULL,
  n         INTEGER NOT NULL
) STRICT;
-- +goose StatementBegin
CREATE TRIGGER past_moves AFTER UPDATE ON stages WHEN NEW.done_ms > coalesce((SELECT before_ms FROM past), 0) + 14 * 86400000 BEGIN
  INSERT INTO past (id, before_ms, n) VALUES (1, NEW.done_ms - 7 * 86400000, 1) ON CONFLICT (id) DO UPDATE SET before_ms = excluded.before_ms, n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER past_moves_on AFTER INSERT ON stages WHEN NEW.done_ms > coalesce((SELECT before_ms FROM past), 0) + 14 * 86400000 BEGIN
  INSERT INTO past (id, before_ms, n) VALUES (1, NEW.done_ms - 7 * 86400000, 1) ON CONFLICT (id) DO UPDATE SET before_ms = excluded.before_ms, n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER past_changed AFTER UPDATE ON stages WHEN OLD.done_ms < (SELECT before_ms FROM past) OR NEW.done_ms < (SELECT before_ms FROM past) BEGIN
  UPDATE past SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER past_added AFTER INSERT ON stages WHEN NEW.done_ms < (SELECT before_ms FROM past) BEGIN
  UPDATE past SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER past_dropped AFTER DELETE ON stages WHEN OLD.done_ms < (SELECT before_ms FROM past) BEGIN
  UPDATE past SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER past_process AFTER UPDATE OF process ON pieces WHEN OLD.process IS NOT NEW.process BEGIN
  UPDATE past SET n = n + 1;
END;
-- +goose StatementEnd

-- +goose Down
SELECT 1;
