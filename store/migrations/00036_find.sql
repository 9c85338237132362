-- +goose Up
-- What a search looks for in pieces, in what was noted at their stages and in what was painted, by every three letters. They
-- follow by themselves, and are made anew from the rest when a damaged folder is salvaged.
CREATE VIRTUAL TABLE find_pieces USING fts5(letters, tokenize = 'trigram', content = '', contentless_delete = 1);
CREATE VIRTUAL TABLE find_notes USING fts5(letters, tokenize = 'trigram', content = '', contentless_delete = 1);
CREATE VIRTUAL TABLE find_coats USING fts5(letters, tokenize = 'trigram', content = '', contentless_delete = 1);
INSERT INTO find_pieces (rowid, letters) SELECT id, folded(code || char(10) || name) FROM pieces;
INSERT INTO find_notes (rowid, letters) SELECT id, folded(note) FROM stages WHERE note <> '';
INSERT INTO find_coats (rowid, letters) SELECT id, folded(region) FROM coats WHERE region <> '';
-- +goose StatementBegin
CREATE TRIGGER find_pieces_new AFTER INSERT ON pieces BEGIN
  INSERT OR REPLACE INTO find_pieces (rowid, letters) VALUES (new.id, folded(new.code || char(10) || new.name));
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_pieces_changed AFTER UPDATE OF code, name ON pieces WHEN old.code <> new.code OR old.name <> new.name BEGIN
  INSERT OR REPLACE INTO find_pieces (rowid, letters) VALUES (new.id, folded(new.code || char(10) || new.name));
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_pieces_gone AFTER DELETE ON pieces BEGIN
  DELETE FROM find_pieces WHERE rowid = old.id;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_notes_new AFTER INSERT ON stages WHEN new.note <> '' BEGIN
  INSERT OR REPLACE INTO find_notes (rowid, letters) VALUES (new.id, folded(new.note));
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_notes_changed AFTER UPDATE OF note ON stages WHEN old.note <> new.note BEGIN
  DELETE FROM find_notes WHERE rowid = old.id;
  INSERT INTO find_notes (rowid, letters) SELECT new.id, folded(new.note) WHERE new.note <> '';
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_notes_gone AFTER DELETE ON stages WHEN old.note <> '' BEGIN
  DELETE FROM find_notes WHERE rowid = old.id;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_coats_new AFTER INSERT ON coats WHEN new.region <> '' BEGIN
  INSERT OR REPLACE INTO find_coats (rowid, letters) VALUES (new.id, folded(new.region));
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER find_coats_gone AFTER DELETE ON coats WHEN old.region <> '' BEGIN
  DELETE FROM find_coats WHERE rowid = old.id;
END;
-- +goose StatementEnd
-- +goose Down
SELECT 1;
