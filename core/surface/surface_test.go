package surface

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
)

// grid is a surface over a grid of u and v, each from 0 to 1, seen from the side to which u × v points.
func grid(nu, nv int, at func(u, v float64) mesh.Vec) *mesh.Mesh {
	var flat []float32
	p := func(i, j int) mesh.Vec { return at(float64(i)/float64(nu), float64(j)/float64(nv)) }
	for i := range nu {
		for j := range nv {
			a, b, c, d := p(i, j), p(i+1, j), p(i+1, j+1), p(i, j+1)
			for _, q := range []mesh.Vec{a, b, c, a, c, d} {
				flat = append(flat, float32(q.X), float32(q.Y), float32(q.Z))
			}
		}
	}
	return mesh.SoupOf("stl", flat).Weld()
}

func all(m *mesh.Mesh) []bool {
	in := make([]bool, len(m.Triangles))
	for i := range in {
		in[i] = true
	}
	return in
}

// tall is a block of 30 × 20 × 10 mm.
func tall() *mesh.Mesh {
	return mesh.Blocks([2]mesh.Vec{{}, {X: 30, Y: 20, Z: 10}}).Weld()
}

// A place on a block is its face up to its edges; what is taken away is gone; a dab is as wide as it says.
func TestMarksGrowToTheEdges(t *testing.T) {
	m := tall()
	s := Of(m)
	top := Mark{At: mesh.Vec{X: 15, Y: 10, Z: 10}}
	got := s.Measure(s.Region([]Mark{top}))
	assert.InDelta(t, 600, got.AreaMM2, 1e-9)
	assert.InDelta(t, 100, got.EdgeMM, 1e-9)
	assert.Equal(t, 1, got.Pieces)
	round := top
	round.EdgeDeg = 91
	assert.InDelta(t, 2*(600+300+200), s.Measure(s.Region([]Mark{round})).AreaMM2, 1e-9, "edges of 90° are none")
	left := Mark{At: mesh.Vec{X: 0, Y: 10, Z: 5}}
	both := s.Measure(s.Region([]Mark{top, left}))
	assert.InDelta(t, 800, both.AreaMM2, 1e-9)
	right := s.Mirrored([]Mark{left}, 0)
	assert.Equal(t, mesh.Vec{X: 30, Y: 10, Z: 5}, right[0].At)
	assert.Equal(t, 2, s.Measure(s.Region([]Mark{left, right[0]})).Pieces)
	left.Away = true
	assert.InDelta(t, 600, s.Measure(s.Region([]Mark{round, left, {At: mesh.Vec{X: 15, Y: 10}, Away: true}, {At: mesh.Vec{X: 30, Y: 10, Z: 5}, Away: true}, {At: mesh.Vec{X: 15, Z: 5}, Away: true}, {At: mesh.Vec{X: 15, Y: 20, Z: 5}, Away: true}})).AreaMM2, 1e-9)
	plate := grid(100, 100, func(u, v float64) mesh.Vec { return mesh.Vec{X: 100 * u, Y: 100 * v} })
	dab := Of(plate)
	assert.InDelta(t, math.Pi*20*20, dab.Measure(dab.Region([]Mark{{At: mesh.Vec{X: 50, Y: 50}, RadiusMM: 20}})).AreaMM2, 20)
	assert.InDelta(t, 2*math.Pi*20, dab.Measure(dab.Region([]Mark{{At: mesh.Vec{X: 50, Y: 50}, RadiusMM: 20}})).EdgeMM, 8, "around it, not along the teeth of its facets")
	assert.Empty(t, Of(&mesh.Mesh{}).Region([]Mark{top}))
}

// What can be unrolled is unrolled true to length: a quarter of a pipe is a rectangle of r·π/2, a cone a sector whose
// radius is its side. [published: any handbook of sheet metal developments]
func TestDevelopmentsOfTheHandbook(t *testing.T) {
	pipe := grid(40, 10, func(u, v float64) mesh.Vec {
		a := u * math.Pi / 2
		return mesh.Vec{X: 20 * math.Cos(a), Y: 20 * math.Sin(a), Z: 50 * v}
	})
	got, err := Of(pipe).Flatten(all(pipe))
	require.NoError(t, err)
	require.Len(t, got, 1)
	laid, wide, high := got[0].Laid()
	assert.InDelta(t, 50, wide, 0.05)
	assert.InDelta(t, 20*math.Pi/2, high, 0.05)
	assert.Less(t, got[0].StretchPercent, 0.1)
	assert.InDelta(t, got[0].AreaMM2, got[0].FlatMM2, 0.5)
	assert.Len(t, laid.Loops, 1)

	cone := grid(60, 12, func(u, v float64) mesh.Vec { // half a frustum; its side is 50 mm from the tip below, 30 from it above
		a, r := math.Pi*u, 30-12*v
		return mesh.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 16 * v}
	})
	got, err = Of(cone).Flatten(all(cone))
	require.NoError(t, err)
	// a sector of 180° · 30 / 50 = 108°, between the radii of 50 and 30
	assert.InDelta(t, 0.5*(50*50-30*30)*108*math.Pi/180, got[0].FlatMM2, 2)
	assert.Less(t, got[0].StretchPercent, 0.1)
	_, wide, _ = got[0].Laid()
	assert.InDelta(t, 2*50*math.Sin(54*math.Pi/180), wide, 0.3, "its chord")
}

