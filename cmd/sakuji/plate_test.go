package main

import (
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/plate"
	"sakuji/core/solid"
)

// ellOutline is the exact shadow of the L that aPlateJob writes.
func ellOutline(side, arm float64) solid.Outline {
	return solid.Outline{{{X: 0, Y: 0}, {X: side, Y: 0}, {X: side, Y: arm}, {X: arm, Y: arm}, {X: arm, Y: side}, {X: 0, Y: side}}}
}

// aPlateJob lays a job and its models in a folder: an L of 60 mm with arms of 15, off its origin,
// and a block of 42.9 × 20.8 mm.
func aPlateJob(t *testing.T, text string) string {
	t.Helper()
	dir := t.TempDir()
	write := func(name string, s *mesh.Soup) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), mesh.WriteSTL(s), 0o600))
	}
	write("ell.stl", meshtest.Together(meshtest.Box(mesh.Vec{X: 40, Y: -70, Z: 5}, mesh.Vec{X: 60, Y: 15, Z: 30}), meshtest.Box(mesh.Vec{X: 40, Y: -70, Z: 5}, mesh.Vec{X: 15, Y: 60, Z: 30})))
	write("figure.stl", meshtest.Box(mesh.Vec{}, mesh.Vec{X: 42.9, Y: 20.8, Z: 50}))
	name := filepath.Join(dir, "job.json")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
	return name
}

func laidBy(t *testing.T, job string, args ...string) (a plateAnswer) {
	t.Helper()
	text, errs, code := sakuji(t, "", append(append([]string{"plate", "--json"}, args...), job)...)
	require.Equal(t, 0, code, errs)
	require.NoError(t, json.Unmarshal([]byte(text), &a))
	return a
}

const smallBed = `"bed":{"width_mm":143,"depth_mm":89,"height_mm":165,"margin_mm":4},"spacing_mm":3,"process":"resin"`

// Twenty-four figures of 42.9 × 20.8 mm lie nine to a plate, as by hand; one more than fits in
// height is told.
func TestPlateFiguresByHand(t *testing.T) {
	a := laidBy(t, aPlateJob(t, `{`+smallBed+`,"rotate_step_deg":90,"seed":1,"seconds":0.1,"parts":[{"id":"figure","file":"figure.stl","copies":24}],"pallet":3}`))
	require.Len(t, a.Plates, 3)
	assert.Empty(t, a.Unplaced)
	assert.Len(t, a.Plates[0].Placed, 9)
	assert.InDelta(t, 50, a.Plates[0].HeightMM, 1e-6)
	assert.InDelta(t, 9*42.9*20.8/143/89, a.Plates[0].Fill, 1e-3)
	assert.Equal(t, []string{"pallet"}, a.Ignored)
	low := laidBy(t, aPlateJob(t, `{"bed":{"width_mm":143,"depth_mm":89,"height_mm":40,"margin_mm":4},"spacing_mm":3,"process":"filament","seconds":0,"parts":[{"file":"figure.stl","copies":2},{"id":"L","file":"ell.stl"}]}`))
	require.Len(t, low.Plates, 1)
	require.Len(t, low.Unplaced, 2)
	assert.Equal(t, unplacedPart{"parts[0]", 2, "50 mm tall with its stand, the machine builds 40 mm"}, low.Unplaced[1])
}

