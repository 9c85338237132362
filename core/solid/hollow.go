package solid

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Hollowed is a part with the matter inside its wall taken out.
type Hollowed struct {
	Mesh      *mesh.Mesh
	SolidMM3  float64 // before
	VolumeMM3 float64 // after
	Cavities  []Cavity
	Bores     []Bore
	ErrorMM   float64 // by how much the wall may differ from what was asked
	SlitMM    float64 // how much thicker it is where the hollow would be narrower than about a step of the grid; such places stay filled
	GridMM    float64
	Slight    int // hollows so small that they were left solid
}

// Cavity is one closed hollow.
type Cavity struct {
	VolumeMM3 float64  `json:"volume_mm3"`
	Lowest    mesh.Vec `json:"lowest"`  // as the file stands: nearest the plate
	Highest   mesh.Vec `json:"highest"` // the far end as the part hangs
	Vented    bool     `json:"vented"`
	HeldMM3   float64  `json:"held_mm3"` // resin that stays in it however long it drains; all of it when it has no way out

	HeldAt mesh.Vec `json:"held_at"` // the lowest place of it, as it hangs

	mesh *mesh.Mesh // its wall, facing into it
}

// Drains are the holes that each cavity gets.
type Drains struct {
	Count      int
	DiameterMM float64
	Seen       mesh.Vec // a direction from which the part will be looked at; none when zero
}

// Why a part cannot be hollowed.
var (
	ErrOpen  = errors.New("its surface is not closed: mend it first")
	ErrThick = errors.New("no place in it is thick enough for that wall")
)

const (
	hollowErrorMM = 0.08       // of wall, that the grid is chosen for
	mostNodes     = 40_000_000 // of a grid
	slitMM        = 0.1        // of wall too much, after creases are followed
	leastHollow   = 50.0       // mm³; smaller hollows stay solid. Source: from memory
)

// Hollow takes the matter out that lies deeper than a wall, and bores drains. The inner
// wall is where the exact distance to the surface is the wall: found on a grid by marching
// tetrahedra [published: Doi and Koide, An efficient method of triangulating
// equi-valued surfaces by using tetrahedral cells, 1991], each of its vertices then moved
// to the distance itself, and edges that cut across a crease of the hollow taken into it.
//
// ErrorMM bounds the wall. That it is too thin by no more is certain: the square of the
// distance less the square of the place is concave [published: Cannarsa and Sinestrari,
// Semiconcave Functions, 2004], which bounds the distance everywhere on a triangle by
// those at its corners, or at the corners of its quarters. That it is too thick by no more is measured at the middle of
// every triangle, and of every side where the wall bends.
func Hollow(m *mesh.Mesh, wallMM float64, drains Drains) (Hollowed, error) {
	if !(wallMM > 0) || math.IsInf(wallMM, 1) {
		return Hollowed{}, fmt.Errorf("a wall of %g mm", wallMM)
	}
	m = m.Sound()
	d := m.Measure()
	if !d.Watertight {
		return Hollowed{}, ErrOpen
	}
	f, err := newField(m, wallMM)
	if err != nil {
		return Hollowed{}, err
	}
	f.march()
	f.settle()
	f.crease()
	out := Hollowed{SolidMM3: d.VolumeMM3, VolumeMM3: d.VolumeMM3, GridMM: f.step, ErrorMM: f.bound(), SlitMM: f.slits.mm}
	shells, of := f.inner.Shells()
	walls := make([]*mesh.Mesh, len(shells))
	for i := range walls {
		walls[i] = &mesh.Mesh{Vertices: f.inner.Vertices, Box: shells[i].Box}
	}
	for i, t := range f.inner.Triangles {
		walls[of[i]].Triangles = append(walls[of[i]].Triangles, t)
	}
	for i, s := range shells {
		// A hollow's wall faces into it. One that faces the other way is an island of
		// matter within a hollow: there is none, for it would have a wall of its own.
		if -s.VolumeMM3 < leastHollow {
			out.Slight++
			continue
		}
		out.Cavities = append(out.Cavities, Cavity{VolumeMM3: -s.VolumeMM3, mesh: walls[i]})
	}
	if len(out.Cavities) == 0 {
		return Hollowed{}, ErrThick
	}
	slices.SortStableFunc(out.Cavities, func(a, b Cavity) int { return cmp.Compare(b.VolumeMM3, a.VolumeMM3) })
	for i := range out.Cavities {
		c := &out.Cavities[i]
		c.Lowest, c.Highest = c.ends()
		c.HeldMM3, c.HeldAt = c.VolumeMM3, c.Highest
		out.VolumeMM3 -= c.VolumeMM3
	}
	out.bore(m, f.tree, wallMM, drains)
	return out, nil
}

