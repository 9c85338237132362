package change

import "context"

// unseen is a change that holds only as long as nothing else has been changed: whoever asked
// for it has looked at the studio as it was then.
type unseen struct {
	last  int64 // the newest change that was looked at
	moved bool
	done  bool
}

type unseenKey struct{}

// errMoved ends a change whose ground has moved; nothing of it is saved.
var errMoved = Refuse("Something else was saved at the same moment. Send it again.")

// Unless lets the first change of a request go through only if the newest change of the
// studio still is last. moved reports whether it was not, so that one looks again.
func Unless(ctx context.Context, last int64) (held context.Context, moved func() bool) {
	u := &unseen{last: last}
	return context.WithValue(ctx, unseenKey{}, u), func() bool { return u.moved }
}

// holds looks whether the ground is still as it was, within the transaction of the change.
func (u *unseen) holds(c Change) error {
	if u == nil || u.done {
		return nil
	}
	last, err := c.LastEntry()
	if err == nil && last != u.last {
		u.moved, err = true, errMoved
	}
	return err
}