// A ball cannot be laid flat [published: Gauss, theorema egregium]: a small cap nearly can, a large one less, and each
// says how much it is out. What has no edge, or a handle, is refused.
func TestWhatIsRoundSaysHowMuchItIsOut(t *testing.T) {
	cap := func(deg float64) Pattern {
		m := grid(48, 16, func(u, v float64) mesh.Vec {
			a, b := 2*math.Pi*u, (0.02+v*0.98)*deg*math.Pi/180
			return mesh.Vec{X: -30 * math.Sin(b) * math.Cos(a), Y: 30 * math.Sin(b) * math.Sin(a), Z: 30 * math.Cos(b)}
		})
		p, err := Of(m).Flatten(all(m))
		require.NoError(t, err)
		require.Len(t, p[0].Loops, 2, "the hole at its tip is kept")
		return p[0]
	}
	small, large := cap(10), cap(60)
	assert.Less(t, small.StretchPercent, 1.0)
	assert.Greater(t, large.StretchPercent, 2*small.StretchPercent)
	assert.InDelta(t, small.AreaMM2, small.FlatMM2, 0.02*small.AreaMM2)
	box := tall()
	_, err := Of(box).Flatten(all(box))
	assert.ErrorIs(t, err, ErrClosed)
	ring := grid(40, 20, func(u, v float64) mesh.Vec { // a torus with a window cut into it
		a, b := 2*math.Pi*u, 2*math.Pi*v
		r := 30 + 8*math.Cos(b)
		return mesh.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 8 * math.Sin(b)}
	})
	in := all(ring)
	in[0] = false
	_, err = Of(ring).Flatten(in)
	assert.ErrorIs(t, err, ErrRound)
}

// A plane of any outline, turned and moved anyhow, comes out as it is; its mirror image runs the other way and is as
// large.
func TestAPlaneStaysAsItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, h := rapid.Float64Range(10, 200).Draw(t, "w"), rapid.Float64Range(10, 200).Draw(t, "h")
		a, b := rapid.Float64Range(0, 6).Draw(t, "a"), rapid.Float64Range(0, 3).Draw(t, "b")
		m := grid(6, 5, func(u, v float64) mesh.Vec {
			x, y := w*u, h*v
			y, z := y*math.Cos(b), y*math.Sin(b)
			return mesh.Vec{X: x*math.Cos(a) - y*math.Sin(a) + 7, Y: x*math.Sin(a) + y*math.Cos(a), Z: z - 3}
		})
		got, err := Of(m).Flatten(all(m))
		require.NoError(t, err)
		_, wide, high := got[0].Laid()
		assert.InDelta(t, max(w, h), wide, 0.01*max(w, h))
		assert.InDelta(t, min(w, h), high, 0.01*max(w, h))
		assert.InDelta(t, w*h, got[0].FlatMM2, 1e-3*w*h)
		assert.Less(t, got[0].StretchPercent, 0.05)
		_, mw, mh := got[0].Mirror().Laid()
		assert.InDelta(t, wide, mw, 0.01*wide)
		assert.InDelta(t, high, mh, 0.01*wide)
		sum := 0.0
		for k, p := range got[0].Mirror().Loops[0] {
			q := got[0].Mirror().Loops[0][(k+1)%len(got[0].Loops[0])]
			sum += p.X*q.Y - q.X*p.Y
		}
		assert.InDelta(t, w*h, sum/2, 1e-3*w*h, "it still runs to the left around its area")
	})
}

// Two faces that touch in a single corner are two pieces, or one with a corner each.
func TestPiecesThatTouchInACorner(t *testing.T) {
	m := grid(2, 2, func(u, v float64) mesh.Vec { return mesh.Vec{X: 20 * u, Y: 20 * v} })
	s := Of(m)
	in := make([]bool, len(m.Triangles))
	for i := range in {
		c := s.middle(int32(i))
		in[i] = (c.X < 10) == (c.Y < 10)
	}
	got, err := s.Flatten(in)
	require.NoError(t, err)
	require.Len(t, got, 2)
	for _, p := range got {
		assert.InDelta(t, 100, p.FlatMM2, 0.1)
	}
}

// Slivers and facets without area, as files have them, keep no region from being laid flat; a flap that lies on its other
// side does.
func TestSliversAreNoFolds(t *testing.T) {
	quarter := func(u, v float64) mesh.Vec {
		a := u * math.Pi / 2
		return mesh.Vec{X: 20 * math.Cos(a), Y: 20 * math.Sin(a), Z: 50 * v}
	}
	thin := grid(40, 10, func(u, v float64) mesh.Vec {
		if u > 0.5 && u < 0.53 { // one column is a hair wide
			u = 0.5 + 1e-5
		}
		return quarter(u, v)
	})
	got, err := Of(thin).Flatten(all(thin))
	require.NoError(t, err)
	_, wide, high := got[0].Laid()
	assert.InDelta(t, 50, wide, 0.3)
	assert.InDelta(t, 20*math.Pi/2, high, 0.3)
}
