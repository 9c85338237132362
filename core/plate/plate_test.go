package plate

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/solid"
)

var bed = Bed{WidthMM: 143, DepthMM: 89, HeightMM: 165, MarginMM: 4}

func rect(id string, w, d float64) Part {
	return Part{ID: id, HeightMM: 20, Outline: solid.Outline{{{X: 0, Y: 0}, {X: w, Y: 0}, {X: w, Y: d}, {X: 0, Y: d}}}}
}

// lay returns the placed outlines on the bed.
func lay(parts []Part, placed []Placed) map[string]solid.Outline {
	out := map[string]solid.Outline{}
	for _, pl := range placed {
		for _, p := range parts {
			if p.ID == pl.ID {
				out[p.ID] = p.Outline.Turned(pl.Quarters).Each(func(q solid.Point) solid.Point {
					return solid.Point{X: q.X + pl.XMM, Y: q.Y + pl.YMM}
				})
			}
		}
	}
	return out
}

// distance is the least distance between two outlines' rims, densely sampled, or 0
// where one holds a point of the other.
func distance(a, b solid.Outline) float64 {
	least := math.Inf(1)
	for _, p := range dense(a) {
		if holds(b, p) {
			return 0
		}
		for _, q := range dense(b) {
			least = min(least, math.Hypot(p.X-q.X, p.Y-q.Y))
		}
	}
	return least
}

func dense(o solid.Outline) (out []solid.Point) {
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			n := int(math.Hypot(q.X-p.X, q.Y-p.Y)/0.5) + 1
			for k := range n {
				t := float64(k) / float64(n)
				out = append(out, solid.Point{X: p.X + (q.X-p.X)*t, Y: p.Y + (q.Y-p.Y)*t})
			}
		}
	}
	return out
}

func holds(o solid.Outline, p solid.Point) bool {
	in := false
	for _, ring := range o {
		for i, a := range ring {
			b := ring[(i+1)%len(ring)]
			if (a.Y <= p.Y) != (b.Y <= p.Y) && p.X < a.X+(b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y) {
				in = !in
			}
		}
	}
	return in
}

func TestNothingOverlapsOrLeavesTheBed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		spacing := rapid.Float64Range(1, 6).Draw(t, "spacing")
		var parts []Part
		for i := range rapid.IntRange(1, 9).Draw(t, "parts") {
			w, d := rapid.Float64Range(3, 60).Draw(t, "w"), rapid.Float64Range(3, 60).Draw(t, "d")
			p := rect(fmt.Sprint(i), w, d)
			if rapid.Bool().Draw(t, "triangle") {
				p.Outline = solid.Outline{{{X: 0, Y: 0}, {X: w, Y: 0}, {X: w / 3, Y: d}}}
			}
			parts = append(parts, p)
		}
		placed, left := Fill(bed, spacing, nil, parts)
		assert.Len(t, parts, len(placed)+len(left))
		laid := lay(parts, placed)
		for id, o := range laid {
			low, high := o.Size()
			assert.GreaterOrEqual(t, low.X, bed.MarginMM)
			assert.GreaterOrEqual(t, low.Y, bed.MarginMM)
			assert.LessOrEqual(t, high.X, bed.WidthMM-bed.MarginMM)
			assert.LessOrEqual(t, high.Y, bed.DepthMM-bed.MarginMM)
			for other, q := range laid {
				if other > id {
					assert.GreaterOrEqual(t, distance(o, q), spacing-1e-9, "%s and %s", id, other)
				}
			}
		}
	})
}

// Two L shapes of 60 × 60 with arms of 15 nest in each other; their boxes would not.
func TestOutlinesNest(t *testing.T) {
	l := solid.Outline{{{X: 0, Y: 0}, {X: 60, Y: 0}, {X: 60, Y: 15}, {X: 15, Y: 15}, {X: 15, Y: 60}, {X: 0, Y: 60}}}
	small := Bed{WidthMM: 90, DepthMM: 90, HeightMM: 100}
	parts := []Part{{"a", l, 10}, {"b", l, 10}}
	placed, left := Fill(small, 2, nil, parts)
	require.Len(t, placed, 2, "%v", left)
	laid := lay(parts, placed)
	assert.GreaterOrEqual(t, distance(laid["a"], laid["b"]), 2.0)
}

func TestFillsAroundWhatLiesThere(t *testing.T) {
	first := []Part{rect("a", 60, 40)}
	placed, _ := Fill(bed, 3, nil, first)
	require.Len(t, placed, 1)
	more := []Part{rect("b", 60, 40), rect("c", 50, 30)}
	again, left := Fill(bed, 3, []Laid{{first[0], placed[0]}}, more)
	require.Len(t, again, 2, "%v", left)
	laid := lay(append(first, more...), append(placed, again...))
	assert.GreaterOrEqual(t, distance(laid["a"], laid["b"]), 3.0)
	assert.GreaterOrEqual(t, distance(laid["a"], laid["c"]), 3.0)
}

func TestSaysWhyAPartIsLeft(t *testing.T) {
	tall := rect("tall", 20, 20)
	tall.HeightMM = 170
	placed, left := Fill(bed, 3, nil, []Part{tall, rect("wide", 140, 20), rect("full", 133, 80), rect("late", 30, 30)})
	require.Len(t, placed, 1)
	assert.Equal(t, "full", placed[0].ID)
	reasons := map[string]Left{}
	for _, l := range left {
		reasons[l.ID] = l
	}
	assert.Contains(t, reasons["tall"].Reason, "170 mm tall")
	assert.True(t, reasons["tall"].Never)
	assert.Contains(t, reasons["wide"].Reason, "140 × 20 mm on the plate")
	assert.False(t, reasons["late"].Never)
}

// Twenty-four small round pieces fill a small bed: as a square grid would at least.
func TestFillsWell(t *testing.T) {
	var ring []solid.Point
	for k := range 40 {
		a := 2 * math.Pi * float64(k) / 40
		ring = append(ring, solid.Point{X: 8 + 8*math.Cos(a), Y: 8 + 8*math.Sin(a)})
	}
	var parts []Part
	for k := range 60 {
		parts = append(parts, Part{fmt.Sprint(k), solid.Outline{ring}, 10})
	}
	placed, _ := Fill(bed, 2, nil, parts)
	assert.GreaterOrEqual(t, len(placed), 7*4)
}
