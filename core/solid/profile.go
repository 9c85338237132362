// Package solid is a mesh seen as something to print: its slices, the room under
// its overhangs, its outline on the plate. It never decides; it measures what a
// decision needs. All lengths are millimetres of the mesh as it stands, z up.
package solid

import (
	"math"

	"sakuji/core/mesh"
)

// Slice is what one horizontal cut shows.
type Slice struct {
	AreaMM2     float64 `json:"a"`
	PerimeterMM float64 `json:"p"`
}

// Profile is a part's slices at evenly spaced heights, slice i in the middle of
// the i-th of equal slabs from the lowest point to the highest.
type Profile struct {
	HeightMM float64 `json:"h"`
	Slices   []Slice `json:"s"`
}

// ProfileOf cuts the mesh n times. The area is the sum of signed areas under the
// cut segments, so holes and cavities count as such; on a mesh with open edges it
// is off by what is missing.
func ProfileOf(m *mesh.Mesh, n int) Profile {
	height := m.Box.Size().Z
	p := Profile{HeightMM: height, Slices: make([]Slice, n)}
	if height <= 0 {
		return p
	}
	slab, low, mid := height/float64(n), m.Box.Min.Z, m.Box.Centre()
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]].Sub(mid), m.Vertices[t[1]].Sub(mid), m.Vertices[t[2]].Sub(mid)
		bottom, top := min(a.Z, b.Z, c.Z)+mid.Z-low, max(a.Z, b.Z, c.Z)+mid.Z-low
		normal := b.Sub(a).Cross(c.Sub(a))
		for i := max(0, int(math.Ceil(bottom/slab-0.5))); i < n; i++ {
			z := (float64(i) + 0.5) * slab
			if z > top {
				break
			}
			p1, p2, ok := cut(a, b, c, z+low-mid.Z)
			if !ok {
				continue
			}
			dx, dy := p2.X-p1.X, p2.Y-p1.Y
			signed := (p1.X*p2.Y - p2.X*p1.Y) / 2
			if dx*-normal.Y+dy*normal.X < 0 { // solid lies left of the segment
				signed = -signed
			}
			p.Slices[i].AreaMM2 += signed
			p.Slices[i].PerimeterMM += math.Hypot(dx, dy)
		}
	}
	for i := range p.Slices {
		p.Slices[i].AreaMM2 = math.Abs(p.Slices[i].AreaMM2)
	}
	return p
}

// cut returns the segment in which a triangle meets the plane at z. A corner on
// the plane counts as above it, so that two triangles never share a point.
func cut(a, b, c mesh.Vec, z float64) (p, q mesh.Vec, ok bool) {
	var ends [2]mesh.Vec
	n := 0
	for _, e := range [3][2]mesh.Vec{{a, b}, {b, c}, {c, a}} {
		if (e[0].Z < z) == (e[1].Z < z) {
			continue
		}
		t := (z - e[0].Z) / (e[1].Z - e[0].Z)
		ends[n] = e[0].Add(e[1].Sub(e[0]).Mul(t))
		n++
	}
	return ends[0], ends[1], n == 2
}

// At returns the slice at a height between 0 and HeightMM, interpolated.
func (p Profile) At(zMM float64) Slice {
	n := len(p.Slices)
	if n == 0 || p.HeightMM <= 0 {
		return Slice{}
	}
	f := zMM/p.HeightMM*float64(n) - 0.5
	i := max(0, min(n-1, int(math.Floor(f))))
	k := min(n-1, i+1)
	w := max(0, min(1, f-float64(i)))
	a, b := p.Slices[i], p.Slices[k]
	return Slice{a.AreaMM2*(1-w) + b.AreaMM2*w, a.PerimeterMM*(1-w) + b.PerimeterMM*w}
}

// Scaled returns the profile of the part at k times its size.
func (p Profile) Scaled(k float64) Profile {
	out := Profile{HeightMM: p.HeightMM * k, Slices: make([]Slice, len(p.Slices))}
	for i, s := range p.Slices {
		out.Slices[i] = Slice{s.AreaMM2 * k * k, s.PerimeterMM * k}
	}
	return out
}

// VolumeMM3 integrates the slices.
func (p Profile) VolumeMM3() float64 {
	var sum float64
	for _, s := range p.Slices {
		sum += s.AreaMM2
	}
	return sum * p.HeightMM / float64(max(1, len(p.Slices)))
}
