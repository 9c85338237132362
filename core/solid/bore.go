package solid

import (
	"math"
	"slices"

	"sakuji/core/mesh"
)

// driller cuts round holes through the wall between two surfaces of a mesh.
type driller struct {
	mesh   *mesh.Mesh
	next   [][3]int32 // of the faces the mesh began with
	gone   []bool     // of those: cut away or divided
	tree   *mesh.Tree // of the mesh as it began
	outer  *mesh.Tree
	wall   float64
	radius float64
	sealed []bool // faces of the part's own closed hollows, into which no hole may lead
}

const (
	boreSides  = 32
	leastFaces = 0.15  // how far a face must look along the bore
	mostPatch  = 20000 // faces
)

// drill bores from p on the wall of a cavity to q on the outside. It says no where the
// surfaces there are too bent, or other walls in the way.
func (d *driller) drill(p, q mesh.Vec) (b Bore, ok bool) {
	axis := q.Sub(p)
	depth := axis.Len()
	if depth == 0 {
		return b, false
	}
	axis = axis.Mul(1 / depth)
	r := Turn(axis.Mul(-1))
	u, v := mesh.Vec{X: r[0], Y: r[1], Z: r[2]}, mesh.Vec{X: r[3], Y: r[4], Z: r[5]}
	in, out, ok := d.clear(p, axis, u, v)
	if !ok || int(out) < len(d.sealed) && d.sealed[out] {
		return b, false
	}
	from, ok := d.patch(in, p, v, u) // seen from within, the other way round
	if !ok {
		return b, false
	}
	to, ok := d.patch(out, p, u, v)
	if !ok || !from.cut(boreSides, d.radius) || !to.cut(boreSides, d.radius) {
		return b, false
	}
	inner, outer := from.settle(d), to.settle(d)
	slices.Reverse(inner)
	d.tube(outer, inner, func(id int32) float64 {
		w := d.mesh.Vertices[id].Sub(p)
		return math.Mod(math.Atan2(w.Dot(v), w.Dot(u))+2*math.Pi, 2*math.Pi)
	})
	return Bore{At: q, DiameterMM: 2 * d.radius, DepthMM: depth, Axis: axis, mouth: p}, true
}

// clear looks along the bore, in its middle and around it: first the cavity's wall, then
// the outside, both well turned to it and neither much further than in the middle. It
// returns the faces in the middle.
func (d *driller) clear(p, axis, u, v mesh.Vec) (in, out int32, ok bool) {
	back := d.wall / 2
	for i := -1; i < 12; i++ {
		o := p.Sub(axis.Mul(back))
		if i >= 0 {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / 12)
			o = o.Add(u.Mul(1.1 * d.radius * cos)).Add(v.Mul(1.1 * d.radius * sin))
		}
		first, met := d.tree.Ray(o, axis, 0)
		if !met || first.Facing > -leastFaces || first.MM > back+d.radius+d.wall/2 {
			return 0, 0, false
		}
		second, met := d.tree.Ray(o, axis, first.MM*(1+1e-9))
		if !met || second.Facing < leastFaces || second.MM-first.MM > 3*d.wall+d.radius {
			return 0, 0, false
		}
		if i < 0 {
			in, out = first.Triangle, second.Triangle
		}
	}
	return in, out, true
}

// patch is a piece of surface seen along the bore: its faces run anticlockwise there.
type patch struct {
	at     []Point
	place  []mesh.Vec
	global []int32 // the mesh's number of each corner, −1 for a new one
	faces  [][3]int
	of     []int32 // the mesh's faces that it stands for
	ring   []int   // the corners of the hole's rim, anticlockwise
}

