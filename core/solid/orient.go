package solid

import (
	"cmp"
	"math"
	"runtime"
	"slices"
	"sync"

	"sakuji/core/mesh"
)

// Orientation is one way for a part to stand, with what it would cost.
type Orientation struct {
	Matrix          [9]float64 `json:"matrix"` // by rows: turns the file's coordinates into those of the plate
	HeightMM        float64    `json:"height_mm"`
	SupportMM3      float64    `json:"support_mm3"`
	ContactMM2      float64    `json:"contact_mm2"` // of faces that supports must hold, seen from below
	LargestLayerMM2 float64    `json:"largest_layer_mm2"`
	Minutes         float64    `json:"minutes"`
	Score           float64    `json:"score"` // 1 would be the best of all in everything
	Fits            bool       `json:"fits"`  // it lies in the room that was asked for

	SeenMM2  float64 `json:"seen_mm2,omitempty"`  // of the contact, on faces that will be looked at
	DrainMM3 float64 `json:"drain_mm3,omitempty"` // what cups would keep, where that was looked at
	Weakness float64 `json:"weakness,omitempty"`  // of the weakest section along a layer, where that was looked at

	Down mesh.Vec `json:"-"` // the file's direction that points at the plate
}

// Wishes say how much each thing matters; only their ratios count.
type Wishes struct {
	Time    float64
	Support float64
	Scar    float64 // faces that supports touch
	Layer   float64 // the largest layer, which pulls at the film

	Drain    float64 // cups
	Strength float64 // across layers

	Seen mesh.Vec `json:"seen"` // from where the part will be looked at: scars there count three times. None when zero
}

// ResinWishes and FilamentWishes are the studio’s: resin minds the pull of large layers
// and scars, filament the material and hours of supports. Source: common practice.
var (
	ResinWishes    = Wishes{Time: 1, Support: 0.5, Scar: 1.5, Layer: 1.5, Drain: 1}
	FilamentWishes = Wishes{Time: 1, Support: 2, Scar: 1, Layer: 0, Strength: 1}
)

// Seeking is what an orientation is sought by.
type Seeking struct {
	Wishes
	Holding Holding                                          // how the part is held
	RoomMM  [3]float64                                       // width, depth and height of what it must lie in; 0 where that does not matter
	Minutes func(p Profile, supportMM3 float64) (of float64) // of a run of it
}

// fits reports whether a box lies in the room, turned by a quarter where need be.
func (s *Seeking) fits(box mesh.Vec) bool {
	room := s.RoomMM
	for k := range room {
		if room[k] <= 0 {
			room[k] = math.Inf(1)
		}
	}
	return box.Z <= room[2] && (box.X <= room[0] && box.Y <= room[1] || box.Y <= room[0] && box.X <= room[1])
}

// rank orders orientations: what fits comes first, then the best.
func (s *Seeking) rank(list []Orientation) {
	s.Score(list)
	slices.SortStableFunc(list, func(a, b Orientation) int {
		if a.Fits != b.Fits {
			return map[bool]int{true: -1, false: 1}[a.Fits]
		}
		return cmp.Compare(b.Score, a.Score)
	})
}

// listed is how many orientations are worked out exactly.
const listed = 5

// apartDeg is how much two listed orientations differ at least.
const apartDeg = 20.0

// OrientSlices is how many slices a listed orientation is cut into.
const OrientSlices = 120

