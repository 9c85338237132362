package mesh

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// facts are what three and manifold-3d say of a mesh; testdata/reference/reference.mjs
// works them out.
type facts struct {
	Triangles int        `json:"triangles"`
	AreaMM2   float64    `json:"area_mm2"`
	SizeMM    [3]float64 `json:"size_mm"`
	HullMM3   float64    `json:"hull_mm3"`
	HullMM2   float64    `json:"hull_mm2"`
	VolumeMM3 float64    `json:"volume_mm3"`
	Genus     int        `json:"genus"`
}

func reference(t *testing.T, name string) []byte {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata/reference", name))
	require.NoError(t, err)
	return data
}

func TestAgainstThreeAndManifold(t *testing.T) {
	var want struct {
		Bunny, Teapot facts
		Unions        []struct {
			Shift     [3]float64 `json:"shift"`
			VolumeMM3 float64    `json:"volume_mm3"`
		}
	}
	require.NoError(t, json.Unmarshal(reference(t, "reference.json"), &want))
	teapot, err := Read(reference(t, "teapot.obj.gz"), Limits{})
	require.NoError(t, err)
	body := bunny(t)
	for name, c := range map[string]struct {
		soup *Soup
		want facts
	}{"bunny": {body, want.Bunny}, "teapot": {teapot, want.Teapot}} {
		m := Measure(c.soup)
		assert.Equal(t, c.want.Triangles, m.Triangles, name)
		assert.InEpsilon(t, c.want.AreaMM2, m.AreaMM2, 1e-5, name)
		for k := range 3 {
			assert.InDelta(t, c.want.SizeMM[k], m.SizeMM[k], 1e-5, name)
		}
		hull := c.soup.Weld().Hull().Measure()
		assert.True(t, hull.Watertight, name)
		assert.InEpsilon(t, c.want.HullMM3, hull.VolumeMM3, 1e-5, "%s: hull", name)
		assert.InEpsilon(t, c.want.HullMM2, hull.AreaMM2, 1e-5, "%s: hull", name)
	}
	m := Measure(body)
	assert.InEpsilon(t, want.Bunny.VolumeMM3, m.VolumeMM3, 1e-5)
	assert.Equal(t, 2-2*want.Bunny.Genus, m.Vertices-3*m.Triangles/2+m.Triangles, "Euler")
	for _, u := range want.Unions {
		shift := Vec{u.Shift[0], u.Shift[1], u.Shift[2]}
		var moved []float32
		for i := range body.Len() {
			a, b, c := body.Triangle(i)
			for _, v := range []Vec{a.Add(shift), b.Add(shift), c.Add(shift)} {
				moved = append(moved, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
		o := Solid(together(body, SoupOf("stl", moved)))
		assert.InDelta(t, u.VolumeMM3, o.SolidMM3, o.ErrorMM3+0.0005*u.VolumeMM3, "two bunnies %v apart", u.Shift)
		assert.Less(t, o.ErrorMM3, 0.003*u.VolumeMM3)
		assert.Equal(t, 1, o.Pairs)
	}
}

// onBuild is what three's loader finds of one mesh.
type onBuild struct {
	Name      string     `json:"name"`
	Triangles int        `json:"triangles"`
	Min       [3]float64 `json:"min"`
	Max       [3]float64 `json:"max"`
	Volume    float64    `json:"volume"`
}

// inThree reads a 3MF with three's loader, where node and three are at hand.
func inThree(t *testing.T, name string) (found []onBuild) {
	t.Helper()
	if _, err := exec.LookPath("node"); err != nil {
		t.Skip("node is not here")
	}
	if _, err := os.Stat("../../node_modules/linkedom"); err != nil {
		t.Skip("node_modules is not here: npm ci brings it")
	}
	out, err := exec.Command("node", "testdata/reference/read3mf.mjs", name).Output()
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(out, &found))
	return found
}

func TestThreeMFReadByThree(t *testing.T) {
	ball, block := sphere(8, 16, Vec{}), cube(10, Vec{})
	kit := together(block, sphere(3, 8, Vec{30, 0, 0}))
	kit.Groups = []Group{{"box", 0, 12}, {"bead & string", 12, kit.Len()}}
	var b bytes.Buffer
	require.NoError(t, Write3MF(&b, []Object{
		{Name: `heron "post"`, Soup: ball, Places: []Place{{}, {90, Vec{40, 5, 1}}}},
		{Soup: kit},
	}))
	back, err := Read(b.Bytes(), Limits{})
	require.NoError(t, err)
	assert.Equal(t, 2*ball.Len()+kit.Len(), back.Len())
	require.Len(t, back.Groups, 4)
	assert.Equal(t, `heron "post"`, back.Groups[1].Name)
	assert.Equal(t, "bead & string", back.Groups[3].Name)
	name := filepath.Join(t.TempDir(), "kit.3mf")
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
	found := inThree(t, name)
	require.Len(t, found, 4)
	for k, g := range back.Groups {
		compare(t, back.Part(g.From, g.To), found[k], 1)
	}
	assert.Equal(t, `heron "post"`, found[0].Name)
}

// A package that this program did not write, in inches, with components.
func TestThreeMFReadAsThreeReadsIt(t *testing.T) {
	back, err := Read(reference(t, "knots.3mf"), Limits{})
	require.NoError(t, err)
	require.Len(t, back.Groups, 2)
	assert.Equal(t, "pair", back.Groups[0].Name)
	found := inThree(t, "testdata/reference/knots.3mf")
	require.Len(t, found, 3)
	parts := []*Soup{back.Part(0, 640), back.Part(640, 820), back.Part(820, 1000)}
	for k, p := range parts {
		compare(t, p, found[k], 25.4)
	}
}

func compare(t *testing.T, s *Soup, want onBuild, unit float64) {
	t.Helper()
	assert.Equal(t, want.Triangles, s.Len())
	for k, x := range [3]float64{s.Box.Min.X, s.Box.Min.Y, s.Box.Min.Z} {
		assert.InDelta(t, want.Min[k]*unit, x, 1e-4)
	}
	for k, x := range [3]float64{s.Box.Max.X, s.Box.Max.Y, s.Box.Max.Z} {
		assert.InDelta(t, want.Max[k]*unit, x, 1e-4)
	}
	assert.InEpsilon(t, want.Volume*unit*unit*unit, s.Bulk().VolumeMM3, 1e-4)
}
