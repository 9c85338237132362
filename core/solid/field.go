package solid

import (
	"fmt"
	"math"
	"slices"

	"sakuji/core/mesh"
)

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
	f := &field{tree: mesh.NewTree(m), wall: wall}
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