// Orient looks for good orientations. The given number of directions, spread evenly
// over the sphere [published: Gonzalez, Measurement of areas on a sphere using
// Fibonacci lattices, 2010], and those that lay a large flat face on the plate are
// ranked by quick figures: from the areas of facets by their normals, and from the
// outermost vertices, so that the number of triangles hardly matters. The best few,
// at least 20° apart, are then worked out with the same grids as everything else, their
// supports pillar by pillar. What does not lie in the room comes last, however good.
func Orient(m *mesh.Mesh, directions int, by Seeking) []Orientation {
	if len(m.Triangles) == 0 || directions < 1 {
		return nil
	}
	q := newQuick(m, by.Holding.LimitDeg)
	downs := append(sphere(directions), q.flat()...)
	downs = append(downs, mesh.Vec{Z: -1}) // as it stands
	ranked := make([]Orientation, len(downs))
	for i, d := range downs {
		ranked[i] = q.orientation(d, by.Seen)
		ranked[i].Fits = by.fits(q.box(d))
	}
	by.rank(ranked)
	var best []Orientation
	for _, s := range ranked {
		if len(best) < listed && !slices.ContainsFunc(best, func(o Orientation) bool { return o.Down.Dot(s.Down) > math.Cos(apartDeg*math.Pi/180) }) {
			best = append(best, s)
		}
	}
	next := make(chan int)
	var wait sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wait.Go(func() {
			for i := range next {
				best[i] = Stand(m, best[i].Down, by)
			}
		})
	}
	for i := range best {
		next <- i
	}
	close(next)
	wait.Wait()
	by.rank(best)
	return best
}

// looksAt reports whether a face with a normal of length 1 is seen from a direction.
func looksAt(normal, seen mesh.Vec) bool { return normal.Dot(seen) > 0.2*seen.Len() }

// SeenScars is the area of a part's faces that lean beyond a limit when a direction points
// at the plate, seen from below, as far as they are looked at.
func SeenScars(m *mesh.Mesh, down, seen mesh.Vec, limitDeg float64) (mm2 float64) {
	if seen == (mesh.Vec{}) {
		return 0
	}
	steep := math.Sin(limitDeg * math.Pi / 180)
	for _, t := range m.Triangles {
		n := m.Vertices[t[1]].Sub(m.Vertices[t[0]]).Cross(m.Vertices[t[2]].Sub(m.Vertices[t[0]])).Mul(0.5)
		if area := n.Len(); area > 0 && n.Dot(down) > steep*area && looksAt(n.Mul(1/area), seen) {
			mm2 += n.Dot(down)
		}
	}
	return mm2
}

// Stand works one orientation out.
func Stand(m *mesh.Mesh, down mesh.Vec, by Seeking) Orientation {
	s := Orientation{Down: down, Matrix: Turn(down)}
	turned := Turned(m, s.Matrix)
	o, p := OverhangOf(turned, by.Holding.LimitDeg), ProfileOf(turned, OrientSlices)
	s.HeightMM, s.SupportMM3, s.ContactMM2 = p.HeightMM, PillarMM3(turned, by.Holding), o.AreaMM2
	s.Fits = by.fits(turned.Box.Size())
	for _, slice := range p.Slices {
		s.LargestLayerMM2 = max(s.LargestLayerMM2, slice.AreaMM2)
	}
	s.Minutes = by.Minutes(p, s.SupportMM3)
	return s
}

// Turn is the matrix, by rows, that turns a direction straight down and x as little as
// it can.
func Turn(down mesh.Vec) [9]float64 {
	z := down.Mul(-1 / down.Len())
	if z.X == 0 && z.Y == 0 && z.Z > 0 {
		return [9]float64{1, 0, 0, 0, 1, 0, 0, 0, 1}
	}
	x := mesh.Vec{X: 1}.Sub(z.Mul(z.X))
	if x.Len() < 1e-3 { // x itself would stand upright
		x = mesh.Vec{Y: 1}.Sub(z.Mul(z.Y))
	}
	x = x.Mul(1 / x.Len())
	y := z.Cross(x)
	return [9]float64{x.X, x.Y, x.Z, y.X, y.Y, y.Z, z.X, z.Y, z.Z}
}

// TurnedVec is a place or a direction turned by a matrix.
func TurnedVec(v mesh.Vec, r [9]float64) mesh.Vec {
	return mesh.Vec{X: r[0]*v.X + r[1]*v.Y + r[2]*v.Z, Y: r[3]*v.X + r[4]*v.Y + r[5]*v.Z, Z: r[6]*v.X + r[7]*v.Y + r[8]*v.Z}
}

// Transposed is the matrix that turns back.
func Transposed(r [9]float64) [9]float64 {
	return [9]float64{r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]}
}

