package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// remadeJSON is what mend and reduce print.
type remadeJSON struct {
	Done        []mesh.Done   `json:"done"`
	Triangles   int           `json:"triangles"`
	DeviationMM *float64      `json:"deviation_mm"`
	B           mesh.Measures `json:"before"`
	A           mesh.Measures `json:"after"`
}

func TestMendVerb(t *testing.T) {
	ring := meshtest.Ring(20, 6, 40, 24)
	broken := file(t, "broken.stl", mesh.WriteSTL(meshtest.Together(ring.Part(8, ring.Len()), ring.Part(500, 510))))
	for _, name := range []string{"whole.stl", "whole.obj", "whole.3mf"} {
		out := filepath.Join(t.TempDir(), name)
		text, errs, code := sakuji(t, "", "mend", "--json", "-o", out, broken)
		require.Equal(t, 0, code, errs)
		var got remadeJSON
		require.NoError(t, json.Unmarshal([]byte(text), &got))
		assert.False(t, got.B.Watertight)
		assert.True(t, got.A.Watertight)
		assert.Contains(t, got.Done, mesh.Done{What: mesh.FilledHoles, Count: 1})
		assert.Contains(t, got.Done, mesh.Done{What: mesh.DroppedDoubles, Count: 10})
		text, _, _ = sakuji(t, "", "measure", "--json", out)
		assert.Contains(t, text, `"watertight":true`)
	}
	good := file(t, "good.stl", mesh.WriteSTL(ring))
	text, _, _ := sakuji(t, "", "mend", "--json", "-o", filepath.Join(t.TempDir(), "same.stl"), good)
	assert.True(t, strings.HasPrefix(text, `{"done":[],`), text)

	out := filepath.Join(t.TempDir(), "out.step")
	_, errs, code := sakuji(t, "", "mend", "-o", out, good)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "the ending says the format")
	_, errs, code = sakuji(t, "", "mend", "-o", filepath.Join(t.TempDir(), "x.stl"), "missing.stl")
	assert.Equal(t, 1, code)
	assert.Equal(t, "missing.stl: no such file or directory\n", errs)
	_, errs, code = sakuji(t, "", "mend", "-o", "/no/such/folder/x.stl", good)
	assert.Equal(t, 1, code)
	assert.NotEmpty(t, errs)
	_, _, code = sakuji(t, "", "mend", good)
	assert.Equal(t, 2, code, "where to write must be said")
}

func TestReduceVerb(t *testing.T) {
	ring := file(t, "ring.stl", mesh.WriteSTL(meshtest.Ring(20, 6, 200, 100)))
	out := filepath.Join(t.TempDir(), "small.3mf")
	text, errs, code := sakuji(t, "", "reduce", "--json", "--triangles", "4000", "-o", out, ring)
	require.Equal(t, 0, code, errs)
	var got remadeJSON
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.Equal(t, 4000, got.Triangles)
	assert.Equal(t, 40_000, got.B.Triangles)
	assert.Equal(t, 4000, got.A.Triangles)
	require.NotNil(t, got.DeviationMM)
	assert.Less(t, *got.DeviationMM, 0.1)

	text, _, code = sakuji(t, "", "reduce", "--json", "--deviation-mm", "0.02", "-o", out, ring)
	require.Equal(t, 0, code)
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.LessOrEqual(t, *got.DeviationMM, 0.02)
	assert.Less(t, got.Triangles, 20_000)
	for _, args := range [][]string{{}, {"--triangles", "10", "--deviation-mm", "1"}, {"--triangles", "3"}, {"--deviation-mm", "-1"}} {
		_, errs, code = sakuji(t, "", append([]string{"reduce", "-o", out, ring}, args...)...)
		assert.Equal(t, 2, code, "%v: %s", args, errs)
	}
}

func TestGCodeVerb(t *testing.T) {
	good := file(t, "a.gcode", []byte("M83\nG1 X100 E5 F3000\n"))
	text, errs, code := sakuji(t, "", "gcode", "--json", good, file(t, "b.gcode", []byte("G1 X1 E1\nG1 X..\n")))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "b.gcode: line 2: not a number")
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.Equal(t, 1.0, got["layers"])
	assert.Equal(t, 100.0, got["path_mm"])
	assert.Equal(t, 5.0, got["filament_mm"])
	assert.InDelta(t, 2.05/60, got["minutes"], 1e-9)
	assert.InDelta(t, 0.014913, got["filament_g"], 1e-6)
	text, _, _ = sakuji(t, "", "gcode", good)
	assert.Contains(t, text, "1 layers, 0.1 m printed")
	_, _, code = sakuji(t, "", "gcode", "--density", "0", good)
	assert.Equal(t, 2, code)
}

func TestMeasureGuessesAUnitAndListsFaults(t *testing.T) {
	tiny := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 0.04, Y: 0.05, Z: 0.08}), meshtest.Box(mesh.Vec{X: 0.02}, mesh.Vec{X: 0.04, Y: 0.05, Z: 0.08}))
	name := file(t, "tiny.stl", mesh.WriteSTL(tiny))
	text, _, code := sakuji(t, "", "measure", "--json", "--solid", "--faults", name)
	require.Equal(t, 0, code)
	var got struct {
		SizeMM    [3]float64      `json:"size_mm"`
		UnitGuess *mesh.UnitGuess `json:"unit_guess"`
		Faults    []mesh.Fault    `json:"faults"`
		SolidMM3  *float64        `json:"solid_mm3"`
		VolumeMM3 float64         `json:"volume_mm3"`
	}
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.InDelta(t, 0.08, got.SizeMM[2], 1e-6, "nothing is scaled by a guess")
	require.NotNil(t, got.UnitGuess)
	assert.Equal(t, "m", got.UnitGuess.Unit)
	assert.Equal(t, []string{"in"}, got.UnitGuess.Or)
	require.NotNil(t, got.SolidMM3)
	assert.InEpsilon(t, got.VolumeMM3*0.75, *got.SolidMM3, 0.002, "two that share a half of each")
	require.Len(t, got.Faults, 1)
	assert.Equal(t, mesh.FaultOverlap, got.Faults[0].Kind)
	text, _, _ = sakuji(t, "", "measure", name)
	assert.Contains(t, text, "probably drawn in m")
	text, _, _ = sakuji(t, "", "measure", "--json", "--unit", "m", name)
	assert.NotContains(t, text, "unit_guess")
	assert.NotContains(t, text, "faults")
	_, err := os.Stat(name)
	require.NoError(t, err)
}
