package plate

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/solid"
)

var bed = Bed{WidthMM: 143, DepthMM: 89, HeightMM: 165, MarginMM: 4}

func rect(id string, w, d float64) Part {
	return Part{ID: id, HeightMM: 20, Outline: box(0, 0, w, d)}
}

func box(x, y, w, d float64) solid.Outline {
	return solid.Outline{{{X: x, Y: y}, {X: x + w, Y: y}, {X: x + w, Y: y + d}, {X: x, Y: y + d}}}
}

// ell is an L of two arms; ring has a hole that can be looked through.
func ell(side, arm float64) solid.Outline {
	return solid.Outline{{{X: 0, Y: 0}, {X: side, Y: 0}, {X: side, Y: arm}, {X: arm, Y: arm}, {X: arm, Y: side}, {X: 0, Y: side}}}
}

func ring(outer, wall float64) solid.Outline {
	hole := box(wall, wall, outer-2*wall, outer-2*wall)[0]
	slices.Reverse(hole)
	return append(box(0, 0, outer, outer), hole)
}

func times(n int, p Part) (out []Part) {
	for k := range n {
		p.ID = fmt.Sprintf("%s%d", p.ID[:1], k)
		out = append(out, p)
	}
	return out
}

// laid puts placed parts together with what they are.
func laid(parts []Part, placed []Placed) (out []Laid) {
	for _, at := range placed {
		out = append(out, Laid{parts[slices.IndexFunc(parts, func(p Part) bool { return p.ID == at.ID })], at})
	}
	return out
}

// distance is the least distance between two outlines' rims, densely sampled, or 0
// where one holds a point of the other: nothing of the package's own geometry is in it.
func distance(a, b solid.Outline) float64 {
	least := math.Inf(1)
	da, db := dense(a), dense(b)
	for _, p := range da {
		if holds(b, p) {
			return 0
		}
		for _, q := range db {
			least = min(least, math.Hypot(p.X-q.X, p.Y-q.Y))
		}
	}
	if holds(a, db[0]) {
		return 0
	}
	return least
}

const sampleMM = 0.5

func dense(o solid.Outline) (out []solid.Point) {
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			n := int(math.Hypot(q.X-p.X, q.Y-p.Y)/sampleMM) + 1
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

// drawPart draws a part of one of several kinds of shape.
func drawPart(t *rapid.T, id string) Part {
	w, d := rapid.Float64Range(3, 60).Draw(t, "w"), rapid.Float64Range(3, 60).Draw(t, "d")
	p := rect(id, w, d)
	switch rapid.SampledFrom([]string{"box", "triangle", "ell", "ring", "star"}).Draw(t, "shape") {
	case "triangle":
		p.Outline = solid.Outline{{{X: 0, Y: 0}, {X: w, Y: 0}, {X: w / 3, Y: d}}}
	case "ell":
		p.Outline = ell(w, w*rapid.Float64Range(0.1, 0.6).Draw(t, "arm"))
	case "ring":
		p.Outline = ring(w, w*rapid.Float64Range(0.05, 0.4).Draw(t, "wall"))
	case "star":
		var star []solid.Point
		for k := range 10 {
			r := w / 2
			if k%2 == 1 {
				r *= 0.4
			}
			a := 2 * math.Pi * float64(k) / 10
			star = append(star, solid.Point{X: w/2 + r*math.Cos(a), Y: w/2 + r*math.Sin(a)})
		}
		p.Outline = solid.Outline{star}
	}
	p.HeightMM = rapid.Float64Range(5, 100).Draw(t, "height")
	p.SkirtMM = rapid.SampledFrom([]float64{0, 0, 2}).Draw(t, "skirt")
	return p
}

// proves that nothing of a plate leaves the bed, lies where it must stay free, or comes nearer
// than the spacing, by sampled rims and not by the package's own measure.
func proves(t *rapid.T, b Bed, spacing float64, on []Laid) {
	for i, l := range on {
		o := l.On()
		low, high := o.Size()
		m := b.MarginMM + l.SkirtMM - 1e-6
		if low.X < m || low.Y < m || high.X > b.WidthMM-m || high.Y > b.DepthMM-m {
			t.Fatalf("%s leaves the bed: %v to %v", l.Part.ID, low, high)
		}
		for _, k := range b.KeepOut {
			if d := distance(o, box(k.XMM, k.YMM, k.WidthMM, k.DepthMM)); d < spacing+l.SkirtMM-1e-6 {
				t.Fatalf("%s comes as near as %f to what is kept free", l.Part.ID, d)
			}
		}
		for _, other := range on[:i] {
			if d := distance(o, other.On()); d < spacing+l.SkirtMM+other.SkirtMM-1e-6 {
				t.Fatalf("%s and %s come as near as %f", l.Part.ID, other.Part.ID, d)
			}
		}
	}
}

func TestNothingOverlapsOrLeavesTheBed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := bed
		if rapid.Bool().Draw(t, "clip") {
			b.KeepOut = []KeepOut{{rapid.Float64Range(0, 120).Draw(t, "x"), rapid.Float64Range(0, 80).Draw(t, "y"), 15, 12}}
		}
		job := Job{Bed: b, SpacingMM: rapid.Float64Range(0, 6).Draw(t, "spacing"), StepDeg: rapid.SampledFrom([]float64{0, 90, 45, 17}).Draw(t, "step"), Die: die(1)}
		for i := range rapid.IntRange(1, 9).Draw(t, "parts") {
			job.Parts = append(job.Parts, drawPart(t, fmt.Sprint(i)))
		}
		s := NewSearch(job)
		for range 8 {
			s.Step()
		}
		plan := s.Best()
		count := len(plan.Left)
		for _, on := range plan.Plates {
			count += len(on.Placed)
			proves(t, b, job.SpacingMM, laid(job.Parts, on.Placed))
			if clashes := Check(b, job.SpacingMM, laid(job.Parts, on.Placed)); len(clashes) > 0 {
				t.Fatalf("%+v", clashes)
			}
		}
		if count != len(job.Parts) {
			t.Fatalf("%d of %d parts", count, len(job.Parts))
		}
		// More goes around what lies there, wherever a person has moved it to.
		if len(plan.Plates) > 0 {
			there := laid(job.Parts, plan.Plates[0].Placed)[:1]
			there[0].YMM = min(there[0].YMM+0.137, b.DepthMM)
			if len(Check(b, job.SpacingMM+2*hair, there)) > 0 { // a hair is forgiven there, and not below
				return
			}
			more := []Part{drawPart(t, "more"), drawPart(t, "also")}
			placed, left := Fill(b, job.SpacingMM, job.StepDeg, there, more)
			if len(placed)+len(left) != 2 {
				t.Fatalf("%d placed, %d left", len(placed), len(left))
			}
			proves(t, b, job.SpacingMM, append(there, laid(more, placed)...))
		}
	})
}

