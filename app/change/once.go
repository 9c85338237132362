package change

import (
	"context"
	"errors"

	"sakuji/store"
)

// ErrTwice says that an act has been done before: the same form was sent twice.
var ErrTwice = errors.New("that has been done already")

// once is an act that is done a single time, however often it is sent.
type once struct {
	key, path string
	claimed   bool // by this request
}

type onceKey struct{}

// Once names the act that a request carries: of several requests with one key, the first
// that changes anything is the only one that does.
func Once(ctx context.Context, key, path string) context.Context {
	return context.WithValue(ctx, onceKey{}, &once{key: key, path: path})
}

// claim takes the act for this request, within the transaction that it changes things in.
func (o *once) claim(c Change) error {
	if o == nil || o.claimed {
		return nil
	}
	fresh, err := c.ClaimAct(o.key, o.path, c.Now)
	if err == nil && !fresh {
		return ErrTwice
	}
	return err
}

// Answered notes where the answer to an act led and what it told, for whoever sends it again.
func (a Base) Answered(ctx context.Context, to, told string) error {
	o, _ := ctx.Value(onceKey{}).(*once)
	if o == nil || !o.claimed {
		return nil
	}
	return a.Store.Write(ctx, func(tx *store.Tx) error { return tx.AnswerAct(o.key, to, told) })
}

// Again is where an act that was done before led, and what it told; not known while the
// first request is still being answered.
func (a Base) Again(ctx context.Context) (to, told string, err error) {
	o, _ := ctx.Value(onceKey{}).(*once)
	if o == nil {
		return "", "", store.ErrNotFound
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		to, told, err = tx.Act(o.key)
		return err
	})
	return to, told, err
}
