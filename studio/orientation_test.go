package studio

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/solid"
)

// A hat hovers over its peg, a third body stands: what nothing holds is told, and a place
// that no hand reaches, in the file's own coordinates however the part stands.
func TestStandModelTellsWhatHovers(t *testing.T) {
	hollow := meshtest.Box(mesh.Vec{X: 100, Y: 100, Z: 100}, mesh.Vec{X: 30, Y: 30, Z: 30})
	inner := meshtest.Box(mesh.Vec{X: 105, Y: 105, Z: 105}, mesh.Vec{X: 20, Y: 20, Z: 20})
	var in []float32
	for i := range inner.Len() {
		a, b, c := inner.Triangle(i)
		for _, v := range []mesh.Vec{a, c, b} {
			in = append(in, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	soup := meshtest.Together(hollow, mesh.SoupOf("stl", in), meshtest.Box(mesh.Vec{X: 150, Y: 100, Z: 120}, mesh.Vec{X: 10, Y: 10, Z: 10}))
	var told []float64
	list, err := house().Orienting(process.Filament, solid.FilamentWishes, PrintProfile{}).Find(soup, func(share float64, _ string) error {
		told = append(told, share)
		return nil
	})
	require.NoError(t, err)
	assert.IsIncreasing(t, told)
	for _, s := range list {
		if !s.Facts.AsFile {
			continue
		}
		assert.Equal(t, 1, s.Facts.Loose, "the small block hangs in the air")
		assert.NotEmpty(t, s.Facts.Out, "its ceiling is flat as the file stands")
	}
	for _, s := range list {
		for _, o := range s.Facts.Out { // on a corner or an edge it holds itself
			assert.True(t, o.Shut)
			assert.InDelta(t, 115, o.At.X, 10)
			assert.InDelta(t, 115, o.At.Y, 10)
			assert.InDelta(t, 115, o.At.Z, 10)
		}
		assert.InDelta(t, s.Facts.HeightMM, s.Shape.Profile.HeightMM, 1e-9)
		assert.Positive(t, house().StripMinutes(s, 1))
	}
	_, err = house().Orienting(process.Filament, solid.FilamentWishes, PrintProfile{}).Find(soup, func(share float64, _ string) error { return assert.AnError })
	assert.ErrorIs(t, err, assert.AnError)
}

// The stations that a print passes count, and a model as it stands is as tall as that.
func TestStationsAndStood(t *testing.T) {
	h := house()
	assert.Empty(t, h.tooSmall([3]float64{100, 100, 100}, process.Resin, "painted"))
	assert.Equal(t, []string{"washing tank", "cure station"}, h.tooSmall([3]float64{100, 100, 300}, process.Resin, "raw"))
	assert.Equal(t, []string{"spray booth"}, h.tooSmall([3]float64{100, 100, 500}, process.Filament, "primed"))
	assert.Empty(t, h.tooSmall([3]float64{100, 100, 500}, process.Filament, "raw"), "nothing is sprayed")
	m := Model{}
	m.Measures, m.Shape = MeasureModel(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 50}))
	turned := solid.Turned(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 50}).Weld(), solid.Turn(mesh.Vec{X: 1}))
	lying := m.Oriented(Orientation{ID: 7, Shape: shapeOf(turned)})
	assert.InDelta(t, 10, lying.PrintHeightMM(), 1e-6)
	assert.Equal(t, 50.0, m.PrintHeightMM())
	assert.InDelta(t, 10, lying.Scaled(1).HeightMM, 1e-6)
	assert.Equal(t, m.Face(), lying.Face(), "a client sees it as it will stand on a shelf")
	assert.Equal(t, m.Shape, m.Oriented(Orientation{}).Shape)
	assert.Equal(t, 3, PegCount(Model{How: Peg, Did: []mesh.Done{{Count: 3}}}))
	assert.Equal(t, 1, PegCount(m))
}

// A block may be set straight on its plate: nothing holds it there but its foot. A bowl
// upside down so is a cup.
func TestStraightOnThePlate(t *testing.T) {
	none := func(float64, string) error { return nil }
	asFile := func(s *mesh.Soup) *FlatOrientation {
		list, err := house().Orienting(process.Resin, solid.ResinWishes, PrintProfile{}).Find(s, none)
		require.NoError(t, err)
		for _, s := range list {
			if s.Facts.AsFile {
				return s.Facts.Flat
			}
		}
		return nil
	}
	flat := asFile(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 20, Z: 10}))
	require.NotNil(t, flat)
	assert.Zero(t, flat.Tips)
	assert.InEpsilon(t, 600, flat.FootMM2, 0.02)
	assert.Zero(t, flat.CupsMM3)
	bowl := asFile(meshtest.Turned([][2]float64{{12, 0}, {16, 0}, {16, 14}, {0, 14}, {0, 10}, {12, 10}, {12, 0}}, 64))
	require.NotNil(t, bowl)
	assert.InEpsilon(t, 3.14159*144*10, bowl.CupsMM3, 0.05)
	assert.Nil(t, asFile(meshtest.Turned([][2]float64{{0, 0}, {12, 20}, {0, 20}}, 48)), "it has no foot")
}