// TurnedBack is where a place of a turned mesh lies in the mesh itself: by the matrix's
// transpose.
func TurnedBack(p mesh.Vec, r [9]float64) mesh.Vec { return TurnedVec(p, Transposed(r)) }

// Turned returns the mesh turned by a matrix.
func Turned(m *mesh.Mesh, r [9]float64) *mesh.Mesh {
	out := &mesh.Mesh{Vertices: make([]mesh.Vec, len(m.Vertices)), Triangles: m.Triangles, Box: mesh.EmptyBox()}
	for i, v := range m.Vertices {
		p := TurnedVec(v, r)
		out.Vertices[i] = p
		out.Box.Add(p)
	}
	return out
}

// sphere spreads n directions evenly.
func sphere(n int) []mesh.Vec {
	out := make([]mesh.Vec, n)
	golden := math.Pi * (3 - math.Sqrt(5))
	for i := range out {
		z := 1 - (2*float64(i)+1)/float64(n)
		r := math.Sqrt(1 - z*z)
		s, c := math.Sincos(golden * float64(i))
		out[i] = mesh.Vec{X: r * c, Y: r * s, Z: z}
	}
	return out
}

// Score gives each orientation its share of the best in every wish, weighted.
func (w Wishes) Score(list []Orientation) {
	measures := []struct {
		weight float64
		of     func(*Orientation) float64
	}{
		{w.Time, func(s *Orientation) float64 { return s.Minutes }}, {w.Support, func(s *Orientation) float64 { return s.SupportMM3 }},
		{w.Scar, func(s *Orientation) float64 { return s.ContactMM2 + 2*s.SeenMM2 }}, {w.Layer, func(s *Orientation) float64 { return s.LargestLayerMM2 }},
		{w.Drain, func(s *Orientation) float64 { return s.DrainMM3 }}, {w.Strength, func(s *Orientation) float64 { return s.Weakness }},
	}
	total := w.Time + w.Support + w.Scar + w.Layer + w.Drain + w.Strength
	for i := range list {
		list[i].Score = 0
	}
	for _, m := range measures {
		if m.weight <= 0 {
			continue
		}
		least, most := math.Inf(1), 0.0
		for i := range list {
			least, most = min(least, m.of(&list[i])), max(most, m.of(&list[i]))
		}
		// A twentieth of the worst is as good as nothing: else one mm² would beat all.
		floor := least + most/20
		for i := range list {
			if x := m.of(&list[i]) + most/20; x > 0 {
				list[i].Score += m.weight / total * floor / x
			} else {
				list[i].Score += m.weight / total
			}
		}
	}
}

// quick is what ranks directions: facets gathered by their normals, and the vertices
// that lie outermost.
type quick struct {
	bins     []bin
	outer    []mesh.Vec
	volume   float64
	diagonal float64
	steep    float64 // sine of the limit beyond which a face must be held
}

// bin is the facets of about one normal.
type bin struct {
	normal mesh.Vec // sum, as long as their area
	centre mesh.Vec // sum of middles by area
	area   float64
}

// binSide is how finely the sphere of normals is told apart: squares along each side
// of a cube around it.
const binSide = 24

// cubeBin is the square of a cube around the origin that a direction meets.
func cubeBin(v mesh.Vec) int {
	ax, ay, az := math.Abs(v.X), math.Abs(v.Y), math.Abs(v.Z)
	face, u, w, major := 0, v.Y, v.Z, ax
	switch {
	case ay >= ax && ay >= az:
		face, u, w, major = 2, v.X, v.Z, ay
	case az >= ax && az >= ay:
		face, u, w, major = 4, v.X, v.Y, az
	}
	if face == 0 && v.X < 0 || face == 2 && v.Y < 0 || face == 4 && v.Z < 0 {
		face++
	}
	if major == 0 {
		return 0
	}
	at := func(x float64) int { return min(binSide-1, int((x/major+1)/2*binSide)) }
	return (face*binSide+at(u))*binSide + at(w)
}

