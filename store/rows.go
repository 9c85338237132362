package store

import (
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"sakuji/studio"

	"github.com/jmoiron/sqlx/reflectx"
)

// Columns and fields find each other by name: WallMM lies in wall_mm, StillSHA in
// still_sha, and a time in a column that ends in _ms. An id that is 0 is NULL; what is
// made of several values is JSON.

var words = regexp.MustCompile(`([a-z0-9]|^[XYZ])([A-Z])`)

func columnOf(field string) string {
	return strings.ToLower(words.ReplaceAllString(field, "${1}_${2}"))
}

var fields = reflectx.NewMapperFunc("db", columnOf)

// lying remembers where the fields of a struct lie, by its type and columns.
var lying sync.Map

// paths finds the fields of a struct that lie in these columns.
func paths(t reflect.Type, columns []string) ([][]int, error) {
	type of struct {
		t       reflect.Type
		columns string
	}
	key := of{t, strings.Join(columns, ",")}
	if known, ok := lying.Load(key); ok {
		return known.([][]int), nil
	}
	out, err := pathsOf(t, columns)
	if err == nil {
		lying.Store(key, out)
	}
	return out, err
}

func pathsOf(t reflect.Type, columns []string) ([][]int, error) {
	short := make([]string, len(columns))
	for i, c := range columns {
		short[i] = c
		if fields.TypeMap(t).GetByPath(c) == nil {
			short[i] = strings.TrimSuffix(c, "_ms")
		}
	}
	out := fields.TraversalsByName(t, short)
	for i, path := range out {
		if len(path) == 0 {
			return nil, fmt.Errorf("%s has no field for the column %s", t, columns[i])
		}
	}
	return out, nil
}

// rows reads all rows of a query: structs by the names of the columns, anything else from
// the only column. The list is the caller's own; what its rows point to is everybody's.
func rows[T any](t *Tx, query string, args ...any) ([]T, error) {
	if t.memo == nil {
		t.writes(query)
		return scanned[T](t, query, args)
	}
	list, err := Remember(t, asked(query, args), func() ([]T, error) {
		t.note(t.memo.named(query))
		return scanned[T](t, query, args)
	})
	return slices.Clone(list), err
}

// scanned reads the rows of a query from the database.
func scanned[T any](t *Tx, query string, args []any) (list []T, err error) {
	defer func() { err = doing(query, args, err) }()
	r, err := t.query(query, args)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	read := func(v *T) error { return r.Scan(v) }
	if of := reflect.TypeFor[T](); of.Kind() == reflect.Struct {
		columns, err := r.Columns()
		if err != nil {
			return nil, err
		}
		lies, err := paths(of, columns)
		if err != nil {
			return nil, err
		}
		to := make([]any, len(lies))
		read = func(v *T) error {
			for i, path := range lies {
				to[i] = reads(reflectx.FieldByIndexes(reflect.ValueOf(v), path).Addr().Interface())
			}
			return r.Scan(to...)
		}
	}
	for r.Next() {
		var v T
		if err := read(&v); err != nil {
			return nil, err
		}
		list = append(list, v)
	}
	return list, r.Err()
}

// one reads a single row, or ErrNotFound.
func one[T any](t *Tx, query string, args ...any) (v T, err error) {
	list, err := rows[T](t, query, args...)
	if err != nil {
		return v, err
	}
	if len(list) == 0 {
		return v, doing(query, args, ErrNotFound)
	}
	return list[0], nil
}

// reads is how a field takes what its column holds.
func reads(field any) any {
	switch f := field.(type) {
	case *time.Time:
		return moment{f}
	case *int64:
		return orZero[int64]{f}
	case *float64:
		return orZero[float64]{f}
	case *studio.ModelShape:
		return shape{f}
	}
	if composite(field) {
		return packed{field}
	}
	return field
}

// writes is what a column is given for a field.
func writes(field any, column string) any {
	switch f := field.(type) {
	case *time.Time:
		return moment{f}
	case *int64:
		if *f == 0 && (strings.HasSuffix(column, "_id") || strings.HasSuffix(column, "_by")) {
			return nil
		}
	case *string:
		if *f == "" && strings.HasSuffix(column, "_sha") {
			return nil
		}
	}
	if composite(field) {
		return packed{field}
	}
	return reflect.ValueOf(field).Elem().Interface()
}

func composite(field any) bool {
	switch reflect.TypeOf(field).Elem().Kind() {
	case reflect.Struct, reflect.Map, reflect.Slice, reflect.Array:
		return true
	}
	return false
}

