package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

func TestHollowVerb(t *testing.T) {
	name := file(t, "block.stl", mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 40, Y: 30, Z: 20})))
	out := filepath.Join(t.TempDir(), "hollow.3mf")
	type said struct {
		VolumeMM3 float64 `json:"volume_mm3"`
		SolidMM3  float64 `json:"solid_mm3"`
		Cavities  []struct {
			VolumeMM3 float64    `json:"volume_mm3"`
			Lowest    [3]float64 `json:"lowest"`
			Highest   [3]float64 `json:"highest"`
			Vented    bool       `json:"vented"`
		} `json:"cavities"`
		Holes []struct {
			At         [3]float64 `json:"at"`
			DiameterMM float64    `json:"diameter_mm"`
		} `json:"holes"`
		ErrorMM  float64  `json:"error_mm"`
		Warnings []string `json:"warnings"`
	}
	var sealed, open said
	text, errs, code := sakuji(t, "", "hollow", "--json", "--wall-mm", "2", "-o", out, name)
	require.Equal(t, 0, code, errs)
	require.NoError(t, json.Unmarshal([]byte(text), &sealed))
	assert.InDelta(t, 40*30*20, sealed.SolidMM3, 0.1)
	require.Len(t, sealed.Cavities, 1)
	assert.InEpsilon(t, 36*26*16, sealed.Cavities[0].VolumeMM3, 0.005)
	assert.InDelta(t, 2, sealed.Cavities[0].Lowest[2], 0.05)
	assert.InDelta(t, 18, sealed.Cavities[0].Highest[2], 0.05)
	assert.False(t, sealed.Cavities[0].Vented)
	assert.NotNil(t, sealed.Holes)
	assert.Empty(t, sealed.Holes)
	require.Len(t, sealed.Warnings, 1)
	assert.Contains(t, sealed.Warnings[0], "no way out")

	text, errs, code = sakuji(t, "", "hollow", "--json", "--wall-mm", "2", "--holes", "2", "--hole-mm", "3", "-o", out, name)
	require.Equal(t, 0, code, errs)
	require.NoError(t, json.Unmarshal([]byte(text), &open))
	require.Len(t, open.Holes, 2)
	assert.True(t, open.Cavities[0].Vented)
	assert.Empty(t, open.Warnings)
	assert.Equal(t, 3.0, open.Holes[0].DiameterMM)
	assert.Less(t, open.VolumeMM3, sealed.VolumeMM3)
	text, _, _ = sakuji(t, "", "measure", "--json", out)
	var m mesh.Measures
	require.NoError(t, json.Unmarshal([]byte(text), &m))
	assert.True(t, m.Watertight)
	assert.Equal(t, 1, m.Shells)
	assert.InDelta(t, open.VolumeMM3, m.VolumeMM3, 0.5)

	for _, args := range [][]string{{"--wall-mm", "0"}, {"--wall-mm", "NaN"}, {"--wall-mm", "2", "--holes", "-1"}, {"--wall-mm", "2", "--holes", "2", "--hole-mm", "0"}} {
		_, _, code = sakuji(t, "", append([]string{"hollow", "-o", out, name}, args...)...)
		assert.Equal(t, 2, code, args)
	}
	_, _, code = sakuji(t, "", "hollow", "--wall-mm", "2", "-o", "x.txt", name)
	assert.Equal(t, 2, code)
	_, errs, code = sakuji(t, "", "hollow", "--wall-mm", "15", "-o", filepath.Join(t.TempDir(), "no.stl"), name)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "no place in it is thick enough")
	_, err := os.Stat("no.stl")
	assert.Error(t, err, "nothing is written")
}