func newQuick(m *mesh.Mesh, limitDeg float64) *quick {
	const all = 6 * binSide * binSide
	most := runtime.GOMAXPROCS(0)
	parts, volumes := make([][]bin, most), make([]float64, most)
	far, at := make([][]float64, most), make([][]mesh.Vec, most)
	middle := m.Box.Centre()
	n := shared(len(m.Triangles), 50_000, func(k, from, to int) {
		bins := make([]bin, all)
		for _, t := range m.Triangles[from:to] {
			a, b, c := m.Vertices[t[0]].Sub(middle), m.Vertices[t[1]].Sub(middle), m.Vertices[t[2]].Sub(middle)
			normal := b.Sub(a).Cross(c.Sub(a)).Mul(0.5)
			area := normal.Len()
			if area == 0 {
				continue
			}
			x := &bins[cubeBin(normal)]
			x.normal = x.normal.Add(normal)
			x.centre = x.centre.Add(a.Add(b).Add(c).Mul(area / 3))
			x.area += area
			volumes[k] += a.Dot(normal) / 3
		}
		parts[k] = bins
	})
	// The vertex furthest out in each square of the cube.
	reached := shared(len(m.Vertices), 50_000, func(k, from, to int) {
		far[k], at[k] = make([]float64, all), make([]mesh.Vec, all)
		for _, v := range m.Vertices[from:to] {
			p := v.Sub(middle)
			if d, i := p.Dot(p), cubeBin(p); d > far[k][i] {
				far[k][i], at[k][i] = d, p
			}
		}
	})
	q := &quick{diagonal: m.Box.Diagonal(), steep: math.Sin(limitDeg * math.Pi / 180)}
	for i := range all {
		var b bin
		best := 0.0
		var outer mesh.Vec
		for k := range n {
			b.normal, b.centre, b.area = b.normal.Add(parts[k][i].normal), b.centre.Add(parts[k][i].centre), b.area+parts[k][i].area
		}
		for k := range reached {
			if far[k][i] > best {
				best, outer = far[k][i], at[k][i]
			}
		}
		if b.area > 0 {
			b.normal, b.centre = b.normal.Mul(1/b.normal.Len()), b.centre.Mul(1/b.area)
			q.bins = append(q.bins, b)
		}
		if best > 0 {
			q.outer = append(q.outer, outer)
		}
	}
	for _, v := range volumes {
		q.volume += v
	}
	q.volume = math.Abs(q.volume)
	return q
}

// flatFaces is how many of the largest groups of facets are tried on the plate.
const flatFaces = 24

// flat returns the normals of the largest groups of facets.
func (q *quick) flat() []mesh.Vec {
	bins := slices.Clone(q.bins)
	slices.SortStableFunc(bins, func(a, b bin) int { return cmp.Compare(b.area, a.area) })
	var out []mesh.Vec
	for _, b := range bins[:min(len(bins), flatFaces)] {
		out = append(out, b.normal)
	}
	return out
}

// box is how large the part is with a direction pointing down, by its outermost vertices.
func (q *quick) box(down mesh.Vec) mesh.Vec {
	b, turn := mesh.EmptyBox(), Turn(down)
	for _, p := range q.outer {
		b.Add(TurnedVec(p, turn))
	}
	return b.Size()
}

// orientation is a quick figure of each thing: time by height, support by the room under
// groups of facets, scars by their area, the layer by the mean section.
func (q *quick) orientation(down, seen mesh.Vec) Orientation {
	s := Orientation{Down: down}
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range q.outer {
		h := -p.Dot(down)
		low, high = min(low, h), max(high, h)
	}
	s.HeightMM = max(high-low, 1e-9)
	for _, b := range q.bins {
		lean := b.normal.Dot(down)
		height := -b.centre.Dot(down) - low
		if lean <= q.steep || height < 0.2 || lean > 0.999 && height < 0.003*q.diagonal { // it stands on the plate
			continue
		}
		s.ContactMM2 += b.area * lean
		if looksAt(b.normal, seen) {
			s.SeenMM2 += b.area * lean
		}
		s.SupportMM3 += b.area * lean * height
	}
	s.Minutes = s.HeightMM
	s.LargestLayerMM2 = q.volume / s.HeightMM
	return s
}
