package solid

import (
	"math"

	"sakuji/core/mesh"
)

// Detail is how finely a surface is worked: the length of its creases by how sharp they
// are. A crease is counted whole where the surface turns by a right angle along it, and
// in proportion where it turns by less, so that an edge rounded in ten facets counts as
// one of a single bend. Radii and lengths are those of the mesh.
type Detail struct {
	RaisedMM []float64 `json:"raised"` // length of creases that stand out, sharper than DetailRadiiMM[i]
	HollowMM []float64 `json:"hollow"` // of those that go in
}

// DetailRadiiMM are the radii up to which creases are told apart. A bend of CreaseDeg and
// more between two facets is sharper than all of them.
var DetailRadiiMM = []float64{0.0625, 0.125, 0.25, 0.5, 1, 2, 4, 8, 16, 32}

// CreaseDeg is the bend between two facets that is a crease however large they are.
// Source: from memory.
const CreaseDeg = 30

// SharpMM is the radius of bend, as printed, up to which paper, brush and tape go slower.
// Source: from memory.
const SharpMM = 1.0

// bend is an edge between two facets.
type bend struct {
	a, b     int // the facets
	lengthMM float64
	turn     float64 // by how much the surface turns there, in radians
	into     bool    // it goes in
	acrossMM float64 // from the middle of one facet to that of the other
}

// eachBend passes the edges at which a mesh's surface turns.
func eachBend(m *mesh.Mesh, do func(bend)) {
	normals := make([]mesh.Vec, len(m.Triangles))
	for i, t := range m.Triangles {
		normals[i] = m.Vertices[t[1]].Sub(m.Vertices[t[0]]).Cross(m.Vertices[t[2]].Sub(m.Vertices[t[0]]))
	}
	for i, beside := range m.Neighbours() {
		for k, n := range beside {
			if int(n) <= i {
				continue
			}
			a, b := normals[i], normals[n]
			la, lb := a.Len(), b.Len()
			along := m.Vertices[m.Triangles[i][(k+1)%3]].Sub(m.Vertices[m.Triangles[i][k]])
			length := along.Len()
			if la == 0 || lb == 0 || length == 0 {
				continue
			}
			across := a.Cross(b)
			if turn := math.Atan2(across.Len(), a.Dot(b)); turn >= 1e-3 {
				do(bend{i, int(n), length, turn, across.Dot(along) < 0, (la + lb) / length / 2})
			}
		}
	}
}

// DetailOf measures the creases of a mesh between facets that count. It takes time in
// proportion to its triangles.
func DetailOf(m *mesh.Mesh, counts func(facet int) bool) Detail {
	d := Detail{RaisedMM: make([]float64, len(DetailRadiiMM)), HollowMM: make([]float64, len(DetailRadiiMM))}
	eachBend(m, func(e bend) {
		if !counts(e.a) || !counts(e.b) {
			return
		}
		// How wide the two facets are across the edge tells over what the turn is spread:
		// from middle to middle, half of both heights.
		radius := e.acrossMM / e.turn
		if e.turn >= CreaseDeg*math.Pi/180 {
			radius = 0
		}
		list := d.RaisedMM
		if e.into {
			list = d.HollowMM
		}
		for r, limit := range DetailRadiiMM {
			if radius <= limit {
				list[r] += e.lengthMM * e.turn / (math.Pi / 2)
			}
		}
	})
	return d
}

// BentMM is a mesh's mean curvature, summed over its surface: a wall laid inward of it takes
// area × wall − bent × wall². Edges that stand out cut a wall off by the tangent of half
// their angle, those that go in widen it by an arc [published: Steiner's formula for
// parallel bodies; e.g. Schneider, Convex Bodies]. 4πr of a ball, 12a of a cube.
func BentMM(m *mesh.Mesh) (mm float64) {
	eachBend(m, func(e bend) {
		if e.into {
			mm -= e.lengthMM * e.turn / 2
		} else {
			mm += e.lengthMM * math.Tan(min(e.turn, math.Pi*2/3)/2)
		}
	})
	return mm
}

// At returns the length of creases, as printed at a scale, that are sharper then than
// SharpMM: those that stand out and those that go in.
func (d Detail) At(scale float64) (raisedMM, hollowMM float64) {
	if scale <= 0 || len(d.RaisedMM) != len(DetailRadiiMM) || len(d.HollowMM) != len(DetailRadiiMM) {
		return 0, 0
	}
	// Between two radii the length grows evenly with the logarithm.
	n := len(DetailRadiiMM)
	f := math.Log2(SharpMM / scale / DetailRadiiMM[0])
	f = max(0, min(float64(n-1), f))
	i := min(n-2, int(f))
	w := f - float64(i)
	return scale * (d.RaisedMM[i]*(1-w) + d.RaisedMM[i+1]*w), scale * (d.HollowMM[i]*(1-w) + d.HollowMM[i+1]*w)
}

// Measured reports whether the detail of a mesh is known.
func (d Detail) Measured() bool { return len(d.RaisedMM) == len(DetailRadiiMM) }
