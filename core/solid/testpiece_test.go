package solid

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
)

// The piece is one solid, and in the middle of its height its posts and slots are as wide as they say.
func TestTheExposurePieceIsAsWideAsItSays(t *testing.T) {
	soup := ExposurePiece()
	whole := Whole(soup.Weld())
	assert.InDeltaSlice(t, []float64{52, 16, 6}, []float64{soup.Box.Size().X, soup.Box.Size().Y, soup.Box.Size().Z}, 1e-5)
	_, bodies := mesh.Bodies(soup)
	assert.NotEmpty(t, bodies)
	cut := NewSlicer(whole, 0.1).Layer(40) // at 4.05 mm
	var posts []float64
	for _, r := range cut.Rings {
		low, high := Outline{r.Points}.Size()
		if w := high.X - low.X; w < 1.19 && high.Y > 10.9 {
			posts = append(posts, w)
			assert.InDelta(t, w, high.Y-low.Y, 1e-5, "square")
		}
	}
	slices.Sort(posts)
	assert.InDeltaSlice(t, TestWidthsMM, posts, 1e-5)
	assert.InDelta(t, 30*24*15, FlowPiece().Weld().Measure().VolumeMM3, 1e-3)
}
