package mesh

import (
	"math"
	"slices"
)

// Walls is how thick the matter is behind a surface.
type Walls struct {
	VertexMM   []float64 `json:"-"` // at every vertex; +Inf where nothing lies behind it
	ThinnestMM float64   `json:"thinnest_mm"`
	ThinnestAt Vec       `json:"thinnest_at"`
	// The thickness under which these shares of the surface lie.
	Share1MM   float64 `json:"share1_mm"`   // a hundredth
	Share10MM  float64 `json:"share10_mm"`  // a tenth
	Share50MM  float64 `json:"share50_mm"`  // half
	FacetsSeen int     `json:"facets_seen"` // facets with matter behind them
}

// opposing is the least cosine between a ray and the facet it leaves by for the two
// surfaces to be the two sides of a wall; a wedge or a tip is none.
const opposing = 0.5

// alike is how many times as thick the corners of a facet may be for its thickness to
// be believed: a sliver that sees a dent beside it is no wall.
const alike = 2.5

// Thickness sends a ray inward from the middle of every facet and from every vertex,
// against the normal, to where it leaves the matter. A vertex takes the least of its
// own and of the facets around it; the thinnest place is the least between two
// surfaces that oppose each other within 60°, so an edge or a tip, thin by nature, is
// not taken for a wall, and whose surroundings agree. Scale it with the model: thickness goes with the first power.
func (m *Mesh) Thickness() Walls {
	facet, own, oppose := m.rays()
	out := Walls{VertexMM: slices.Clone(own), ThinnestMM: math.Inf(1)}
	var seen, areas []float64
	for i, t := range m.Triangles {
		for _, v := range t {
			out.VertexMM[v] = min(out.VertexMM[v], facet[i])
		}
		if !oppose[i] {
			continue
		}
		seen, areas = append(seen, facet[i]), append(areas, m.normal(t).Len())
		if facet[i] < out.ThinnestMM && max(own[t[0]], own[t[1]], own[t[2]]) <= alike*facet[i] {
			out.ThinnestMM, out.ThinnestAt = facet[i], m.middle(t)
		}
	}
	out.FacetsSeen = len(seen)
	if len(seen) == 0 {
		out.ThinnestMM = 0
		return out
	}
	if math.IsInf(out.ThinnestMM, 1) { // no place agrees with its surroundings
		out.ThinnestMM = slices.Min(seen)
	}
	q := quantiles(seen, areas, 0.01, 0.1, 0.5)
	out.Share1MM, out.Share10MM, out.Share50MM = q[0], q[1], q[2]
	return out
}

// mostTried bounds what all rays try, and with it time: a ray through a thing meets a dozen
// triangles, one through a surface that lies on itself a thousand times over all of them.
const mostTried = 5e7

// rays measures inward from every facet and every vertex, and tells which facets have
// another that opposes them. Where that would take for ever, it measures some of them.
func (m *Mesh) rays() (facet, vertex []float64, oppose []bool) {
	tree := NewTree(m)
	skin := 1e-6 * m.Box.Diagonal()
	inward := func(p, n Vec) (mm float64, wall bool, tried int) {
		l := n.Len()
		if l == 0 {
			return math.Inf(1), false, 0
		}
		hit, met, tried := tree.trace(p, n.Mul(-1/l), skin)
		if !met || hit.Facing <= 0 {
			return math.Inf(1), false, tried
		}
		return hit.MM, hit.Facing >= opposing, tried
	}
	tried, probes := 0, min(len(m.Triangles), 64)
	for k := range probes {
		t := m.Triangles[k*len(m.Triangles)/probes]
		_, _, n := inward(m.middle(t), m.normal(t))
		tried += n
	}
	step := 1
	if all := float64(tried) / float64(max(probes, 1)) * float64(len(m.Triangles)+len(m.Vertices)); all > mostTried {
		step = int(math.Ceil(all / mostTried))
	}
	w := workers(len(m.Triangles))
	facet, oppose = make([]float64, len(m.Triangles)), make([]bool, len(m.Triangles))
	spread(len(m.Triangles), w, func(_, from, to int) {
		for i := from; i < to; i++ {
			facet[i] = math.Inf(1)
			if t := m.Triangles[i]; i%step == 0 {
				facet[i], oppose[i], _ = inward(m.middle(t), m.normal(t))
			}
		}
	})
	normals := make([]Vec, len(m.Vertices))
	for _, t := range m.Triangles {
		n := m.normal(t)
		for _, v := range t {
			normals[v] = normals[v].Add(n)
		}
	}
	vertex = make([]float64, len(m.Vertices))
	spread(len(m.Vertices), w, func(_, from, to int) {
		for i := from; i < to; i++ {
			vertex[i] = math.Inf(1)
			if i%step == 0 {
				vertex[i], _, _ = inward(m.Vertices[i], normals[i])
			}
		}
	})
	return facet, vertex, oppose
}

// middle returns a triangle's centroid.
func (m *Mesh) middle(t [3]int32) Vec {
	return m.Vertices[t[0]].Add(m.Vertices[t[1]]).Add(m.Vertices[t[2]]).Mul(1.0 / 3)
}
