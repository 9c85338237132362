package solid

import (
	"encoding/json"
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// A torus cut across its axis shows annuli: between R − w and R + w with w = √(r² − h²).
func TestLayersOfATorusAreAnnuli(t *testing.T) {
	const ring, tube = 40.0, 15.0
	s := NewSlicer(meshtest.Ring(ring, tube, 600, 300).Weld(), 0.5)
	figures := s.Figures()
	require.Len(t, figures, 60)
	volume := 0.0
	for i, f := range figures {
		h := -tube + (float64(i)+0.5)*0.5
		w := math.Sqrt(tube*tube - h*h)
		assert.InDelta(t, h, f.ZMM, 1e-9)
		assert.InEpsilon(t, math.Pi*((ring+w)*(ring+w)-(ring-w)*(ring-w)), f.AreaMM2, 0.002, "layer %d", i)
		assert.InEpsilon(t, 2*math.Pi*2*ring, f.PerimeterMM, 0.001)
		assert.Equal(t, 1, f.Regions)
		assert.Equal(t, 1, f.Holes)
		assert.Zero(t, f.Islands+f.Gaps)
		assert.Equal(t, f.AreaMM2, f.LargestRegionMM2)
		volume += f.AreaMM2 * 0.5
	}
	assert.InEpsilon(t, 2*math.Pi*math.Pi*ring*tube*tube, volume, 0.002, "the layers add up to the torus [published: Pappus]")
	l := s.Layer(30)
	require.Len(t, l.Rings, 2)
	assert.True(t, l.Holds(Point{ring, 0}))
	assert.False(t, l.Holds(Point{0, 0}))
	assert.False(t, l.Holds(Point{ring + tube + 1, 0}))
}

func TestLayersAreCountedInside(t *testing.T) {
	m := meshtest.Box(mesh.Vec{X: 3, Y: 4, Z: 5}, mesh.Vec{X: 10, Y: 20, Z: 10.4}).Weld()
	for layer, want := range map[float64]int{1: 10, 0.1: 104, 10.4: 1, 20.7: 1, 20.8: 0, 0: 0} {
		s := NewSlicer(m, layer)
		assert.Equal(t, want, s.Layers(), "%g mm", layer)
		for _, f := range s.Figures() {
			assert.InDelta(t, 200, f.AreaMM2, 1e-6)
			assert.InDelta(t, 60, f.PerimeterMM, 1e-6)
		}
	}
	assert.InDelta(t, 5.5, NewSlicer(m, 1).Figures()[0].ZMM, 1e-9)
}

func TestIslands(t *testing.T) {
	leg := func(x, z float64) *mesh.Soup {
		return meshtest.Box(mesh.Vec{X: x, Z: z}, mesh.Vec{X: 5, Y: 5, Z: 20 - z})
	}
	islands := func(s *mesh.Soup) (n int, where []int) {
		for i, f := range NewSlicer(s.Weld(), 1).Figures() {
			n += f.Islands
			if f.Islands > 0 {
				where = append(where, i)
				assert.Len(t, f.Loose, f.Islands)
			}
		}
		return n, where
	}
	n, _ := islands(meshtest.Together(leg(0, 0), leg(20, 0)))
	assert.Zero(t, n, "two legs on the plate")
	n, where := islands(meshtest.Together(leg(0, 0), leg(20, 8)))
	assert.Equal(t, 1, n, "one that begins in mid-air")
	assert.Equal(t, []int{8}, where)
	// A bar across a bar: no corner of either lies in the other, but they touch.
	n, _ = islands(meshtest.Together(meshtest.Box(mesh.Vec{X: -20, Y: -2}, mesh.Vec{X: 40, Y: 4, Z: 5}), meshtest.Box(mesh.Vec{X: -2, Y: -20, Z: 5}, mesh.Vec{X: 4, Y: 40, Z: 5})))
	assert.Zero(t, n)
	// A lid over a tube touches it by its rim alone.
	n, _ = islands(meshtest.Together(meshtest.Turned([][2]float64{{10, 0}, {15, 0}, {15, 10}, {10, 10}, {10, 0}}, 48), meshtest.Turned([][2]float64{{0, 10}, {18, 10}, {18, 12}, {0, 12}}, 48)))
	assert.Zero(t, n)
	// A plug that floats in the tube is loose.
	n, where = islands(meshtest.Together(meshtest.Turned([][2]float64{{10, 0}, {15, 0}, {15, 10}, {10, 10}, {10, 0}}, 48), meshtest.Turned([][2]float64{{0, 4}, {5, 4}, {5, 9}, {0, 9}}, 48)))
	assert.Equal(t, 1, n)
	assert.Equal(t, []int{4}, where)
}

func TestABrokenMeshStillGivesSaneLayers(t *testing.T) {
	whole := meshtest.Turned([][2]float64{{0, 0}, {20, 0}, {25, 20}, {20, 40}, {0, 40}}, 64)
	torn := meshtest.Together(whole.Part(0, 70), whole.Part(71, 150), whole.Part(152, whole.Len()))
	good, bad := NewSlicer(whole.Weld(), 0.5).Figures(), NewSlicer(torn.Weld(), 0.5).Figures()
	gaps := 0
	for i := range good {
		assert.InEpsilon(t, good[i].AreaMM2, bad[i].AreaMM2, 0.01, "layer %d", i)
		assert.Equal(t, 1, bad[i].Regions)
		gaps += bad[i].Gaps
	}
	assert.Positive(t, gaps, "and it says so")
	inside := NewSlicer(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 20, Y: 20, Z: 20}), meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 10, Y: 10, Z: 10})).Weld(), 1).Figures()
	assert.InDelta(t, 400, inside[10].AreaMM2, 1e-6, "a buried body does not count twice")
}

