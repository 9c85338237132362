package solid

import (
	"math"
	"slices"

	"sakuji/core/mesh"
)

// FaceKind says who gets to see a face of a finished part.
type FaceKind uint8

// The kinds of faces.
const (
	Outer  FaceKind = iota // what the eye meets
	Inner                  // of cavities, and the inside of open shells
	Mating                 // cut faces, sockets: another part lies against them
	Under                  // what stands on a base or a table
)

// Plane is where normal·p = d.
type Plane struct {
	Normal mesh.Vec `json:"normal"`
	D      float64  `json:"d"`
}

// Faces is how much of a surface is of each kind.
type Faces struct {
	OuterMM2  float64 `json:"outer"`
	InnerMM2  float64 `json:"inner"`
	MatingMM2 float64 `json:"mating"`
	UnderMM2  float64 `json:"under"`
	RimMM     float64 `json:"rim"` // along which the inside ends
}

// Known reports whether the faces of a part were ever told apart.
func (f Faces) Known() bool { return f.OuterMM2+f.InnerMM2+f.MatingMM2+f.UnderMM2 > 0 }

// Scaled are the faces at k times the size.
func (f Faces) Scaled(k float64) Faces {
	return Faces{f.OuterMM2 * k * k, f.InnerMM2 * k * k, f.MatingMM2 * k * k, f.UnderMM2 * k * k, f.RimMM * k}
}

// How inside is told from outside. Source: from memory, but for the half: in the inside of
// half a ball every place sees half of its sky.
const (
	shutSky    = 0.02 // what sees less lies in a hollow
	insideSky  = 0.5  // what sees less, on a wall that is seen from behind, lies inside a shell
	shellWall  = 0.05 // of the part's diagonal, is the thickest wall of a shell
	leastInner = 0.05 // of the surface, is the least that is an inside and not a fold
	asked      = 400  // facets of a patch that are asked what lies behind them
	onGroundMM = 0.2  // a face this near to the ground stands on it
)

// FacesOf tells a part's faces apart as the file stands, z up, its lowest faces on the
// ground; cuts are the planes along which it was cut from a larger one.
func FacesOf(m *mesh.Mesh, cuts []Plane) (out Faces, kinds []FaceKind) {
	f := facing{mesh: m, sky: SkyOf(m), kinds: make([]FaceKind, len(m.Triangles)), beside: m.Neighbours()}
	f.measure()
	f.insides()
	f.mating(cuts)
	for i, k := range f.kinds {
		switch k {
		case Outer:
			out.OuterMM2 += f.mm2[i]
		case Inner:
			out.InnerMM2 += f.mm2[i]
		case Mating:
			out.MatingMM2 += f.mm2[i]
		case Under:
			out.UnderMM2 += f.mm2[i]
		}
		for c, n := range f.beside[i] {
			if k == Inner && n >= 0 && f.kinds[n] != Inner {
				t := m.Triangles[i]
				out.RimMM += m.Vertices[t[(c+1)%3]].Sub(m.Vertices[t[c]]).Len()
			}
		}
	}
	return out, f.kinds
}

// facing is a part whose faces are being told apart.
type facing struct {
	mesh    *mesh.Mesh
	sky     []float64
	kinds   []FaceKind
	beside  [][3]int32
	normals []mesh.Vec
	mm2     []float64
	all     float64
}

func (f *facing) measure() {
	m := f.mesh
	f.normals, f.mm2 = make([]mesh.Vec, len(m.Triangles)), make([]float64, len(m.Triangles))
	for i, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		n := b.Sub(a).Cross(c.Sub(a))
		l := n.Len()
		f.normals[i], f.mm2[i] = n.Mul(1/max(l, 1e-300)), l/2
		f.all += l / 2
		if n.Z < -0.99*l && max(a.Z, b.Z, c.Z)-m.Box.Min.Z < onGroundMM {
			f.kinds[i] = Under
		}
	}
}

// insides finds what lies in hollows and inside shells.
func (f *facing) insides() {
	var tree *mesh.Tree
	for _, patch := range f.patches(func(i int) bool { return f.kinds[i] == Outer && f.sky[i] < insideSky }) {
		var area, shut float64
		for _, i := range patch {
			area += f.mm2[i]
			if f.sky[i] < shutSky {
				shut += f.mm2[i]
			}
		}
		inner := shut > 0.9*area
		if !inner && area > leastInner*f.all {
			if tree == nil {
				tree = mesh.NewTree(f.mesh)
			}
			inner = f.shell(tree, patch)
		}
		for _, i := range patch {
			if inner || f.sky[i] < shutSky {
				f.kinds[i] = Inner
			}
		}
	}
}

// shell reports whether most of a patch is the back of a thin wall that is seen from the
// other side.
func (f *facing) shell(tree *mesh.Tree, patch []int32) bool {
	m := f.mesh
	most, skin := shellWall*m.Box.Diagonal(), 1e-6*m.Box.Diagonal()
	var seen, of float64
	step := max(1, len(patch)/asked)
	for k := 0; k < len(patch); k += step {
		i := patch[k]
		t := m.Triangles[i]
		middle := m.Vertices[t[0]].Add(m.Vertices[t[1]]).Add(m.Vertices[t[2]]).Mul(1.0 / 3)
		hit, met := tree.Ray(middle, f.normals[i].Mul(-1), skin)
		of += f.mm2[i]
		if met && hit.Facing > 0 && hit.MM < most && f.sky[hit.Triangle] > insideSky {
			seen += f.mm2[i]
		}
	}
	return seen > of/2
}

// mating finds the faces that lie in a plane of a cut, and the sockets sunk into them.
func (f *facing) mating(cuts []Plane) {
	if len(cuts) == 0 {
		return
	}
	m := f.mesh
	near := max(0.02, 1e-5*m.Box.Diagonal())
	var work []int32
	for i, t := range m.Triangles {
		if slices.ContainsFunc(cuts, func(p Plane) bool {
			if math.Abs(f.normals[i].Dot(p.Normal)) < 0.999*p.Normal.Len() {
				return false
			}
			return !slices.ContainsFunc(t[:], func(v int32) bool { return math.Abs(m.Vertices[v].Dot(p.Normal)-p.D) > near*p.Normal.Len() })
		}) {
			f.kinds[i] = Mating
			work = append(work, int32(i))
		}
	}
	for len(work) > 0 { // into the sockets, which see little of the sky, but not into a hollow cut open
		i := work[len(work)-1]
		work = work[:len(work)-1]
		for _, n := range f.beside[i] {
			if n >= 0 && f.kinds[n] == Outer && f.sky[n] < insideSky {
				f.kinds[n] = Mating
				work = append(work, n)
			}
		}
	}
}

// patches are the facets of a kind that hang together over their edges.
func (f *facing) patches(of func(i int) bool) (out [][]int32) {
	done := make([]bool, len(f.mesh.Triangles))
	for start := range done {
		if done[start] || !of(start) {
			continue
		}
		done[start] = true
		patch := []int32{int32(start)}
		for k := 0; k < len(patch); k++ {
			for _, n := range f.beside[patch[k]] {
				if n >= 0 && !done[n] && of(int(n)) {
					done[n] = true
					patch = append(patch, n)
				}
			}
		}
		out = append(out, patch)
	}
	return out
}
