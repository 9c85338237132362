package mesh

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tetra is the text of a small OBJ, its corners times a size and moved.
func tetra(size, far float64) []byte {
	var b bytes.Buffer
	for _, v := range [4]Vec{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}} {
		fmt.Fprintf(&b, "v %g %g %g\n", v.X*size+far, v.Y*size, v.Z*size)
	}
	b.WriteString("f 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n")
	return b.Bytes()
}

// Numbers beyond sense are refused in one place; whatever could be a print is taken.
func TestOnlyThingsAreRead(t *testing.T) {
	for _, size := range []float64{1e-3, 0.066, 40, 500_000, 9e5} {
		_, err := Read(tetra(size, 0), Limits{})
		assert.NoError(t, err, "%g", size)
	}
	for _, wrong := range [][2]float64{{9e12, 0}, {1e37, 0}, {3e38, 0}, {1e-30, 0}, {1e-4, 0}, {0, 0}, {40, 1e9}, {40, -1e30}} {
		_, err := Read(tetra(wrong[0], wrong[1]), Limits{})
		assert.ErrorIs(t, err, ErrNoThing, "%v", wrong)
	}
	transformed := func(by string) []byte {
		return zipOf(t, "3D/3dmodel.model", `<model unit="millimeter"><resources><object id="1"><mesh><vertices>
			<vertex x="0" y="0" z="0"/><vertex x="9" y="0" z="0"/><vertex x="0" y="9" z="0"/><vertex x="0" y="0" z="9"/></vertices><triangles>
			<triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0" v3="3"/></triangles></mesh></object>
			<object id="2"><components><component objectid="1" transform="`+by+`"/></components></object>
			<object id="3"><components><component objectid="2" transform="`+by+`"/></components></object></resources><build><item objectid="3" transform="`+by+`"/></build></model>`)
	}
	_, err := Read(transformed("1 0 0 0 1 0 0 0 1 3 3 3"), Limits{})
	require.NoError(t, err)
	for _, by := range []string{"1e12 1e12 0 -1e12 1e12 0 0 0 1e12 0 0 0", "1e11 -1e11 1e11 1e11 1e11 -1e11 -1e11 1e11 1e11 1e12 1e12 -1e12"} {
		_, err = Read(transformed(by), Limits{})
		assert.Error(t, err, "what a transform carries away has no place")
	}
	nowhere := SoupOf("stl", []float32{0, 0, 0, 1, 0, 0, float32(math.NaN()), 1, 0})
	nowhere.Box.Max.X = math.NaN()
	assert.ErrorIs(t, nowhere.CheckSize(), ErrNoThing)
}

// What was quadratic and worse: statements over many lines, polygons of many corners.
func TestOBJThatIsMeantToTakeLong(t *testing.T) {
	var lines bytes.Buffer
	lines.Write(tetra(9, 0))
	for range 40 {
		lines.WriteString("f" + strings.Repeat(" \\\n", 20_000) + " 1 2 3\n")
	}
	_, err := Read(lines.Bytes(), Limits{})
	require.NoError(t, err)

	// A comb whose only ears lie at its end, so that each is looked for all along it.
	var comb bytes.Buffer
	const corners = 1999
	for k := range corners {
		a := 2 * math.Pi * float64(k) / corners
		r := 10 + 9*float64(k%2)
		fmt.Fprintf(&comb, "v %g %g 0\n", r*math.Cos(a), r*math.Sin(a))
	}
	for range 300 {
		comb.WriteString("f")
		for k := range corners {
			fmt.Fprintf(&comb, " %d", k+1)
		}
		comb.WriteByte('\n')
	}
	_, err = Read(comb.Bytes(), Limits{})
	assert.ErrorIs(t, err, ErrTooLarge)
	assert.ErrorContains(t, err, "do that where the file was made")
}

// The box tree finds what going through all of them finds.
func TestBoxTree(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	at := func(by float64) Vec { return Vec{by * rnd.Float64(), by * rnd.Float64(), by * rnd.Float64()} }
	for _, n := range []int{0, 1, 5, 400} {
		boxes := make([]Box, n)
		for i := range boxes {
			low := at(100)
			boxes[i] = Box{low, low.Add(at(float64(i%3) * 9))}
		}
		tree := newBoxTree(n, func(i int) Box { return boxes[i] })
		for range 200 {
			p, q := at(110), at(110)
			if rnd.IntN(3) == 0 {
				q.X = p.X // along a plane of the axes
			}
			found, near := map[int32]bool{}, map[int32]bool{}
			tree.each(over(p), func(i int32) { found[i] = true })
			tree.each(nearLine(p, q, 2), func(i int32) { near[i] = true })
			for i, b := range boxes {
				if b.Holds(p) {
					assert.True(t, found[int32(i)])
				}
				for k := range 9 { // a point of the line within reach of the box
					on := p.Add(q.Sub(p).Mul(float64(k) / 8))
					if (Box{b.Min.Sub(Vec{2, 2, 2}), b.Max.Add(Vec{2, 2, 2})}).Holds(on) {
						assert.True(t, near[int32(i)])
					}
				}
			}
			assert.LessOrEqual(t, len(found), n)
		}
	}
}
