package demo

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
)

// Every model must be something a machine can make: closed, in one piece, within
// the box it was carved from, and no file of millions of triangles.
func TestModelsAreSound(t *testing.T) {
	for _, m := range allModel {
		t.Run(m.file, func(t *testing.T) {
			s, err := mesh.ReadSTL(m.carved(), mesh.Limits{})
			require.NoError(t, err)
			d := mesh.Measure(s)
			assert.True(t, d.Watertight, "%d open, %d non-manifold edges", d.OpenEdges, d.NonManifoldEdges)
			assert.Equal(t, 1, d.Shells)
			assert.Zero(t, d.InvertedShells)
			assert.Greater(t, d.VolumeMM3, 500.0)
			assert.Less(t, d.Triangles, 220_000)
			room := m.high.Sub(m.low)
			for k, limit := range [3]float64{room.X, room.Y, room.Z} {
				assert.Less(t, d.SizeMM[k], limit, "it is cut off by its box")
			}
			t.Logf("%d triangles, %.0f × %.0f × %.0f mm, %.1f cm³", d.Triangles, d.SizeMM[0], d.SizeMM[1], d.SizeMM[2], d.VolumeMM3/1000)
		})
	}
}
