package solid

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Hollowed is a part with the matter inside its wall taken out.
type Hollowed struct {
	Mesh      *mesh.Mesh
	SolidMM3  float64 // before
	VolumeMM3 float64 // after
	Cavities  []Cavity
	Bores     []Bore
	ErrorMM   float64 // by how much the wall may differ from what was asked
	SlitMM    float64 // how much thicker it is where the hollow would be narrower than about a step of the grid; such places stay filled
	GridMM    float64
	Slight    int // hollows so small that they were left solid
}

// Cavity is one closed hollow.
type Cavity struct {
	VolumeMM3 float64  `json:"volume_mm3"`
	Lowest    mesh.Vec `json:"lowest"`  // as the file stands: nearest the plate
	Highest   mesh.Vec `json:"highest"` // the far end as the part hangs
	Vented    bool     `json:"vented"`
	Islands   int      `json:"islands,omitempty"` // walls around cavities that were there before, which nothing holds within it
	HeldMM3   float64  `json:"held_mm3"`          // resin that stays in it however long it drains; all of it when it has no way out

	HeldAt mesh.Vec `json:"held_at"` // the lowest place of it, as it hangs

	mesh  *mesh.Mesh // its wall, facing into it, and after that its islands
	faces int        // of the wall
}

// Drains are the holes that each cavity gets.
type Drains struct {
	Count      int
	DiameterMM float64
	Seen       mesh.Vec // a direction from which the part will be looked at; none when zero
}

// Why a part cannot be hollowed.
var (
	ErrOpen  = errors.New("its surface is not closed: mend it first")
	ErrThick = errors.New("no place in it is thick enough for that wall")
)

const (
	hollowErrorMM = 0.08       // of wall, that the grid is chosen for
	mostNodes     = 40_000_000 // of a grid
	slitMM        = 0.1        // of wall too much, after creases are followed
	leastHollow   = 50.0       // mm³; smaller hollows stay solid. Source: from memory
)

// Hollow takes the matter out that lies deeper than a wall, and bores drains. Bodies that lie
// in one another are made one first. The inner
// wall is where the exact distance to the surface is the wall: found on a grid by marching
// tetrahedra [published: Doi and Koide, An efficient method of triangulating
// equi-valued surfaces by using tetrahedral cells, 1991], each of its vertices then moved
// to the distance itself, and edges that cut across a crease of the hollow taken into it.
//
// ErrorMM bounds the wall. That it is too thin by no more is certain: the square of the
// distance less the square of the place is concave [published: Cannarsa and Sinestrari,
// Semiconcave Functions, 2004], which bounds the distance everywhere on a triangle by
// those at its corners, or at the corners of its quarters. That it is too thick by no more is measured at the middle of
// every triangle, and of every side where the wall bends.
func Hollow(m *mesh.Mesh, wallMM float64, drains Drains) (Hollowed, error) {
	if !(wallMM > 0) || math.IsInf(wallMM, 1) {
		return Hollowed{}, fmt.Errorf("a wall of %g mm", wallMM)
	}
	m = m.Sound()
	if !m.Measure().Watertight {
		return Hollowed{}, ErrOpen
	}
	m, err := Joined(m)
	if err != nil {
		return Hollowed{}, err
	}
	d := m.Measure()
	f, err := newField(m, wallMM)
	if err != nil {
		return Hollowed{}, err
	}
	f.march()
	f.settle()
	f.crease()
	out := Hollowed{SolidMM3: d.VolumeMM3, VolumeMM3: d.VolumeMM3, GridMM: f.step, ErrorMM: f.bound(), SlitMM: f.slits.mm}
	out.Cavities, out.Slight = hollows(f.inner)
	if len(out.Cavities) == 0 {
		return Hollowed{}, ErrThick
	}
	slices.SortStableFunc(out.Cavities, func(a, b Cavity) int { return cmp.Compare(b.VolumeMM3, a.VolumeMM3) })
	for i := range out.Cavities {
		c := &out.Cavities[i]
		c.Lowest, c.Highest = c.ends()
		c.HeldMM3, c.HeldAt = c.VolumeMM3, c.Highest
		out.VolumeMM3 -= c.VolumeMM3
	}
	out.bore(m, f.tree, wallMM, drains)
	return out, nil
}

// hollows are the closed hollows that a wall around them makes, and how many are so small that
// they are left solid. A hollow's wall faces into it. One that faces the other way is an island
// of matter in a hollow: the wall around a cavity that was there before.
func hollows(inner *mesh.Mesh) (large []Cavity, slight int) {
	shells, of := inner.Shells()
	at := make([]int, len(shells)) // the hollow that a shell bounds
	list := make([]Cavity, 0, len(shells))
	for i, s := range shells {
		if s.Depth%2 == 0 {
			at[i] = len(list)
			list = append(list, Cavity{VolumeMM3: -s.VolumeMM3, mesh: &mesh.Mesh{Vertices: inner.Vertices, Box: s.Box}})
		}
	}
	for i, s := range shells {
		if s.Depth%2 == 1 {
			at[i] = at[s.Parent]
			list[at[i]].VolumeMM3 -= s.VolumeMM3
			list[at[i]].Islands++
		}
	}
	var islands []int
	for i, t := range inner.Triangles {
		if c := &list[at[of[i]]]; shells[of[i]].Depth%2 == 1 {
			islands = append(islands, i)
		} else {
			c.mesh.Triangles = append(c.mesh.Triangles, t)
			c.faces++
		}
	}
	for _, i := range islands {
		m := list[at[of[i]]].mesh
		m.Triangles = append(m.Triangles, inner.Triangles[i])
	}
	for _, c := range list {
		if c.VolumeMM3 < leastHollow {
			slight++
		} else {
			large = append(large, c)
		}
	}
	return large, slight
}

// ends are the lowest and the highest place of a cavity.
func (c *Cavity) ends() (low, high mesh.Vec) {
	low, high = mesh.Vec{Z: math.Inf(1)}, mesh.Vec{Z: math.Inf(-1)}
	for _, t := range c.mesh.Triangles {
		for _, v := range t {
			if p := c.mesh.Vertices[v]; p.Z < low.Z {
				low = p
			} else if p.Z > high.Z {
				high = p
			}
		}
	}
	return low, high
}
