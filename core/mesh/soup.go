// Package mesh is what Sakuji knows about triangle meshes: it reads them from
// files, welds them, measures them and says what is wrong with them. It never
// changes a file and never guesses a unit. Its definitions of shell, open edge,
// inverted and buried are those of the design notes; formulas that come from a
// publication name it where they stand.
package mesh

import (
	"encoding/binary"
	"math"
	"runtime"
	"sync"
)

// Soup is a file's triangles as they stand there: three corners each, nothing
// shared, in the file's own unit. A binary STL stays in its bytes and is decoded
// as it is walked, so holding a million triangles costs no more than the file.
type Soup struct {
	Format string // "stl"
	raw    []byte // binary STL records of 50 bytes, or nil
	flat   []float32
	n      int
	Box    Box
	Groups []Group // what the file keeps apart by name, in order; none for an STL
}

// Group is a run of triangles that a file names: an OBJ's object or group, an item
// on a 3MF's build.
type Group struct {
	Name     string
	From, To int // triangles From..To−1
}

// Part returns the triangles from..to as a soup of their own.
func (s *Soup) Part(from, to int) *Soup {
	p := s.window(from, to)
	p.Box, _ = p.survey()
	return p
}

// window is Part without its box.
func (s *Soup) window(from, to int) *Soup {
	p := &Soup{Format: s.Format, n: to - from}
	if s.raw != nil {
		p.raw = s.raw[stlRecord*from : stlRecord*to]
	} else {
		p.flat = s.flat[9*from : 9*to]
	}
	return p
}

// SoupOf makes a soup from finite corner coordinates, nine numbers a triangle.
func SoupOf(format string, flat []float32) *Soup {
	s := &Soup{Format: format, flat: flat, n: len(flat) / 9}
	s.Box, _ = s.survey()
	return s
}

// Len returns the number of triangles, degenerate ones included.
func (s *Soup) Len() int { return s.n }

// corners decodes triangle i into nine coordinates.
func (s *Soup) corners(i int) (c [9]float32) {
	if s.raw == nil {
		copy(c[:], s.flat[9*i:9*i+9])
		return c
	}
	rec := s.raw[50*i+12 : 50*i+48 : 50*i+48]
	for k := range c {
		c[k] = math.Float32frombits(binary.LittleEndian.Uint32(rec[4*k:]))
	}
	return c
}

// Triangle returns the three corners of triangle i.
func (s *Soup) Triangle(i int) (a, b, c Vec) {
	f := s.corners(i)
	return Vec{float64(f[0]), float64(f[1]), float64(f[2])},
		Vec{float64(f[3]), float64(f[4]), float64(f[5])},
		Vec{float64(f[6]), float64(f[7]), float64(f[8])}
}

// Scaled returns the soup with every coordinate multiplied by k.
func (s *Soup) Scaled(k float64) *Soup {
	if k == 1 {
		return s
	}
	flat := make([]float32, 9*s.n)
	for i := range s.n {
		for j, f := range s.corners(i) {
			flat[9*i+j] = float32(float64(f) * k)
		}
	}
	out := SoupOf(s.Format, flat)
	out.Groups = s.Groups
	return out
}

// Bulk is what one walk over the triangles tells: the bounding box, the surface
// area and the signed volume. Without welding nothing is known of shells, so the
// volume is only right for a model whose shells all face the right way.
type Bulk struct {
	Box       Box
	AreaMM2   float64
	VolumeMM3 float64
}

// Bulk walks all triangles once, on every processor. Volume is the sum of signed
// tetrahedra against one corner of the model [published: Zhang and Chen,
// Efficient feature extraction for 2D/3D objects in mesh representation, 2001].
func (s *Soup) Bulk() Bulk {
	if s.n == 0 {
		return Bulk{Box: EmptyBox()}
	}
	origin, _, _ := s.Triangle(0)
	parts := make([]Bulk, workers(s.n))
	spread(s.n, len(parts), func(w, from, to int) {
		parts[w] = s.bulk(from, to, origin)
	})
	sum := Bulk{Box: s.Box}
	for _, p := range parts {
		sum.AreaMM2 += p.AreaMM2
		sum.VolumeMM3 += p.VolumeMM3
	}
	return sum
}

func (s *Soup) bulk(from, to int, origin Vec) (b Bulk) {
	for i := from; i < to; i++ {
		f := s.corners(i)
		ax, ay, az := float64(f[0])-origin.X, float64(f[1])-origin.Y, float64(f[2])-origin.Z
		ux, uy, uz := float64(f[3])-float64(f[0]), float64(f[4])-float64(f[1]), float64(f[5])-float64(f[2])
		vx, vy, vz := float64(f[6])-float64(f[0]), float64(f[7])-float64(f[1]), float64(f[8])-float64(f[2])
		nx, ny, nz := uy*vz-uz*vy, uz*vx-ux*vz, ux*vy-uy*vx
		b.AreaMM2 += math.Sqrt(nx*nx+ny*ny+nz*nz) / 2
		b.VolumeMM3 += (ax*nx + ay*ny + az*nz) / 6
	}
	return b
}

// survey walks every corner once: the bounding box, and the first triangle with a
// corner that is not a finite number, or −1.
func (s *Soup) survey() (box Box, notFinite int) {
	w := workers(s.n)
	boxes, firsts := make([]Box, w), make([]int, w)
	spread(s.n, w, func(k, from, to int) { boxes[k], firsts[k] = s.surveyed(from, to) })
	box = EmptyBox()
	for k := range w {
		if firsts[k] >= 0 {
			return EmptyBox(), firsts[k]
		}
		box = box.Union(boxes[k])
	}
	return box, -1
}

// surveyed is survey for the triangles from..to.
func (s *Soup) surveyed(from, to int) (box Box, notFinite int) {
	inf := float32(math.Inf(1))
	lo, hi := [3]float32{inf, inf, inf}, [3]float32{-inf, -inf, -inf}
	for i := from; i < to; i++ {
		f := s.corners(i)
		var exponents uint32 // carries into the top bit where an exponent is all ones
		for k := range 3 {
			for _, x := range [3]float32{f[k], f[3+k], f[6+k]} {
				exponents |= math.Float32bits(x)&0x7f800000 + 0x00800000
				if x < lo[k] {
					lo[k] = x
				}
				if x > hi[k] {
					hi[k] = x
				}
			}
		}
		if exponents>>31 != 0 {
			return EmptyBox(), i
		}
	}
	return boxOf(lo, hi), -1
}

func boxOf(lo, hi [3]float32) Box {
	return Box{Vec{float64(lo[0]), float64(lo[1]), float64(lo[2])},
		Vec{float64(hi[0]), float64(hi[1]), float64(hi[2])}}
}

// workers is how many goroutines share n pieces of work: one for small amounts.
func workers(n int) int {
	return max(1, min(runtime.GOMAXPROCS(0), n/20_000))
}

// spread cuts 0..n into w runs and works on them at the same time.
func spread(n, w int, work func(worker, from, to int)) {
	if w <= 1 {
		work(0, 0, n)
		return
	}
	var wait sync.WaitGroup
	for k := range w {
		wait.Go(func() { work(k, n*k/w, n*(k+1)/w) })
	}
	wait.Wait()
}
