package solid

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// tower is a few blocks upon each other, each shifted and of its own size, so that some
// hang over.
func tower(t *rapid.T) *mesh.Mesh {
	var blocks []*mesh.Soup
	z := 0.0
	for i := range rapid.IntRange(2, 4).Draw(t, "blocks") {
		size := mesh.Vec{X: rapid.Float64Range(6, 30).Draw(t, "x"), Y: rapid.Float64Range(6, 30).Draw(t, "y"), Z: rapid.Float64Range(4, 15).Draw(t, "z")}
		at := mesh.Vec{X: rapid.Float64Range(-5, 5).Draw(t, "at x") - size.X/2, Y: rapid.Float64Range(-5, 5).Draw(t, "at y") - size.Y/2, Z: z}
		if i > 0 {
			at.Z -= 0.5 // into the one below
			size.Z += 0.5
		}
		blocks = append(blocks, meshtest.Box(at, size))
		z = at.Z + size.Z
	}
	return meshtest.Together(blocks...).Weld()
}

// Of every face that leans too far, and of every place where a layer begins in mid-air, no
// place is further than the spacing from a tip, or from matter that rises beside it.
func TestSupportsProperty(t *testing.T) {
	checks := 0
	rapid.Check(t, func(t *rapid.T) {
		if checks++; checks > 12 {
			return
		}
		m := tower(t)
		h := Holding{LimitDeg: 45, SpacingMM: rapid.Float64Range(3, 8).Draw(t, "spacing"), TipMM: 1}
		s := SupportsOf(m, h)
		if len(s.Contacts) > 0 != (s.ContactMM2 > 0) || s.OnPart > len(s.Contacts) {
			t.Fatalf("%d tips of %g mm²", len(s.Contacts), s.ContactMM2)
		}
		c := columnsOf(m, 60)
		for k := range c.hits {
			for i, sp := range c.spans(k) {
				p := c.middle(k, sp.from.z)
				if sp.from.up > -0.9 || sp.from.z < 1 || i > 0 && sp.from.z-c.spans(k)[i-1].to.z < leastGapMM {
					continue
				}
				near := slices.ContainsFunc(s.Contacts, func(x Contact) bool { return x.At.Sub(p).Len() <= h.SpacingMM+c.cell })
				for dx := -h.SpacingMM - c.cell; dx <= h.SpacingMM+c.cell && !near; dx += c.cell {
					for dy := -h.SpacingMM - c.cell; dy <= h.SpacingMM+c.cell; dy += c.cell {
						x, y := int((p.X+dx-c.low.X)/c.cell), int((p.Y+dy-c.low.Y)/c.cell)
						if math.Hypot(dx, dy) <= h.SpacingMM+2*c.cell && x >= 0 && y >= 0 && x < c.nx && y < c.ny && c.inside(y*c.nx+x, sp.from.z-0.1) {
							near = true
							break
						}
					}
				}
				if !near {
					t.Fatalf("nothing holds %v", p)
				}
			}
		}
	})
}

// However many cuts, wherever they are suggested: the pieces are closed and add up.
func TestCutsProperty(t *testing.T) {
	checks := 0
	rapid.Check(t, func(t *rapid.T) {
		if checks++; checks > 20 {
			return
		}
		ring := meshtest.Ring(rapid.Float64Range(15, 40).Draw(t, "ring"), rapid.Float64Range(3, 10).Draw(t, "tube"), rapid.IntRange(12, 60).Draw(t, "around"), rapid.IntRange(6, 30).Draw(t, "across")).Weld()
		n := rapid.IntRange(2, 5).Draw(t, "pieces")
		for _, c := range cutsOf(t, ring, n, [3]float64{}) {
			if len(c.At) != n-1 || len(c.Volumes) != n || !slices.IsSorted(c.At) || !c.Fits {
				t.Fatalf("%+v", c)
			}
			pieces, dowels, err := SplitAll(ring, c.Axis, c.At, Pegs{})
			if err != nil || len(dowels) > 0 || len(pieces) != n {
				t.Fatal(err, len(pieces))
			}
			total := 0.0
			for i, p := range pieces {
				m := mesh.Measure(p)
				if !m.Watertight {
					t.Fatalf("piece %d: %+v", i, m)
				}
				if math.Abs(m.VolumeMM3-c.Volumes[i]) > 0.05*ring.Measure().VolumeMM3 {
					t.Fatalf("piece %d: %g mm³, told %g", i, m.VolumeMM3, c.Volumes[i])
				}
				total += m.VolumeMM3
			}
			if v := ring.Measure().VolumeMM3; math.Abs(total-v) > 1e-4*v {
				t.Fatalf("%g of %g mm³", total, v)
			}
		}
	})
}

// Whatever nonsense a mesh is, nothing of this room panics or hangs on it.
func TestNonsenseProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		flat := rapid.SliceOfN(rapid.Float32Range(-30, 30), 9, 9*12).Draw(t, "corners")
		m := mesh.SoupOf("stl", flat[:len(flat)/9*9]).Weld()
		if h, err := Hollow(m, 2, Drains{Count: 2, DiameterMM: 3}); err == nil && h.VolumeMM3 > h.SolidMM3 {
			t.Fatalf("hollowed it grew: %g of %g", h.VolumeMM3, h.SolidMM3)
		}
		SupportsOf(m, ResinHolding)
		FragileOf(m, 3)
		cutsOf(t, m, 3, [3]float64{50, 50, 50})
		SplitAll(m, mesh.Vec{Z: 1}, []float64{m.Box.Centre().Z}, Pegs{Count: 1, DiameterMM: 2}) //nolint:errcheck // most cannot be cut
	})
}

// A long narrow tunnel is entered as far as a tip reaches, and no further; a wide one all
// the way.
func TestReach(t *testing.T) {
	tube := func(bore float64) *Reach {
		return NewReach(meshtest.Turned([][2]float64{{bore, 0}, {20, 0}, {20, 80}, {bore, 80}, {bore, 0}}, 48).Weld())
	}
	at := func(r *Reach, p mesh.Vec) access { return r.ways[r.v.at(p)] }
	in := func(r *Reach, z float64) access { return at(r, mesh.Vec{X: 0.1, Y: 0.1, Z: z}) }
	narrow, wide := tube(1.5), tube(6)
	require.Equal(t, free, in(narrow, 2), "a tip gets a little way in")
	require.Equal(t, narrow.ways[0], free, "around it there is room")
	require.Equal(t, access(1), in(narrow, 40), "but not to the middle")
	require.Equal(t, free, in(wide, 40))
	shell := NewReach(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 20, Y: 20, Z: 20}), turnedIn(meshtest.Box(mesh.Vec{X: 3, Y: 3, Z: 3}, mesh.Vec{X: 14, Y: 14, Z: 14}))).Weld())
	require.Equal(t, shut, at(shell, mesh.Vec{X: 10, Y: 10, Z: 10}))
	require.Equal(t, shut, at(shell, mesh.Vec{X: 1, Y: 10, Z: 10}), "within its wall there is no way at all")
}