// ends are the lowest and the highest place of a cavity.
func (c *Cavity) ends() (low, high mesh.Vec) {
	low, high = mesh.Vec{Z: math.Inf(1)}, mesh.Vec{Z: math.Inf(-1)}
	for _, t := range c.mesh.Triangles {
		for _, v := range t {
			if p := c.mesh.Vertices[v]; p.Z < low.Z {
				low = p
			} else if p.Z > high.Z {
				high = p
			}
		}
	}
	return low, high
}

// field is the distance to a part's surface on a grid, as far as it matters.
type field struct {
	tree       *mesh.Tree
	inside     *columns
	wall       float64
	low        mesh.Vec
	step       float64
	nx, ny, nz int
	depth      []float32 // of a node: its distance less the wall, negative outside; NaN where nobody asked
	cells      []int32   // those that the inner wall may pass, by their lowest node
	inner      *mesh.Mesh
	slits      slits
	dist       []float64 // of vertices to the surface, where it is known; 0 elsewhere
	fresh      []bool    // triangles not looked at yet for creases
	bent       []bool    // the vertices beside which the inner wall bends
	taken      map[[3]int32]bool
	edges      [][2]int32 // the nodes between which each vertex lies, the deep one first
}

// blockCells is how many cells along each side are looked at together first.
const blockCells = 8

func newField(m *mesh.Mesh, wall float64) (*field, error) {
	f := &field{tree: mesh.NewTree(skin(m, wall)), wall: wall}
	size := m.Box.Size()
	// So fine that on a triangle the wall is off by no more than is wished for: the ball
	// around one is up to 0.9 steps wide.
	f.step = 1.1 * math.Sqrt(wall*wall-math.Pow(max(wall/2, wall-hollowErrorMM), 2))
	nodes := func() float64 {
		return (size.X/f.step + 3) * (size.Y/f.step + 3) * (size.Z/f.step + 3)
	}
	for nodes() > mostNodes {
		f.step *= 1.05
	}
	if f.step > wall/2 {
		return nil, fmt.Errorf("a wall of %g mm is too thin for a part of %.0f × %.0f × %.0f mm", wall, size.X, size.Y, size.Z)
	}
	f.nx, f.ny, f.nz = int(size.X/f.step)+2, int(size.Y/f.step)+2, int(size.Z/f.step)+2
	// Not on the part's own corners: a flat side of it shall not lie on a plane of the grid.
	f.low = m.Box.Min.Sub(mesh.Vec{X: 0.37, Y: 0.41, Z: 0.43}.Mul(f.step))
	corner := f.low.Sub(mesh.Vec{X: f.step / 2, Y: f.step / 2})
	f.inside = columnsIn(m, corner, f.step, f.nx, f.ny)
	f.find()
	return f, nil
}

// node is the place of a grid node.
func (f *field) node(i int32) mesh.Vec {
	x, y, z := int(i)%f.nx, int(i)/f.nx%f.ny, int(i)/(f.nx*f.ny)
	return f.low.Add(mesh.Vec{X: float64(x) * f.step, Y: float64(y) * f.step, Z: float64(z) * f.step})
}

