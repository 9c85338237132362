//go:build unix

package apart

import (
	"syscall"
	"time"
)

// computed is how much of the processors' time this process has had.
func computed() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