// The exact check agrees with sampled rims wherever these are sure.
func TestNearer(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := drawPart(t, "a").Outline, drawPart(t, "b").Outline
		dx, dy := rapid.Float64Range(-70, 70).Draw(t, "dx"), rapid.Float64Range(-70, 70).Draw(t, "dy")
		b = b.Each(func(p solid.Point) solid.Point { return solid.Point{X: p.X + dx, Y: p.Y + dy} })
		mm, d := rapid.Float64Range(0.1, 8).Draw(t, "mm"), distance(a, b)
		switch near := Nearer(a, b, mm); {
		case near && d > mm+sampleMM:
			t.Fatalf("near, at %f of %f", d, mm)
		case !near && d < mm-1e-9:
			t.Fatalf("not near, at %f of %f", d, mm)
		}
	})
	assert.False(t, Nearer(ring(60, 5), box(20, 20, 20, 20), 3), "it lies in the hole")
	assert.True(t, Nearer(ring(60, 5), box(7, 20, 20, 20), 3))
	assert.True(t, Nearer(box(0, 0, 60, 60), box(20, 20, 20, 20), 0), "one within the other")
}

// Known tilings come to their known count: by hand, what fits is the room divided by what a part
// takes with its spacing, rounded down both ways.
func TestKnownTilings(t *testing.T) {
	for _, c := range []struct {
		what    string
		bed     Bed
		spacing float64
		step    float64
		part    Part
		fit     int
	}{
		{"nine figures of 42.9 × 20.8 mm on a small resin bed", bed, 3, 90, rect("f", 42.9, 20.8), 9},
		{"squares that fill a bed to the last hair", Bed{WidthMM: 120, DepthMM: 90, HeightMM: 50}, 0, 90, rect("s", 30, 30), 12},
		{"squares with spacing that fill it", Bed{WidthMM: 126, DepthMM: 94, HeightMM: 50}, 2, 90, rect("s", 30, 30), 12},
		{"long ones that only fit by a quarter turn", Bed{WidthMM: 100, DepthMM: 60, HeightMM: 50}, 0, 90, rect("l", 50, 20), 6},
		{"and not without", Bed{WidthMM: 40, DepthMM: 100, HeightMM: 50}, 0, 0, rect("l", 50, 20), 0},
		{"a diagonal rod", Bed{WidthMM: 100, DepthMM: 100, HeightMM: 50}, 2, 45, rect("r", 125, 10), 1},
	} {
		placed, _ := Fill(c.bed, c.spacing, c.step, nil, times(c.fit+4, c.part))
		assert.Len(t, placed, c.fit, c.what)
	}
}

// Two L of 60 mm with arms of 15 lie in each other on a bed that their boxes do not share; a part
// lies in another's hole.
func TestOutlinesNest(t *testing.T) {
	small := Bed{WidthMM: 90, DepthMM: 90, HeightMM: 100}
	parts := times(2, Part{ID: "l", Outline: ell(60, 15), HeightMM: 10})
	placed, left := Fill(small, 2, 90, nil, parts)
	require.Len(t, placed, 2, "%v", left)
	assert.GreaterOrEqual(t, distance(laid(parts, placed)[0].On(), laid(parts, placed)[1].On()), 2.0)
	parts = []Part{{ID: "ring", Outline: ring(80, 6), HeightMM: 10}, rect("in it", 60, 60)}
	placed, left = Fill(small, 3, 90, nil, parts)
	assert.Len(t, placed, 2, "%v", left)
}

func TestFillsAroundWhatLiesThere(t *testing.T) {
	first := []Part{rect("a", 60, 40)}
	placed, _ := Fill(bed, 3, 90, nil, first)
	require.Len(t, placed, 1)
	more := []Part{rect("b", 60, 40), rect("c", 50, 30)}
	again, left := Fill(bed, 3, 90, []Laid{{first[0], placed[0]}}, more)
	require.Len(t, again, 2, "%v", left)
}

func TestSaysWhyAPartIsLeft(t *testing.T) {
	tall := rect("tall", 20, 20)
	tall.HeightMM = 170
	placed, left := Fill(bed, 3, 90, nil, []Part{tall, rect("wide", 140, 20), rect("full", 133, 80), rect("late", 30, 30), {ID: "nothing"}})
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
	assert.Contains(t, reasons["nothing"].Reason, "no outline")
}