// depthAt is how much deeper a place lies than the wall; far outside it is not exact.
func (f *field) depthAt(i int32) float64 {
	p := f.node(i)
	reach := f.wall + 2*f.step
	d := f.tree.Nearest(p, reach)
	if !f.inside.inside(int(i)%(f.nx*f.ny), p.Z-f.inside.low.Z) {
		return -d - f.wall
	}
	return d - f.wall
}

// find evaluates the nodes around the inner wall: blocks whose middle lies further from
// it than their corners cannot hold it, nor can their halves, and so on.
func (f *field) find() {
	blocks := [3]int{(f.nx + blockCells - 1) / blockCells, (f.ny + blockCells - 1) / blockCells, (f.nz + blockCells - 1) / blockCells}
	rows := blocks[1] * blocks[2]
	found := make([][]int32, max(1, rows))
	shared(rows, 1, func(_, from, to int) {
		for r := from; r < to; r++ {
			for x := range blocks[0] {
				f.look(&found[r], x*blockCells, r%blocks[1]*blockCells, r/blocks[1]*blockCells, blockCells)
			}
		}
	})
	f.cells = slices.Concat(found...)
	f.depth = make([]float32, f.nx*f.ny*f.nz)
	wanted := make([]bool, len(f.depth))
	var list []int32
	for _, c := range f.cells {
		for k := range 8 {
			if n := c + f.offset(k); !wanted[n] {
				wanted[n] = true
				list = append(list, n)
			}
		}
	}
	shared(len(list), 256, func(_, from, to int) {
		for _, n := range list[from:to] {
			d := f.depthAt(n)
			if least := 1e-3 * f.step; math.Abs(d) < least { // no vertex lies on a node
				d = least
			}
			f.depth[n] = float32(d)
		}
	})
}

// offset is how far the corner of a cell lies from its lowest node.
func (f *field) offset(corner int) int32 {
	return int32(corner&1 + corner>>1&1*f.nx + corner>>2*f.nx*f.ny)
}

// look adds the cells of a block that the inner wall may pass.
func (f *field) look(found *[]int32, x, y, z, cells int) {
	if x+1 >= f.nx || y+1 >= f.ny || z+1 >= f.nz {
		return
	}
	half := float64(cells) / 2 * f.step
	middle := f.low.Add(mesh.Vec{X: float64(x)*f.step + half, Y: float64(y)*f.step + half, Z: float64(z)*f.step + half})
	reach := half * math.Sqrt(3)
	if d := f.tree.Nearest(middle, f.wall+reach+1e-9); d > f.wall+reach || d < f.wall-reach {
		return
	}
	for k := range 8 {
		h := cells / 2
		x, y, z := x+k&1*h, y+k>>1&1*h, z+k>>2*h
		switch {
		case h > 1:
			f.look(found, x, y, z, h)
		case x+1 < f.nx && y+1 < f.ny && z+1 < f.nz:
			*found = append(*found, int32(x+f.nx*(y+f.ny*z)))
		}
	}
}

// tetrahedra are the six of a cell around its diagonal, by its corners; neighbouring
// cells cut their common face the same way [published: Kuhn, Some combinatorial lemmas in
// topology, 1960].
var tetrahedra = [6][4]int{{0, 1, 3, 7}, {0, 3, 2, 7}, {0, 2, 6, 7}, {0, 6, 4, 7}, {0, 4, 5, 7}, {0, 5, 1, 7}}

