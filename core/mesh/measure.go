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
	shells, _ := m.Shells()
	return m.measure(shells)
}

func (m *Mesh) measure(shells []Shell) Measures {
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
	out.Watertight = len(shells) > 0 && out.OpenEdges == 0 && tangled == 0
	return out
}
