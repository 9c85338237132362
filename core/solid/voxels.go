package solid

import (
	"math"

	"sakuji/core/mesh"
)

// voxels is a part in small cubes with a rim of empty ones around it.
type voxels struct {
	low        mesh.Vec // the corner of the first cube
	cell       float64
	nx, ny, nz int
	solid      []bool
}

const (
	voxelsAlong = 160
	voxelRim    = 6
	leastVoxel  = 0.25 // mm
)

// voxelsOf fills the cubes whose middles lie in matter, so many along the longest side.
func voxelsOf(m *mesh.Mesh) *voxels {
	size := m.Box.Size()
	v := &voxels{cell: max(leastVoxel, max(size.X, size.Y, size.Z)/voxelsAlong)}
	rim := voxelRim * v.cell
	v.low = m.Box.Min.Sub(mesh.Vec{X: rim, Y: rim, Z: rim})
	v.nx, v.ny, v.nz = int(size.X/v.cell)+1+2*voxelRim, int(size.Y/v.cell)+1+2*voxelRim, int(size.Z/v.cell)+1+2*voxelRim
	v.solid = make([]bool, v.nx*v.ny*v.nz)
	c := columnsIn(m, v.low, v.cell, v.nx, v.ny)
	for k := range v.nx * v.ny {
		for _, s := range c.spans(k) {
			for z := max(0, int(math.Ceil(s.from.z/v.cell-0.5))); z < v.nz && (float64(z)+0.5)*v.cell <= s.to.z; z++ {
				v.solid[z*v.nx*v.ny+k] = true
			}
		}
	}
	return v
}

// at is the cube that a place lies in.
func (v *voxels) at(p mesh.Vec) int {
	q := p.Sub(v.low)
	x, y, z := int(q.X/v.cell), int(q.Y/v.cell), int(q.Z/v.cell)
	return min(v.nx-1, max(0, x)) + v.nx*(min(v.ny-1, max(0, y))+v.ny*min(v.nz-1, max(0, z)))
}

// beside calls for each of the six neighbours of a cube.
func (v *voxels) beside(c int, do func(n int)) {
	x, y, z := c%v.nx, c/v.nx%v.ny, c/(v.nx*v.ny)
	if x > 0 {
		do(c - 1)
	}
	if x < v.nx-1 {
		do(c + 1)
	}
	if y > 0 {
		do(c - v.nx)
	}
	if y < v.ny-1 {
		do(c + v.nx)
	}
	if z > 0 {
		do(c - v.nx*v.ny)
	}
	if z < v.nz-1 {
		do(c + v.nx*v.ny)
	}
}

// clearance is, for every cube, the square of how far it lies from the nearest marked one,
// in cubes: one axis after the other by the lower envelope of parabolas [published:
// Felzenszwalb and Huttenlocher, Distance transforms of sampled functions, 2012].
func (v *voxels) clearance(marked func(int) bool) []float32 {
	const far = 1e9
	d := make([]float32, len(v.solid))
	for i := range d {
		if !marked(i) {
			d[i] = far
		}
	}
	axes := [3]struct{ n, step, rows, a, sa, sb int }{
		{v.nx, 1, v.ny * v.nz, v.ny, v.nx, v.nx * v.ny},
		{v.ny, v.nx, v.nx * v.nz, v.nx, 1, v.nx * v.ny},
		{v.nz, v.nx * v.ny, v.nx * v.ny, v.nx, 1, v.nx},
	}
	for _, ax := range axes {
		shared(ax.rows, 64, func(_, from, to int) {
			f, at, edge := make([]float64, ax.n), make([]int, ax.n), make([]float64, ax.n+1)
			for r := from; r < to; r++ {
				start := r%ax.a*ax.sa + r/ax.a*ax.sb
				for q := range ax.n {
					f[q] = float64(d[start+q*ax.step])
				}
				k := 0
				at[0], edge[0], edge[1] = 0, math.Inf(-1), math.Inf(1)
				for q := 1; q < ax.n; q++ {
					meet := func() float64 {
						p := at[k]
						return (f[q] + float64(q*q) - f[p] - float64(p*p)) / float64(2*(q-p))
					}
					s := meet()
					for s <= edge[k] {
						k--
						s = meet()
					}
					k++
					at[k], edge[k], edge[k+1] = q, s, math.Inf(1)
				}
				k = 0
				for q := range ax.n {
					for edge[k+1] < float64(q) {
						k++
					}
					d[start+q*ax.step] = float32(float64((q-at[k])*(q-at[k])) + f[at[k]])
				}
			}
		})
	}
	return d
}

// Where a tool gets to. Sources: from memory; a blade with the fingers that hold it.
const (
	toolMM  = 4.0 // the width it needs
	reachMM = 6.0 // how far its tip works beyond that
)

// access says of every empty cube how a hand gets there.
type access uint8

const (
	shut   access = iota // no way leads there
	narrow               // only where no tool fits
	free
)

// reached tells which empty cubes a tool reaches from outside: through room as wide as it,
// and from there with its tip.
func (v *voxels) reached() []access {
	out := make([]access, len(v.solid))
	flood := func(from []int, steps int, into access, may func(int) bool) []int {
		edge := from
		for step := 0; len(edge) > 0 && (steps < 0 || step < steps); step++ {
			var next []int
			for _, c := range edge {
				v.beside(c, func(n int) {
					if !v.solid[n] && out[n] < into && may(n) {
						out[n] = into
						next = append(next, n)
					}
				})
			}
			from, edge = append(from, next...), next
		}
		return from
	}
	out[0] = narrow
	flood([]int{0}, -1, narrow, func(int) bool { return true })
	room := v.clearance(func(i int) bool { return v.solid[i] })
	half := float32(toolMM / 2 / v.cell)
	half *= half
	out[0] = free
	wide := flood([]int{0}, -1, free, func(n int) bool { return room[n] >= half })
	// A tool whose middle is there fills the room around it, and its tip goes further.
	flood(wide, int((toolMM/2+reachMM)/v.cell), free, func(int) bool { return true })
	return out
}
