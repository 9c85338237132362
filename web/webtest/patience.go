//go:build !race

package webtest

import "time"

// patience is for how long a browser's condition is waited for.
const patience = 3 * time.Minute
