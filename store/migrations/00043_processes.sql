-- Which processes there are is the program's to say: a further one is added there. A check that is only taken away changes
-- no row, so the words of the tables are changed in place [published: SQLite, ALTER TABLE, Making Other Kinds Of Table
-- Schema Changes].

-- +goose Up
PRAGMA writable_schema = ON;
UPDATE sqlite_schema SET sql = replace(replace(sql, ' CHECK (process IN (''resin'', ''filament''))', ' CHECK (process <> '''')'), ' CHECK (process IN (''resin'', ''filament'', ''''))', '')
WHERE type = 'table' AND sql LIKE '%CHECK (process IN (''resin''%';
PRAGMA writable_schema = RESET;

-- +goose Down
SELECT 1; -- an older program is at ease with a looser check
