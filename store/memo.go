package store

import (
	"database/sql/driver"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// memo keeps what reading has found for as long as nobody writes to the tables it lies in,
// so that the store is read once for each change, however many look. Every change counts
// ticks up in its own transaction: a transaction that reads knows by the tick it sees which
// changes it has seen, those of other processes included.
type memo struct {
	tables  map[string]bool // all there are
	kept    *lru.Cache[string, answer]
	finding singleflight.Group
	reads   sync.Map // by query: the tables it names
	guarded bool     // whether it is watched that nobody changes what is everybody's

	mu      sync.Mutex
	last    int64              // the newest tick known of
	since   int64              // from this tick on it is known who wrote what
	written map[string][]int64 // by table: the ticks it was written at, oldest first
}

// answer is what was found, in which tables, as of the last change to any of them.
type answer struct {
	tables []string
	as     int64
	found  any
	print  string // how it looked, when that is watched
}

// Guard lets the memory watch that what it gives out is never changed: it panics when it
// finds otherwise. Tests switch it on; it is slow.
func (s *Store) Guard() { s.memo.guarded = true }

// look is how something looks down to its last part, if that is watched.
func (m *memo) look(found any) string {
	if !m.guarded {
		return ""
	}
	return fmt.Sprintf("%+v", found)
}

const (
	// lookups bounds how much is kept, in answers to queries.
	lookups = 2000
	// longAgo bounds how far back it is known when a table was written, in changes.
	longAgo = 200
	// everything is written by whoever changes the studio from outside this process.
	everything = "*"
)

// unversioned tables are written without a tick.
var unversioned = []string{"sessions", "ticks"}

func newMemo(tables []string) *memo {
	m := &memo{tables: map[string]bool{}, written: map[string][]int64{}, last: -1}
	for _, t := range tables {
		m.tables[t] = true
	}
	m.kept, _ = lru.New[string, answer](lookups) // it refuses only sizes under 1
	return m
}

var names = regexp.MustCompile(`[a-z_]+`)

// named are the tables that a query speaks of, or a word of it could mean.
func (m *memo) named(query string) []string {
	if known, ok := m.reads.Load(query); ok {
		return known.([]string)
	}
	var list []string
	for _, w := range names.FindAllString(query, -1) {
		if m.tables[w] && !slices.Contains(list, w) {
			list = append(list, w)
		}
	}
	m.reads.Store(query, list)
	return list
}

// changing notes a tick before what it changes is committed: nobody can see it earlier.
func (m *memo) changing(tick int64, tables []string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if tick > m.last+1 {
		m.startOver(tick)
	}
	m.last = max(m.last, tick)
	for _, t := range tables {
		list := append(m.written[t], tick)
		if len(list) > longAgo {
			m.since = max(m.since, list[0]+1)
			list = slices.Clone(list[1:])
		}
		m.written[t] = list
	}
}

// startOver takes everything to be written at a tick, and nothing to be known before it.
func (m *memo) startOver(tick int64) {
	m.since = tick
	m.last = max(m.last, tick)
	clear(m.written)
	m.written[everything] = []int64{tick}
}

// failed takes back a tick whose change was not saved: the same number comes again.
func (m *memo) failed(tick int64) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.startOver(tick + 1)
}

// as returns the last change to any of these tables that a transaction which sees this
// tick knows of; known is false if that cannot be told any more.
func (m *memo) as(tick int64, tables []string) (last int64, known bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if tick > m.last { // somebody else has written
		m.startOver(tick)
	}
	if tick < m.since {
		return 0, false
	}
	for _, t := range append([]string{everything}, tables...) {
		list := m.written[t]
		for i := len(list) - 1; i >= 0; i-- {
			if list[i] <= tick {
				last = max(last, list[i])
				break
			}
		}
	}
	return last, true
}

// Remember returns what find has found before, or lets it find it. What it finds hangs on
// nothing but the store and the key; it is everybody's, to be looked at and not changed.
func Remember[T any](t *Tx, key string, find func() (T, error)) (found T, err error) {
	m := t.memo
	if m == nil {
		return find()
	}
	key = reflect.TypeFor[T]().String() + " " + key
	if k, ok := m.kept.Get(key); ok {
		if as, known := m.as(t.tick, k.tables); known && as == k.as {
			if m.look(k.found) != k.print {
				panic("somebody has changed what is everybody's: " + key)
			}
			t.note(k.tables)
			return k.found.(T), nil
		}
	}
	// Of all who look for the same at the same time one finds it; those that see another
	// state look for themselves.
	ours := false
	made, err, _ := m.finding.Do(fmt.Sprint(t.tick, " ", key), func() (any, error) {
		ours = true
		outer := t.noted
		t.noted = &[]string{}
		v, err := find()
		k := answer{tables: *t.noted, found: v, print: m.look(v)}
		t.noted = outer
		if err != nil {
			return nil, err
		}
		as, known := m.as(t.tick, k.tables)
		if k.as = as; known && !slices.ContainsFunc(unversioned, func(t string) bool { return slices.Contains(k.tables, t) }) {
			m.kept.Add(key, k)
		}
		return k, nil
	})
	switch {
	case err != nil && !ours: // it was another's, who may have been called away
		return find()
	case err != nil:
		return found, err
	}
	k := made.(answer)
	t.note(k.tables)
	return k.found.(T), nil
}

// note adds tables to what is being found.
func (t *Tx) note(tables []string) {
	if t.noted == nil {
		return
	}
	for _, name := range tables {
		if !slices.Contains(*t.noted, name) {
			*t.noted = append(*t.noted, name)
		}
	}
}

// asked tells queries with their values apart.
func asked(query string, args []any) string {
	var b strings.Builder
	b.WriteString(query)
	for _, a := range args {
		if v, ok := a.(driver.Valuer); ok {
			a, _ = v.Value()
		}
		fmt.Fprintf(&b, "\x00%T %v", a, a)
	}
	return b.String()
}
