package solid

import (
	"fmt"
	"math"

	"sakuji/core/mesh"
)

// Pegs are the dowels that hold halves together: sockets in both, dowels apart.
type Pegs struct {
	Count       int
	DiameterMM  float64 // of the dowel
	ClearanceMM float64 // on every side of it
}

// Socket is a blind hole in both halves, across the plane.
type Socket struct {
	At      mesh.Vec // on the plane
	DepthMM float64  // into either half
}

const (
	pegSides  = 32  // corners of a socket
	pegWallMM = 1.2 // matter that must be left around a socket. Source: from memory
	pegReach  = 2.0 // diameters that a socket goes deep, where there is room
)

// socket lets a blind hole into both halves and returns its mouth as a hole of the cap.
func (s *splitter) socket(k Socket, radius float64) []flatPoint {
	mouth := make([]flatPoint, pegSides)
	ids := make([]int32, pegSides)
	at := func(i int, depth float64) mesh.Vec {
		sin, cos := math.Sincos(-2 * math.Pi * float64(i) / pegSides) // clockwise, as a hole
		return k.At.Add(s.u.Mul(radius * cos)).Add(s.v.Mul(radius * sin)).Add(s.n.Mul(depth))
	}
	put := func(p mesh.Vec) int32 {
		s.vertices = append(s.vertices, p)
		return int32(len(s.vertices) - 1)
	}
	for i := range pegSides {
		ids[i] = put(at(i, 0))
		mouth[i] = s.flat(ids[i])
	}
	for half, depth := range [2]float64{k.DepthMM, -k.DepthMM} {
		floor := make([]int32, pegSides)
		for i := range pegSides {
			floor[i] = put(at(i, depth))
		}
		middle := put(k.At.Add(s.n.Mul(depth)))
		for i := range pegSides {
			j := (i + 1) % pegSides
			wall := [][3]int32{{ids[i], ids[j], floor[j]}, {ids[i], floor[j], floor[i]}, {floor[i], floor[j], middle}}
			for _, t := range wall {
				if half == 1 { // the lower half's socket is seen from the other side
					t[1], t[2] = t[2], t[1]
				}
				s.halves[half] = append(s.halves[half], t)
			}
		}
	}
	return mouth
}

// places finds where pegs have the most matter around them, and how deep they may go.
func (s *splitter) places(regions []flatRegion, pegs Pegs) ([]Socket, error) {
	radius := pegs.DiameterMM/2 + pegs.ClearanceMM
	need := radius + pegWallMM
	tree := mesh.NewTree(s.mesh)
	var out []Socket
	for len(out) < pegs.Count {
		best, room := Socket{}, need
		for _, r := range regions {
			low, high := flatBox(r.outer)
			step := max(high.X-low.X, high.Y-low.Y) / 60
			for x := low.X + step/2; x < high.X; x += step {
				for y := low.Y + step/2; y < high.Y; y += step {
					p := Point{x, y}
					clear := s.clearance(r, p, out, radius)
					if clear <= room || !holdsFlat(r, p) {
						continue
					}
					at := s.u.Mul(x).Add(s.v.Mul(y)).Add(s.n.Mul(s.d))
					if depth := s.depth(tree, at, need, pegs); depth >= pegs.DiameterMM {
						best, room = Socket{at, depth}, clear
					}
				}
			}
		}
		if best.DepthMM == 0 {
			return nil, fmt.Errorf("%w: %d of %d fit, of %g mm with %g mm of wall", ErrNoRoom, len(out), pegs.Count, pegs.DiameterMM, pegWallMM)
		}
		out = append(out, best)
	}
	return out, nil
}

func flatBox(ring []flatPoint) (low, high Point) {
	low, high = ring[0].Point, ring[0].Point
	for _, p := range ring[1:] {
		low, high = Point{min(low.X, p.X), min(low.Y, p.Y)}, Point{max(high.X, p.X), max(high.Y, p.Y)}
	}
	return low, high
}

// clearance is how far a point lies from the section's rings, and from sockets already
// placed: the further apart two pegs stand, the less the halves turn.
func (s *splitter) clearance(r flatRegion, p Point, taken []Socket, radius float64) float64 {
	nearest := math.Inf(1)
	for _, ring := range append([][]flatPoint{r.outer}, r.holes...) {
		for i, a := range ring {
			nearest = min(nearest, toSegment(p, a.Point, ring[(i+1)%len(ring)].Point))
		}
	}
	for _, k := range taken {
		nearest = min(nearest, math.Hypot(k.At.Dot(s.u)-p.X, k.At.Dot(s.v)-p.Y)-radius)
	}
	return nearest
}

func toSegment(p, a, b Point) float64 {
	dx, dy := b.X-a.X, b.Y-a.Y
	k := 0.0
	if l := dx*dx + dy*dy; l > 0 {
		k = max(0, min(1, ((p.X-a.X)*dx+(p.Y-a.Y)*dy)/l))
	}
	return math.Hypot(p.X-a.X-k*dx, p.Y-a.Y-k*dy)
}

// depth is how far a socket may go into both halves with matter left at its end.
func (s *splitter) depth(tree *mesh.Tree, at mesh.Vec, around float64, pegs Pegs) float64 {
	depth := pegReach*pegs.DiameterMM + pegs.ClearanceMM
	for i := range 9 {
		p := at
		if i > 0 {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / 8)
			p = at.Add(s.u.Mul(around * cos)).Add(s.v.Mul(around * sin))
		}
		for _, way := range [2]mesh.Vec{s.n, s.n.Mul(-1)} {
			if hit, met := tree.Ray(p, way, 1e-9); met {
				depth = min(depth, hit.MM-pegWallMM)
			} else {
				return 0
			}
		}
	}
	return depth
}

// Dowel is the peg for a socket, standing by itself on the plate: as long as both
// blind holes together, less the clearance at each end.
func (p Pegs) Dowel(depthMM float64) *mesh.Mesh {
	return frustum(p.DiameterMM/2, p.DiameterMM/2, 2*(depthMM-p.ClearanceMM))
}

// frustum is a round peg on the plate.
func frustum(footMM, headMM, longMM float64) *mesh.Mesh {
	m := &mesh.Mesh{Box: mesh.EmptyBox()}
	put := func(v mesh.Vec) int32 {
		m.Vertices = append(m.Vertices, v)
		m.Box.Add(v)
		return int32(len(m.Vertices) - 1)
	}
	var foot, head [pegSides]int32
	for i := range pegSides {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / pegSides)
		foot[i] = put(mesh.Vec{X: footMM * cos, Y: footMM * sin})
		head[i] = put(mesh.Vec{X: headMM * cos, Y: headMM * sin, Z: longMM})
	}
	low, high := put(mesh.Vec{}), put(mesh.Vec{Z: longMM})
	for i := range pegSides {
		j := (i + 1) % pegSides
		m.Triangles = append(m.Triangles, [3]int32{foot[i], foot[j], head[j]}, [3]int32{foot[i], head[j], head[i]}, [3]int32{low, foot[j], foot[i]}, [3]int32{high, head[i], head[j]})
	}
	return m
}
