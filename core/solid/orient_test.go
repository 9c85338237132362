package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// byHeight seeks where a minute goes with each millimetre.
func byHeight(w Wishes, h Holding) Seeking {
	return Seeking{Wishes: w, Holding: h, Minutes: func(p Profile, _ float64) float64 { return p.HeightMM }}
}

// A stepped cone standing on its point is turned onto its base: nothing hangs there.
func TestASteppedConeStandsOnItsBase(t *testing.T) {
	cone := meshtest.Turned([][2]float64{{0, 0}, {5, 0}, {5, 8}, {10, 8}, {10, 16}, {15, 16}, {15, 24}, {20, 24}, {20, 32}, {0, 32}}, 64).Weld()
	// Each step hangs over nothing: rings of the steps' differences, seen from below.
	o := OverhangOf(cone, OverhangDeg)
	assert.InEpsilon(t, math.Pi*(20*20-5*5), o.AreaMM2, 0.02)
	best := Orient(cone, 300, byHeight(FilamentWishes, FilamentHolding))
	require.NotEmpty(t, best)
	assert.Greater(t, best[0].Down.Z, 0.999, "its top is its base")
	assert.InDelta(t, 0, best[0].SupportMM3, 5)
	assert.InDelta(t, 32, best[0].HeightMM, 1e-3)
	assert.Len(t, best, listed)
	for i := range best {
		if i > 0 {
			assert.LessOrEqual(t, best[i].Score, best[i-1].Score, "best first")
		}
		for k := range i {
			assert.LessOrEqual(t, best[i].Down.Dot(best[k].Down), math.Cos(apartDeg*math.Pi/180)+1e-9, "each is another way to stand")
		}
	}
}

func TestAPlateLiesInFilamentAndTiltsInResin(t *testing.T) {
	plate := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 80, Y: 50, Z: 4}).Weld()
	flat := Orient(plate, 500, byHeight(FilamentWishes, FilamentHolding))[0]
	assert.Greater(t, math.Abs(flat.Down.Z), 0.999)
	assert.InDelta(t, 4, flat.HeightMM, 1e-6)
	resin := Orient(plate, 500, byHeight(Wishes{Layer: 1}, ResinHolding))[0]
	assert.Less(t, resin.LargestLayerMM2, 400.0, "where only the pull counts it does not lie flat: 4,000 mm²")
}

// A rod longer than the machine is high stands best, and is laid down: what fits comes first.
func TestWhatFitsComesFirst(t *testing.T) {
	rod := meshtest.Turned([][2]float64{{0, 0}, {15, 0}, {15, 150}, {0, 150}}, 48).Weld()
	by := byHeight(FilamentWishes, FilamentHolding)
	upright := Orient(rod, 200, by)[0]
	assert.Greater(t, math.Abs(upright.Down.Z), 0.999)
	by.RoomMM = [3]float64{160, 90, 120}
	best := Orient(rod, 200, by)
	assert.True(t, best[0].Fits)
	assert.Less(t, best[0].HeightMM, 120.0)
	by.RoomMM = [3]float64{40, 40, 40}
	assert.False(t, Orient(rod, 200, by)[0].Fits, "nowhere; and still there are ways for it to stand")
	assert.NotEmpty(t, Orient(rod, 200, by))
}

// A matrix turns, and turns the given direction down; what is listed agrees with the
// mesh turned by it.
func TestTurnProperty(t *testing.T) {
	body := meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {6, 30}, {8, 40}, {0, 40}}, 24).Weld()
	volume := body.Measure().VolumeMM3
	rapid.Check(t, func(t *rapid.T) {
		g := rapid.Float64Range(-1, 1)
		d := mesh.Vec{X: g.Draw(t, "x"), Y: g.Draw(t, "y"), Z: g.Draw(t, "z")}
		if d.Len() < 0.01 {
			return
		}
		r := Turn(d)
		down := mesh.Vec{X: r[0]*d.X + r[1]*d.Y + r[2]*d.Z, Y: r[3]*d.X + r[4]*d.Y + r[5]*d.Z, Z: r[6]*d.X + r[7]*d.Y + r[8]*d.Z}
		if math.Abs(down.X)+math.Abs(down.Y) > 1e-9 || math.Abs(down.Z+d.Len()) > 1e-9 {
			t.Fatalf("%v goes to %v", d, down)
		}
		turned := Turned(body, r).Measure()
		if math.Abs(turned.VolumeMM3-volume) > 1e-6*volume || turned.InvertedShells > 0 {
			t.Fatalf("it is not a turn: %+v", turned)
		}
		s := Stand(body, d, byHeight(ResinWishes, ResinHolding))
		if math.Abs(s.HeightMM-turned.SizeMM[2]) > 1e-9 || s.Minutes != s.HeightMM {
			t.Fatalf("%+v", s)
		}
	})
}

// The quick figures rank as the exact ones do: on a figure that leans, the best by
// them is among the better half of all directions worked out in full.
func TestQuickFiguresRankWell(t *testing.T) {
	m, _ := bunnyAndReference(t)
	best := Orient(m, 400, byHeight(ResinWishes, ResinHolding))
	all := []Orientation{best[0]}
	for _, d := range sphere(60) {
		all = append(all, Stand(m, d, byHeight(ResinWishes, ResinHolding)))
	}
	ResinWishes.Score(all)
	better := 0
	for _, s := range all[1:] {
		if s.Score > all[0].Score {
			better++
		}
	}
	assert.LessOrEqual(t, better, 6, "a tenth of all at most is better than the one found")
}

// Scars on the side that is looked at count, by plain geometry, and the best orientation
// keeps them off it.
func TestSeenFacesAreSpared(t *testing.T) {
	b := block(10, 20, 30)
	assert.InDelta(t, 200, SeenScars(b, mesh.Vec{Z: -1}, mesh.Vec{Z: -1}, OverhangDeg), 1e-9)
	assert.Zero(t, SeenScars(b, mesh.Vec{Z: -1}, mesh.Vec{Z: 1}, OverhangDeg))
	assert.Zero(t, SeenScars(b, mesh.Vec{Z: -1}, mesh.Vec{}, OverhangDeg))
	relief := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 8, Z: 80}), meshtest.Turned([][2]float64{{0, 20}, {14, 24}, {14, 56}, {0, 60}}, 32)).Weld()
	front := mesh.Vec{Y: -1}
	w := ResinWishes
	w.Scar, w.Seen = 5, front
	best := Orient(relief, 300, byHeight(w, ResinHolding))[0]
	assert.Less(t, SeenScars(relief, best.Down, front, OverhangDeg), 100.0)
	assert.LessOrEqual(t, best.Down.Dot(front), 0.2, "its front does not hang over the plate: %v", best.Down)
}
