package mesh

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func zipOf(t testing.TB, files ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i+1 < len(files); i += 2 {
		w, err := z.Create(files[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(files[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func gzipOf(t testing.TB, data []byte) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := z.Write(data)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Bytes()
}

const cubeOBJ = `# a cube of 10, its faces whole
mtllib none.mtl
o cube
v 0 0 0
v 10 0 0
v 10 10 0 0.5
v 0 10 0
v 0 0 10
v 10 0 10
v 10 10 10 1 0 0
v 0 10 10
vt 0 0
vn 0 0 1
g bottom
f 1 4 3 2
f 5/1/1 6/1 7//1 8
usemtl grey
f -8 -7 \
  -3 -4
f 2 3 7 6
f 3 4 8 7
f 4 1 5 8
`

func TestOBJ(t *testing.T) {
	s, err := Read([]byte(cubeOBJ), Limits{})
	require.NoError(t, err)
	assert.Equal(t, "obj", s.Format)
	m := Measure(s)
	assert.InEpsilon(t, 1000, m.VolumeMM3, 1e-9)
	assert.InEpsilon(t, 600, m.AreaMM2, 1e-9)
	assert.True(t, m.Watertight)
	assert.Equal(t, 12, m.Triangles)
}

// A polygon with a bay is cut where it is, not fanned across the bay: an L of 3 × 3
// with one square missing has area 5.
func TestOBJPolygonsWithBays(t *testing.T) {
	for name, face := range map[string]string{"from a corner": "f 1 2 3 4 5 6", "from the bay": "f 4 5 6 1 2 3", "the other way": "f 6 5 4 3 2 1"} {
		s, err := Read([]byte("v 0 0 0\nv 3 0 0\nv 3 1 0\nv 1 1 0\nv 1 3 0\nv 0 3 0\n"+face+"\n"), Limits{})
		require.NoError(t, err)
		assert.InEpsilon(t, 5, s.Bulk().AreaMM2, 1e-6, name)
		assert.Equal(t, 4, s.Len(), name)
	}
}

const cubeModel = `<?xml version="1.0" encoding="UTF-8"?>
<model unit="%s" xml:lang="en" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">
<metadata name="Title">cube</metadata>
<resources>
 <object id="1" type="model"><mesh><vertices>
  <vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="1" y="1" z="0"/><vertex x="0" y="1" z="0"/>
  <vertex x="0" y="0" z="1"/><vertex x="1" y="0" z="1"/><vertex x="1" y="1" z="1"/><vertex x="0" y="1" z="1"/></vertices><triangles>
  <triangle v1="0" v2="3" v3="2"/><triangle v1="0" v2="2" v3="1"/><triangle v1="4" v2="5" v3="6"/><triangle v1="4" v2="6" v3="7"/>
  <triangle v1="0" v2="1" v3="5"/><triangle v1="0" v2="5" v3="4"/><triangle v1="1" v2="2" v3="6"/><triangle v1="1" v2="6" v3="5"/>
  <triangle v1="2" v2="3" v3="7"/><triangle v1="2" v2="7" v3="6"/><triangle v1="3" v2="0" v3="4"/><triangle v1="3" v2="4" v3="7"/></triangles></mesh></object>
 <object id="2" type="model"><components><component objectid="1"/><component objectid="1" transform="-1 0 0 0 1 0 0 0 1 -5 0 0"/></components></object>
 %s
</resources>
<build>%s</build></model>`

func threeMFOf(t testing.TB, unit, more, build string) []byte {
	return zipOf(t, "[Content_Types].xml", "<Types/>",
		"_rels/.rels", `<Relationships><Relationship Target="/3D/cube.model" Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>`,
		"3D/other.model", "<model/>", "3D/cube.model", fmt.Sprintf(cubeModel, unit, more, build))
}

func TestThreeMF(t *testing.T) {
	for name, c := range map[string]struct {
		unit, build string
		volume      float64
		shells      int
		size        [3]float64
	}{
		"one in mm":            {"millimeter", `<item objectid="1"/>`, 1, 1, [3]float64{1, 1, 1}},
		"no unit is mm":        {"millimeter", `<item objectid="1"/>`, 1, 1, [3]float64{1, 1, 1}},
		"inches":               {"inch", `<item objectid="1"/>`, 25.4 * 25.4 * 25.4, 1, [3]float64{25.4, 25.4, 25.4}},
		"scaled and moved":     {"millimeter", `<item objectid="1" transform="2 0 0 0 3 0 0 0 4 10 20 30"/>`, 24, 1, [3]float64{2, 3, 4}},
		"turned about z":       {"millimeter", `<item objectid="1" transform="0 1 0 -1 0 0 0 0 5 0 0 0"/>`, 5, 1, [3]float64{1, 1, 5}},
		"components, mirrored": {"millimeter", `<item objectid="2"/>`, 2, 2, [3]float64{7, 1, 1}},
		"two on the build":     {"centimeter", `<item objectid="2"/><item objectid="1" transform="1 0 0 0 1 0 0 0 1 0 0 9"/>`, 3000, 3, [3]float64{70, 10, 100}},
	} {
		s, err := Read(threeMFOf(t, c.unit, "", c.build), Limits{})
		require.NoError(t, err, name)
		m := Measure(s)
		assert.Equal(t, "3mf", m.Format)
		assert.InEpsilon(t, c.volume, m.VolumeMM3, 1e-5, name)
		assert.Equal(t, c.shells, m.Shells, name)
		assert.Zero(t, m.InvertedShells, name)
		for k := range 3 {
			assert.InDelta(t, c.size[k], m.SizeMM[k], 1e-4, name)
		}
	}
}

// The bunny is the bunny, however it is wrapped.
func TestWrappings(t *testing.T) {
	bunny, err := os.ReadFile("testdata/bunny.stl")
	require.NoError(t, err)
	for name, data := range map[string][]byte{
		"gzip": gzipOf(t, bunny), "zip": zipOf(t, "__MACOSX/._bunny.stl", "x", "model/bunny.STL", string(bunny), "read me.txt", "hello"),
		"gzip in a zip": zipOf(t, "bunny.stl.gz", string(gzipOf(t, bunny))),
	} {
		s, err := Read(data, Limits{})
		require.NoError(t, err, name)
		assert.InEpsilon(t, 194.288620, Measure(s).VolumeMM3, 1e-5, name)
	}
	s, err := Read(zipOf(t, "kit/cube.3mf", string(threeMFOf(t, "meter", "", `<item objectid="1"/>`))), Limits{})
	require.NoError(t, err)
	assert.InEpsilon(t, 1e9, Measure(s).VolumeMM3, 1e-6)
}

func TestReadersRefuse(t *testing.T) {
	bomb := gzipOf(t, bytes.Repeat([]byte{0}, 5<<20))
	deep := gzipOf(t, gzipOf(t, gzipOf(t, []byte(cubeOBJ))))
	item := `<item objectid="1"/>`
	for name, c := range map[string]struct {
		data []byte
		err  error
		says string
	}{
		"a zip bomb":             {bomb, ErrTooLarge, "unpacked"},
		"packed again and again": {deep, ErrSyntax, "again and again"},
		"half a gzip":            {gzipOf(t, []byte(cubeOBJ))[:60], ErrCut, ""},
		"half a zip":             {zipOf(t, "a.stl", "x")[:40], ErrCut, "zip"},
		"two models":             {zipOf(t, "a.stl", "x", "b.obj", "y"), ErrSyntax, "2 model files"},
		"no model":               {zipOf(t, "a.txt", "x"), ErrSyntax, "0 model files"},
		"obj: no faces":          {[]byte("v 0 0 0\n"), ErrEmpty, ""},
		"obj: vertex not there":  {[]byte("v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 4\n"), ErrSyntax, "line 4"},
		"obj: vertex 0":          {[]byte("v 0 0 0\nv 1 0 0\nv 1 1 0\nf 0 1 2\n"), ErrSyntax, "vertex 0, there are 3"},
		"obj: too far back":      {[]byte("v 0 0 0\nv 1 0 0\nv 1 1 0\nf -1 -2 -4\n"), ErrSyntax, "vertex -4"},
		"obj: a word":            {[]byte("v 0 0 zero\n"), ErrSyntax, "line 1"},
		"obj: nan":               {[]byte("# x\nv 0 0 nan\n"), ErrNotFinite, "line 2"},
		"obj: short":             {[]byte("v 0 0\n"), ErrCut, "line 1"},
		"obj: a line as a face":  {[]byte("v 0 0 0\nv 1 0 0\nf 1 2\n"), ErrSyntax, "2 corners"},
		"3mf: unit":              {threeMFOf(t, "furlong", "", item), ErrSyntax, "furlong"},
		"3mf: empty build":       {threeMFOf(t, "inch", "", ""), ErrEmpty, "build"},
		"3mf: missing object":    {threeMFOf(t, "inch", "", `<item objectid="9"/>`), ErrSyntax, `"9" is not there`},
		"3mf: holds itself":      {threeMFOf(t, "inch", `<object id="3"><components><component objectid="4"/></components></object><object id="4"><components><component objectid="3"/></components></object>`, `<item objectid="3"/>`), ErrSyntax, "holds itself"},
		"3mf: stands twice":      {threeMFOf(t, "inch", `<object id="1"/>`, item), ErrSyntax, "stands twice"},
		"3mf: short transform":   {threeMFOf(t, "inch", "", `<item objectid="1" transform="1 0 0"/>`), ErrSyntax, "transform"},
		"3mf: infinite":          {threeMFOf(t, "inch", "", `<item objectid="1" transform="inf 0 0 0 1 0 0 0 1 0 0 0"/>`), ErrNotFinite, ""},
		"3mf: entity":            {zipOf(t, "3D/a.model", `<?xml version="1.0"?><!DOCTYPE m [<!ENTITY a "aaaa">]><model>&a;</model>`), ErrSyntax, "document type"},
		"3mf: not xml":           {zipOf(t, "3D/a.model", "<model><"), ErrSyntax, ""},
		"3mf: wild triangle":     {zipOf(t, "3D/a.model", `<model><object id="1"><triangle v1="0" v2="1" v3="2"/></object></model>`), ErrSyntax, "triangle"},
		"3mf: lost vertex":       {zipOf(t, "3D/a.model", `<model><vertex x="0" y="0" z="0"/></model>`), ErrSyntax, "outside an object"},
	} {
		s, err := Read(c.data, Limits{MaxBytes: 4 << 20})
		require.ErrorIs(t, err, c.err, name)
		assert.Contains(t, err.Error(), c.says, name)
		assert.Nil(t, s, name)
	}
	_, err := Read([]byte(cubeOBJ), Limits{MaxTriangles: 11})
	require.ErrorIs(t, err, ErrTooLarge)
	doubling := "" // each object holds the one before it twice: a million million cubes
	for i := 10; i < 50; i++ {
		below := i - 1
		if i == 10 {
			below = 1
		}
		doubling += fmt.Sprintf(`<object id="%d"><components><component objectid="%d"/><component objectid="%d"/></components></object>`, i, below, below)
	}
	_, err = Read(threeMFOf(t, "inch", doubling, `<item objectid="49"/>`), Limits{})
	require.ErrorIs(t, err, ErrTooLarge)
	assert.Contains(t, err.Error(), "at most")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(cubeOBJ))
	f.Add([]byte("v 0 0 0\nv 3 0 0\nv 3 1 0\nv 1 1 0\nv 1 3 0\nf 1 2 3 4 5\n"))
	f.Add(threeMFOf(f, "inch", "", `<item objectid="2" transform="1 0 0 0 1 0 0 0 1 0 0 0"/>`))
	f.Add(gzipOf(f, []byte(cubeOBJ)))
	f.Add(zipOf(f, "a.obj", cubeOBJ))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := Read(data, Limits{MaxTriangles: 10_000, MaxBytes: 1 << 20})
		if err != nil {
			assert.Nil(t, s)
			return
		}
		assert.GreaterOrEqual(t, Measure(s).VolumeMM3, 0.0)
	})
}

func FuzzThreeMFModel(f *testing.F) {
	f.Add(fmt.Sprintf(cubeModel, "inch", "", `<item objectid="2"/>`))
	f.Add(strings.Repeat(`<object id="1"><components><component objectid="1"/>`, 3))
	f.Fuzz(func(t *testing.T, model string) {
		s, err := Read(zipOf(t, "3D/3dmodel.model", model), Limits{MaxTriangles: 10_000, MaxBytes: 1 << 20})
		if err != nil {
			assert.Nil(t, s)
		}
	})
}

func FuzzOBJ(f *testing.F) {
	f.Add(cubeOBJ)
	f.Add(twoCubes)
	f.Add("o a\ng b c\nv 0 0 0\nv 1 0 0\nv 1 1 0 #\nf -1 -2 \\\n -3\ng\nf 1/1 2//2 3/3/3\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := readOBJ([]byte(text), Limits{MaxTriangles: 10_000, MaxBytes: 1 << 20})
		if err != nil {
			assert.Nil(t, s)
			return
		}
		for k, g := range s.Groups {
			if g.From >= g.To || k > 0 && g.From != s.Groups[k-1].To || g.To > s.Len() {
				t.Fatalf("%+v of %d", s.Groups, s.Len())
			}
		}
	})
}

// A large binary STL is measured without being held: the figures and the faults are
// those of reading it whole.
func TestMeasureFromIsMeasure(t *testing.T) {
	mm := func(string) float64 { return 1 }
	data := WriteSTL(together(torus(40, 15, 200, 80), cube(5, Vec{70, 0, 0}), SoupOf("stl", make([]float32, 9))))
	require.Greater(t, len(data), 1<<20)
	whole, err := Read(data, Limits{})
	require.NoError(t, err)
	got, err := MeasureFrom(bytes.NewReader(data), int64(len(data)), Limits{}, mm)
	require.NoError(t, err)
	assert.Equal(t, Measure(whole), got)
	from, err := ReadFrom(bytes.NewReader(data), int64(len(data)), Limits{})
	require.NoError(t, err)
	assert.Equal(t, whole.Box, from.Box)
	inches, err := MeasureFrom(bytes.NewReader(data), int64(len(data)), Limits{}, func(string) float64 { return 25.4 })
	require.NoError(t, err)
	assert.InEpsilon(t, got.VolumeMM3*25.4*25.4*25.4, inches.VolumeMM3, 1e-4)

	_, err = MeasureFrom(bytes.NewReader(data), int64(len(data)), Limits{MaxTriangles: 100}, mm)
	assert.ErrorIs(t, err, ErrTooLarge)
	_, err = MeasureFrom(bytes.NewReader(data), int64(len(data)), Limits{MaxBytes: 100}, mm)
	assert.ErrorIs(t, err, ErrTooLarge)
	_, err = MeasureFrom(bytes.NewReader(data[:len(data)-30]), int64(len(data)-30), Limits{}, mm)
	assert.ErrorIs(t, err, ErrCut)
	bad := bytes.Clone(data)
	copy(bad[stlHeader+20_000*stlRecord+12:], []byte{0, 0, 0x80, 0x7f}) // +Inf
	_, err = MeasureFrom(bytes.NewReader(bad), int64(len(bad)), Limits{}, mm)
	require.ErrorIs(t, err, ErrNotFinite)
	assert.Contains(t, err.Error(), "triangle 20001")
	// A file that shrinks while it is read is an error, not a guess.
	short := shrinking{bytes.NewReader(data), new(int)}
	_, err = MeasureFrom(short, int64(len(data)), Limits{}, mm)
	assert.Error(t, err)
}

// shrinking loses its end after it was read once.
type shrinking struct {
	*bytes.Reader
	reads *int
}

func (s shrinking) ReadAt(p []byte, at int64) (int, error) {
	if *s.reads++; *s.reads > 6 && at > s.Size()/2 {
		return 0, io.ErrUnexpectedEOF
	}
	return s.Reader.ReadAt(p, at)
}
