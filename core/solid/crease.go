package solid

import (
	"math"
	"slices"

	"sakuji/core/mesh"
)

// crease takes edges that cut off a crease of the hollow into it: where the middle of one
// lies too deep it gets a vertex, on both planes that the wall follows at its ends.
func (f *field) crease() {
	const tolerance = hollowErrorMM / 4
	// After the first round only what changed is looked at again.
	f.fresh = make([]bool, len(f.inner.Triangles))
	for i := range f.fresh {
		f.fresh[i] = true
	}
	for round := range 6 {
		f.bends(tolerance)
		done := f.edgesIn(tolerance)
		if round > 0 {
			done = f.cornersIn(tolerance) || done
		}
		if !done && round > 0 {
			return
		}
	}
}

// bends finds the vertices beside which the wall bends so much that a chord may lie deeper
// than the tolerance: a quarter of its length times the bend.
func (f *field) bends(tolerance float64) {
	m := f.inner
	normals := make([]mesh.Vec, len(m.Triangles))
	shared(len(normals), 1024, func(_, from, to int) {
		for i := from; i < to; i++ {
			t := m.Triangles[i]
			n := m.Vertices[t[1]].Sub(m.Vertices[t[0]]).Cross(m.Vertices[t[2]].Sub(m.Vertices[t[0]]))
			normals[i] = n.Mul(1 / max(n.Len(), 1e-300))
		}
	})
	f.bent = make([]bool, len(m.Vertices))
	for i, beside := range m.Neighbours() {
		t := m.Triangles[i]
		for k, n := range beside {
			if int(n) < i {
				continue
			}
			u, v := t[k], t[(k+1)%3]
			if normals[i].Cross(normals[n]).Len()*m.Vertices[u].Sub(m.Vertices[v]).Len() > 4*tolerance {
				f.bent[u], f.bent[v] = true, true
			}
		}
	}
}

// isBent reports whether the wall bends beside a vertex, or may.
func (f *field) isBent(v int32) bool { return int(v) >= len(f.bent) || f.bent[v] }

// edgesIn takes edges beside a bend into the crease.
func (f *field) edgesIn(tolerance float64) bool {
	m := f.inner
	sides, over := f.bentSides()
	if len(sides) == 0 {
		f.fresh = make([]bool, len(m.Triangles))
		return false
	}
	to := make([][]mesh.Vec, len(sides))
	shared(len(sides), 256, func(_, from, until int) {
		for i := from; i < until; i++ {
			a, b := m.Vertices[sides[i][0]], m.Vertices[sides[i][1]]
			all := f.intoCrease(a, b, tolerance)
			for _, p := range all {
				if !folds(m, over[i], p) {
					to[i] = append(to[i], p)
				}
			}
			// Where nothing else helps, a small fold is better than a wall much too thick.
			if middle := a.Add(b).Mul(0.5); len(all) > 0 && to[i] == nil && f.tree.Nearest(middle, f.wall+2*slitMM) > f.wall+0.7*slitMM {
				to[i] = all
			}
		}
	})
	cut := map[[2]int32]int32{}
	for i, e := range sides {
		if k := slices.IndexFunc(to[i], f.free); k >= 0 {
			cut[e] = int32(len(m.Vertices))
			m.Vertices = append(m.Vertices, f.aside(to[i][k]))
		}
	}
	f.fresh = refine(m, cut)
	return len(cut) > 0
}

// bentSides lists the sides of fresh triangles beside a bend, and the two triangles beside
// each, beginning at that side.
func (f *field) bentSides() (sides [][2]int32, over [][2][3]int32) {
	m := f.inner
	each := func(fresh bool, do func(key [2]int32, t [3]int32)) {
		for i, t := range m.Triangles {
			if fresh && !f.fresh[i] || !f.isBent(t[0]) && !f.isBent(t[1]) && !f.isBent(t[2]) {
				continue
			}
			for k := range 3 {
				if u, v := t[k], t[(k+1)%3]; f.isBent(u) || f.isBent(v) {
					do([2]int32{min(u, v), max(u, v)}, [3]int32{u, v, t[(k+2)%3]})
				}
			}
		}
	}
	seen := map[[2]int32]int{}
	each(true, func(key [2]int32, _ [3]int32) {
		if _, ok := seen[key]; !ok {
			seen[key] = len(sides)
			sides = append(sides, key)
		}
	})
	if len(sides) == 0 {
		return nil, nil
	}
	over = make([][2][3]int32, len(sides))
	each(false, func(key [2]int32, t [3]int32) {
		if at, ok := seen[key]; ok {
			if over[at][0] == ([3]int32{}) {
				over[at][0] = t
			} else {
				over[at][1] = t
			}
		}
	})
	return sides, over
}

