package door

import (
	"fmt"
	"sync"
	"time"
)

// throttle makes guessing slow: after a few wrong passwords at one name, or from one address,
// each further one doubles the time until the next is looked at. Source of the figures: from
// memory, after OWASP ASVS 4.0.3, 2.2.1: at most a hundred an hour at one account.
type throttle struct {
	mu    sync.Mutex
	tries map[string]*tries
}

// tries are wrong passwords at a name or from an address.
type tries struct {
	wrong int
	first time.Time
	last  time.Time
	until time.Time // before it none is looked at
	from  string    // the last address
}

const (
	freeAtName  = 4
	freeAtFrom  = 12
	longestWait = time.Minute
	triesForget = 30 * time.Minute
	mostTries   = 10_000
)

// wait is how long it takes until a password is looked at.
func (t *throttle) wait(now time.Time, name, from string) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	wait := time.Duration(0)
	for _, key := range [2]string{"name " + name, "from " + from} {
		if one := t.tries[key]; one != nil {
			wait = max(wait, one.until.Sub(now))
		}
	}
	return wait
}

// failed notes a wrong password.
func (t *throttle) failed(now time.Time, name, from string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.tries == nil || len(t.tries) > mostTries {
		t.forget(now)
	}
	for key, free := range map[string]int{"name " + name: freeAtName, "from " + from: freeAtFrom} {
		one := t.tries[key]
		if one == nil || now.Sub(one.last) > triesForget {
			one = &tries{first: now}
			t.tries[key] = one
		}
		one.wrong++
		one.last, one.from = now, from
		if over := one.wrong - free; over >= 0 {
			one.until = now.Add(min(longestWait, time.Second<<min(over, 10)))
		}
	}
}

// forget lets go of what is long ago; of all of it where that is not enough.
func (t *throttle) forget(now time.Time) {
	for key, one := range t.tries {
		if now.Sub(one.last) > triesForget {
			delete(t.tries, key)
		}
	}
	if t.tries == nil || len(t.tries) > mostTries {
		t.tries = map[string]*tries{}
	}
}

// passed notes the right password and says what was tried at the name before, for whoever has
// it to know; nothing where that was a slip or two.
func (t *throttle) passed(name string, zone *time.Location) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	one := t.tries["name "+name]
	delete(t.tries, "name "+name)
	if one == nil || one.wrong < 3 {
		return ""
	}
	return fmt.Sprintf("%d wrong passwords were tried at your name since %s, the last at %s from %s.", one.wrong, one.first.In(zone).Format("Mon 2 Jan, 15:04"), one.last.In(zone).Format("15:04"), one.from)
}
