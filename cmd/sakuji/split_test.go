package main

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

func TestSplitVerb(t *testing.T) {
	name := file(t, "block.stl", mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 30, Z: 40})))
	prefix := filepath.Join(t.TempDir(), "half")
	text, errs, code := sakuji(t, "", "split", "--json", "--plane", "0,0,1,17.5", "--pegs", "2", "--peg-mm", "4", "--clearance-mm", "0.2", "-o", prefix, name)
	require.Equal(t, 0, code, errs)
	var got struct {
		SectionMM2 float64     `json:"section_mm2"`
		Parts      []splitPart `json:"parts"`
	}
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.InDelta(t, 1800, got.SectionMM2, 1e-3)
	require.Len(t, got.Parts, 4, "two halves and two dowels")
	for i, p := range got.Parts {
		assert.Equal(t, fmt.Sprintf("%s-%d.stl", prefix, i+1), p.File)
		assert.True(t, p.Watertight)
		text, _, _ := sakuji(t, "", "measure", "--json", p.File)
		assert.Contains(t, text, `"watertight":true`)
	}
	assert.Greater(t, got.Parts[0].VolumeMM3, got.Parts[1].VolumeMM3, "the half that the normal points into first")

	text, _, code = sakuji(t, "", "split", "--json", "--plane", "1,0,0,12", "-o", prefix, name)
	require.Equal(t, 0, code)
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.InDelta(t, 60*30*40, got.Parts[0].VolumeMM3+got.Parts[1].VolumeMM3, 0.1)
	_, errs, code = sakuji(t, "", "split", "--plane", "0,0,1,99", "-o", prefix, name)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "the plane misses the part")
	_, errs, code = sakuji(t, "", "split", "--plane", "0,0,1,20", "--pegs", "3", "--peg-mm", "40", "-o", prefix, name)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "no room")
	for _, bad := range []string{"", "1,2,3", "0,0,0,1", "0,0,NaN,1", "a,b,c,d"} {
		_, _, code = sakuji(t, "", "split", "--plane", bad, "-o", prefix, name)
		assert.Equal(t, 2, code, bad)
	}
	_, _, code = sakuji(t, "", "split", "--plane", "0,0,1,20", name)
	assert.Equal(t, 2, code)
}
