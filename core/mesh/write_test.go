package mesh

import (
	"bytes"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestWritersReadBackTheSame(t *testing.T) {
	kit := together(sphere(8, 16, Vec{0.1, 0.2, 0.3}), torus(12, 4, 20, 12))
	kit.Groups = []Group{{"ball", 0, 480}, {"ring", 480, kit.Len()}}
	kit.Groups[0].To, kit.Groups[1].From = kit.Len()-480, kit.Len()-480
	want := Measure(kit)
	for _, name := range []string{"kit.stl", "kit.OBJ", "kit.3mf"} {
		var b bytes.Buffer
		require.NoError(t, Write(&b, name, kit))
		assert.True(t, Writable(name))
		back, err := Read(b.Bytes(), Limits{})
		require.NoError(t, err, name)
		got := Measure(back)
		got.Format = want.Format
		assert.Equal(t, want, got, "%s: to the bit", name)
		if name != "kit.stl" {
			require.Len(t, back.Groups, 2, name)
			assert.Equal(t, kit.Groups, back.Groups, name)
		}
	}
	var b bytes.Buffer
	assert.Error(t, Write(&b, "kit.step", kit))
	assert.False(t, Writable("kit"))
}

const twoCubes = `o left
v 0 0 0
v 10 0 0
v 10 10 0
v 0 10 0
v 0 0 10
v 10 0 10
v 10 10 10
v 0 10 10
f 1 4 3 2
f 5 6 7 8
f 1 2 6 5
f 2 3 7 6
f 3 4 8 7
f 4 1 5 8
g right hand
v 10 0 0
v 20 0 0
v 20 10 0
v 10 10 0
v 10 0 10
v 20 0 10
v 20 10 10
v 10 10 10
f -8 -5 -6 -7
f -4 -3 -2 -1
f -8 -7 -3 -4
f -7 -6 -2 -3
f -6 -5 -1 -2
f -5 -8 -4 -1
`

func TestGroupsAreBodies(t *testing.T) {
	s, err := Read([]byte(twoCubes), Limits{})
	require.NoError(t, err)
	assert.Equal(t, []Group{{"left", 0, 12}, {"right hand", 12, 24}}, s.Groups)
	m, bodies := Bodies(s)
	require.Len(t, bodies, 2, "two blocks that touch face to face are two bodies when the file says so")
	assert.Equal(t, "left", bodies[0].Name)
	for _, b := range bodies {
		part := Measure(m.Pick("stl", b.Triangles))
		assert.True(t, part.Watertight)
		assert.InDelta(t, 1000, part.VolumeMM3, 1e-6)
		assert.InDelta(t, 1000, b.VolumeMM3, 1e-6)
	}
	s.Groups = nil
	_, bodies = Bodies(s)
	assert.Len(t, bodies, 1, "without names they are one lump with a wall inside")

	hollow := together(cube(30, Vec{}), inward(cube(20, Vec{5, 5, 5})), cube(4, Vec{50, 0, 0}))
	_, bodies = Bodies(hollow)
	require.Len(t, bodies, 2, "a cavity belongs to its body")
	assert.InDelta(t, 27000-8000, bodies[0].VolumeMM3, 1e-6)
	assert.Len(t, bodies[0].Triangles, 24)
}

func TestDegenerateFacetsLeaveGroupsInPlace(t *testing.T) {
	s := together(SoupOf("stl", make([]float32, 9)), cube(10, Vec{}), SoupOf("stl", make([]float32, 18)), cube(5, Vec{20, 0, 0}))
	s.Groups = []Group{{"a", 0, 13}, {"b", 13, 27}}
	m := s.Weld()
	assert.Equal(t, []Group{{"a", 0, 12}, {"b", 12, 24}}, m.Groups)
	assert.Equal(t, 3, m.Degenerate)
}

func TestUnitGuesses(t *testing.T) {
	tests := []struct {
		side float64
		unit string
		or   []string
	}{
		{0.08, "m", []string{"in"}},      // 80 mm, or a bead of 2
		{4.5, "in", []string{"cm"}},      // 114 mm; 45 mm as centimetres
		{0.3, "m", []string{"in", "cm"}}, // 300 mm, 7.6 mm or 3 mm
		{90_000, "micron", nil},
		{120, "", nil}, {5, "", nil}, {1500, "", nil}, {0, "", nil},
	}
	for _, test := range tests {
		g, needed := GuessUnit([3]float64{test.side / 2, test.side, test.side / 3})
		assert.Equal(t, test.unit != "", needed, "%g", test.side)
		assert.Equal(t, test.unit, g.Unit, "%g", test.side)
		assert.ElementsMatch(t, test.or, g.Or, "%g", test.side)
		if needed {
			assert.InDelta(t, test.side*UnitsMM[test.unit], g.LargestMM, 1e-9)
		}
	}
}

func TestStillShowsWhatIsThere(t *testing.T) {
	p := ClayStill(200, 150).Draw(sphere(20, 40, Vec{500, -300, 7}))
	filled, lit, shade := 0, 0, 0
	for y := range 150 {
		for x := range 200 {
			c := p.NRGBAAt(x, y)
			if c.A == 0 {
				continue
			}
			filled++
			if c.R > 200 {
				lit++
			}
			if c.R < 140 {
				shade++
			}
			assert.LessOrEqual(t, math.Hypot(float64(x)+0.5-100, float64(y)+0.5-75), 0.94*75+1.5, "within the ball's outline")
		}
	}
	assert.InDelta(t, math.Pi*math.Pow(0.94*75, 2), float64(filled), 0.03*math.Pi*75*75, "it fills its circle")
	assert.Greater(t, lit, filled/20)
	assert.Greater(t, shade, filled/20)
	assert.Zero(t, p.NRGBAAt(0, 0).A, "on nothing")
	empty := ClayStill(10, 10).Draw(&Soup{})
	assert.Zero(t, empty.NRGBAAt(5, 5).A)
}

// Hulls of points on a coarse grid, where many lie in one plane or twice.
func TestHullProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		grid := rapid.IntRange(1, 6)
		m := &Mesh{Box: EmptyBox()}
		for range rapid.IntRange(4, 60).Draw(t, "n") {
			v := Vec{float64(grid.Draw(t, "x")), float64(grid.Draw(t, "y")), float64(grid.Draw(t, "z"))}
			m.Vertices = append(m.Vertices, v)
			m.Box.Add(v)
		}
		h := m.Hull()
		if h == nil {
			return
		}
		if got := h.Measure(); !got.Watertight {
			t.Fatalf("%+v", got)
		}
		for _, f := range h.Triangles {
			n := h.normal(f)
			for _, v := range m.Vertices {
				if v.Sub(h.Vertices[f[0]]).Dot(n) > 1e-4*n.Len() {
					t.Fatal("a point lies outside")
				}
			}
		}
	})
}

