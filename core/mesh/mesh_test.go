package mesh

import (
	"encoding/binary"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The five Platonic solids of edge 1: volumes and areas as any geometry handbook
// gives them (e.g. Coxeter, Regular Polytopes, table I).
func TestPlatonicSolids(t *testing.T) {
	phi := (1 + math.Sqrt(5)) / 2
	tetra := func() *Soup {
		a := 1 / (2 * math.Sqrt2)
		return polyhedron([]Vec{{a, a, a}, {a, -a, -a}, {-a, a, -a}, {-a, -a, a}},
			[][]int{{0, 1, 2}, {0, 3, 1}, {0, 2, 3}, {1, 3, 2}})
	}
	octa := func() *Soup {
		a := 1 / math.Sqrt2
		return hull([]Vec{{a, 0, 0}, {-a, 0, 0}, {0, a, 0}, {0, -a, 0}, {0, 0, a}, {0, 0, -a}})
	}
	icosa := func() *Soup {
		var c []Vec
		for _, s := range [][2]float64{{1, 1}, {1, -1}, {-1, 1}, {-1, -1}} {
			u, v := s[0]/2, s[1]*phi/2
			c = append(c, Vec{0, u, v}, Vec{u, v, 0}, Vec{v, 0, u})
		}
		return hull(c)
	}
	dodeca := func() *Soup {
		var c []Vec
		for k := range 8 {
			c = append(c, Vec{float64(k&1)*2 - 1, float64(k>>1&1)*2 - 1, float64(k>>2)*2 - 1}.Mul(phi/2))
		}
		for _, s := range [][2]float64{{1, 1}, {1, -1}, {-1, 1}, {-1, -1}} {
			u, v := s[0]/2, s[1]*phi*phi/2
			c = append(c, Vec{0, u, v}, Vec{u, v, 0}, Vec{v, 0, u})
		}
		return hull(c)
	}
	for _, c := range []struct {
		name         string
		soup         *Soup
		volume, area float64
	}{
		{"tetrahedron", tetra(), math.Sqrt2 / 12, math.Sqrt(3)},
		{"cube", cube(1, Vec{3, -2, 7}), 1, 6},
		{"octahedron", octa(), math.Sqrt2 / 3, 2 * math.Sqrt(3)},
		{"icosahedron", icosa(), 5 * (3 + math.Sqrt(5)) / 12, 5 * math.Sqrt(3)},
		{"dodecahedron", dodeca(), (15 + 7*math.Sqrt(5)) / 4, 3 * math.Sqrt(25+10*math.Sqrt(5))},
	} {
		m := Measure(c.soup)
		assert.InEpsilon(t, c.volume, m.VolumeMM3, 1e-6, c.name)
		assert.InEpsilon(t, c.area, m.AreaMM2, 1e-6, c.name)
		assert.True(t, m.Watertight, c.name)
		assert.Equal(t, 1, m.Shells, c.name)
		assert.InEpsilon(t, c.volume, c.soup.Bulk().VolumeMM3, 1e-6, c.name)
	}
}

// hull triangulates a small convex body by trying every three corners.
func hull(c []Vec) *Soup {
	var faces [][]int
	seen := map[[3]int]bool{}
	for i := range c {
		for j := range c {
			for k := range c {
				if i == j || j == k || i == k {
					continue
				}
				n := c[j].Sub(c[i]).Cross(c[k].Sub(c[i]))
				var face []int
				outside := false
				for l := range c {
					switch d := n.Dot(c[l].Sub(c[i])); {
					case d > 1e-9:
						outside = true
					case d > -1e-9:
						face = append(face, l)
					}
				}
				if outside || n.Len() < 1e-9 {
					continue
				}
				key := [3]int{face[0], face[1], face[2]}
				if !seen[key] {
					seen[key] = true
					faces = append(faces, ordered(c, face, n))
				}
			}
		}
	}
	return polyhedron(c, faces)
}

// ordered puts a face's corners anticlockwise about its normal.
func ordered(c []Vec, face []int, n Vec) []int {
	var mid Vec
	for _, i := range face {
		mid = mid.Add(c[i].Mul(1 / float64(len(face))))
	}
	u := c[face[0]].Sub(mid)
	v := n.Cross(u)
	angle := func(i int) float64 {
		d := c[i].Sub(mid)
		return math.Atan2(d.Dot(v)/v.Len(), d.Dot(u)/u.Len())
	}
	for i := range face {
		for k := i; k > 0 && angle(face[k]) < angle(face[k-1]); k-- {
			face[k], face[k-1] = face[k-1], face[k]
		}
	}
	return face
}

// A torus has volume 2π²Rr² and area 4π²Rr (Pappus's theorems).
func TestTorus(t *testing.T) {
	m := Measure(torus(40, 15, 400, 200))
	assert.InEpsilon(t, 2*math.Pi*math.Pi*40*15*15, m.VolumeMM3, 1e-3)
	assert.InEpsilon(t, 4*math.Pi*math.Pi*40*15, m.AreaMM2, 1e-3)
	assert.Equal(t, 80_000, m.Vertices)
	assert.Equal(t, 160_000, m.Triangles)
	assert.True(t, m.Watertight)
}

func TestHollowAndBuriedShells(t *testing.T) {
	outer, inner := sphere(20, 60, Vec{}), sphere(18, 60, Vec{})
	ball := func(r float64) float64 { return 4 * math.Pi / 3 * r * r * r }
	for _, c := range []struct {
		name                       string
		soup                       *Soup
		volume                     float64
		inverted, cavities, buried int
	}{
		{"solid", outer, ball(20), 0, 0, 0},
		{"hollow", together(outer, inward(inner)), ball(20) - ball(18), 0, 1, 0},
		{"buried", together(outer, inner), ball(20), 0, 0, 1},
		{"turned inside out", inward(outer), ball(20), 1, 0, 0},
		{"a kernel in the cavity", together(outer, inward(inner), sphere(5, 30, Vec{3, 1, 2})), ball(20) - ball(18) + ball(5), 0, 1, 0},
		{"side by side", together(outer, sphere(10, 40, Vec{50, 0, 0})), ball(20) + ball(10), 0, 0, 0},
	} {
		m := Measure(c.soup)
		assert.InEpsilon(t, c.volume, m.VolumeMM3, 5e-3, c.name)
		assert.Equal(t, []int{c.inverted, c.cavities, c.buried},
			[]int{m.InvertedShells, m.Cavities, m.BuriedShells}, c.name)
		assert.True(t, m.Watertight, c.name)
	}
}

func TestFaults(t *testing.T) {
	box := cube(10, Vec{})
	missing := SoupOf("stl", box.flat[:9*(box.Len()-2)])
	m := Measure(missing)
	assert.Equal(t, 4, m.OpenEdges)
	assert.False(t, m.Watertight)
	assert.InEpsilon(t, 1000, m.VolumeMM3, 1e-9, "a flat hole is closed in thought")

	m = Measure(together(box, cube(10, Vec{10, 10, 0})))
	assert.Equal(t, 1, m.NonManifoldEdges, "two cubes share one edge")
	assert.Equal(t, 2, m.Shells, "and nothing else")
	assert.True(t, m.Watertight)
	assert.InEpsilon(t, 2000, m.VolumeMM3, 1e-9)

	speck := SoupOf("stl", []float32{1, 1, 1, 1, 1, 1, 2, 2, 2, 0, 0, 0, 1, 1, 1, 2, 2, 2})
	m = Measure(together(box, speck))
	assert.Equal(t, 2, m.Degenerate)
	assert.True(t, m.Watertight)
	assert.Equal(t, 14, m.Triangles)
}

func TestWeldJoinsWithinTolerance(t *testing.T) {
	box := cube(100, Vec{})
	tolerance := WeldTolerance * math.Sqrt(3) * 100
	for i := range box.Len() {
		box.flat[9*i] += float32((float64(i%3) - 1) * tolerance / 2.5)
	}
	assert.Equal(t, 8, Measure(SoupOf("stl", box.flat)).Vertices)
	box.flat[0] += float32(20 * tolerance)
	assert.Equal(t, 9, Measure(SoupOf("stl", box.flat)).Vertices)
}

// The Stanford bunny as the npm package "bunny" 1.0.1 ships it (public domain).
// Reference: `admesh bunny.stl` of Debian's admesh 0.98.4 prints the size below,
// 3674 facets all connected, 1 part, volume 194.288620.
func TestBunnyAgainstAdmesh(t *testing.T) {
	data, err := os.ReadFile("testdata/bunny.stl")
	require.NoError(t, err)
	s, err := ReadSTL(data, Limits{})
	require.NoError(t, err, "its header begins with solid, it is binary all the same")
	m := Measure(s)
	assert.InEpsilon(t, 194.288620, m.VolumeMM3, 1e-5)
	assert.Equal(t, 3674, m.Triangles)
	assert.Equal(t, 1, m.Shells)
	assert.Equal(t, 0, m.OpenEdges)
	assert.True(t, m.Watertight)
	assert.Equal(t, 2+3674/2, m.Vertices, "Euler: a closed surface without handles")
	for k, want := range [3]float64{4.948850 + 4.958475, 9.654748 + 0.003149, 3.810639 + 3.729833} {
		assert.InDelta(t, want, m.SizeMM[k], 2e-6)
	}
}

func TestReadSTLRefusesAndForgives(t *testing.T) {
	good := WriteSTL(cube(10, Vec{}))
	edit := func(change func([]byte) []byte) []byte { return change(append([]byte(nil), good...)) }
	ascii := asciiOf(cube(10, Vec{}))
	for _, c := range []struct {
		name string
		data []byte
		err  error
		says string
	}{
		{"binary", good, nil, ""},
		{"trailing bytes", append(edit(func(b []byte) []byte { return b }), "made on a Tuesday"...), nil, ""},
		{"header begins with solid", edit(func(b []byte) []byte { copy(b, "solid heron facet"); return b }), nil, ""},
		{"ascii", []byte(ascii), nil, ""},
		{"ascii in capitals, DOS line ends", []byte(strings.ReplaceAll(strings.ToUpper(ascii), "\n", "\r\n")), nil, ""},
		{"ascii with text behind", []byte(ascii + "that was all\n"), nil, ""},
		{"empty", nil, ErrEmpty, "no triangle in it"},
		{"blank", []byte("  \n \n"), ErrEmpty, ""},
		{"ascii without facets", []byte("solid nothing\nendsolid nothing\n"), ErrEmpty, ""},
		{"count of zero", edit(func(b []byte) []byte { binary.LittleEndian.PutUint32(b[80:], 0); return b }), ErrEmpty, "byte 80"},
		{"short header", good[:60], ErrCut, "60 bytes"},
		{"count too high", edit(func(b []byte) []byte { binary.LittleEndian.PutUint32(b[80:], 13); return b }), ErrCut, "the count says 13 triangles, 12 are there"},
		{"count absurd", edit(func(b []byte) []byte { binary.LittleEndian.PutUint32(b[80:], math.MaxUint32); return b }), ErrCut, ""},
		{"cut in a record", good[:len(good)-7], ErrCut, ""},
		{"NaN", edit(func(b []byte) []byte { binary.LittleEndian.PutUint32(b[84+50+12:], 0x7fc00000); return b }), ErrNotFinite, "byte 134: a number is not finite: a corner of triangle 2"},
		{"infinite", edit(func(b []byte) []byte { binary.LittleEndian.PutUint32(b[84+20:], 0xff800000); return b }), ErrNotFinite, "triangle 1"},
		{"ascii cut", []byte(ascii[:len(ascii)/2]), ErrCut, "line"},
		{"ascii with nan", []byte(strings.Replace(ascii, "vertex 10", "vertex nan", 1)), ErrNotFinite, `"nan"`},
		{"ascii with overflow", []byte(strings.Replace(ascii, "vertex 10", "vertex 1e99", 1)), ErrNotFinite, `"1e99"`},
		{"ascii with a word", []byte(strings.Replace(ascii, "vertex 10", "vertex ten", 1)), ErrSyntax, "a number expected"},
		{"ascii with a wrong word", []byte(strings.Replace(ascii, "outer", "inner", 1)), ErrSyntax, `line 3: unexpected text: "outer" expected, "inner" found`},
	} {
		t.Run(c.name, func(t *testing.T) {
			s, err := ReadSTL(c.data, Limits{})
			if c.err == nil {
				require.NoError(t, err)
				assert.InEpsilon(t, 1000, Measure(s).VolumeMM3, 1e-6)
				return
			}
			require.ErrorIs(t, err, c.err)
			assert.Contains(t, err.Error(), c.says)
			assert.Nil(t, s)
		})
	}
}

func TestReadSTLLimits(t *testing.T) {
	for _, data := range [][]byte{WriteSTL(cube(10, Vec{})), []byte(asciiOf(cube(10, Vec{})))} {
		_, err := ReadSTL(data, Limits{MaxTriangles: 11})
		require.ErrorIs(t, err, ErrTooLarge)
		assert.Contains(t, err.Error(), "at most 11")
		_, err = ReadSTL(data, Limits{MaxBytes: 100})
		require.ErrorIs(t, err, ErrTooLarge)
		assert.Contains(t, err.Error(), "at most 100")
	}
}

// asciiOf writes the text form of an STL.
func asciiOf(s *Soup) string {
	var b strings.Builder
	b.WriteString("solid thing\n")
	for i := range s.Len() {
		b.WriteString("facet normal 0 0 0\nouter loop\n")
		f := s.corners(i)
		for k := range 3 {
			b.WriteString(strings.TrimSpace(strings.Join([]string{"vertex", num(f[3*k]), num(f[3*k+1]), num(f[3*k+2])}, " ")) + "\n")
		}
		b.WriteString("endloop\nendfacet\n")
	}
	b.WriteString("endsolid thing\n")
	return b.String()
}

// Measures do not depend on the order of triangles, and follow scale by its powers.
func TestMeasuresFollowScale(t *testing.T) {
	base := Measure(together(torus(30, 8, 40, 20), sphere(5, 20, Vec{30, 0, 0})))
	rapid.Check(t, func(t *rapid.T) {
		k := rapid.Float64Range(0.05, 20).Draw(t, "scale")
		m := Measure(together(sphere(5, 20, Vec{30, 0, 0}), torus(30, 8, 40, 20)).Scaled(k))
		assert.InEpsilon(t, base.VolumeMM3*k*k*k, m.VolumeMM3, 1e-4)
		assert.InEpsilon(t, base.AreaMM2*k*k, m.AreaMM2, 1e-4)
		assert.Equal(t, base.Shells, m.Shells)
		assert.Equal(t, base.Vertices, m.Vertices)
	})
}

func FuzzReadSTL(f *testing.F) {
	f.Add(WriteSTL(cube(10, Vec{})))
	f.Add([]byte(asciiOf(cube(1, Vec{}))))
	f.Add([]byte("solid\nfacet normal"))
	f.Add([]byte("solid \x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := ReadSTL(data, Limits{MaxTriangles: 10_000})
		if err != nil {
			assert.Nil(t, s)
			return
		}
		m := Measure(s)
		assert.GreaterOrEqual(t, m.VolumeMM3, 0.0)
		again, err := ReadSTL(WriteSTL(s), Limits{})
		require.NoError(t, err)
		assert.Equal(t, m.Triangles, again.Len())
	})
}

func bunny(t testing.TB) *Soup {
	t.Helper()
	data, err := os.ReadFile("testdata/bunny.stl")
	require.NoError(t, err)
	s, err := Read(data, Limits{})
	require.NoError(t, err)
	return s
}
