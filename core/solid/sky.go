package solid

import (
	"math"

	"sakuji/core/mesh"
)

// skyGrid is how many cells the longer side of the part has when it is looked at, and
// skyPlaces of how many places, evenly over its surface, it is asked what they see.
const (
	skyGrid   = 256
	skyPlaces = 3000
)

// skyLaid is how many times over the grid triangles are laid; a thing lies a few times over
// itself, and what does so a thousand times shows no more than its first layers.
const skyLaid = 16

// SkyOf says of every facet what share of its sky it sees: 1 where nothing stands before it, 0
// in a closed hollow. The sky is weighed by the cosine to the facet's normal, as light is, so
// that inside a ball with a cap cut off each place sees the cap's share of the ball's surface
// [published: view factors in a spherical enclosure; e.g. Howell, A Catalog of Radiation Heat
// Transfer Configuration Factors, C-134]. The part is looked at from some directions, evenly
// spread; a large facet is asked in several places.
func SkyOf(m *mesh.Mesh) []float64 {
	n := len(m.Triangles)
	directions := sphere(max(40, min(96, 10_000_000/max(1, n))))
	seen, all := make([]float64, n), make([]float64, n)
	normals, places := make([]mesh.Vec, n), make([]int, n)
	var area float64
	for i, t := range m.Triangles {
		normals[i] = m.Vertices[t[1]].Sub(m.Vertices[t[0]]).Cross(m.Vertices[t[2]].Sub(m.Vertices[t[0]]))
		area += normals[i].Len()
	}
	for i, v := range normals {
		l := v.Len()
		places[i] = max(1, min(64, int(skyPlaces*l/max(area, 1e-300))))
		normals[i] = v.Mul(1 / max(l, 1e-300))
	}
	view := newSkyView(m)
	for _, d := range directions {
		view.look(d)
		shared(n, 4096, func(_, from, to int) {
			for i := from; i < to; i++ {
				if w := normals[i].Dot(d); w > 0 {
					all[i] += w
					seen[i] += w * view.share(i, places[i], w)
				}
			}
		})
	}
	for i := range seen {
		if all[i] > 0 {
			seen[i] /= all[i]
		}
	}
	return seen
}

// skyView is a part as it is seen from one direction: how near the nearest surface lies in
// each cell of a grid across it.
type skyView struct {
	mesh   *mesh.Mesh
	eye    []mesh.Vec // vertices as the eye has them: right, up, near
	cell   float64
	wide   int
	layers [][]float32 // of each processor; the first holds what all laid
}

func newSkyView(m *mesh.Mesh) *skyView {
	v := &skyView{mesh: m, eye: make([]mesh.Vec, len(m.Vertices)), wide: skyGrid + 2}
	v.cell = max(m.Box.Diagonal(), 1e-300) / skyGrid
	for range max(1, shared(len(m.Triangles), 4096, func(_, _, _ int) {})) {
		v.layers = append(v.layers, make([]float32, v.wide*v.wide))
	}
	return v
}

// look turns the part to an eye far off in a direction.
func (v *skyView) look(d mesh.Vec) {
	m := v.mesh
	right := mesh.Vec{Z: 1}.Cross(d)
	if right.Len() < 1e-6 {
		right = mesh.Vec{X: 1}
	}
	right = right.Mul(1 / right.Len())
	up, centre := d.Cross(right), m.Box.Centre()
	half := float64(skyGrid+2) / 2 * v.cell
	shared(len(m.Vertices), 4096, func(_, from, to int) {
		for i := from; i < to; i++ {
			p := m.Vertices[i].Sub(centre)
			v.eye[i] = mesh.Vec{X: (p.Dot(right) + half) / v.cell, Y: (p.Dot(up) + half) / v.cell, Z: p.Dot(d)}
		}
	})
	shared(len(m.Triangles), 4096, func(k, from, to int) {
		layer := v.layers[k]
		for i := range layer {
			layer[i] = float32(math.Inf(-1))
		}
		left := skyLaid * len(layer) / len(v.layers)
		for i := from; i < to; i++ {
			v.lay(layer, i, &left)
		}
	})
	for _, layer := range v.layers[1:] {
		for i, z := range layer {
			v.layers[0][i] = max(v.layers[0][i], z)
		}
	}
}

// lay lays a triangle over the cells whose middles it holds.
func (v *skyView) lay(layer []float32, i int, left *int) {
	t := v.mesh.Triangles[i]
	a, b, c := v.eye[t[0]], v.eye[t[1]], v.eye[t[2]]
	x1, x2 := int(math.Ceil(min(a.X, b.X, c.X)-0.5)), int(max(a.X, b.X, c.X)-0.5)
	y1, y2 := int(math.Ceil(min(a.Y, b.Y, c.Y)-0.5)), int(max(a.Y, b.Y, c.Y)-0.5)
	ux, uy, vx, vy := b.X-a.X, b.Y-a.Y, c.X-a.X, c.Y-a.Y
	det := ux*vy - uy*vx
	if x1 > x2 || y1 > y2 || det == 0 {
		return // it lies between cells
	}
	if *left -= (x2 - x1 + 1) * (y2 - y1 + 1); *left < 0 {
		return
	}
	for y := max(0, y1); y <= min(y2, v.wide-1); y++ {
		for x := max(0, x1); x <= min(x2, v.wide-1); x++ {
			dx, dy := float64(x)+0.5-a.X, float64(y)+0.5-a.Y
			p, q := (dx*vy-dy*vx)/det, (ux*dy-uy*dx)/det
			if p >= 0 && q >= 0 && p+q <= 1 {
				at := y*v.wide + x
				layer[at] = max(layer[at], float32(a.Z+p*(b.Z-a.Z)+q*(c.Z-a.Z)))
			}
		}
	}
}

// share is how much of a facet the eye sees, asked in so many places. A cell is as deep as
// the facet leans.
func (v *skyView) share(i, places int, cosine float64) float64 {
	t := v.mesh.Triangles[i]
	a, b, c := v.eye[t[0]], v.eye[t[1]], v.eye[t[2]]
	slack := v.cell * (1 + math.Sqrt(1-cosine*cosine)/max(cosine, 0.1))
	free := 0
	for k := range places {
		p, q := 1.0/3, 1.0/3
		if places > 1 { // evenly over the triangle [published: Roberts, The Unreasonable Effectiveness of Quasirandom Sequences, 2018]
			_, p = math.Modf(0.5 + 0.7548776662*float64(k+1))
			_, q = math.Modf(0.5 + 0.5698402910*float64(k+1))
			if p+q > 1 {
				p, q = 1-p, 1-q
			}
		}
		x, y := a.X+p*(b.X-a.X)+q*(c.X-a.X), a.Y+p*(b.Y-a.Y)+q*(c.Y-a.Y)
		z := a.Z + p*(b.Z-a.Z) + q*(c.Z-a.Z)
		if float64(v.layers[0][int(y)*v.wide+int(x)]) <= z+slack {
			free++
		}
	}
	return float64(free) / float64(places)
}