// folds reports whether a vertex put at p on the first side of triangles would turn a part
// of one over.
func folds(m *mesh.Mesh, beside [2][3]int32, p mesh.Vec) bool {
	for _, t := range beside {
		if t == ([3]int32{}) {
			continue
		}
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		n := b.Sub(a).Cross(c.Sub(a))
		one, other := p.Sub(a).Cross(c.Sub(a)), b.Sub(p).Cross(c.Sub(p))
		if least := 0.1 * n.Len(); one.Dot(n) <= least*one.Len() || other.Dot(n) <= least*other.Len() {
			return true
		}
	}
	return false
}

// free reports whether no vertex was laid into a crease so near that the two would be
// one in a file; the place is taken then.
func (f *field) free(p mesh.Vec) bool {
	side := f.step / 50
	if f.taken == nil {
		f.taken = map[[3]int32]bool{}
	}
	at := [3]int32{int32(math.Floor(p.X / side)), int32(math.Floor(p.Y / side)), int32(math.Floor(p.Z / side))}
	for k := range 27 {
		if f.taken[[3]int32{at[0] + int32(k%3) - 1, at[1] + int32(k/3%3) - 1, at[2] + int32(k/9) - 1}] {
			return false
		}
	}
	f.taken[at] = true
	return true
}

// aside moves a place by a hair: three in a line along a crease would be a triangle
// without area.
func (f *field) aside(p mesh.Vec) mesh.Vec {
	const hairMM = 4e-4
	k := float64(len(f.inner.Vertices))
	part := func(by float64) float64 { _, x := math.Modf(k * by); return hairMM * (x - 0.5) }
	return p.Add(mesh.Vec{X: part(0.7548776662), Y: part(0.5698402910), Z: part(0.8191725134)})
}

// cornersIn gives triangles that cut off a corner of the hollow a vertex in it.
func (f *field) cornersIn(tolerance float64) (done bool) {
	m := f.inner
	reach := f.wall + 2*f.step
	n := len(m.Triangles)
	to, deep := make([]mesh.Vec, n), make([]bool, n)
	shared(n, 256, func(_, from, until int) {
		for i := from; i < until; i++ {
			var p [3]mesh.Vec
			bent := false
			for k, v := range m.Triangles[i] {
				p[k] = m.Vertices[v]
				bent = bent || f.isBent(v)
			}
			if !bent || !f.fresh[i] {
				continue
			}
			middle := p[0].Add(p[1]).Add(p[2]).Mul(1.0 / 3)
			q, d, ok := f.tree.NearestPoint(middle, reach)
			if !ok || d-f.wall < tolerance {
				continue
			}
			to[i], deep[i] = middle.Add(q.Sub(middle).Mul((d-f.wall)/d)), true
			var plane [3]mesh.Vec
			for k := range p {
				if q, d, ok := f.tree.NearestPoint(p[k], reach); ok {
					plane[k] = p[k].Sub(q).Mul(1 / d)
				}
			}
			// The place on all three planes.
			if det := plane[0].Dot(plane[1].Cross(plane[2])); math.Abs(det) > 0.03 {
				x := plane[1].Cross(plane[2]).Mul(plane[0].Dot(p[0])).Add(plane[2].Cross(plane[0]).Mul(plane[1].Dot(p[1]))).Add(plane[0].Cross(plane[1]).Mul(plane[2].Dot(p[2]))).Mul(1 / det)
				if x.Sub(middle).Len() < 1.5*f.step && math.Abs(f.tree.Nearest(x, reach)-f.wall) < tolerance/4 {
					to[i] = x
				}
			}
		}
	})
	for i := range n {
		if !deep[i] || !f.free(to[i]) {
			continue
		}
		done = true
		t, id := m.Triangles[i], int32(len(m.Vertices))
		m.Vertices = append(m.Vertices, f.aside(to[i]))
		m.Triangles[i] = [3]int32{t[0], t[1], id}
		m.Triangles = append(m.Triangles, [3]int32{t[1], t[2], id}, [3]int32{t[2], t[0], id})
		f.fresh[i] = true
		f.fresh = append(f.fresh, true, true)
	}
	return done
}

