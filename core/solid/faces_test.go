package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// Inside a ball with a cap cut off, every place sees as much of the sky as the cap is of the
// ball [published: view factors in a spherical enclosure].
func TestSkyInsideAShell(t *testing.T) {
	for _, cutZ := range []float64{-80, -40, 0} {
		m := dome(120, 4, cutZ, 48).Weld()
		require.True(t, m.Measure().Watertight)
		sky := SkyOf(m)
		want := (1 + cutZ/116) / 2
		var inside, n, worst float64
		for i, f := range m.Triangles {
			p := m.Vertices[f[0]].Add(m.Vertices[f[1]]).Add(m.Vertices[f[2]]).Mul(1.0 / 3)
			switch r := p.Len(); {
			case r < 116.5 && p.Z > cutZ+10:
				inside, n, worst = inside+sky[i], n+1, max(worst, math.Abs(sky[i]-want))
			case r > 119.5 && p.Z > cutZ+1:
				worst = max(worst, 1-sky[i])
			}
		}
		assert.InDelta(t, want, inside/n, 0.02, cutZ)
		assert.Less(t, worst, 0.1, "a hundred directions tell it so well")
	}
}

func TestFacesOfAHelmet(t *testing.T) {
	f, _ := FacesOf(dome(120, 4, -70, 64).Weld(), nil)
	assert.InEpsilon(t, 2*math.Pi*120*(120+70), f.OuterMM2, 0.02)
	assert.InEpsilon(t, 2*math.Pi*116*(116+70), f.InnerMM2, 0.03)
	inner, outer := math.Sqrt(116*116-70*70), math.Sqrt(120*120-70*70)
	assert.InEpsilon(t, math.Pi*(outer*outer-inner*inner), f.UnderMM2, 0.02, "its rim stands on the table")
	assert.InEpsilon(t, 2*math.Pi*inner, f.RimMM, 0.02)
}

// A shallow bowl is seen all over; a deep one is not.
func TestFacesOfBowls(t *testing.T) {
	turned := func(soup *mesh.Soup) *mesh.Mesh { return Turned(soup.Weld(), [9]float64{1, 0, 0, 0, -1, 0, 0, 0, -1}) }
	f, _ := FacesOf(turned(dome(60, 3, 25, 48)), nil)
	assert.Zero(t, f.InnerMM2)
	f, _ = FacesOf(turned(dome(60, 3, -25, 48)), nil)
	assert.InEpsilon(t, 2*math.Pi*57*(57+25), f.InnerMM2, 0.03)
}

// A closed hollow is inside, however thick the wall; a hollow figure has the outside of the
// solid one; what is only deeply folded is outside.
func TestFacesOfHollowAndFolded(t *testing.T) {
	ball, hole := dome(30, 0, -30, 40), dome(18, 0, -18, 40).Weld()
	for i, c := range hole.Triangles {
		hole.Triangles[i] = [3]int32{c[0], c[2], c[1]}
	}
	f, _ := FacesOf(meshtest.Together(ball, hole.Soup("stl")).Weld(), nil)
	assert.InEpsilon(t, 4*math.Pi*18*18, f.InnerMM2, 0.01)
	assert.InEpsilon(t, 4*math.Pi*30*30, f.OuterMM2+f.UnderMM2, 0.01)

	var pleats [][2]float64 // grooves of 40°, 11 mm deep, around a post
	for k := range 20 {
		pleats = append(pleats, [2]float64{30, 8 * float64(k)}, [2]float64{19, 8*float64(k) + 4})
	}
	pleats = append([][2]float64{{0, 0}}, append(pleats, [2]float64{30, 160}, [2]float64{0, 160})...)
	m := meshtest.Turned(pleats, 64).Weld()
	f, _ = FacesOf(m, nil)
	assert.Zero(t, f.InnerMM2, "a fold is no inside")
	assert.InEpsilon(t, math.Pi*30*30, f.UnderMM2, 0.01)
}

// The face of a cut and its sockets lie against another part.
func TestFacesOfACut(t *testing.T) {
	box := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 40, Y: 30, Z: 80}).Weld()
	cut, err := Split(box, mesh.Vec{Z: 1}, 35, Pegs{Count: 2, DiameterMM: 5, ClearanceMM: 0.15})
	require.NoError(t, err)
	plane := []Plane{{mesh.Vec{Z: 1}, 35}}
	var deep float64
	for _, s := range cut.Sockets {
		deep += s.DepthMM * math.Pi * 5.3
	}
	require.NotZero(t, deep)
	for k, half := range cut.Halves {
		f, _ := FacesOf(half.Weld(), plane)
		assert.InDelta(t, 40*30+deep, f.MatingMM2+f.InnerMM2, 5, "half %d", k)
		assert.Less(t, f.InnerMM2, 25.0, "a socket is no hollow, but for its depth")
	}
	f, _ := FacesOf(cut.Halves[1].Weld(), plane)
	assert.InDelta(t, 2*(40+30)*35, f.OuterMM2, 30)
	assert.InDelta(t, 40*30, f.UnderMM2, 1)
}
