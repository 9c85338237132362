package sakuji

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

func read(t *testing.T, path string) string {
	t.Helper()
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	return string(b)
}