// intoCrease lists where the middle of an edge might lie, the best first; nothing if it
// does not lie too deep.
func (f *field) intoCrease(a, b mesh.Vec, tolerance float64) (to []mesh.Vec) {
	middle := a.Add(b).Mul(0.5)
	half := b.Sub(a).Len() / 2
	q, d, ok := f.tree.NearestPoint(middle, f.wall+f.step+half)
	if !ok || d-f.wall < tolerance {
		return nil
	}
	qa, da, okA := f.tree.NearestPoint(a, d+half+1e-9)
	qb, db, okB := f.tree.NearestPoint(b, d+half+1e-9)
	if okA && okB && da > 0 && db > 0 {
		na, nb := a.Sub(qa).Mul(1/da), b.Sub(qb).Mul(1/db)
		// The place nearest the middle on both planes: middle + x·na + y·nb.
		ha, hb, c := na.Dot(a.Sub(middle)), nb.Dot(b.Sub(middle)), na.Dot(nb)
		if det := 1 - c*c; det > 1e-3 {
			p := middle.Add(na.Mul((ha - c*hb) / det)).Add(nb.Mul((hb - c*ha) / det))
			if p.Sub(middle).Len() < 3*half && math.Abs(f.tree.Nearest(p, f.wall+tolerance)-f.wall) < tolerance/4 {
				to = append(to, p)
			}
		}
	}
	return append(to, middle.Add(q.Sub(middle).Mul((d-f.wall)/d)))
}

// refine divides the triangles beside cut edges, so that none is left with a vertex in
// the middle of a side, and tells which triangles are new.
func refine(m *mesh.Mesh, cut map[[2]int32]int32) (fresh []bool) {
	n := len(m.Triangles)
	fresh = make([]bool, n, n+2*len(cut))
	for i := range n {
		t := m.Triangles[i]
		var mid [3]int32
		have := 0
		for k := range 3 {
			u, v := t[k], t[(k+1)%3]
			id, ok := cut[[2]int32{min(u, v), max(u, v)}]
			if mid[k] = -1; ok {
				mid[k] = id
				have++
			}
		}
		if have == 0 {
			continue
		}
		fresh[i] = true
		// Turn it so that the first side is cut, and of two the first and the second.
		for mid[0] < 0 || have == 2 && mid[1] < 0 {
			t, mid = [3]int32{t[1], t[2], t[0]}, [3]int32{mid[1], mid[2], mid[0]}
		}
		switch have {
		case 1:
			m.Triangles[i] = [3]int32{t[0], mid[0], t[2]}
			m.Triangles = append(m.Triangles, [3]int32{mid[0], t[1], t[2]})
		case 2:
			m.Triangles[i] = [3]int32{mid[0], t[1], mid[1]}
			m.Triangles = append(m.Triangles, [3]int32{t[0], mid[0], mid[1]}, [3]int32{t[0], mid[1], t[2]})
		default:
			m.Triangles[i] = [3]int32{mid[0], mid[1], mid[2]}
			m.Triangles = append(m.Triangles, [3]int32{t[0], mid[0], mid[2]}, [3]int32{mid[0], t[1], mid[1]}, [3]int32{mid[2], mid[1], t[2]})
		}
	}
	for len(fresh) < len(m.Triangles) {
		fresh = append(fresh, true)
	}
	return fresh
}