// march lays triangles through the cells, facing into the hollow.
func (f *field) march() {
	f.inner = &mesh.Mesh{Box: mesh.EmptyBox()}
	var deep, other []int32
	at := map[[2]int32]int32{}
	vertex := func(deep, other int32) int32 {
		key := [2]int32{deep, other}
		id, ok := at[key]
		if !ok {
			id = int32(len(f.edges))
			at[key] = id
			f.edges = append(f.edges, key)
		}
		return id
	}
	put := func(a, b, c int32, face mesh.Vec) {
		p := func(v int32) mesh.Vec { return f.node(f.edges[v][0]).Add(f.node(f.edges[v][1])) }
		if o := p(a); p(b).Sub(o).Cross(p(c).Sub(o)).Dot(face) < 0 {
			b, c = c, b
		}
		f.inner.Triangles = append(f.inner.Triangles, [3]int32{a, b, c})
	}
	for _, c := range f.cells {
		if f.alike(c) {
			continue
		}
		for _, tet := range tetrahedra {
			deep, other = deep[:0], other[:0]
			for _, k := range tet {
				if n := c + f.offset(k); f.depth[n] > 0 {
					deep = append(deep, n)
				} else {
					other = append(other, n)
				}
			}
			if len(deep) == 0 || len(other) == 0 {
				continue
			}
			var face mesh.Vec // from the shallow to the deep
			for _, n := range deep {
				face = face.Add(f.node(n).Mul(1 / float64(len(deep))))
			}
			for _, n := range other {
				face = face.Sub(f.node(n).Mul(1 / float64(len(other))))
			}
			switch {
			case len(deep) == 1:
				put(vertex(deep[0], other[0]), vertex(deep[0], other[1]), vertex(deep[0], other[2]), face)
			case len(other) == 1:
				put(vertex(deep[0], other[0]), vertex(deep[1], other[0]), vertex(deep[2], other[0]), face)
			default:
				a, b := vertex(deep[0], other[0]), vertex(deep[1], other[1])
				put(a, vertex(deep[0], other[1]), b, face)
				put(a, b, vertex(deep[1], other[0]), face)
			}
		}
	}
}

// alike reports a cell whose corners all lie deep, or all not.
func (f *field) alike(c int32) bool {
	first := f.depth[c] > 0
	for k := 1; k < 8; k++ {
		if f.depth[c+f.offset(k)] > 0 != first {
			return false
		}
	}
	return true
}

