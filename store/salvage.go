package store

import (
	"context"
	"errors"
	"fmt"
	"hash/maphash"
	"path/filepath"
	"slices"
	"strings"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"
)

// damaged reports whether an error comes of a database that is not whole.
func damaged(err error) bool {
	var e *sqlite.Error
	return errors.As(err, &e) && (e.Code()&0xff == lib.SQLITE_CORRUPT || e.Code()&0xff == lib.SQLITE_NOTADB)
}

// salvage brings what can still be read of a damaged database into a new one in an empty
// folder, and tells what is lost, a line each: rows on damaged pages, and rows that stand on
// them. Tables are read from both ends up to where they are damaged.
func (s *Store) salvage(ctx context.Context, dir string) (database string, lost []string, err error) {
	fresh, err := Open(ctx, dir)
	if err != nil {
		return "", nil, err
	}
	defer func() { err = errors.Join(err, fresh.Close()) }()
	if _, err := fresh.write.ExecContext(ctx, `PRAGMA foreign_keys = OFF`); err != nil {
		return "", nil, err
	}
	err = fresh.Write(ctx, func(t *Tx) error {
		tables, err := rows[string](t, `SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'goose_%' AND name NOT LIKE 'find\_%' ESCAPE '\' AND name <> 'sessions'`)
		for _, table := range tables {
			n, why := s.bring(t, table)
			if why != nil {
				lost = append(lost, fmt.Sprintf("%s: %d rows could be read, others not: %v", table, n, why))
			}
		}
		if err != nil {
			return err
		}
		orphans, err := t.orphans()
		lost = append(lost, orphans...)
		return err
	})
	if err == nil {
		_, err = fresh.write.ExecContext(ctx, `PRAGMA wal_checkpoint(TRUNCATE)`)
	}
	return filepath.Join(dir, DatabaseName), lost, err
}

// bring copies a table's rows, and returns how many, and what they ended at.
func (s *Store) bring(t *Tx, table string) (n int, why error) {
	columns, err := rows[string](t, `SELECT name FROM pragma_table_info(?)`, table)
	if err != nil {
		return 0, err
	}
	old, err := s.read.QueryContext(t.ctx, `SELECT name FROM pragma_table_info(?)`, table)
	if err != nil {
		return 0, err
	}
	var had []string
	for old.Next() {
		var name string
		if err := old.Scan(&name); err != nil {
			return 0, errors.Join(err, old.Close())
		}
		had = append(had, name)
	}
	if err := errors.Join(old.Err(), old.Close()); err != nil {
		return 0, err
	}
	columns = slices.DeleteFunc(columns, func(c string) bool { return !slices.Contains(had, c) })
	if len(columns) == 0 { // a studio of before this table
		return 0, nil
	}
	key, err := rows[string](t, `SELECT '"' || name || '"' FROM pragma_table_info(?1) WHERE pk > 0 AND (SELECT wr FROM pragma_table_list WHERE name = ?1)`, table)
	if err != nil {
		return 0, err
	}
	if len(key) == 0 {
		key = []string{"rowid"}
	}
	seen := map[uint64]bool{}
	for _, way := range []string{" ASC", " DESC"} {
		if why = s.bringFrom(t, table, columns, strings.Join(key, way+", ")+way, seen); why == nil {
			break
		}
	}
	return len(seen), why
}

// bringFrom copies rows from one end of a table until the other, or damage.
func (s *Store) bringFrom(t *Tx, table string, columns []string, order string, seen map[uint64]bool) error {
	named := `"` + strings.Join(columns, `", "`) + `"`
	list, err := s.read.QueryContext(t.ctx, `SELECT `+named+` FROM "`+table+`" ORDER BY `+order)
	if err != nil {
		return err
	}
	defer list.Close()
	put := `INSERT OR REPLACE INTO "` + table + `" (` + named + `) VALUES (?` + strings.Repeat(", ?", len(columns)-1) + `)`
	var refused error
	for list.Next() {
		values, to := make([]any, len(columns)), make([]any, len(columns))
		for i := range values {
			to[i] = &values[i]
		}
		if err := list.Scan(to...); err != nil {
			return err
		}
		row := maphash.String(salvaged, fmt.Sprint(values))
		if seen[row] {
			continue
		}
		if err := t.exec(put, values...); err != nil {
			refused = err
			continue
		}
		seen[row] = true
	}
	return errors.Join(list.Err(), refused)
}

var salvaged = maphash.MakeSeed()

// orphans takes away rows that point at rows which are lost, and tells how many. The logbook
// keeps its lines and forgets only what they spoke of.
func (t *Tx) orphans() (lost []string, err error) {
	triggers, err := rows[struct{ Name, SQL string }](t, `SELECT name, sql FROM sqlite_master WHERE type = 'trigger'`)
	if err != nil {
		return nil, err
	}
	for _, tr := range triggers {
		if err := t.exec(`DROP TRIGGER "` + tr.Name + `"`); err != nil {
			return nil, err
		}
	}
	links, err := rows[struct{ Of, Column, To, Key string }](t, `SELECT m.name AS of, k."from" AS "column", k."table" AS "to", coalesce(k."to", 'id') AS key
		FROM sqlite_master m JOIN pragma_foreign_key_list(m.name) k WHERE m.type = 'table'`)
	if err != nil {
		return nil, err
	}
	gone := map[string]int64{}
	for again := true; again; { // what goes may leave others without
		again = false
		for _, l := range links {
			where := fmt.Sprintf(` WHERE "%s" IS NOT NULL AND "%[1]s" NOT IN (SELECT "%s" FROM "%s")`, l.Column, l.Key, l.To)
			how := `DELETE FROM "` + l.Of + `"`
			if l.Of == "logbook" {
				how = `UPDATE logbook SET "` + l.Column + `" = NULL`
			}
			r, err := t.change(how + where)
			if err != nil {
				return nil, err
			}
			n, err := r.RowsAffected()
			if err != nil {
				return nil, err
			}
			if again = again || n > 0; n > 0 && l.Of != "logbook" {
				gone[l.Of] += n
			}
		}
	}
	for _, tr := range triggers {
		if err := t.exec(tr.SQL); err != nil {
			return nil, err
		}
	}
	for table, n := range gone {
		lost = append(lost, fmt.Sprintf("%s: %d rows stood on others that are lost", table, n))
	}
	slices.Sort(lost)
	return lost, nil
}
