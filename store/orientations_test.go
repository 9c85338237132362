package store

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/solid"
	"sakuji/studio"
)

// Ways to stand are replaced when they are looked for again, but not the one that is taken;
// a model comes back as it stands, or as its file does.
func TestOrientations(t *testing.T) {
	ctx := t.Context()
	s, err := Open(ctx, t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	at := time.UnixMilli(1_780_000_000_000).UTC()
	soup := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 50})
	way := func(down mesh.Vec) studio.Orientation {
		turn := solid.Turn(down)
		st := studio.Orientation{At: at, Facts: studio.OrientationFacts{Down: down}}
		st.Facts.Matrix = turn
		st.Shape = st.ShapeOf(soup)
		st.Facts.HeightMM = st.Shape.Profile.HeightMM
		return st
	}
	require.NoError(t, s.Write(ctx, func(tx *Tx) error {
		sha := "aa0000000000000000000000000000000000000000000000000000000000aaaa"
		require.NoError(t, tx.AddFile(sha, 1, at))
		m := studio.Model{SHA: sha, Name: "block.stl", At: at, Batch: "made together"}
		m.Measures, m.Shape = studio.MeasureModel(soup)
		require.NoError(t, tx.AddModel(&m, "Block"))
		back, err := tx.Model(m.ID)
		require.NoError(t, err)
		assert.Equal(t, "made together", back.Batch)

		list := []studio.Orientation{way(mesh.Vec{X: 1}), way(mesh.Vec{Y: 1})}
		require.NoError(t, tx.SaveOrientations(m.ID, "resin", list))
		taken, err := tx.ChosenOrientation(m.ID, "resin")
		require.NoError(t, err)
		assert.Zero(t, taken)
		require.NoError(t, tx.ChooseOrientation(m.ID, "resin", list[0].ID))
		parts, err := tx.PartsOf(m.ID, "resin", studio.OpenOrders()...)
		require.NoError(t, err)
		assert.Empty(t, parts, "no order prints it")
		taken, err = tx.ChosenOrientation(m.ID, "resin")
		require.NoError(t, err)
		assert.Equal(t, list[0].ID, taken)
		other, err := tx.ChosenOrientation(m.ID, "filament")
		require.NoError(t, err)
		assert.Zero(t, other)

		require.NoError(t, tx.SaveOrientations(m.ID, "resin", []studio.Orientation{way(mesh.Vec{Z: 1})}))
		got, err := tx.Orientations(m.ID, "resin")
		require.NoError(t, err)
		require.Len(t, got, 2, "the taken one and the new one")
		assert.True(t, got[0].Taken)
		assert.Equal(t, list[0].Facts.Matrix, got[0].Facts.Matrix)
		assert.Equal(t, mesh.Vec{X: 1}, got[0].Facts.Down)
		assert.Equal(t, at, got[0].At)

		stood, err := tx.ModelOriented(m.ID, taken)
		require.NoError(t, err)
		assert.InDelta(t, 10, stood.PrintHeightMM(), 1e-6)
		file, err := tx.ModelOriented(m.ID, 0)
		require.NoError(t, err)
		assert.InDelta(t, 50, file.PrintHeightMM(), 1e-6)
		models, err := tx.PieceModels(studio.Piece{ID: 1, ModelID: m.ID, OrientationID: taken}, studio.Piece{ID: 2, ModelID: m.ID})
		require.NoError(t, err)
		assert.InDelta(t, 10, models[1].PrintHeightMM(), 1e-6)
		assert.InDelta(t, 50, models[2].PrintHeightMM(), 1e-6)
		_, err = tx.ModelOriented(m.ID, 999)
		assert.ErrorIs(t, err, ErrNotFound)

		require.NoError(t, tx.ChooseOrientation(m.ID, "resin", 0))
		require.NoError(t, tx.SaveOrientations(m.ID, "resin", nil))
		gone := got[1].ID
		got, err = tx.Orientations(m.ID, "resin")
		require.NoError(t, err)
		assert.Empty(t, got, "what nothing stands in is gone")
		fresh := []studio.Orientation{way(mesh.Vec{Z: 1})}
		require.NoError(t, tx.SaveOrientations(m.ID, "resin", fresh))
		assert.Greater(t, fresh[0].ID, gone, "an id is never used again")
		return nil
	}))
}

// Of a run only the first time counts; prepared files count as often as they come.
func TestTimedRuns(t *testing.T) {
	ctx := t.Context()
	s, err := Open(ctx, t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	at := time.UnixMilli(1_780_000_000_000).UTC()
	require.NoError(t, s.Write(ctx, func(tx *Tx) error {
		m := studio.Machine{Name: "Tarn", Process: "resin", Active: true}
		require.NoError(t, tx.SaveMachine(&m))
		l := studio.TimedRun{MachineID: m.ID, What: "vase.gcode", OursMin: 90, RealMin: 100, At: at}
		require.NoError(t, tx.AddTimedRun(l))
		require.NoError(t, tx.AddTimedRun(l))
		all, err := tx.TimedRuns()
		require.NoError(t, err)
		assert.Equal(t, map[int64][]studio.TimedRun{m.ID: {l, l}}, all)
		assert.Error(t, tx.AddTimedRun(studio.TimedRun{MachineID: m.ID, What: "nothing", At: at}), "the database refuses a time of nothing")
		return nil
	}))
}