// values returns what the columns are given for a struct, to which v points.
func values(v any, columns []string) ([]any, error) {
	of := reflect.ValueOf(v).Elem()
	lies, err := paths(of.Type(), columns)
	if err != nil {
		return nil, err
	}
	out := make([]any, len(lies))
	for i, path := range lies {
		out[i] = writes(reflectx.FieldByIndexes(of, path).Addr().Interface(), columns[i])
	}
	return out, nil
}

func split(columns string) []string {
	return strings.FieldsFunc(columns, func(r rune) bool { return r == ',' || r == ' ' || r == '\n' || r == '\t' })
}

// add adds a row of the struct to which v points and returns its id. Where a row of the same
// key may be there already, rest says what becomes of it.
func (t *Tx) add(table, columns string, v any, rest ...string) (id int64, err error) {
	names := split(columns)
	query := `INSERT INTO ` + table + ` (` + columns + `) VALUES (?` + strings.Repeat(", ?", len(names)-1) + `) ` + strings.Join(rest, " ")
	args, err := values(v, names)
	if err != nil {
		return 0, err
	}
	r, err := t.change(query, args...)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// mostValues is how many values one query carries.
const mostValues = 900

// addAll adds a row for each of a list, many at once.
func addAll[T any](t *Tx, table, columns string, list []T) error {
	names := split(columns)
	row := `(?` + strings.Repeat(", ?", len(names)-1) + `)`
	for chunk := range slices.Chunk(list, max(1, mostValues/len(names))) {
		var all []any
		for i := range chunk {
			args, err := values(&chunk[i], names)
			if err != nil {
				return err
			}
			all = append(all, args...)
		}
		if err := t.exec(`INSERT INTO `+table+` (`+columns+`) VALUES `+row+strings.Repeat(`, `+row, len(chunk)-1), all...); err != nil {
			return err
		}
	}
	return nil
}

// put adds a row of the struct to which v points, or changes the one that has its key.
func (t *Tx) put(table, key, columns string, v any) error {
	var set []string
	for _, c := range split(columns) {
		set = append(set, c+` = excluded.`+c)
	}
	_, err := t.add(table, key+", "+columns, v, `ON CONFLICT (`+key+`) DO UPDATE SET`, strings.Join(set, ", "))
	return err
}

// save adds a row of the struct to which v points when its id is 0, with the columns that
// are written only once too; or changes the row of that id.
func (t *Tx) save(table string, id *int64, v any, columns, once string) (err error) {
	if *id == 0 {
		if once != "" {
			columns = once + ", " + columns
		}
		*id, err = t.add(table, columns, v)
		return err
	}
	names := split(columns)
	args, err := values(v, names)
	if err != nil {
		return err
	}
	return t.exec(`UPDATE `+table+` SET `+strings.Join(names, " = ?, ")+` = ? WHERE id = ?`, append(args, *id)...)
}

// moment maps a time to Unix milliseconds; the zero time is NULL.
type moment struct{ t *time.Time }

func at(t *time.Time) moment { return moment{t} }

func (m moment) Value() (driver.Value, error) {
	if m.t.IsZero() {
		return nil, nil
	}
	return m.t.UnixMilli(), nil
}

func (m moment) Scan(v any) error {
	*m.t = time.Time{}
	if ms, ok := v.(int64); ok {
		*m.t = time.UnixMilli(ms).UTC()
	}
	return nil
}

// orZero reads NULL as nothing.
type orZero[T any] struct{ v *T }

func (z orZero[T]) Scan(v any) error {
	var n sql.Null[T]
	err := n.Scan(v)
	*z.v = n.V
	return err
}

// packed maps any value to JSON in a text column.
type packed struct{ v any }

func (p packed) Value() (driver.Value, error) {
	b, err := json.Marshal(p.v)
	return string(b), err
}

func (p packed) Scan(v any) error {
	switch s := v.(type) {
	case string:
		return json.Unmarshal([]byte(s), p.v)
	case []byte:
		return json.Unmarshal(s, p.v)
	}
	return fmt.Errorf("JSON expected, %T found", v)
}

// in is the list of placeholders for IN, and its values.
func in[T any](list []T) (marks string, args []any) {
	for _, v := range list {
		args = append(args, v)
	}
	return `(` + strings.TrimSuffix(strings.Repeat("?, ", len(list)), ", ") + `)`, args
}

// found says that nothing was found by the zero value.
func found[T any](v T, err error) (T, error) {
	if errors.Is(err, ErrNotFound) {
		var none T
		return none, nil
	}
	return v, err
}
