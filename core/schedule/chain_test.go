package schedule

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestLongestChain(t *testing.T) {
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	chains := []Chain{{MachineMin: 60, HandsMin: 30}, {HandsMin: 20, WaitMin: 300}, {}}
	assert.Equal(t, 1, Longest(chains))
	assert.Equal(t, now.Add(320*time.Minute), chains[1].Earliest(now))
	assert.Equal(t, -1, Longest(nil))
}
