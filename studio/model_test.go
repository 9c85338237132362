package studio

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
)

func measured(s *mesh.Soup) Model {
	m := Model{Name: "thing.stl", How: Sent}
	m.Measures, m.Shape = MeasureModel(s)
	return m
}

func analysed(t *testing.T, s *mesh.Soup) *Analysis {
	t.Helper()
	var steps []float64
	analysis, view, err := AnalyseModel(s, nil, func(share float64, _ string) error {
		steps = append(steps, share)
		return nil
	})
	require.NoError(t, err)
	assert.IsIncreasing(t, steps, "progress goes forward")
	assert.Len(t, view.BodyOf, len(view.Mesh.Triangles))
	assert.Len(t, view.WallMM, len(view.Mesh.Vertices))
	return &analysis
}

func TestAdviceTellsTheWorstFirst(t *testing.T) {
	h := Shop{Book: rates.Starting()}
	ring := meshtest.Ring(20, 6, 40, 24)
	sound := measured(ring)
	assert.Empty(t, h.Advice(sound, analysed(t, ring)))
	kinds := func(m Model, s *Analysis) (out []string) {
		for _, a := range h.Advice(m, s) {
			out = append(out, a.Kind)
		}
		return out
	}
	torn := meshtest.Together(ring.Part(6, ring.Len()), meshtest.Box(mesh.Vec{X: 40}, mesh.Vec{X: 6, Y: 6, Z: 6}), meshtest.Box(mesh.Vec{X: 43, Y: 3, Z: 3}, mesh.Vec{X: 6, Y: 6, Z: 6}))
	assert.Equal(t, []string{mesh.FaultHole, mesh.FaultBodies, mesh.FaultOverlap}, kinds(measured(torn), analysed(t, torn)))
	assert.True(t, analysed(t, torn).Mendable())
	assert.False(t, analysed(t, ring).Mendable())

	tiny := ring.Scaled(0.002)
	assert.Equal(t, []string{"unit"}, kinds(measured(tiny), analysed(t, tiny)), "while the size is in doubt no wall is called thin")
	plate := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 40, Z: 0.6})
	advice := h.Advice(measured(plate), analysed(t, plate))
	require.Len(t, advice, 1)
	assert.Equal(t, "thin", advice[0].Kind)
	assert.Contains(t, advice[0].Text, "0.6 mm: filament wants 0.8 mm", "and resin is content")
	assert.False(t, advice[0].Grave)
	assert.InDelta(t, 0.6, advice[0].Spots[0].SizeMM, 1e-5)

	flat := measured(mesh.SoupOf("stl", []float32{0, 0, 0, 10, 0, 0, 10, 10, 0}))
	assert.Equal(t, "empty", h.Advice(flat, nil)[0].Kind)
	many := sound
	many.Measures.Triangles = ManyTriangles + 1
	assert.Equal(t, []string{"many"}, kinds(many, analysed(t, ring)))
}

func TestAnalysisStopsWhenItIsTold(t *testing.T) {
	stop := assert.AnError
	_, _, err := AnalyseModel(meshtest.Ring(20, 6, 20, 12), nil, func(share float64, _ string) error {
		if share > 0.3 {
			return stop
		}
		return nil
	})
	assert.ErrorIs(t, err, stop)
}

func TestALargeModelIsAnalysedOnAReducedMesh(t *testing.T) {
	large := meshtest.Ring(20, 6, 450, 250)
	s := analysed(t, large)
	assert.LessOrEqual(t, s.WallsOf, ViewTriangles)
	assert.Positive(t, s.WallsOf)
	assert.InDelta(t, 12, s.Walls.Share50MM, 0.1, "its walls are those of the tube")
	assert.InEpsilon(t, measured(large).Measures.VolumeMM3, s.Bodies[0].VolumeMM3, 1e-9, "its bodies are measured whole")
}

func TestLicencesOfADesign(t *testing.T) {
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	for licence, stops := range map[string]bool{LicenceUnknown: false, LicenceOwn: false, LicenceClient: false, LicencePerCopy: false, LicencePersonal: true, LicenceSubscription: true} {
		d := Design{Name: "Toad", Licence: licence, Until: now.Add(-time.Hour)}
		assert.Equal(t, stops, d.Stops(now, time.UTC) != "", licence)
		assert.Equal(t, licence == LicenceUnknown, d.Marks() != "", licence)
		assert.NotEmpty(t, LicenceName(licence))
		assert.Contains(t, Licences(), licence)
	}
	assert.Empty(t, Design{Licence: LicenceSubscription, Until: now.Add(time.Hour)}.Stops(now, time.UTC))
}

func TestWhatAVersionChanges(t *testing.T) {
	a, b := measured(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 30})), measured(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 33}))
	assert.Equal(t, []Change{{"size", "10 × 20 × 30 mm", "10 × 20 × 33 mm"}, {"volume", "6 cm³", "6.6 cm³"}, {"surface", "22 cm²", "23.8 cm²"}}, Changes(a, b))
	assert.Empty(t, Changes(a, a))
	two := measured(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 4, Y: 20, Z: 30}), meshtest.Box(mesh.Vec{X: 6}, mesh.Vec{X: 4, Y: 20, Z: 30})))
	assert.Contains(t, Changes(a, two), Change{"bodies", "1", "2"})
	open := measured(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 30}).Part(2, 12))
	assert.Contains(t, Changes(a, open), Change{"watertight", "yes", "no, 4 open edges"})
}
