package solid

import (
	"slices"

	"sakuji/core/mesh"
)

// skin leaves out what of the faces lies within the matter of other shells: the wall is
// measured from what can be touched. Faces that dive into another shell are divided
// until pieces of a sixteenth of the wall are in or out.
func skin(m *mesh.Mesh, wall float64) *mesh.Mesh {
	shells, of := m.Shells()
	common := make([]mesh.Box, len(shells)) // where other shells may be met
	some := false
	for i := range shells {
		common[i] = mesh.EmptyBox()
		for k := range shells {
			if i != k && shells[i].Depth == 0 && shells[k].Depth == 0 && shells[i].Box.Meets(shells[k].Box) {
				common[i], some = common[i].Union(shells[i].Box.Common(shells[k].Box)), true
			}
		}
	}
	if !some {
		return m
	}
	d := &diver{tree: mesh.NewTree(m), off: 1e-5 * m.Box.Diagonal(), large: 2 * wall, small: wall / 16}
	parts := make([][][3]mesh.Vec, 64)
	shared(len(m.Triangles), 64, func(k, from, to int) {
		for i := from; i < to; i++ {
			t := m.Triangles[i]
			corners := [3]mesh.Vec{m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]}
			box := mesh.EmptyBox()
			for _, p := range corners {
				box.Add(p)
			}
			if n := corners[1].Sub(corners[0]).Cross(corners[2].Sub(corners[0])); n.Len() == 0 || !box.Meets(common[of[i]]) {
				parts[k] = append(parts[k], corners)
			} else if kept, whole := d.dive(corners, n.Mul(d.off/n.Len())); whole {
				parts[k] = append(parts[k], corners)
			} else {
				parts[k] = append(parts[k], kept...)
			}
		}
	})
	out := &mesh.Mesh{Box: m.Box}
	for _, t := range slices.Concat(parts...) {
		n := int32(len(out.Vertices))
		out.Vertices = append(out.Vertices, t[0], t[1], t[2])
		out.Triangles = append(out.Triangles, [3]int32{n, n + 1, n + 2})
	}
	return out
}

// diver tells which pieces of a face can be touched.
type diver struct {
	tree         *mesh.Tree
	off          float64 // how far off its face a place is asked
	large, small float64 // sides over which a piece is divided whatever it shows, and under which no more
}

// dive returns the pieces that can be touched; whole when that is all of it.
func (d *diver) dive(t [3]mesh.Vec, n mesh.Vec) (kept [][3]mesh.Vec, whole bool) {
	middle := t[0].Add(t[1]).Add(t[2]).Mul(1.0 / 3)
	hidden := 0
	for _, p := range [4]mesh.Vec{middle, t[0].Mul(0.98).Add(middle.Mul(0.02)), t[1].Mul(0.98).Add(middle.Mul(0.02)), t[2].Mul(0.98).Add(middle.Mul(0.02))} {
		if d.tree.Winding(p.Add(n)) > 0 {
			hidden++
		}
	}
	u, v, w := t[1].Sub(t[0]).Len(), t[2].Sub(t[1]).Len(), t[0].Sub(t[2]).Len()
	longest := max(u, v, w)
	switch {
	case hidden == 0 && longest <= d.large:
		return nil, true
	case hidden == 4 && longest <= d.large:
		return nil, false
	case longest <= d.small:
		if hidden < 3 {
			return nil, true
		}
		return nil, false
	}
	for longest != u { // its longest side is halved
		t, u, v, w = [3]mesh.Vec{t[1], t[2], t[0]}, v, w, u
	}
	m := t[0].Add(t[1]).Mul(0.5)
	one, other := [3]mesh.Vec{t[0], m, t[2]}, [3]mesh.Vec{m, t[1], t[2]}
	k1, w1 := d.dive(one, n)
	k2, w2 := d.dive(other, n)
	if w1 && w2 {
		return nil, true
	}
	if w1 {
		k1 = [][3]mesh.Vec{one}
	}
	if w2 {
		k2 = [][3]mesh.Vec{other}
	}
	return append(k1, k2...), false
}
