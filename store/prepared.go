package store

import (
	"context"
	"database/sql"
	"sync"
	"sync/atomic"
)

// prepared are the queries that readers ask, parsed once for each connection and not each
// time. A query that is new is prepared beside whoever asks it first: they hold a connection
// already, and if all of those waited for another, nobody would ever get one.
type prepared struct {
	known sync.Map // by query, its *atomic.Pointer[sql.Stmt]
	count atomic.Int64
}

// mostPrepared bounds how many are kept; any more, such as those with many values in a list,
// are parsed each time.
const mostPrepared = 500

// query asks in a reading transaction.
func (p *prepared) query(ctx context.Context, db *sql.DB, tx *sql.Tx, query string, args []any) (*sql.Rows, error) {
	kept, ok := p.known.Load(query)
	if !ok && p.count.Load() < mostPrepared {
		if kept, ok = p.known.LoadOrStore(query, &atomic.Pointer[sql.Stmt]{}); !ok {
			p.count.Add(1)
			go func() {
				if s, err := db.PrepareContext(context.WithoutCancel(ctx), query); err == nil { // else it stays as it is
					kept.(*atomic.Pointer[sql.Stmt]).Store(s)
				}
			}()
		}
	}
	if kept != nil {
		if s := kept.(*atomic.Pointer[sql.Stmt]).Load(); s != nil {
			return tx.StmtContext(ctx, s).QueryContext(ctx, args...)
		}
	}
	return tx.QueryContext(ctx, query, args...)
}

// repeats are the statements that a change runs more than once, parsed once: an order's pieces are
// added by the hundred. They end with their transaction.
type repeats map[string]*sql.Stmt // nil of what has run once

// mostRepeats bounds how many are kept.
const mostRepeats = 60

// exec runs a statement of a change.
func (r *repeats) exec(ctx context.Context, tx *sql.Tx, query string, args []any) (sql.Result, error) {
	s, ran := (*r)[query]
	switch {
	case s != nil:
		return s.ExecContext(ctx, args...)
	case ran:
		s, err := tx.PrepareContext(ctx, query)
		if err != nil {
			return nil, err
		}
		(*r)[query] = s
		return s.ExecContext(ctx, args...)
	case *r == nil:
		*r = repeats{}
	}
	if len(*r) < mostRepeats {
		(*r)[query] = nil
	}
	return tx.ExecContext(ctx, query, args...)
}
