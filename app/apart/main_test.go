package apart_test

import (
	"testing"

	"sakuji/app/apart/aparttest"
)

// The test is the other process, too.
func TestMain(m *testing.M) { aparttest.Main(m) }
