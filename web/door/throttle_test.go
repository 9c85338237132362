package door

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"sakuji/app/setup"
)

// One address that tries many names, and many that try one, are slowed as a whole; others at the address wait no longer than
// seconds.
func TestGuessingFromFar(t *testing.T) {
	var slow throttle
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	for i := range 80 {
		slow.failed(now, caller{name: fmt.Sprintf("nobody %d", i), from: "192.0.2.1"})
	}
	wait := slow.wait(now, caller{name: "ilse karg", from: "192.0.2.1"})
	assert.Positive(t, wait)
	assert.LessOrEqual(t, wait, 5*time.Second)
	ilse := func(from, device string) caller {
		return caller{name: "ilse karg", from: from, visitor: setup.Visitor{PersonID: 7, Device: device}}
	}
	looked := 0
	for i, at := 0, now; i < 3600; i, at = i+1, at.Add(time.Second) { // a thousand addresses for an hour
		who := ilse(fmt.Sprintf("2001:db8:%x::%d", i%1000, i), "")
		if slow.wait(at, who) <= 0 {
			slow.failed(at, who)
			looked++
		}
	}
	assert.LessOrEqual(t, looked, 100, "ASVS 2.2.1: at most a hundred an hour at one account")
	assert.Zero(t, max(0, slow.wait(now.Add(time.Hour), ilse("198.51.100.9", "hers"))), "but at a device of hers")
	for i := range 5 {
		slow.failed(now, caller{name: "moth", from: fmt.Sprintf("2001:db8:1:2::%d", i)})
	}
	assert.Positive(t, slow.wait(now, caller{name: "moth", from: "2001:db8:1:2:ffff::9"}), "a household's addresses are one")
}
