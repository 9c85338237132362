package apart

import (
	"os"
	"syscall"
)

// confine has the system hold the limit too, with some room for what is no data; should the
// machine itself run short, this process goes first, and it never keeps the studio waiting.
func confine(limit int64) {
	most := uint64(limit) + 256<<20
	_ = syscall.Setrlimit(syscall.RLIMIT_DATA, &syscall.Rlimit{Cur: most, Max: most})
	_ = os.WriteFile("/proc/self/oom_score_adj", []byte("900"), 0)
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, 0, 5)
}

// killed reports a process that the system has ended, which it does where memory is short.
func killed(s *os.ProcessState) bool {
	status, ok := s.Sys().(syscall.WaitStatus)
	return ok && status.Signaled() && status.Signal() == syscall.SIGKILL
}