// The sections and halves of the bunny by manifold-3d; core/mesh/testdata/reference
// says how they came about.
func bunnyAndReference(t *testing.T) (*mesh.Mesh, reference) {
	t.Helper()
	var want reference
	data, err := os.ReadFile("../mesh/testdata/reference/reference.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &want))
	data, err = os.ReadFile("../mesh/testdata/bunny.stl")
	require.NoError(t, err)
	soup, err := mesh.Read(data, mesh.Limits{})
	require.NoError(t, err)
	return soup.Weld(), want
}

type reference struct {
	Slices []struct {
		ZMM      float64 `json:"z_mm"`
		AreaMM2  float64 `json:"area_mm2"`
		Contours int     `json:"contours"`
	} `json:"slices"`
	Halves []struct {
		Plane    [4]float64 `json:"plane"`
		AboveMM3 float64    `json:"above_mm3"`
		UnderMM3 float64    `json:"under_mm3"`
	} `json:"halves"`
}

func TestSlicesAgainstManifold(t *testing.T) {
	m, want := bunnyAndReference(t)
	require.NotEmpty(t, want.Slices)
	for _, w := range want.Slices {
		l := NewSlicer(m, 2*w.ZMM).Layer(0) // cut at its middle
		assert.InDelta(t, m.Box.Min.Z+w.ZMM, l.ZMM, 1e-9)
		assert.InEpsilon(t, w.AreaMM2, l.AreaMM2, 1e-4, "at %g mm", w.ZMM)
		assert.Len(t, l.Rings, w.Contours, "at %g mm", w.ZMM)
	}
}

// However a body is cut, its layers add up to its volume, and every ring closes.
func TestLayersProperty(t *testing.T) {
	m, _ := bunnyAndReference(t)
	volume := m.Measure().VolumeMM3
	rapid.Check(t, func(t *rapid.T) {
		layer := rapid.Float64Range(0.02, 0.3).Draw(t, "layer")
		sum := 0.0
		for _, f := range NewSlicer(m, layer).Figures() {
			if f.Gaps > 0 || f.Regions == 0 || f.AreaMM2 <= 0 {
				t.Fatalf("%+v", f)
			}
			sum += f.AreaMM2 * layer
		}
		if math.Abs(sum-volume) > 0.01*volume {
			t.Fatalf("%g mm³ of %g", sum, volume)
		}
	})
}

// What is drawn of a layer is what is cut: its area is that of the figures, but for what a
// pen cannot show.
func TestDrawnLayersAreThoseThatAreCut(t *testing.T) {
	m := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 20, Z: 10}), meshtest.Box(mesh.Vec{X: 40}, mesh.Vec{X: 8, Y: 8, Z: 6})).Weld()
	s := NewSlicer(m, 0.5)
	figures, drawn := s.Drawn(0.01)
	assert.Equal(t, s.Figures(), figures)
	for i, o := range drawn {
		assert.InDelta(t, figures[i].AreaMM2, o.AreaMM2(), 1e-6)
		low, high := o.Size()
		assert.InDelta(t, 0, low.X, 1e-6)
		wide := 48.0
		if i >= 12 { // over the small box
			wide = 30
		}
		assert.InDelta(t, wide, high.X, 1e-6)
	}
}
