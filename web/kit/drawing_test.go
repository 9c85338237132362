package kit

import (
	"sakuji/web/kit/kittest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Hours are drawn in proportion, the longest item over the whole width.
func TestHoursBar(t *testing.T) {
	elements, _ := kittest.Drawn(t, HoursBar(60, 180, 240))
	require.Len(t, elements, 3)
	assert.InDelta(t, 250, kittest.Attribute(elements[1], "width"), 0.1)
	assert.InDelta(t, 750, kittest.Attribute(elements[2], "width"), 0.1)
	assert.InDelta(t, 250, kittest.Attribute(elements[2], "x"), 0.1)
	half, _ := kittest.Drawn(t, HoursBar(30, 90, 240))
	assert.InDelta(t, 375, kittest.Attribute(half[2], "width"), 0.1)
	assert.Empty(t, HoursBar(0, 0, 240))
}
