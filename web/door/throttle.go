package door

import (
	"fmt"
	"net/netip"
	"sync"
	"time"

	"sakuji/app/setup"
)

// throttle makes guessing slow: after a few wrong passwords each further one doubles the time until the next is looked at.
// Wrong ones count together where one address tries one name, so that nobody keeps another out; a device that the person has
// signed in at before has an allowance of its own. What many addresses try at one name, or one address at many names,
// counts, too, with more patience. Source of the figures: from memory, after OWASP ASVS 4.0.3, 2.2.1: at most a hundred an
// hour at one account; and OWASP's device cookies.
type throttle struct {
	mu    sync.Mutex
	tries map[string]*tries
}

// tries are wrong passwords that count together.
type tries struct {
	wrong int
	first time.Time
	last  time.Time
	until time.Time // before it none is looked at
	from  string    // the last address
}

// allowance is how many wrong passwords are free, and how long the next waits at most.
type allowance struct {
	key     string
	free    int
	longest time.Duration
}

const (
	triesForget = 30 * time.Minute
	mostTries   = 10_000
)

// caller is who tries a password.
type caller struct {
	name    string // as it is compared
	from    string // the address
	visitor setup.Visitor
}

// who is whose password is tried: a person by any of their names.
func (c caller) who() string {
	if c.visitor.PersonID != 0 {
		return fmt.Sprint("person ", c.visitor.PersonID)
	}
	return "name " + c.name
}

// logged is whose password was tried, as the log has it: of nobody here it does not say the name, which may be a password in
// the wrong field.
func (c caller) logged() string {
	if c.visitor.PersonID == 0 {
		return "nobody here"
	}
	return c.name
}

// allowances are those that a try counts against.
func (c caller) allowances() []allowance {
	if c.visitor.Device != "" {
		return []allowance{{"device " + c.visitor.Device, 4, time.Minute}}
	}
	return []allowance{
		{c.who() + " from " + network(c.from), 4, time.Minute},
		{"from " + network(c.from), 60, 5 * time.Second},
		{c.who(), 35, time.Minute},
	}
}

// network is an address, or what one household has of them. Source: RFC 6177.
func network(from string) string {
	if a, err := netip.ParseAddr(from); err == nil && a.Is6() && !a.Is4In6() {
		if p, err := a.Prefix(64); err == nil {
			return p.String()
		}
	}
	return from
}

// wait is how long it takes until a password is looked at.
func (t *throttle) wait(now time.Time, c caller) (wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, a := range c.allowances() {
		if one := t.tries[a.key]; one != nil {
			wait = max(wait, one.until.Sub(now))
		}
	}
	return wait
}

// failed notes a wrong password.
func (t *throttle) failed(now time.Time, c caller) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.tries == nil || len(t.tries) > mostTries {
		t.forget(now)
	}
	for _, a := range append(c.allowances(), allowance{key: "told " + c.who()}) {
		one := t.tries[a.key]
		if one == nil || now.Sub(one.last) > triesForget {
			one = &tries{first: now}
			t.tries[a.key] = one
		}
		one.wrong++
		one.last, one.from = now, c.from
		if over := one.wrong - a.free; over >= 0 && a.longest > 0 {
			one.until = now.Add(min(a.longest, time.Second<<min(over, 10)))
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
func (t *throttle) passed(c caller, zone *time.Location) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	one := t.tries["told "+c.who()]
	delete(t.tries, "told "+c.who())
	delete(t.tries, c.allowances()[0].key)
	if one == nil || one.wrong < 3 {
		return ""
	}
	return fmt.Sprintf("%d wrong passwords were tried at your name since %s, the last at %s from %s.", one.wrong, one.first.In(zone).Format("Mon 2 Jan, 15:04"), one.last.In(zone).Format("15:04"), one.from)
}
