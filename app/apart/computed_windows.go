package apart

import (
	"syscall"
	"time"
)

// computed is how much of the processors' time this process has had.
func computed() time.Duration {
	var began, ended, kernel, user syscall.Filetime
	self, err := syscall.GetCurrentProcess()
	if err != nil || syscall.GetProcessTimes(self, &began, &ended, &kernel, &user) != nil {
		return 0
	}
	of := func(f syscall.Filetime) time.Duration { // a Filetime counts in 100 ns
		return 100 * time.Duration(int64(f.HighDateTime)<<32|int64(f.LowDateTime))
	}
	return of(kernel) + of(user)
}
