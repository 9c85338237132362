package solid

import (
	"errors"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// ball is a sphere of revolution that stands on z = 0.
func ball(radius float64, sides int) *mesh.Mesh {
	var profile [][2]float64
	for i := range sides/2 + 1 {
		s, c := math.Sincos(math.Pi * float64(i) / float64(sides/2))
		profile = append(profile, [2]float64{radius * s, radius * (1 - c)})
	}
	profile[0][0], profile[len(profile)-1][0] = 0, 0
	return meshtest.Turned(profile, sides).Weld()
}

func block(x, y, z float64) *mesh.Mesh {
	return meshtest.Box(mesh.Vec{}, mesh.Vec{X: x, Y: y, Z: z}).Weld()
}

// wallOf measures the wall from within: the least and the greatest distance from points
// all over the hollow's wall to the part's own surface.
func wallOf(t require.TestingT, outer *mesh.Mesh, h Hollowed) (least, most float64) {
	tree := mesh.NewTree(outer)
	least = math.Inf(1)
	for _, c := range h.Cavities {
		for _, f := range c.mesh.Triangles {
			a, b, d := c.mesh.Vertices[f[0]], c.mesh.Vertices[f[1]], c.mesh.Vertices[f[2]]
			for _, w := range [][3]float64{{1, 0, 0}, {0.5, 0.5, 0}, {0, 0.4, 0.6}, {0.6, 0.3, 0.1}} {
				mm := tree.Nearest(a.Mul(w[0]).Add(b.Mul(w[1])).Add(d.Mul(w[2])), 100)
				least, most = min(least, mm), max(most, mm)
			}
		}
	}
	require.NotEmpty(t, h.Cavities)
	return least, most
}

// A hollow block's cavity is a block smaller by two walls each way; a hollow ball's a
// ball of a radius less by the wall: both by plain geometry.
func TestHollowOfKnownWall(t *testing.T) {
	for _, k := range []struct {
		name string
		part *mesh.Mesh
		wall float64
		want float64 // mm³ of cavity
	}{
		{"block", block(40, 30, 50), 2, 36 * 26 * 46},
		{"block with a thick wall", block(40, 30, 50), 5, 30 * 20 * 40},
		{"ball", ball(20, 128), 2, 4. / 3 * math.Pi * 18 * 18 * 18},
		{"ball with a thin wall", ball(20, 128), 1.2, 4. / 3 * math.Pi * 18.8 * 18.8 * 18.8},
	} {
		t.Run(k.name, func(t *testing.T) {
			h, err := Hollow(k.part, k.wall, Drains{})
			require.NoError(t, err)
			require.Len(t, h.Cavities, 1)
			c := h.Cavities[0]
			assert.InEpsilon(t, k.want, c.VolumeMM3, 0.005)
			assert.False(t, c.Vented)
			assert.Equal(t, c.VolumeMM3, c.HeldMM3, "without a way out all of it stays")
			assert.InDelta(t, h.SolidMM3-h.VolumeMM3, c.VolumeMM3, 1e-6)
			assert.LessOrEqual(t, h.ErrorMM, 0.1)
			least, most := wallOf(t, k.part, h)
			assert.GreaterOrEqual(t, least, k.wall-h.ErrorMM, "nowhere thinner than it says")
			assert.LessOrEqual(t, most, k.wall+h.ErrorMM+0.02, "nor thicker")
			m := mesh.Measure(h.Mesh.Soup("stl"))
			assert.True(t, m.Watertight)
			assert.Equal(t, 2, m.Shells)
			assert.Equal(t, 1, m.Cavities)
			assert.InEpsilon(t, h.VolumeMM3, m.VolumeMM3, 1e-4)
		})
	}
}

// Two holes of known width through a flat wall take the wall's prism away.
func TestHollowWithDrains(t *testing.T) {
	h, err := Hollow(block(40, 30, 50), 2, Drains{Count: 2, DiameterMM: 4})
	require.NoError(t, err)
	require.Len(t, h.Bores, 2)
	assert.InDelta(t, 0, h.Bores[0].At.Z, 1e-6, "the first vents at the plate")
	assert.InDelta(t, 50, h.Bores[1].At.Z, 1e-6, "the second drains the far end")
	assert.True(t, h.Cavities[0].Vented)
	assert.Zero(t, h.Cavities[0].HeldMM3)
	m := mesh.Measure(h.Mesh.Soup("stl"))
	require.True(t, m.Watertight, "%+v", m)
	assert.Equal(t, 1, m.Shells, "the hollow's wall and the outside are one surface now")
	prism := 0.5 * boreSides * 4 * math.Sin(2*math.Pi/boreSides) * 2
	assert.InDelta(t, h.SolidMM3-h.Cavities[0].VolumeMM3-2*prism, m.VolumeMM3, 0.05)
	// A torus of sphere-with-two-holes: one handle, by Euler's formula V − E + F = 2 − 2g.
	w := h.Mesh.Soup("stl").Weld()
	used := map[int32]bool{}
	for _, f := range w.Triangles {
		used[f[0]], used[f[1]], used[f[2]] = true, true, true
	}
	assert.Equal(t, 0, len(used)-len(w.Triangles)/2)
	plug := h.Bores[0].Plug().Measure()
	assert.True(t, plug.Watertight)
	assert.InDelta(t, 2, plug.SizeMM[2], 0.05)
	assert.Less(t, plug.SizeMM[0], 4.0)
}

func TestHollowKeepsHolesOffSeenFaces(t *testing.T) {
	up := mesh.Vec{Z: 1}
	h, err := Hollow(block(40, 30, 50), 2, Drains{Count: 2, DiameterMM: 4, Seen: up})
	require.NoError(t, err)
	require.Len(t, h.Bores, 2)
	for _, b := range h.Bores {
		assert.LessOrEqual(t, b.Axis.Dot(up), 0.2)
	}
	assert.Greater(t, h.Bores[1].At.Z, 40.0, "as far out as the sides allow")
}

// A hollow of two wells that hang side by side keeps resin in the one without a hole.
func TestHollowPockets(t *testing.T) {
	// Upside down: as it hangs, the far ends of both legs are the lows.
	legs := meshtest.Together(
		meshtest.Box(mesh.Vec{}, mesh.Vec{X: 60, Y: 20, Z: 20}),
		meshtest.Box(mesh.Vec{Z: 1}, mesh.Vec{X: 20, Y: 20, Z: 50}),
		meshtest.Box(mesh.Vec{X: 40, Z: 1}, mesh.Vec{X: 20, Y: 20, Z: 44}),
	).Weld()
	h, err := Hollow(legs, 2, Drains{Count: 2, DiameterMM: 3})
	require.NoError(t, err)
	require.Len(t, h.Cavities, 1, "shells that overlap hollow as one")
	c := h.Cavities[0]
	assert.InEpsilon(t, 56*16*16+16*16*31+16*16*25, c.VolumeMM3, 0.02)
	assert.InEpsilon(t, 16*16*25, c.HeldMM3, 0.1, "the shorter leg's well stays full")
	assert.InDelta(t, 50, c.HeldAt.X, 8, "and is told where")
	assert.InDelta(t, 43, c.HeldAt.Z, 1)
	h, err = Hollow(legs, 2, Drains{Count: 3, DiameterMM: 3})
	require.NoError(t, err)
	require.Len(t, h.Bores, 3)
	assert.Zero(t, h.Cavities[0].HeldMM3, "the third hole goes where resin would stay")
}

// facingIn is a mesh turned inside out and lifted.
func facingIn(m *mesh.Mesh, up float64) *mesh.Soup {
	for i, t := range m.Triangles {
		m.Triangles[i] = [3]int32{t[0], t[2], t[1]}
	}
	for i := range m.Vertices {
		m.Vertices[i].Z += up
	}
	return m.Soup("stl")
}

// A ball with a closed hollow in its middle keeps a wall on both sides of what is taken out:
// two shells of balls, by plain geometry. The inner one hangs loose, and no hole leads there.
func TestHollowAroundACavity(t *testing.T) {
	ballMM3 := func(r float64) float64 { return 4. / 3 * math.Pi * r * r * r }
	part := meshtest.Together(ball(20, 80).Soup("stl"), facingIn(ball(10, 80), 10)).Weld()
	h, err := Hollow(part, 2, Drains{Count: 2, DiameterMM: 3})
	require.NoError(t, err)
	want := ballMM3(20) - ballMM3(18) + ballMM3(12) - ballMM3(10)
	assert.InEpsilon(t, want, h.VolumeMM3, 0.01)
	assert.InEpsilon(t, want, h.Mesh.Measure().VolumeMM3, 0.01)
	assert.InEpsilon(t, ballMM3(18)-ballMM3(12), h.Cavities[0].VolumeMM3, 0.01)
	require.Len(t, h.Bores, 2)
	for _, b := range h.Bores {
		assert.InDelta(t, 20, b.At.Sub(mesh.Vec{Z: 20}).Len(), 0.1, "on the outside")
	}
	assert.Equal(t, 1, h.Cavities[0].Islands)
	assert.Contains(t, strings.Join(h.Warnings(2), " "), "hangs loose")
	least, most := wallOf(t, part, h)
	assert.InDelta(t, 2, least, 0.1)
	assert.InDelta(t, 2, most, 0.15)

	// Off its middle the two walls are one: nothing hangs loose.
	part = meshtest.Together(ball(20, 80).Soup("stl"), facingIn(ball(10, 80), 17)).Weld()
	h, err = Hollow(part, 2, Drains{Count: 2, DiameterMM: 3})
	require.NoError(t, err)
	assert.Zero(t, h.Cavities[0].Islands)
	assert.Len(t, h.Bores, 2)
	for _, b := range h.Bores {
		assert.InDelta(t, 20, b.At.Sub(mesh.Vec{Z: 20}).Len(), 0.1, "and no hole leads into the old hollow")
	}
	assert.InEpsilon(t, h.Mesh.Measure().VolumeMM3, h.VolumeMM3, 1e-6)

	// Two blocks that touch along an edge are hollowed as they are.
	h, err = Hollow(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 20, Y: 20, Z: 20}), meshtest.Box(mesh.Vec{X: 20, Y: 20}, mesh.Vec{X: 20, Y: 20, Z: 20})).Weld(), 2, Drains{})
	require.NoError(t, err)
	assert.InEpsilon(t, 2*(20*20*20-16*16*16), h.VolumeMM3, 0.01)
}

