//go:build race

package webtest

import "time"

// patience is longer where the race detector slows everything down.
const patience = 12 * time.Minute
