package solid

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// ErrTangled says that bodies could not be made one.
var ErrTangled = errors.New("its bodies lie in one another in a way that cannot be told apart: join them where they were modelled")

var errTooMuch = fmt.Errorf("%w (there is too much of it)", ErrTangled)

const (
	joinTries  = 6
	mostJoined = 2000 // bodies that hang together
	mostPassed = 5e6  // edges and faces of two bodies, in all, that are asked whether one passes the other
	// joinShift is by what share of the whole's diagonal a body is moved, some way, before it is
	// joined: then no corner lies on another's face and no face in another's plane. Far more
	// than the digits of a file, and on a thing of 200 mm 2 µm each way at most.
	joinShift = 2e-5
	joinThin  = 1e-13 // of a face's height: pieces less high are avoided
)

// Whole is a part as it prints: sound, and bodies that lie in one another made one. Those that
// cannot be stay as they are.
func Whole(m *mesh.Mesh) *mesh.Mesh {
	m = m.Sound()
	if out, err := Joined(m); err == nil {
		return out
	}
	return m
}

// Joined returns the part with bodies that lie in one another made one: the surface that can
// be touched, closed. A part whose bodies keep apart is returned as it is. Shells must be
// sound, as mesh.Sound leaves them; one that crosses itself, or is open, stays as it is.
//
// Two bodies are joined by the lines in which their faces cross. Whether an edge of one passes
// a face of the other is told exactly [published: Shewchuk, Adaptive Precision Floating-Point
// Arithmetic and Fast Robust Geometric Predicates, 1997, for the filter], so that faces which
// share an edge agree; each face that is crossed is divided along the lines, and what lies in
// the other body is left out.
func Joined(m *mesh.Mesh) (*mesh.Mesh, error) {
	bodies, open := apart(m)
	groups := meeting(bodies)
	if len(groups) == len(bodies) {
		return m, nil
	}
	j := &joiner{shift: joinShift * m.Box.Diagonal(), left: mostPassed}
	var err error
	for range joinTries {
		var out *mesh.Mesh
		if out, err = j.groups(groups, open); err != nil {
			return nil, err
		}
		// Pieces finer than a file's digits could leave gaps in it: then it is mended, or made
		// again from bodies that stand a little otherwise.
		inFile := out.Soup("stl")
		if len(open) > 0 || mesh.Measure(inFile).Watertight {
			return out, nil
		}
		was := out.Measure().VolumeMM3
		mended, _ := mesh.Mend(inFile)
		if got := mesh.Measure(mended); got.Watertight && math.Abs(got.VolumeMM3-was) < 1e-6*was {
			return mended.Weld(), nil
		}
		err = ErrTangled
		for _, g := range groups {
			for i := range g {
				g[i] = j.move(g[i])
			}
		}
	}
	return nil, err
}

// groups joins the bodies of each group and lays all in one mesh.
func (j *joiner) groups(groups [][]*mesh.Mesh, open []*mesh.Mesh) (*mesh.Mesh, error) {
	parts := slices.Clone(open)
	for _, g := range groups {
		if len(g) > mostJoined {
			return nil, errTooMuch
		}
		part, err := j.all(g)
		if err != nil {
			return nil, err
		}
		parts = append(parts, part)
	}
	var vertices []mesh.Vec
	var triangles [][3]int32
	for _, p := range parts {
		n := int32(len(vertices))
		vertices = append(vertices, p.Vertices...)
		for _, t := range p.Triangles {
			triangles = append(triangles, [3]int32{t[0] + n, t[1] + n, t[2] + n})
		}
	}
	return compact(vertices, triangles), nil
}

