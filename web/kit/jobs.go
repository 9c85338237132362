package kit

import (
	"sakuji/studio"
)

// JobsView is a list of jobs, where it is streamed from, and where its forms lead back.
type JobsView struct {
	List   []studio.Job
	Stream string
	Back   string
	Owner  bool
}

// Open reports whether any of them still runs.
func (v JobsView) Open() bool {
	for _, j := range v.List {
		if j.Open() {
			return true
		}
	}
	return false
}
