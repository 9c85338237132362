package mesh

// Neighbours lists for each triangle those across its three sides, side k from corner
// k to corner k+1; −1 where there is none. Only facets that face the same way are
// neighbours. Where more than two meet in an edge, those go together that have matter between
// them; in a tangle, those that stand first in the file.
func (m *Mesh) Neighbours() [][3]int32 {
	e := m.edges()
	out := make([][3]int32, len(m.Triangles))
	w := workers(len(m.Triangles))
	spread(len(out), w, func(_, from, to int) {
		for i := from; i < to; i++ {
			out[i] = [3]int32{-1, -1, -1}
		}
	})
	side := func(t, low, high int32, forward bool) *int32 {
		from, to := high, low
		if forward {
			from, to = low, high
		}
		c := m.Triangles[t]
		for k := range 3 {
			if c[k] == from && c[(k+1)%3] == to {
				return &out[t][k]
			}
		}
		return nil // a triangle has each of its half edges
	}
	// Every side belongs to one edge, so that no two workers write the same place.
	spread(len(m.Vertices), w, func(_, from, to int) {
		e.of(from, to, func(low, high int32, same []halfEdge) {
			if e.pair(low, high, same, func(a, b halfEdge) {
				if a.forward() {
					a, b = b, a
				}
				*side(a.triangle(), low, high, false) = b.triangle()
				*side(b.triangle(), low, high, true) = a.triangle()
			}) {
				return
			}
			free := 0 // before it, all that face backward have a neighbour
			for i := range same {
				if !same[i].forward() {
					continue
				}
				for free < len(same) && (same[free].forward() || *side(same[free].triangle(), low, high, false) >= 0) {
					free++
				}
				if free == len(same) {
					break
				}
				*side(same[i].triangle(), low, high, true) = same[free].triangle()
				*side(same[free].triangle(), low, high, false) = same[i].triangle()
			}
		})
	})
	return out
}

// Sound returns the mesh as Measure counts it: shells that should face outward and do
// not are turned, bodies buried in others left out.
func (m *Mesh) Sound() *Mesh {
	shells, of := m.Shells()
	good := true
	for _, s := range shells {
		good = good && !s.Inverted() && !s.Buried()
	}
	if good {
		return m
	}
	out := &Mesh{Vertices: m.Vertices, Box: m.Box}
	for i, t := range m.Triangles {
		switch s := shells[of[i]]; {
		case s.Buried():
		case s.Inverted():
			out.Triangles = append(out.Triangles, [3]int32{t[0], t[2], t[1]})
		default:
			out.Triangles = append(out.Triangles, t)
		}
	}
	return out
}
