package mesh

import (
	"bytes"
	"math"
	"testing"

	"pgregory.net/rapid"
)

// heap draws some blocks that may overlap, lie in each other or touch.
func heap(t *rapid.T) (boxes []Box, s *Soup) {
	var soups []*Soup
	corner := rapid.IntRange(0, 12)
	for range rapid.IntRange(1, 4).Draw(t, "blocks") {
		at := Vec{float64(corner.Draw(t, "x")), float64(corner.Draw(t, "y")), float64(corner.Draw(t, "z"))}
		// Sizes end in fifths, so that no two blocks have a face in one plane but by their corners.
		size := Vec{float64(rapid.IntRange(2, 9).Draw(t, "w")) + 0.2, float64(rapid.IntRange(2, 9).Draw(t, "d")) + 0.4, float64(rapid.IntRange(2, 9).Draw(t, "h")) + 0.6}
		var c []Vec
		for k := range 8 {
			c = append(c, at.Add(Vec{size.X * float64(k&1), size.Y * float64(k>>1&1), size.Z * float64(k>>2)}))
		}
		boxes = append(boxes, Box{at, at.Add(size)})
		soups = append(soups, polyhedron(c, [][]int{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}))
	}
	return boxes, together(soups...)
}

// union is the volume of blocks by counting in and out: what one holds, less what pairs
// share, plus what threes share, and so on.
func union(boxes []Box) (sum float64) {
	for set := 1; set < 1<<len(boxes); set++ {
		common, sign := Box{Vec{-1e9, -1e9, -1e9}, Vec{1e9, 1e9, 1e9}}, -1.0
		for i, b := range boxes {
			if set>>i&1 != 0 {
				common, sign = common.Common(b), -sign
			}
		}
		size := common.Size()
		sum += sign * size.X * size.Y * size.Z
	}
	return sum
}

// However blocks lie, what they share counts once, within the error that is stated and
// the width of a grid's line along their faces.
func TestSolidProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		boxes, s := heap(t)
		for i, b := range boxes {
			for k, c := range boxes {
				if i != k && (b == c || b.Holds(c.Min) && b.Holds(c.Max)) {
					return // buried or doubled: the diagnosis has rules of its own for them
				}
			}
		}
		if m := Measure(s); !m.Watertight || m.BuriedShells > 0 {
			return // two that touch along an edge
		}
		want, got := union(boxes), Solid(s)
		if slack := got.ErrorMM3 + 0.01*want; math.Abs(got.SolidMM3-want) > slack {
			t.Fatalf("%g mm³ of %g, error %g, %v", got.SolidMM3, want, got.ErrorMM3, boxes)
		}
		for _, pair := range boxes[1:] {
			if boxes[0].Common(pair).Size() == (Vec{}) && len(boxes) == 2 && got.Pairs != 0 {
				t.Fatalf("%d pairs, and nothing is shared", got.Pairs)
			}
		}
	})
}

// What is written is what is read, in every format, groups and all.
func TestWriteProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		_, s := heap(t)
		for at := 0; at < s.Len(); at += 12 {
			s.Groups = append(s.Groups, Group{rapid.StringMatching(`[a-z<&"' ]{1,8}[a-z]`).Draw(t, "name"), at, at + 12})
		}
		want := Measure(s)
		for _, name := range []string{"x.stl", "x.obj", "x.3mf"} {
			var b bytes.Buffer
			if err := Write(&b, name, s); err != nil {
				t.Fatal(err)
			}
			back, err := Read(b.Bytes(), Limits{})
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			got := Measure(back)
			if got.Triangles != want.Triangles || got.Vertices != want.Vertices || math.Abs(got.VolumeMM3-want.VolumeMM3) > 1e-9*want.VolumeMM3 || got.SizeMM != want.SizeMM {
				t.Fatalf("%s: %+v of %+v", name, got, want)
			}
			if name == "x.3mf" && len(s.Groups) > 1 && len(back.Groups) != len(s.Groups) {
				t.Fatalf("%d groups of %d", len(back.Groups), len(s.Groups))
			}
		}
	})
}

// A body reduced is still the body: closed, of about its volume, within its box.
func TestReduceProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ring := rapid.Float64Range(15, 60).Draw(t, "ring")
		tube := rapid.Float64Range(3, 12).Draw(t, "tube")
		s := torus(ring, tube, rapid.IntRange(80, 160).Draw(t, "around"), rapid.IntRange(32, 64).Draw(t, "across"))
		r, err := ReduceTo(s, s.Len()*rapid.IntRange(30, 90).Draw(t, "percent")/100)
		if err != nil {
			t.Fatal(err)
		}
		before, after := Measure(s), Measure(r.Soup)
		if !after.Watertight || after.Shells != 1 || after.InvertedShells > 0 {
			t.Fatalf("%+v", after)
		}
		// A surface that moves by a deviation sweeps no more than its area times that; from
		// so fine a ring three in a hundred are never reached.
		if change := math.Abs(after.VolumeMM3 - before.VolumeMM3); change > 0.03*before.VolumeMM3 || change > before.AreaMM2*r.DeviationMM {
			t.Fatalf("%g mm³ of %g", after.VolumeMM3, before.VolumeMM3)
		}
		for k := range 3 {
			if after.SizeMM[k] > before.SizeMM[k]+2*r.DeviationMM+0.05*tube {
				t.Fatalf("it grew: %v of %v", after.SizeMM, before.SizeMM)
			}
		}
	})
}
