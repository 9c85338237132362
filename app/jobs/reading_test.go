package jobs

import (
	"context"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadingTellsHowFarItIsAndStops(t *testing.T) {
	text := strings.Repeat("G1 X1\n", 1000)
	var shares []float64
	told := func(share float64, doing string) error {
		assert.Equal(t, "reading", doing)
		shares = append(shares, share)
		return nil
	}
	in := Reading(context.Background(), strings.NewReader(text), int64(len(text)), "reading", told)
	whole, err := io.ReadAll(in)
	require.NoError(t, err)
	assert.Equal(t, text, string(whole))
	assert.Equal(t, 1.0, shares[len(shares)-1])
	assert.LessOrEqual(t, len(shares), toldSteps)
	assert.IsIncreasing(t, shares)

	stop := errors.New("cancelled at the bench")
	_, err = io.ReadAll(Reading(context.Background(), strings.NewReader(text), int64(len(text)), "reading", func(float64, string) error { return stop }))
	assert.ErrorIs(t, err, stop)

	ended, end := context.WithCancel(context.Background())
	end()
	_, err = io.ReadAll(Reading(ended, strings.NewReader(text), int64(len(text)), "reading", told))
	assert.ErrorIs(t, err, context.Canceled)
}
