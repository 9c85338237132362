//go:build unix

package meshtest

import (
	"syscall"
	"time"
)

// CPU is how much of the processors' time this process has used so far: unlike time by the clock, it does not grow with what
// else the machine has to do.
func CPU() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
