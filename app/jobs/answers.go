package jobs

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"sakuji/app/change"
)

// Answers is long work that changes nothing: its result lives in memory, for as long as
// people look at it. It is asked for by a key that names all that goes into it, so that
// a second visit waits for the same work; only a few are worked out at a time, and what
// nobody has asked for in a while is given up. The zero value is ready.
type Answers struct {
	mu   sync.Mutex
	list []*answer // the latest asked for first
	busy int
}

// Bounds of Answers. Source: from memory.
const (
	answersKept    = 4                // done, the latest
	answersAtATime = 1                // each uses all processors by itself
	answersWaiting = 12               // more are refused
	answersGivenUp = 20 * time.Second // after nobody asked
)

// ErrUnderway says that an answer is still being worked out; ask again.
var ErrUnderway = errors.New("it is being worked out")

type answer struct {
	key   string
	run   func(context.Context) (any, error)
	asked time.Time
	stop  context.CancelFunc // nil while it waits for its turn
	done  chan struct{}
	over  bool
	value any
	err   error
}

// Ask returns the answer of a key, working it out if nobody has asked before. It waits
// for no longer than upTo; the work goes on by itself, and ErrUnderway says so.
func Ask[T any](ctx context.Context, a *Answers, key string, upTo time.Duration, run func(context.Context) (T, error)) (out T, err error) {
	one, err := a.take(key, func(ctx context.Context) (any, error) { return run(ctx) })
	if err != nil {
		return out, err
	}
	patience := time.NewTimer(upTo)
	defer patience.Stop()
	select {
	case <-one.done:
		if one.err != nil {
			return out, one.err
		}
		return one.value.(T), nil
	case <-patience.C:
		return out, ErrUnderway
	case <-ctx.Done():
		return out, ctx.Err()
	}
}

// take finds the work of a key, or puts it in the queue.
func (a *Answers) take(key string, run func(context.Context) (any, error)) (*answer, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	now := time.Now()
	a.giveUp(now)
	waiting := 0
	for i, one := range a.list {
		if one.key == key && !(one.over && one.err != nil) {
			one.asked = now
			copy(a.list[1:i+1], a.list[:i])
			a.list[0] = one
			a.start()
			return one, nil
		}
		if !one.over {
			waiting++
		}
	}
	if waiting >= answersWaiting {
		return nil, change.Refuse("Too much is being worked out at once. Look again in a minute.")
	}
	one := &answer{key: key, run: run, asked: now, done: make(chan struct{})}
	a.list = append([]*answer{one}, a.list...)
	a.start()
	return one, nil
}

// giveUp ends what nobody has asked for in a while, and forgets the oldest answers.
func (a *Answers) giveUp(now time.Time) {
	kept, list := 0, a.list[:0:0]
	for _, one := range a.list {
		switch {
		case one.over:
			if kept++; kept > answersKept || one.err != nil {
				continue
			}
		case now.Sub(one.asked) > answersGivenUp && one.stop != nil:
			one.stop() // it ends by itself and is forgotten then
		case now.Sub(one.asked) > answersGivenUp:
			one.over, one.err = true, ErrStopped
			close(one.done)
			continue
		}
		list = append(list, one)
	}
	a.list = list
}

// start sets the next ones to work: what was asked for last comes first.
func (a *Answers) start() {
	for _, one := range a.list {
		if a.busy >= answersAtATime {
			return
		}
		if one.over || one.stop != nil {
			continue
		}
		ctx, stop := context.WithCancel(context.Background())
		one.stop = stop
		a.busy++
		go a.work(ctx, one)
	}
}

func (a *Answers) work(ctx context.Context, one *answer) {
	value, err := func() (value any, err error) {
		defer func() {
			if p := recover(); p != nil { // a broken model stops no other page
				err = fmt.Errorf("working out %s: %v", one.key, p)
			}
		}()
		return one.run(ctx)
	}()
	one.stop()
	a.mu.Lock()
	defer a.mu.Unlock()
	one.value, one.err, one.over = value, err, true
	close(one.done)
	a.busy--
	a.giveUp(time.Now())
	a.start()
}