// settle moves each vertex along its edge to where the distance is the wall.
func (f *field) settle() {
	f.inner.Vertices, f.dist = make([]mesh.Vec, len(f.edges)), make([]float64, len(f.edges))
	shared(len(f.edges), 256, func(_, from, to int) {
		for i := from; i < to; i++ {
			a, b := f.edges[i][0], f.edges[i][1]
			p, q := f.node(a), f.node(b)
			// The distance changes by no more than the way: both ends bracket the wall.
			low, high := 0.0, 1.0
			dl, dh := float64(f.depth[a]), float64(f.depth[b])
			k := dl / (dl - dh)
			for range 6 {
				k = max(low+0.02*(high-low), min(high-0.02*(high-low), k))
				at := p.Add(q.Sub(p).Mul(k))
				// It is no further away than the nearer end allows.
				reach := f.wall + min(max(dl, 0)+at.Sub(p).Len(), math.Abs(dh)+at.Sub(q).Len()) + 1e-6
				d := f.tree.Nearest(at, reach) - f.wall
				if math.Abs(d) < 2e-4*f.wall && k > 0.01 && k < 0.99 {
					f.dist[i] = f.wall + d
					break
				}
				if d > 0 {
					low, dl = k, d
				} else {
					high, dh = k, d
				}
				k = low + (high-low)*dl/(dl-dh)
			}
			k = max(0.01, min(0.99, k))
			f.inner.Vertices[i] = p.Add(q.Sub(p).Mul(k))
		}
	})
	for _, v := range f.inner.Vertices {
		f.inner.Box.Add(v)
	}
}

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
	var sides [][2]int32
	seen := map[[2]int32]int{}
	each := func(fresh bool, do func(key [2]int32, t [3]int32)) { // triangles from each of their bent sides on
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
	each(true, func(key [2]int32, _ [3]int32) {
		if _, ok := seen[key]; !ok {
			seen[key] = len(sides)
			sides = append(sides, key)
		}
	})
	if len(sides) == 0 {
		f.fresh = make([]bool, len(m.Triangles))
		return false
	}
	over := make([][2][3]int32, len(sides)) // the two triangles beside each
	each(false, func(key [2]int32, t [3]int32) {
		if at, ok := seen[key]; ok {
			if over[at][0] == ([3]int32{}) {
				over[at][0] = t
			} else {
				over[at][1] = t
			}
		}
	})
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

// bound is by how much the wall may differ from what was asked.
func (f *field) bound() float64 {
	m := f.inner
	dist := append(f.dist, make([]float64, len(m.Vertices)-len(f.dist))...)
	reach := f.wall + 2*f.step
	shared(len(m.Vertices), 256, func(_, from, to int) {
		for i := from; i < to; i++ {
			if dist[i] == 0 {
				dist[i] = f.tree.Nearest(m.Vertices[i], reach)
			}
		}
	})
	runs, slits := make([]float64, 64), make([]slits, 64)
	shared(len(m.Triangles), 256, func(k, from, to int) {
		for _, t := range m.Triangles[from:to] {
			a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
			thin := f.thin([3]mesh.Vec{a, b, c}, [3]float64{dist[t[0]], dist[t[1]], dist[t[2]]}, 4)
			thick := max(dist[t[0]], dist[t[1]], dist[t[2]])
			look := func(p mesh.Vec) { // no further from the surface than its nearest corner allows
				thick = max(thick, f.tree.Nearest(p, dist[t[0]]+p.Sub(a).Len()+1e-6))
			}
			look(a.Add(b).Add(c).Mul(1.0 / 3))
			for k := range 3 { // where the wall bends, its sides, too
				if u, v := t[k], t[(k+1)%3]; u < v && (f.isBent(u) || f.isBent(v)) {
					look(m.Vertices[u].Add(m.Vertices[v]).Mul(0.5))
				}
			}
			if thick -= f.wall; thick > slitMM { // the creases are done: here the hollow is too narrow for the grid
				slits[k].count++
				slits[k].mm = max(slits[k].mm, thick)
				thick = 0
			}
			runs[k] = max(runs[k], thin, thick)
		}
	})
	for _, s := range slits {
		f.slits.count += s.count
		f.slits.mm = max(f.slits.mm, s.mm)
	}
	return slices.Max(runs)
}

// slits are triangles across places where the hollow would be narrower than the grid: they
// stay filled, and the wall is thicker there.
type slits struct {
	count int
	mm    float64
}

// thin is by how much the wall may be too thin on a triangle, from the distances at its
// corners; one that tells too little is looked at in quarters.
func (f *field) thin(at [3]mesh.Vec, dist [3]float64, times int) float64 {
	least := min(dist[0], dist[1], dist[2])
	thin := f.wall - math.Sqrt(max(0, least*least-spread2(at[0], at[1], at[2])))
	if thin <= hollowErrorMM || times == 0 {
		return thin
	}
	var mid [3]mesh.Vec
	var far [3]float64
	for k := range 3 {
		mid[k] = at[k].Add(at[(k+1)%3]).Mul(0.5)
		far[k] = f.tree.Nearest(mid[k], dist[k]+mid[k].Sub(at[k]).Len()+1e-6)
	}
	thin = f.thin(mid, far, times-1)
	for k := range 3 {
		before := (k + 2) % 3
		thin = max(thin, f.thin([3]mesh.Vec{at[k], mid[k], mid[before]}, [3]float64{dist[k], far[k], far[before]}, times-1))
	}
	return thin
}

// spread2 is the square of the radius of the smallest ball around a triangle.
func spread2(a, b, c mesh.Vec) float64 {
	u, v, w := b.Sub(a), c.Sub(b), a.Sub(c)
	x, y, z := u.Dot(u), v.Dot(v), w.Dot(w)
	longest := max(x, y, z)
	if 2*longest >= x+y+z { // blunt: its longest side is the ball's width
		return longest / 4
	}
	n := u.Cross(w)
	return x * y * z / (4 * n.Dot(n))
}

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
