package mesh

// Measures is the full diagnosis of a mesh, in millimetres. Its JSON is what the
// measure command prints.
type Measures struct {
	Format           string     `json:"format"`
	Triangles        int        `json:"triangles"`
	Vertices         int        `json:"vertices"`
	SizeMM           [3]float64 `json:"size_mm"`
	AreaMM2          float64    `json:"area_mm2"`
	VolumeMM3        float64    `json:"volume_mm3"`
	GuessMM3         float64    `json:"volume_guess_mm3,omitempty"` // how much of the volume, or beside it, is a guess for what is open
	Watertight       bool       `json:"watertight"`
	Shells           int        `json:"shells"`
	OpenEdges        int        `json:"open_edges"`
	NonManifoldEdges int        `json:"nonmanifold_edges"`
	InvertedShells   int        `json:"inverted_shells"`
	Cavities         int        `json:"cavities"`
	BuriedShells     int        `json:"buried_shells"`
	Degenerate       int        `json:"degenerate"`
}

// Measure welds the soup and works out the full diagnosis.
func Measure(s *Soup) Measures {
	m := s.Weld()
	out := m.Measure()
	out.Format = s.Format
	out.Triangles = s.Len()
	return out
}

// Measure works out the diagnosis of a welded mesh. The volume counts bodies plus, cavities
// minus and what is buried not at all; what shells that overlap share counts twice. It is
// watertight when every shell parts an inside from an outside: bodies that touch along an edge
// are, though the edge counts as one of more than two facets.
func (m *Mesh) Measure() Measures {
	shells, of := m.Shells()
	return m.measure(shells, of)
}

func (m *Mesh) measure(shells []Shell, of []int32) Measures {
	size := m.Box.Size()
	out := Measures{
		Triangles: len(m.Triangles) + m.Degenerate, Vertices: len(m.Vertices),
		SizeMM: [3]float64{size.X, size.Y, size.Z}, Degenerate: m.Degenerate,
	}
	out.Shells = len(shells)
	tangled := 0
	for _, s := range shells {
		out.AreaMM2 += s.AreaMM2
		out.OpenEdges += s.OpenEdges
		out.NonManifoldEdges += s.NonManifold + s.Touching
		tangled += s.NonManifold
		volume := s.VolumeMM3
		if volume < 0 {
			volume = -volume
		}
		switch {
		case s.flat():
		case s.Buried():
			out.BuriedShells++
		case s.Cavity():
			out.Cavities++
			out.VolumeMM3 -= volume
		default:
			out.VolumeMM3 += volume
		}
		if s.Inverted() {
			out.InvertedShells++
		}
	}
	out.VolumeMM3 = max(0, out.VolumeMM3)
	if out.OpenEdges > 0 {
		out.GuessMM3 = m.guess(shells, of)
	}
	out.Watertight = len(shells) > 0 && out.OpenEdges == 0 && tangled == 0
	return out
}

// sheetShare is how much of an open shell's own surface what closes its holes may have, before
// it is taken for a surface without thickness: an open box has a fifth, half a ball and a tube
// as wide as long a half. Source: from memory.
const sheetShare = 0.4

// guess is by how much the volume of open shells may be off. A hole is closed in thought by a
// fan: one that lies in a plane is closed so exactly, another is off by as much as its rim
// leaves the plane. A shell that is hardly more than its own rim, or cannot be faced one way
// throughout, has no inside: all of it is a guess.
func (m *Mesh) guess(shells []Shell, of []int32) (mm3 float64) {
	e := m.edges()
	bare, off := make([]float64, len(shells)), make([]float64, len(shells))
	for _, h := range m.holes(e) {
		if len(h.Rim) < 2 {
			continue
		}
		shell := of[m.triangleAt(e, h.Rim[0], h.Rim[1])]
		var normal Vec // twice the fan's area long
		area := 0.0
		for k, v := range h.Rim {
			n := m.Vertices[v].Sub(h.At).Cross(m.Vertices[h.Rim[(k+1)%len(h.Rim)]].Sub(h.At))
			normal, area = normal.Add(n), area+n.Len()/2
		}
		leaves := 0.0
		if l := normal.Len(); l > 0 {
			for _, v := range h.Rim {
				leaves = max(leaves, abs(m.Vertices[v].Sub(h.At).Dot(normal))/l)
			}
		}
		bare[shell] += area
		off[shell] += area * leaves
	}
	for i, s := range shells {
		switch {
		case s.OpenEdges == 0:
		case s.FlippedEdges > 0 || bare[i] > sheetShare*s.AreaMM2:
			mm3 += max(abs(s.VolumeMM3), off[i])
		default:
			mm3 += min(abs(s.VolumeMM3), off[i])
		}
	}
	return mm3
}
