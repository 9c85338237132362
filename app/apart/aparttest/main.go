// Package aparttest lets the program of a package's tests be the process apart, too.
package aparttest

import (
	"fmt"
	"os"
	"testing"

	"sakuji/app/apart"
)

// Main is for TestMain.
func Main(m *testing.M) {
	if !apart.Asked() {
		os.Exit(m.Run())
	}
	if err := apart.Serve(os.Stdin, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