// patch gathers the faces within the bore around one of them. Every one must look along
// it, and none may have been cut before.
func (d *driller) patch(seed int32, p, u, v mesh.Vec) (*patch, bool) {
	out := &patch{}
	now := map[int32]int{}
	flat := func(id int32) Point {
		w := d.mesh.Vertices[id].Sub(p)
		return Point{w.Dot(u), w.Dot(v)}
	}
	seen := map[int32]bool{seed: true}
	list := []int32{seed}
	for k := 0; k < len(list); k++ {
		f := list[k]
		if d.gone[f] || len(list) > mostPatch {
			return nil, false
		}
		t := d.mesh.Triangles[f]
		a, b, c := flat(t[0]), flat(t[1]), flat(t[2])
		if !nearTriangle(a, b, c, d.radius) {
			continue
		}
		if _, n := d.middle(int(f)); n.Dot(u.Cross(v)) < leastFaces || turnOf(a, b, c) <= 0 {
			return nil, false
		}
		var face [3]int
		for i, id := range t {
			at, ok := now[id]
			if !ok {
				at = out.add(flat(id), d.mesh.Vertices[id], id)
				now[id] = at
			}
			face[i] = at
		}
		out.faces, out.of = append(out.faces, face), append(out.of, f)
		for _, n := range d.next[f] {
			if n < 0 {
				return nil, false
			}
			if !seen[n] {
				seen[n] = true
				list = append(list, n)
			}
		}
	}
	return out, len(out.faces) > 0
}

// nearTriangle reports whether a triangle comes within a distance of the origin.
func nearTriangle(a, b, c Point, mm float64) bool {
	o := Point{}
	return inTriangle(o, a, b, c) || min(toSegment(o, a, b), toSegment(o, b, c), toSegment(o, c, a)) <= 1.001*mm
}

func (p *patch) add(at Point, place mesh.Vec, global int32) int {
	p.at, p.place, p.global = append(p.at, at), append(p.place, place), append(p.global, global)
	return len(p.at) - 1
}

// cut lays a polygon's sides into the patch as edges, and takes away what lies within.
func (p *patch) cut(sides int, radius float64) bool {
	near := 1e-3 * radius // to an edge or a corner: it is taken for it
	corners := make([]int, sides)
	for i := range corners {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(sides))
		at, ok := p.insert(Point{radius * cos, radius * sin}, near)
		if !ok || i > 0 && at == corners[i-1] {
			return false
		}
		corners[i] = at
	}
	for i, c := range corners {
		if !p.walk(c, corners[(i+1)%sides], near) {
			return false
		}
	}
	rim := map[[2]int]bool{}
	for i, a := range p.ring {
		b := p.ring[(i+1)%len(p.ring)]
		if a == b || rim[[2]int{a, b}] {
			return false
		}
		rim[[2]int{a, b}] = true
	}
	return p.empty(rim)
}

// insert puts a corner into the face it lies in, on a side of one, or takes one that is
// there already.
func (p *patch) insert(at Point, near float64) (int, bool) {
	for i, q := range p.at {
		if math.Hypot(q.X-at.X, q.Y-at.Y) < near {
			return i, true
		}
	}
	for i, f := range p.faces {
		a, b, c := p.at[f[0]], p.at[f[1]], p.at[f[2]]
		if !inTriangle(at, a, b, c) {
			continue
		}
		for k := range 3 {
			if toSegment(at, p.at[f[k]], p.at[f[(k+1)%3]]) < near {
				q, r := p.at[f[k]], p.at[f[(k+1)%3]]
				s := ((at.X-q.X)*(r.X-q.X) + (at.Y-q.Y)*(r.Y-q.Y)) / length2(q, r)
				return p.split(f[k], f[(k+1)%3], s)
			}
		}
		all := turnOf(a, b, c)
		wa, wb, wc := turnOf(b, c, at)/all, turnOf(c, a, at)/all, turnOf(a, b, at)/all
		id := p.add(at, p.place[f[0]].Mul(wa).Add(p.place[f[1]].Mul(wb)).Add(p.place[f[2]].Mul(wc)), -1)
		p.faces[i] = [3]int{f[0], f[1], id}
		p.faces = append(p.faces, [3]int{f[1], f[2], id}, [3]int{f[2], f[0], id})
		return id, true
	}
	return 0, false
}

// split puts a corner on an edge and divides the two faces beside it.
func (p *patch) split(a, b int, s float64) (int, bool) {
	q, r := p.at[a], p.at[b]
	id := p.add(Point{q.X + (r.X-q.X)*s, q.Y + (r.Y-q.Y)*s}, p.place[a].Add(p.place[b].Sub(p.place[a]).Mul(s)), -1)
	beside := 0
	for i := range len(p.faces) {
		f := p.faces[i]
		for k := range 3 {
			if u, v := f[k], f[(k+1)%3]; u == a && v == b || u == b && v == a {
				w := f[(k+2)%3]
				p.faces[i] = [3]int{u, id, w}
				p.faces = append(p.faces, [3]int{id, v, w})
				beside++
				break
			}
		}
	}
	return id, beside == 2
}