// Ten rods through one another are hollowed as the one body that they are: what is left is the
// union less its hollow, and no rod's skin runs through that.
func TestHollowOfBodiesInOneAnother(t *testing.T) {
	spokes := wheel(10)
	union := spokes.Solid()
	h, err := Hollow(spokes, 1.5, Drains{Count: 2, DiameterMM: 3})
	require.NoError(t, err)
	assert.InDelta(t, union.SolidMM3, h.SolidMM3, union.ErrorMM3)
	out := mesh.Measure(h.Mesh.Soup("stl"))
	assert.True(t, out.Watertight, "%+v", out)
	assert.Zero(t, out.BuriedShells)
	assert.InEpsilon(t, h.VolumeMM3, out.VolumeMM3, 1e-3)
	o := h.Mesh.Solid()
	assert.InDelta(t, out.VolumeMM3, o.SolidMM3, 1, "nothing lies in anything")
	hollow := 0.0
	for _, c := range h.Cavities {
		hollow += c.VolumeMM3
	}
	assert.InEpsilon(t, h.SolidMM3-hollow, h.VolumeMM3, 0.01)
	// A wall of 1.5 all over the surface is a little less than its area times 1.5.
	joined, err := Joined(spokes)
	require.NoError(t, err)
	assert.InEpsilon(t, 0.85*1.5*areaOf(joined), h.VolumeMM3, 0.12)
	least, _ := wallOf(t, joined, h)
	assert.Greater(t, least, 1.5-h.ErrorMM-1e-3)
}