// apart are the closed bodies of a mesh, each with its cavities, and its open shells.
func apart(m *mesh.Mesh) (bodies, open []*mesh.Mesh) {
	shells, of := m.Shells()
	at := make([]*mesh.Mesh, len(shells))
	for i, s := range shells {
		if s.Cavity() {
			continue
		}
		at[i] = &mesh.Mesh{Vertices: m.Vertices, Box: s.Box}
		if s.Closed() {
			bodies = append(bodies, at[i])
		} else {
			open = append(open, at[i])
		}
	}
	for i, s := range shells {
		if s.Cavity() {
			at[i] = at[s.Parent]
		}
	}
	for i, t := range m.Triangles {
		b := at[of[i]]
		b.Triangles = append(b.Triangles, t)
	}
	for _, b := range slices.Concat(bodies, open) {
		*b = *compact(b.Vertices, b.Triangles)
	}
	return bodies, open
}

// meeting groups bodies whose boxes meet, one by one or through others.
func meeting(bodies []*mesh.Mesh) (groups [][]*mesh.Mesh) {
	order := slices.SortedFunc(slices.Values(bodies), func(a, b *mesh.Mesh) int { return cmp.Compare(a.Box.Min.X, b.Box.Min.X) })
	group := make([]int, len(order))
	for i := range group {
		group[i] = i
	}
	root := func(i int) int {
		for group[i] != i {
			group[i] = group[group[i]]
			i = group[i]
		}
		return i
	}
	for i, a := range order {
		for k := i + 1; k < len(order) && order[k].Box.Min.X <= a.Box.Max.X; k++ {
			if a.Box.Meets(order[k].Box) {
				group[root(k)] = root(i)
			}
		}
	}
	at := map[int]int{}
	for i, b := range order {
		r := root(i)
		if _, ok := at[r]; !ok {
			at[r] = len(groups)
			groups = append(groups, nil)
		}
		groups[at[r]] = append(groups[at[r]], b)
	}
	return groups
}

// joiner joins bodies two by two.
type joiner struct {
	shift float64 // how far a body is moved at most
	moved float64 // how often one was
	left  int     // edges and faces to ask
}

// move moves a mesh a little, each time some other way [published: Roberts, The Unreasonable
// Effectiveness of Quasirandom Sequences, 2018, for ways that fill the room evenly].
func (j *joiner) move(m *mesh.Mesh) *mesh.Mesh {
	j.moved++
	way := func(step float64) float64 { return j.shift * (math.Mod(j.moved*step, 1) - 0.5) }
	by := mesh.Vec{X: way(0.8191725134), Y: way(0.6710436067), Z: way(0.5497004779)}
	out := &mesh.Mesh{Vertices: make([]mesh.Vec, len(m.Vertices)), Triangles: m.Triangles, Box: mesh.Box{Min: m.Box.Min.Add(by), Max: m.Box.Max.Add(by)}}
	for i, v := range m.Vertices {
		out.Vertices[i] = v.Add(by)
	}
	return out
}

// all joins bodies by halves.
func (j *joiner) all(bodies []*mesh.Mesh) (*mesh.Mesh, error) {
	if len(bodies) == 1 {
		return bodies[0], nil
	}
	a, err := j.all(bodies[:len(bodies)/2])
	if err != nil {
		return nil, err
	}
	b, err := j.all(bodies[len(bodies)/2:])
	if err != nil {
		return nil, err
	}
	for range joinTries {
		var both *mesh.Mesh
		if both, err = j.union(a, b); err == nil {
			return both, nil
		}
		if errors.Is(err, errTooMuch) {
			break
		}
		b = j.move(b)
	}
	return nil, err
}

// compact is a mesh of some triangles with only the vertices that they use.
func compact(vertices []mesh.Vec, triangles [][3]int32) *mesh.Mesh {
	out := &mesh.Mesh{Box: mesh.EmptyBox(), Triangles: make([][3]int32, len(triangles))}
	now := make(map[int32]int32, len(triangles)/2)
	for i, t := range triangles {
		for k, v := range t {
			id, ok := now[v]
			if !ok {
				id = int32(len(out.Vertices))
				now[v] = id
				out.Vertices = append(out.Vertices, vertices[v])
				out.Box.Add(vertices[v])
			}
			out.Triangles[i][k] = id
		}
	}
	return out
}