// walk makes the line from one corner to another a line of edges, and adds it to the rim
// without its last corner.
func (p *patch) walk(from, to int, near float64) bool {
	at := from
	for range 10_000 {
		p.ring = append(p.ring, at)
		next := -1
		for _, f := range p.faces {
			k := slices.Index(f[:], at)
			if k < 0 {
				continue
			}
			a, b := f[(k+1)%3], f[(k+2)%3]
			if a == to || b == to {
				return true
			}
			ta, tb := turnOf(p.at[at], p.at[to], p.at[a]), turnOf(p.at[at], p.at[to], p.at[b])
			if ta > 0 || tb < 0 || ta == tb {
				continue
			}
			s, long := ta/(ta-tb), math.Sqrt(length2(p.at[a], p.at[b]))
			switch { // where the line passes from a to b
			case s*long < near:
				next = a
			case (1-s)*long < near:
				next = b
			default:
				id, ok := p.split(a, b, s)
				if !ok {
					return false
				}
				next = id
			}
			break
		}
		if next < 0 || slices.Contains(p.ring, next) {
			return false
		}
		at = next
	}
	return false
}

// empty takes the faces within the rim away.
func (p *patch) empty(rim map[[2]int]bool) bool {
	beside := map[[2]int]int{}
	for i, f := range p.faces {
		for k := range 3 {
			beside[[2]int{f[k], f[(k+1)%3]}] = i
		}
	}
	start, ok := beside[[2]int{p.ring[0], p.ring[1]}]
	if !ok {
		return false
	}
	within := map[int]bool{start: true}
	list := []int{start}
	met := 0
	for k := 0; k < len(list); k++ {
		f := p.faces[list[k]]
		for i := range 3 {
			u, v := f[i], f[(i+1)%3]
			if rim[[2]int{u, v}] {
				met++
				continue
			}
			n, ok := beside[[2]int{v, u}]
			if !ok || rim[[2]int{v, u}] {
				return false // it would lead out of the hole
			}
			if !within[n] {
				within[n] = true
				list = append(list, n)
			}
		}
	}
	if met != len(p.ring) {
		return false
	}
	var kept [][3]int
	for i, f := range p.faces {
		if !within[i] {
			kept = append(kept, f)
		}
	}
	p.faces = kept
	return true
}

// settle writes the patch into the mesh and returns the rim there.
func (p *patch) settle(d *driller) (rim []int32) {
	for _, f := range p.of {
		d.gone[f] = true
	}
	id := func(i int) int32 {
		if p.global[i] < 0 {
			p.global[i] = int32(len(d.mesh.Vertices))
			d.mesh.Vertices = append(d.mesh.Vertices, p.place[i])
		}
		return p.global[i]
	}
	for _, f := range p.faces {
		d.mesh.Triangles = append(d.mesh.Triangles, [3]int32{id(f[0]), id(f[1]), id(f[2])})
	}
	for _, i := range p.ring {
		rim = append(rim, id(i))
	}
	return rim
}

// tube joins two rims that run the same way round, by the angle of their corners.
func (d *driller) tube(outer, inner []int32, angle func(int32) float64) {
	turned := func(rim []int32) []int32 {
		first := 0
		for i := range rim {
			if angle(rim[i]) < angle(rim[first]) {
				first = i
			}
		}
		return append(slices.Clone(rim[first:]), rim[:first]...)
	}
	outer, inner = turned(outer), turned(inner)
	ahead := func(rim []int32, i int) float64 {
		if i+1 < len(rim) {
			return angle(rim[i+1])
		}
		return angle(rim[0]) + 2*math.Pi
	}
	for i, j := 0, 0; i < len(outer) || j < len(inner); {
		o, n := outer[i%len(outer)], inner[j%len(inner)]
		if j == len(inner) || i < len(outer) && ahead(outer, i) <= ahead(inner, j) {
			i++
			d.mesh.Triangles = append(d.mesh.Triangles, [3]int32{o, outer[i%len(outer)], n})
		} else {
			j++
			d.mesh.Triangles = append(d.mesh.Triangles, [3]int32{o, inner[j%len(inner)], n})
		}
	}
}
