package demo

import (
	"sync"
	"time"
)

// Clock is the demo's: it stands while history is lived through, then runs, and
// can be moved forward.
type Clock struct {
	mu    sync.Mutex
	at    time.Time
	since time.Time // when it was set going; zero while it stands
}

// Now is the demo's time.
func (c *Clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.now()
}

func (c *Clock) now() time.Time {
	if c.since.IsZero() {
		return c.at
	}
	return c.at.Add(time.Since(c.since))
}

// Set moves the clock to a time, never back.
func (c *Clock) Set(to time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if to.After(c.now()) {
		c.at = to
		if !c.since.IsZero() {
			c.since = time.Now()
		}
	}
}

// Start lets the clock run.
func (c *Clock) Start() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.now()
	c.since = time.Now()
}