func TestHollowRefuses(t *testing.T) {
	_, err := Hollow(block(3, 3, 3), 2, Drains{})
	assert.ErrorIs(t, err, ErrThick)
	s := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 20, Y: 20, Z: 20})
	_, err = Hollow(s.Part(0, s.Len()-1).Weld(), 2, Drains{})
	assert.ErrorIs(t, err, ErrOpen)
	for _, wall := range []float64{0, -1, math.NaN(), math.Inf(1), 1e-6} {
		_, err = Hollow(block(20, 20, 20), wall, Drains{})
		assert.Error(t, err, wall)
		assert.False(t, errors.Is(err, ErrThick), wall)
	}
}

// Rings, balls and blocks of any size: closed, and the wall within what is said.
func TestHollowProperty(t *testing.T) {
	checks := 0
	rapid.Check(t, func(t *rapid.T) {
		if checks++; checks > 15 { // each takes half a second
			return
		}
		size := rapid.Float64Range(13, 18).Draw(t, "size")
		wall := rapid.Float64Range(2, 3.5).Draw(t, "wall")
		var part *mesh.Mesh
		switch rapid.IntRange(0, 2).Draw(t, "kind") {
		case 0:
			part = block(size, size*rapid.Float64Range(0.9, 1.3).Draw(t, "deep"), size*rapid.Float64Range(0.9, 1.3).Draw(t, "high"))
		case 1:
			part = ball(size/2+3, 2*rapid.IntRange(8, 40).Draw(t, "sides"))
		default:
			part = meshtest.Ring(size, 6+size/8, 32, 16).Weld()
		}
		h, err := Hollow(part, wall, Drains{Count: rapid.IntRange(0, 3).Draw(t, "holes"), DiameterMM: rapid.Float64Range(2, 4).Draw(t, "mm")})
		if err != nil {
			t.Fatal(err)
		}
		m := mesh.Measure(h.Mesh.Soup("stl"))
		if !m.Watertight || m.InvertedShells > 0 || m.BuriedShells > 0 {
			t.Fatalf("%+v", m)
		}
		if math.Abs(m.VolumeMM3-h.VolumeMM3) > 1e-3*h.VolumeMM3 {
			t.Fatalf("%g mm³, said %g", m.VolumeMM3, h.VolumeMM3)
		}
		least, most := wallOf(t, part, h)
		if least < wall-h.ErrorMM-1e-6 || most > wall+max(h.ErrorMM, h.SlitMM)+0.05 || h.ErrorMM > 0.13 {
			t.Fatalf("wall %g to %g, wanted %g ± %g", least, most, wall, h.ErrorMM)
		}
	})
}
