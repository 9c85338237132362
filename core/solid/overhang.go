package solid

import (
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Overhang is what hangs over nothing in the standing position of the mesh.
type Overhang struct {
	VolumeMM3    float64 `json:"volume"`    // room between overhanging faces and what is below them
	AreaMM2      float64 `json:"area"`      // projected area of those faces
	FootprintMM2 float64 `json:"footprint"` // area that lies flat on the plate
	ShadowMM2    float64 `json:"shadow"`    // projected area of the whole part
}

// OverhangDeg is the usual limit, from the vertical, beyond which a face needs
// holding. Source: common practice, 45–50°.
const OverhangDeg = 45

// OverhangOf walks the part in vertical lines through a grid of about a hundred
// and sixty cells along its longer side. Under every face that leans further than
// limitDeg from the vertical it measures the room down to the next surface or the
// plate. A face within 0.2 mm of the plate lies on it.
func OverhangOf(m *mesh.Mesh, limitDeg float64) Overhang {
	var o Overhang
	size := m.Box.Size()
	cell := max(size.X, size.Y) / 160
	if cell <= 0 {
		return o
	}
	steep := math.Sin(limitDeg * math.Pi / 180)
	nx, ny := int(size.X/cell)+1, int(size.Y/cell)+1
	type hit struct {
		z    float64
		hang bool
		down bool
	}
	columns := make([][]hit, nx*ny)
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]].Sub(m.Box.Min), m.Vertices[t[1]].Sub(m.Box.Min), m.Vertices[t[2]].Sub(m.Box.Min)
		normal := b.Sub(a).Cross(c.Sub(a))
		if normal.Z == 0 {
			continue
		}
		up := normal.Z / normal.Len()
		rows := func(v float64) int { return int(math.Ceil(v/cell - 0.5)) }
		for y := max(0, rows(min(a.Y, b.Y, c.Y))); y < ny && (float64(y)+0.5)*cell <= max(a.Y, b.Y, c.Y); y++ {
			for x := max(0, rows(min(a.X, b.X, c.X))); x < nx && (float64(x)+0.5)*cell <= max(a.X, b.X, c.X); x++ {
				px, py := (float64(x)+0.5)*cell, (float64(y)+0.5)*cell
				if !covers(a, b, c, px, py) {
					continue
				}
				z := a.Z - (normal.X*(px-a.X)+normal.Y*(py-a.Y))/normal.Z
				columns[y*nx+x] = append(columns[y*nx+x], hit{z, -up > steep, up < 0})
			}
		}
	}
	for _, hits := range columns {
		if len(hits) == 0 {
			continue
		}
		o.ShadowMM2 += cell * cell
		slices.SortFunc(hits, func(p, q hit) int {
			switch {
			case p.z < q.z:
				return -1
			case p.z > q.z:
				return 1
			}
			return 0
		})
		below := 0.0
		for _, h := range hits {
			switch {
			case h.down && h.z < 0.2:
				o.FootprintMM2 += cell * cell
			case h.hang && h.z-below > 0.2:
				o.AreaMM2 += cell * cell
				o.VolumeMM3 += cell * cell * (h.z - below)
			}
			below = h.z
		}
	}
	return o
}

// covers reports whether (x, y) lies in the triangle's plan. Edges count by a
// half-open rule, so that neighbours never both cover a point.
func covers(a, b, c mesh.Vec, x, y float64) bool {
	in := false
	for _, e := range [3][2]mesh.Vec{{a, b}, {b, c}, {c, a}} {
		p, q := e[0], e[1]
		if p.Y > q.Y || p.Y == q.Y && p.X > q.X {
			p, q = q, p
		}
		if (p.Y <= y) != (q.Y <= y) && (q.X-p.X)*(y-p.Y) > (x-p.X)*(q.Y-p.Y) {
			in = !in
		}
	}
	return in
}

// Scaled returns the overhang of the part at k times its size.
func (o Overhang) Scaled(k float64) Overhang {
	return Overhang{o.VolumeMM3 * k * k * k, o.AreaMM2 * k * k, o.FootprintMM2 * k * k, o.ShadowMM2 * k * k}
}
