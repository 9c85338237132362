package mesh

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Shells nested in each other like onions, turned outward and inward in turn: what
// counts is the sum of the walls, wherever the whole lies and however it is turned.
func TestOnions(t *testing.T) {
	ball := func(r float64) float64 { return 4 * math.Pi / 3 * r * r * r }
	rapid.Check(t, func(t *rapid.T) {
		at := Vec{rapid.Float64Range(-50, 50).Draw(t, "x"), rapid.Float64Range(-50, 50).Draw(t, "y"), rapid.Float64Range(-50, 50).Draw(t, "z")}
		n := rapid.IntRange(1, 6).Draw(t, "shells")
		var soups []*Soup
		volume, cavities := 0.0, 0
		for i := range n {
			r := 40 - 6*float64(i)
			s := sphere(r, 24, at)
			if i%2 == 1 {
				s = inward(s)
				cavities++
				volume -= ball(r)
			} else {
				volume += ball(r)
			}
			soups = append(soups, s)
		}
		m := Measure(together(soups...))
		assert.Equal(t, n, m.Shells)
		assert.Equal(t, cavities, m.Cavities)
		assert.Zero(t, m.InvertedShells)
		assert.Zero(t, m.BuriedShells)
		assert.InEpsilon(t, volume, m.VolumeMM3, 0.03)
	})
}

// A point straight below an edge or a corner of the shell around it is the hard
// case for a ray; the rule for shared edges must not count it twice or not at all.
func TestInsideUnderEdgesAndCorners(t *testing.T) {
	outer := cube(20, Vec{})
	for _, at := range []Vec{{10, 10, 5}, {5, 5, 5}, {10, 5, 3}, {7.5, 7.5, 7.5}, {1, 1, 1}} {
		m := Measure(together(outer, inward(cube(2, at))))
		assert.Equal(t, 1, m.Cavities, at)
		assert.InEpsilon(t, 8000-8, m.VolumeMM3, 1e-6, at)
	}
	beside := Measure(together(outer, inward(cube(2, Vec{30, 10, 5}))))
	assert.Zero(t, beside.Cavities)
	assert.Equal(t, 1, beside.InvertedShells)
	assert.InEpsilon(t, 8008, beside.VolumeMM3, 1e-6)
}

// A ball that pokes out through the hole of a ring's face lies within the ring's box
// but not within the ring: both count whole.
func TestPokingIntoIsNotInside(t *testing.T) {
	ring, ball := torus(40, 15, 120, 60), sphere(9, 24, Vec{52, 0, 0})
	m := Measure(together(ring, ball))
	assert.Zero(t, m.BuriedShells)
	assert.InEpsilon(t, Measure(ring).VolumeMM3+Measure(ball).VolumeMM3, m.VolumeMM3, 1e-6)
	within := Measure(together(ring, sphere(9, 24, Vec{40, 0, 0})))
	assert.Equal(t, 1, within.BuriedShells)
	assert.InEpsilon(t, Measure(ring).VolumeMM3, within.VolumeMM3, 1e-6)
}

// Ten thousand specks inside one body, as a noisy scan has them, are sorted out in
// moments; trying each against each would not end within the test's time.
func TestManySpecks(t *testing.T) {
	soups := []*Soup{cube(100, Vec{})}
	for i := range 10_000 {
		soups = append(soups, cube(0.2, Vec{2 + float64(i%100)*0.9, 2 + float64(i/100)*0.9, 50}))
	}
	s := together(soups...)
	m := Measure(s)
	assert.Equal(t, 10_001, m.Shells)
	assert.Equal(t, 10_000, m.BuriedShells)
	assert.InEpsilon(t, 1e6, m.VolumeMM3, 1e-6)
}

// Triangles that each span the whole plan must not fill every cell of the grid.
func TestManyLargeTriangles(t *testing.T) {
	var soups []*Soup
	for i := range 400 {
		soups = append(soups, polyhedron([]Vec{{0, 0, float64(i)}, {100, 0, float64(i)}, {100, 100, float64(i)}, {0, 100, float64(i)},
			{0, 0, float64(i) + 0.5}, {100, 0, float64(i) + 0.5}, {100, 100, float64(i) + 0.5}, {0, 100, float64(i) + 0.5}},
			[][]int{{0, 3, 2, 1}, {4, 5, 6, 7}, {0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}}))
	}
	soups = append(soups, cube(500, Vec{-200, -200, -50}))
	m := Measure(together(soups...))
	assert.Equal(t, 401, m.Shells)
	assert.Equal(t, 400, m.BuriedShells)
}

// The volume of a shell with holes does not depend on where it stands.
func TestOpenVolumeIsTranslationFree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		at := Vec{rapid.Float64Range(-500, 500).Draw(t, "x"), rapid.Float64Range(-500, 500).Draw(t, "y"), rapid.Float64Range(-500, 500).Draw(t, "z")}
		box := cube(10, at)
		m := Measure(SoupOf("stl", box.flat[:9*10]))
		assert.InEpsilon(t, 1000, m.VolumeMM3, 1e-3)
	})
}
