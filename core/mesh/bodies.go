package mesh

import (
	"cmp"
	"slices"
)

// Body is a piece of matter of its own: a shell that nothing encloses, or one
// within a cavity, together with the cavities in it. A file that names its objects
// and keeps each of them closed has one body for each name.
type Body struct {
	Name      string
	Triangles []int32
	Box       Box
	AreaMM2   float64
	VolumeMM3 float64
	Closed    bool
}

// Speck reports a body so small beside the whole that it is most likely dirt of the
// sculpting program: its diagonal under a hundredth of the model's.
func (b Body) Speck(model Box) bool { return b.Box.Diagonal() < SpeckShare*model.Diagonal() }

// SpeckShare is the diagonal, as a share of the model's, below which a loose body is
// a speck. Source: common practice.
const SpeckShare = 0.01

// Bodies returns the bodies of a soup, the largest first. Triangles count in the
// returned mesh.
func Bodies(s *Soup) (*Mesh, []Body) {
	m := s.Weld()
	if bodies, named := m.namedBodies(s); named {
		return m, bodies
	}
	shells, of := m.Shells()
	return m, m.bodies(shells, of)
}

// bodies puts every shell to the body it belongs to: a cavity to the shell around
// it, and so a buried body, whose matter is already there.
func (m *Mesh) bodies(shells []Shell, of []int32) []Body {
	owner := owners(shells)
	at := make(map[int]int)
	var bodies []Body
	for i, s := range shells {
		if owner[i] == i {
			at[i] = len(bodies)
			bodies = append(bodies, Body{Box: s.Box, Closed: s.Closed(), AreaMM2: s.AreaMM2, VolumeMM3: abs(s.VolumeMM3)})
		}
	}
	for i, s := range shells {
		if b := at[owner[i]]; owner[i] != i {
			bodies[b].AreaMM2 += s.AreaMM2
			if s.Cavity() {
				bodies[b].VolumeMM3 -= abs(s.VolumeMM3)
			}
		}
	}
	for t, s := range of {
		b := &bodies[at[owner[s]]]
		b.Triangles = append(b.Triangles, int32(t))
	}
	for k := range bodies {
		bodies[k].VolumeMM3 = max(0, bodies[k].VolumeMM3)
	}
	largestFirst(bodies)
	return bodies
}

// owners says for each shell the one whose body it is part of.
func owners(shells []Shell) []int {
	owner := make([]int, len(shells))
	for i := range shells {
		owner[i] = i
		for s := shells[i]; (s.Cavity() || s.Buried()) && s.Parent >= 0; s = shells[s.Parent] {
			owner[i] = s.Parent // a body as soon as the loop ends; it climbs, so it ends
		}
	}
	return owner
}

// namedBodies takes the file's own groups when there are several and each is closed
// by itself.
func (m *Mesh) namedBodies(s *Soup) (bodies []Body, ok bool) {
	if len(s.Groups) < 2 {
		return nil, false
	}
	for k, g := range s.Groups {
		part := s.Part(g.From, g.To)
		alone := Measure(part)
		if !alone.Watertight {
			return nil, false
		}
		b := Body{Name: g.Name, Box: part.Box, Closed: true, AreaMM2: alone.AreaMM2, VolumeMM3: alone.VolumeMM3}
		for t := m.Groups[k].From; t < m.Groups[k].To; t++ {
			b.Triangles = append(b.Triangles, int32(t))
		}
		bodies = append(bodies, b)
	}
	largestFirst(bodies)
	return bodies, true
}

func largestFirst(bodies []Body) {
	slices.SortStableFunc(bodies, func(a, b Body) int { return cmp.Compare(b.Box.Diagonal(), a.Box.Diagonal()) })
}

// Pick returns the given triangles of the mesh as a soup.
func (m *Mesh) Pick(format string, triangles []int32) *Soup {
	part := &Mesh{Vertices: m.Vertices, Triangles: make([][3]int32, len(triangles))}
	for k, t := range triangles {
		part.Triangles[k] = m.Triangles[t]
	}
	return part.Soup(format)
}

func abs(x float64) float64 {
	if x < 0 {
		return -x
	}
	return x
}
