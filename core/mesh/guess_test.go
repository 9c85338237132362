package mesh

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// strip is a band of triangles between two rows of points.
func strip(a, b []Vec) *Soup {
	var flat []float32
	put := func(list ...Vec) {
		for _, v := range list {
			flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	for i := range len(a) - 1 {
		put(a[i], a[i+1], b[i], b[i], a[i+1], b[i+1])
	}
	return SoupOf("stl", flat)
}

// moebius is a strip with half a turn in it.
func moebius() *Soup {
	var a, b []Vec
	const n = 120
	for i := range n + 1 {
		s, c := math.Sincos(2 * math.Pi * float64(i) / n)
		hs, hc := math.Sincos(math.Pi * float64(i) / n)
		at := func(w float64) Vec { return Vec{(20 + w*hc) * c, (20 + w*hc) * s, w * hs} }
		a, b = append(a, at(-6)), append(b, at(6))
	}
	a[n], b[n] = b[0], a[0]
	return strip(a, b)
}

// What is open has a volume only as far as its holes can be closed in thought.
func TestWhatOfAVolumeIsAGuess(t *testing.T) {
	box, ball := cube(10, Vec{}), sphere(10, 60, Vec{})
	less := func(s *Soup, n int) *Soup { return SoupOf("stl", s.flat[:9*(s.Len()-n)]) }
	closed := Measure(box)
	assert.Zero(t, closed.GuessMM3)
	lid := Measure(less(box, 2))
	assert.InDelta(t, 1000, lid.VolumeMM3, 1e-6)
	assert.InDelta(t, 0, lid.GuessMM3, 1e-9, "a flat hole is closed exactly")
	m := Measure(moebius())
	assert.Greater(t, m.GuessMM3, m.VolumeMM3/2, "it has but one side: %+v", m)
	m = Measure(less(ball, ball.Len()/2))
	assert.GreaterOrEqual(t, m.GuessMM3, m.VolumeMM3, "half a ball of no thickness")
	m = Measure(together(box, less(cube(10, Vec{30, 0, 0}), 10)))
	assert.GreaterOrEqual(t, m.GuessMM3, m.VolumeMM3-1000-1e-6, "a sheet beside a block")
	assert.Less(t, m.GuessMM3, 500.)
	// A hole around a corner: three sides of a box meet in it, and it may lie in or out.
	corner := Measure(less(ball, 40))
	assert.Greater(t, corner.GuessMM3, 0.)
	assert.Less(t, corner.GuessMM3, 0.02*corner.VolumeMM3)
}