// What is written is what was said: read again, every part of a 3MF stands in its box within the bed,
// on the bed, and by exact outlines none comes nearer than the spacing.
func TestPlateFilesHoldWhatWasLaid(t *testing.T) {
	out := t.TempDir()
	job := aPlateJob(t, `{`+smallBed+`,"rotate_step_deg":15,"seed":3,"seconds":0.3,"parts":[{"id":"L & co","file":"ell.stl","copies":7},{"id":"figure","file":"figure.stl","copies":4}]}`)
	a := laidBy(t, job, "--3mf", out, "--svg", out)
	bed := plate.Bed{WidthMM: 143, DepthMM: 89, HeightMM: 165, MarginMM: 4}
	outlines := map[string]solid.Outline{"L & co": ellOutline(60, 15), "figure": {{{X: 0, Y: 0}, {X: 42.9, Y: 0}, {X: 42.9, Y: 20.8}, {X: 0, Y: 20.8}}}}
	count := 0
	for i, p := range a.Plates {
		var laid []plate.Laid
		var boxes []mesh.Box
		for _, at := range p.Placed {
			l := plate.Laid{Part: plate.Part{ID: fmt.Sprint(at.ID, at.Copy), Outline: outlines[at.ID], HeightMM: 10}, Placed: plate.Placed{XMM: at.XMM, YMM: at.YMM, AngleDeg: at.AngleDeg}}
			laid = append(laid, l)
			low, high := l.On().Size()
			boxes = append(boxes, mesh.Box{Min: mesh.Vec{X: low.X, Y: low.Y}, Max: mesh.Vec{X: high.X, Y: high.Y}})
		}
		count += len(laid)
		assert.Empty(t, plate.Check(bed, 3, laid))
		data, err := os.ReadFile(filepath.Join(out, fmt.Sprintf("plate-%d.3mf", i+1)))
		require.NoError(t, err)
		soup, err := mesh.Read(data, mesh.Limits{})
		require.NoError(t, err)
		groups := soup.Groups
		if len(laid) == 1 { // one thing in a file has no name of its own
			groups = []mesh.Group{{To: soup.Len()}}
		}
		require.Len(t, groups, len(laid))
		for _, g := range groups {
			b := soup.Part(g.From, g.To).Weld().Box
			assert.InDelta(t, 0, b.Min.Z, 1e-4)
			at := slices.IndexFunc(boxes, func(o mesh.Box) bool {
				return max(math.Abs(o.Min.X-b.Min.X), math.Abs(o.Min.Y-b.Min.Y), math.Abs(o.Max.X-b.Max.X), math.Abs(o.Max.Y-b.Max.Y)) < 1e-3
			})
			require.GreaterOrEqual(t, at, 0, "%v", b)
			boxes = slices.Delete(boxes, at, at+1)
		}
		f, err := os.Open(filepath.Join(out, fmt.Sprintf("plate-%d.svg", i+1)))
		require.NoError(t, err)
		paths := 0
		for d := xml.NewDecoder(f); ; {
			token, err := d.Token()
			if err == io.EOF {
				break
			}
			require.NoError(t, err)
			if e, ok := token.(xml.StartElement); ok && e.Name.Local == "path" {
				paths++
			}
		}
		require.NoError(t, f.Close())
		assert.Equal(t, len(laid), paths)
	}
	assert.Equal(t, 11, count)
}

func TestPlateRefusesWhatCannotBeMeant(t *testing.T) {
	for text, why := range map[string]string{
		`{`:                  "unexpected end",
		`{` + smallBed + `}`: "parts: there are none",
		`{"bed":{"width_mm":143,"depth_mm":89,"height_mm":165,"margin_mm":50},"process":"resin","parts":[{"file":"ell.stl"}]}`: "leaves nothing of it",
		`{"bed":{"width_mm":-1,"depth_mm":89,"height_mm":165}}`:                                                                "between 1 and 10,000 mm",
		`{` + smallBed + `,"rotate_step_deg":0.2,"parts":[{"file":"ell.stl"}]}`:                                                "rotate_step_deg",
		`{` + smallBed + `,"seconds":1e9,"parts":[{"file":"ell.stl"}]}`:                                                        "seconds",
		`{` + smallBed + `,"parts":[{"file":"ell.stl","copies":99999}]}`:                                                       "copies",
		`{` + smallBed + `,"parts":[{"file":"none.stl"}]}`:                                                                     "no such file",
		`{` + smallBed + `,"parts":[{"file":7}]}`:                                                                              "does not fit there",
		`{"bed":{"width_mm":143,"depth_mm":89,"height_mm":165},"process":"wax","parts":[{"file":"ell.stl"}]}`:                  "resin or filament",
	} {
		_, errs, code := sakuji(t, "", "plate", "--json", aPlateJob(t, text))
		assert.Equal(t, 1, code, text)
		assert.Contains(t, errs, why, text)
	}
}
