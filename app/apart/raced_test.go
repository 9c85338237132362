//go:build race

package apart

// raced: the race detector is at work, whose own memory does not fit into limits that are held by the system.
const raced = true
