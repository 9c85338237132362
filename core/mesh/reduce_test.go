package mesh

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReduceKeepsTheShape(t *testing.T) {
	for name, s := range map[string]*Soup{"sphere": sphere(20, 120, Vec{200, 100, 3}), "torus": torus(30, 10, 300, 120), "bunny": bunny(t)} {
		before := Measure(s)
		loose := 1.0
		if name == "bunny" { // a tenth of it is a mere 367 facets
			loose = 3
		}
		for _, share := range []int{3, 10} {
			r, err := ReduceTo(s, s.Len()/share)
			require.NoError(t, err)
			after := Measure(r.Soup)
			assert.LessOrEqual(t, after.Triangles, s.Len()/share, name)
			assert.Greater(t, after.Triangles, s.Len()/share-3, "%s: and no more than needed", name)
			assert.Equal(t, before.Watertight, after.Watertight, name)
			assert.Equal(t, before.Shells, after.Shells, name)
			assert.Zero(t, after.Degenerate, name)
			assert.Zero(t, after.InvertedShells, name)
			assert.InEpsilon(t, before.VolumeMM3, after.VolumeMM3, 0.006*loose, "%s to 1/%d", name, share)
			assert.InEpsilon(t, before.AreaMM2, after.AreaMM2, 0.012*loose, "%s to 1/%d", name, share)
			diagonal := s.Box.Diagonal()
			assert.Less(t, r.DeviationMM, 0.006*loose*diagonal, "%s to 1/%d", name, share)
			assert.Positive(t, r.DeviationMM)
		}
	}
}

func TestReduceLeavesFlatGroundToItsCorners(t *testing.T) {
	// A block whose faces are cut into 30×30 squares needs but twelve triangles.
	var flat []float32
	const n = 30
	put := func(v ...Vec) {
		for _, p := range v {
			flat = append(flat, float32(p.X), float32(p.Y), float32(p.Z))
		}
	}
	for side := range 6 {
		at := func(i, k int) Vec {
			u, v := float64(i), float64(k)
			switch side {
			case 0:
				return Vec{u, v, n}
			case 1:
				return Vec{v, u, 0}
			case 2:
				return Vec{n, u, v}
			case 3:
				return Vec{0, v, u}
			case 4:
				return Vec{v, n, u}
			}
			return Vec{u, 0, v}
		}
		for i := range n {
			for k := range n {
				a, b, c, d := at(i, k), at(i+1, k), at(i+1, k+1), at(i, k+1)
				put(a, b, c, a, c, d)
			}
		}
	}
	block := SoupOf("stl", flat)
	require.True(t, Measure(block).Watertight)
	r, err := ReduceWithin(block, 0.05)
	require.NoError(t, err)
	after := Measure(r.Soup)
	assert.LessOrEqual(t, after.Triangles, 60)
	assert.True(t, after.Watertight)
	assert.InDelta(t, n*n*n, after.VolumeMM3, 0.05*6*n*n)
	assert.LessOrEqual(t, r.DeviationMM, 0.05)
}

func TestReduceWithinAStatedDeviation(t *testing.T) {
	s := torus(30, 10, 300, 120)
	last := s.Len()
	for _, mm := range []float64{0.01, 0.05, 0.2} {
		r, err := ReduceWithin(s, mm)
		require.NoError(t, err)
		assert.LessOrEqual(t, r.DeviationMM, mm)
		assert.Less(t, r.Soup.Len(), last, "a wider deviation needs fewer triangles")
		last = r.Soup.Len()
	}
	assert.Less(t, last, s.Len()/20)
}

func TestReduceMindsRimsAndJoints(t *testing.T) {
	half := sphere(20, 60, Vec{})
	var flat []float32
	for i := range half.Len() {
		if a, b, c := half.Triangle(i); a.Z >= -1e-6 && b.Z >= -1e-6 && c.Z >= -1e-6 {
			f := half.corners(i)
			flat = append(flat, f[:]...)
		}
	}
	bowl := SoupOf("stl", flat)
	r, err := ReduceTo(bowl, bowl.Len()/8)
	require.NoError(t, err)
	rim := Diagnose(r.Soup)
	require.Len(t, rim.Faults, 1)
	assert.Equal(t, FaultHole, rim.Faults[0].Kind)
	assert.Equal(t, 1, rim.Faults[0].Count)
	assert.InDelta(t, 2*3.14159*20, rim.Faults[0].SizeMM, 1.5, "the rim stays a circle")
	assert.InDelta(t, 0, r.Soup.Box.Min.Z, 0.05)

	touching := together(sphere(10, 20, Vec{}), cube(10, Vec{}), cube(10, Vec{10, 10, 0}))
	before := Measure(touching)
	require.Positive(t, before.NonManifoldEdges)
	r, err = ReduceTo(touching, 400)
	require.NoError(t, err)
	assert.Equal(t, before.NonManifoldEdges, Measure(r.Soup).NonManifoldEdges)
	_, err = ReduceTo(touching, 3)
	assert.Error(t, err)
	_, err = ReduceWithin(touching, 0)
	assert.Error(t, err)
}
