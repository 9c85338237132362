package main

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/solid"
)

func TestSliceVerb(t *testing.T) {
	legs := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 5, Y: 5, Z: 20}), meshtest.Box(mesh.Vec{X: 20, Z: 8}, mesh.Vec{X: 5, Y: 5, Z: 12}))
	name := file(t, "legs.stl", mesh.WriteSTL(legs))
	text, errs, code := sakuji(t, "", "slice", "--json", "--layer-mm", "1", name)
	require.Equal(t, 0, code, errs)
	var got struct {
		File    string          `json:"file"`
		Layers  []solid.Figures `json:"layers"`
		Largest float64         `json:"largest_area_mm2"`
	}
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.Equal(t, name, got.File)
	require.Len(t, got.Layers, 20)
	assert.InDelta(t, 0.5, got.Layers[0].ZMM, 1e-9)
	assert.Equal(t, []int{0, 1}, []int{got.Layers[7].Islands, got.Layers[8].Islands})
	assert.Equal(t, 2, got.Layers[8].Regions)
	assert.InDelta(t, 25, got.Layers[8].LargestRegionMM2, 1e-4)
	assert.InDelta(t, 50, got.Largest, 1e-4)
	_, errs, code = sakuji(t, "", "slice", "--layer-mm", "0.0000001", name)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "at most 200000 are cut")
	for _, bad := range []string{"0", "-1", "NaN", "thin"} {
		_, _, code = sakuji(t, "", "slice", "--layer-mm", bad, name)
		assert.Equal(t, 2, code, bad)
	}
}

func TestOrientVerb(t *testing.T) {
	// A tower on its side: filament lays it down, the matrix turns it there.
	name := file(t, "tower.stl", mesh.WriteSTL(meshtest.Turned([][2]float64{{0, 0}, {5, 0}, {5, 8}, {10, 8}, {10, 16}, {15, 16}, {15, 24}, {0, 24}}, 48)))
	for _, process := range []string{"resin", "filament"} {
		text, errs, code := sakuji(t, "", "orient", "--json", "--process", process, "--directions", "200", name)
		require.Equal(t, 0, code, errs)
		var got struct {
			Candidates []map[string]any `json:"candidates"`
		}
		require.NoError(t, json.Unmarshal([]byte(text), &got))
		require.Len(t, got.Candidates, 5)
		last := 2.0
		for _, c := range got.Candidates {
			for _, field := range []string{"height_mm", "support_mm3", "contact_mm2", "largest_layer_mm2", "minutes", "score"} {
				assert.Contains(t, c, field)
			}
			assert.Len(t, c["matrix"], 9)
			assert.LessOrEqual(t, c["score"].(float64), last, "best first")
			last = c["score"].(float64)
			assert.Positive(t, c["minutes"])
		}
		if process == "filament" {
			m := got.Candidates[0]["matrix"].([]any)
			assert.InDelta(t, -1, m[8].(float64), 0.01, "it stands on its broad end")
		}
	}
	_, _, code := sakuji(t, "", "orient", name)
	assert.Equal(t, 2, code)
	_, _, code = sakuji(t, "", "orient", "--process", "clay", name)
	assert.Equal(t, 2, code)
	_, errs, code := sakuji(t, "", "orient", "--process", "resin", "missing.stl")
	assert.Equal(t, 1, code)
	assert.Equal(t, "missing.stl: no such file or directory\n", errs)
}
