//go:build !race

package apart

const raced = false
