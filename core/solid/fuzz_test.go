package solid

import (
	"encoding/binary"
	"math"
	"testing"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// fuzzed makes a mesh of bytes: 36 a triangle, as a binary STL has its corners. What is no
// thing is nothing to work on.
func fuzzed(data []byte) (*mesh.Mesh, bool) {
	flat := make([]float32, min(len(data)/36, 200)*9)
	for i := range flat {
		flat[i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:]))
		if math.IsNaN(float64(flat[i])) || math.IsInf(float64(flat[i]), 0) {
			return nil, false
		}
	}
	s := mesh.SoupOf("stl", flat)
	if len(flat) == 0 || s.CheckSize() != nil || s.Box.Diagonal() > 500 { // larger is only slower
		return nil, false
	}
	return s.Weld(), true
}

func seeds(f *testing.F) {
	for _, s := range []*mesh.Soup{meshtest.Box(mesh.Vec{}, mesh.Vec{X: 9, Y: 9, Z: 9}), meshtest.Ring(12, 4, 10, 8),
		meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 20, Y: 20, Z: 20}), meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 10, Y: 10, Z: 10}), meshtest.Box(mesh.Vec{X: 20}, mesh.Vec{X: 9, Y: 9, Z: 9}))} {
		var data []byte
		stl := mesh.WriteSTL(s)
		for at := 84; at+50 <= len(stl); at += 50 {
			data = append(data, stl[at+12:at+48]...)
		}
		f.Add(data)
		f.Add(data[36:]) // a hole in it
	}
}

func over(f *testing.F, do func(t *testing.T, m *mesh.Mesh)) {
	seeds(f)
	f.Fuzz(func(t *testing.T, data []byte) {
		if m, ok := fuzzed(data); ok {
			do(t, m)
		}
	})
}

func FuzzHollow(f *testing.F) {
	over(f, func(t *testing.T, m *mesh.Mesh) {
		if h, err := Hollow(m, 1, Drains{Count: 2, DiameterMM: 2}); err == nil && math.IsNaN(h.VolumeMM3) {
			t.Fatal("a hollow without a volume")
		}
	})
}

func FuzzSplit(f *testing.F) {
	over(f, func(t *testing.T, m *mesh.Mesh) {
		c := m.Box.Centre()
		for _, n := range []mesh.Vec{{Z: 1}, {X: 0.6, Y: 0.8}} {
			if cut, err := Split(m, n, c.Dot(n), Pegs{Count: 2, DiameterMM: 2, ClearanceMM: 0.1}); err == nil && math.IsNaN(cut.SectionMM2) {
				t.Fatal("a section without an area")
			}
		}
	})
}

func FuzzSlice(f *testing.F) {
	over(f, func(t *testing.T, m *mesh.Mesh) {
		figures, drawn := NewSlicer(m, max(0.05, m.Box.Size().Z/200)).Drawn(0.01)
		if len(figures) != len(drawn) {
			t.Fatal("a layer without its drawing")
		}
		for _, l := range figures {
			if math.IsNaN(l.AreaMM2) || l.AreaMM2 < -1e-6 {
				t.Fatalf("a layer of %g mm²", l.AreaMM2)
			}
		}
	})
}

func FuzzOrient(f *testing.F) {
	over(f, func(t *testing.T, m *mesh.Mesh) {
		Orient(m, 20, Seeking{Wishes: ResinWishes, Holding: ResinHolding, Minutes: func(p Profile, _ float64) float64 { return p.HeightMM }})
		SupportsOf(m, ResinHolding)
	})
}

func FuzzCups(f *testing.F) {
	over(f, func(_ *testing.T, m *mesh.Mesh) {
		Cups(m, false)
		Cups(m, true)
	})
}

func FuzzDetail(f *testing.F) {
	over(f, func(t *testing.T, m *mesh.Mesh) {
		DetailOf(m, allFacets)
		FragileOf(m, 5)
		if w := LayerWeakness(m); math.IsNaN(w) {
			t.Fatal("a weakness that is no number")
		}
	})
}