// A turned body of many rings has thousands of points nearly in planes.
func TestHullOfARoundBody(t *testing.T) {
	for _, n := range []int{30, 90, 200} {
		ball := sphere(20, n, Vec{3, 7, -2})
		h := ball.Weld().Hull().Measure()
		assert.True(t, h.Watertight)
		assert.InEpsilon(t, Measure(ball).VolumeMM3, h.VolumeMM3, 2e-4)
	}
	ring := torus(40, 15, 500, 120).Weld().Hull().Measure()
	assert.True(t, ring.Watertight)
	// The hull of a torus: a disc of height 2r and the outer half of the tube [published:
	// Pappus's theorem, its centroid 4r/3π out].
	want := math.Pi*40*40*30 + math.Pi*15*15/2*2*math.Pi*(40+4*15/(3*math.Pi))
	assert.InEpsilon(t, want, ring.VolumeMM3, 0.001)
}

// Whatever triangles stand in a file, mending, diagnosing and reducing end, and the
// mended model is no worse closed than before.
func FuzzMend(f *testing.F) {
	f.Add([]byte("00010011111122233355500011122201012"))
	f.Fuzz(func(t *testing.T, data []byte) {
		flat := make([]float32, 0, len(data))
		for _, b := range data[:min(len(data), 9*80)] {
			flat = append(flat, float32(b%11)+float32(b/11)/7)
		}
		if len(flat) < 9 {
			return
		}
		s := SoupOf("stl", flat[:len(flat)/9*9])
		Diagnose(s)
		Solid(s)
		s.Weld().Thickness()
		out, _ := Mend(s)
		if out.Len() >= 8 {
			if r, err := ReduceTo(out, out.Len()/2); err != nil || r.Soup.Len() > out.Len() {
				t.Fatal(err, r.Soup.Len())
			}
		}
	})
}
