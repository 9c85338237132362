package solid

import (
	"math"
	"testing"

	"pgregory.net/rapid"
)

// star draws a ring of n corners around a place, at distances between near and far,
// anticlockwise.
func star(t *rapid.T, name string, cx, cy, near, far float64) []flatPoint {
	n := rapid.IntRange(3, 40).Draw(t, name+" corners")
	ring := make([]flatPoint, n)
	for i := range ring {
		r := rapid.Float64Range(near, far).Draw(t, name)
		a := 2 * math.Pi * float64(i) / float64(n)
		ring[i].Point = Point{cx + r*math.Cos(a), cy + r*math.Sin(a)}
	}
	return ring
}

// A region with holes is covered exactly: the triangles' areas add up to it, each runs
// anticlockwise, every side of a ring belongs to one triangle and every other to two.
func TestCapProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		outer := star(t, "outer", 0, 0, 40, 60)
		var holes [][]flatPoint
		for _, at := range [][2]float64{{-10, -8}, {9, 3}, {-4, 12}}[:rapid.IntRange(0, 3).Draw(t, "holes")] {
			hole := star(t, "hole", at[0], at[1], 1, 5)
			for i, k := 0, len(hole)-1; i < k; i, k = i+1, k-1 { // clockwise
				hole[i], hole[k] = hole[k], hole[i]
			}
			holes = append(holes, hole)
		}
		id := int32(0)
		sides := map[[2]int32]int{} // of the rings
		var at []Point
		for _, ring := range append([][]flatPoint{outer}, holes...) {
			first := id
			for i := range ring {
				ring[i].id = id
				at = append(at, ring[i].Point)
				id++
			}
			for i := range ring {
				sides[[2]int32{first + int32(i), first + int32((i+1)%len(ring))}]++
			}
		}
		want := flatArea(outer)
		if len(outer) < 6 { // a triangle around the middle may cut through the holes
			return
		}
		for _, h := range holes {
			want += flatArea(h)
		}
		sum := 0.0
		met := map[[2]int32]int{} // sides of triangles, by their direction
		for _, c := range capped(outer, holes, 1e-9) {
			area := turnOf(at[c[0]], at[c[1]], at[c[2]]) / 2
			if area < 0 {
				t.Fatalf("%v runs clockwise", c)
			}
			sum += area
			for k := range 3 {
				met[[2]int32{c[k], c[(k+1)%3]}]++
			}
		}
		if math.Abs(sum-want) > 1e-6*want {
			t.Fatalf("%g mm² of %g", sum, want)
		}
		for side := range sides {
			if met[side] != 1 || met[[2]int32{side[1], side[0]}] != 0 {
				t.Fatalf("side %v of a ring is met %d times", side, met[side])
			}
		}
		for side, n := range met {
			if back := met[[2]int32{side[1], side[0]}]; sides[side] == 0 && (n != 1 || back != 1) {
				t.Fatalf("inner side %v is met %d times, %d the other way", side, n, back)
			}
		}
	})
}
