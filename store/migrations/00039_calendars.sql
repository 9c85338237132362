-- +goose Up
-- Each calendar of the plan has an address of its own, which whoever made it ends. The one address that opened all of them
-- ends with this.
CREATE TABLE calendars (
  id         INTEGER PRIMARY KEY,
  secret     TEXT NOT NULL UNIQUE,
  person_id  INTEGER REFERENCES people (id),   -- whose plan it shows
  machine_id INTEGER REFERENCES machines (id), -- neither: the whole studio's
  by_id      INTEGER NOT NULL REFERENCES people (id),
  made_ms    INTEGER NOT NULL
) STRICT;
CREATE INDEX calendars_person ON calendars (person_id);
CREATE INDEX calendars_machine ON calendars (machine_id);
CREATE INDEX calendars_by ON calendars (by_id);
UPDATE studio SET defaults = json_remove(defaults, '$.feed') WHERE json_valid(defaults);

-- +goose Down
SELECT 1;
