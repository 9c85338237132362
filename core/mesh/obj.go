package mesh

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// looksOBJ reports a text whose first statement is one of an OBJ's.
func looksOBJ(data []byte) bool {
	for line := range bytes.Lines(data[:min(len(data), 64<<10)]) {
		word, _, _ := strings.Cut(strings.TrimSpace(string(line)), " ")
		switch word {
		case "", "#":
			continue
		case "v", "vn", "vt", "vp", "f", "o", "g", "s", "mtllib", "usemtl", "l", "p":
			return true
		}
		if !strings.HasPrefix(word, "#") {
			return false
		}
	}
	return false
}

// readOBJ reads the vertices and faces of a Wavefront OBJ; normals, textures,
// materials, lines and points are read past. Faces may have any number of corners
// and count vertices from 1, or backwards from the newest with negative numbers.
func readOBJ(data []byte, limits Limits) (*Soup, error) {
	o := objReader{limits: limits, ears: earsAtLeast + earsPerByte*len(data)}
	var joined strings.Builder // of a statement that goes on over several lines
	for raw := range bytes.Lines(data) {
		o.line++
		line := strings.TrimRight(string(raw), " \t\r\n")
		if rest, more := strings.CutSuffix(line, `\`); more {
			joined.WriteString(rest + " ")
			if joined.Len() > 1<<20 {
				return nil, o.fail(ErrTooLarge, "a statement of over a million characters")
			}
			continue
		}
		if joined.Len() > 0 {
			line = joined.String() + line
			joined.Reset()
		}
		line, _, _ = strings.Cut(line, "#")
		if words := strings.Fields(line); len(words) > 0 {
			if err := o.statement(words, line); err != nil {
				return nil, err
			}
		}
	}
	if len(o.flat) == 0 {
		return nil, &FormatError{Err: ErrEmpty}
	}
	soup := SoupOf("obj", o.flat)
	soup.Groups = o.groups.done(len(o.flat) / 9)
	return soup, nil
}

// objReader is what has been read so far.
type objReader struct {
	limits   Limits
	line     int
	ears     int // corners of polygons that may still be looked at
	vertices []Vec
	flat     []float32
	groups   groups
}

func (o *objReader) fail(err error, format string, args ...any) error {
	return &FormatError{Line: o.line, Err: err, Detail: fmt.Sprintf(format, args...)}
}

func (o *objReader) statement(words []string, line string) error {
	switch words[0] {
	case "o", "g":
		o.groups.begin(strings.Join(words[1:], " "), len(o.flat)/9)
	case "v":
		v, err := objVertex(words[1:])
		if err != nil {
			return o.fail(err, "vertex %d: %.60q", len(o.vertices)+1, line)
		}
		if most := 3 * o.limits.maxTriangles(); len(o.vertices) >= most {
			return o.fail(ErrTooLarge, "at most %d vertices are read", most)
		}
		o.vertices = append(o.vertices, v)
	case "f":
		return o.face(words[1:])
	}
	return nil
}

func (o *objReader) face(words []string) error {
	face, err := objFace(words, len(o.vertices))
	if err != nil {
		return o.fail(ErrSyntax, "%v", err)
	}
	if len(o.flat)/9+len(face)-2 > o.limits.maxTriangles() {
		return o.fail(ErrTooLarge, "at most %d triangles are read", o.limits.maxTriangles())
	}
	triangles := triangulate(o.vertices, face, &o.ears)
	if o.ears <= 0 {
		return o.fail(ErrTooLarge, "polygons of very many corners take too long to cut into triangles; do that where the file was made")
	}
	for _, t := range triangles {
		for _, i := range t {
			v := o.vertices[i]
			o.flat = append(o.flat, float32(v.X), float32(v.Y), float32(v.Z))
		}
	}
	return nil
}

// groups collects the named runs of a file while it is read.
type groups []Group

// maxGroups bounds how many runs are told apart.
const maxGroups = 10_000

func (g *groups) begin(name string, at int) {
	if n := len(*g); n > 0 && (*g)[n-1].From == at {
		if name == "" {
			name = (*g)[n-1].Name
		}
		*g = (*g)[:n-1] // it held nothing
	}
	if len(*g) < maxGroups {
		*g = append(*g, Group{Name: name, From: at})
	}
}

// done returns the runs that hold triangles; what stands before the first has no name.
func (g groups) done(n int) []Group {
	if len(g) == 0 {
		return nil
	}
	if g[0].From > 0 {
		g = append(groups{{}}, g...)
	}
	for k := range g {
		g[k].To = n
		if k+1 < len(g) {
			g[k].To = g[k+1].From
		}
	}
	if last := g[len(g)-1]; last.From == last.To {
		g = g[:len(g)-1]
	}
	return g
}

func objVertex(words []string) (v Vec, err error) {
	if len(words) < 3 {
		return v, ErrCut
	}
	for k, to := range []*float64{&v.X, &v.Y, &v.Z} {
		f, err := strconv.ParseFloat(words[k], 32)
		if math.IsNaN(f) || math.IsInf(f, 0) {
			return v, ErrNotFinite
		}
		if err != nil {
			return v, ErrSyntax
		}
		*to = f
	}
	return v, nil
}

// objFace reads the vertex of each corner "v", "v/t", "v//n" or "v/t/n".
func objFace(words []string, vertices int) ([]int, error) {
	if len(words) < 3 {
		return nil, fmt.Errorf("a face of %d corners", len(words))
	}
	face := make([]int, len(words))
	for k, w := range words {
		w, _, _ = strings.Cut(w, "/")
		i, err := strconv.Atoi(w)
		if err != nil {
			return nil, fmt.Errorf("a vertex number expected, %.40q found", w)
		}
		if i < 0 {
			i += vertices + 1
		}
		if i < 1 || i > vertices {
			return nil, fmt.Errorf("vertex %s, there are %d so far", w, vertices)
		}
		face[k] = i - 1
	}
	return face, nil
}

// triangulate cuts a polygon into triangles by clipping ears in the plane it is most
// seen in [published: Meisters, Polygons have ears, 1975]. A polygon that crosses
// itself is fanned. ears is how many corners may still be looked at; at none it gives up.
func triangulate(at []Vec, face []int, ears *int) [][3]int {
	if len(face) == 3 {
		return [][3]int{{face[0], face[1], face[2]}}
	}
	var normal Vec // by Newell's method
	for k, i := range face {
		a, b := at[i], at[face[(k+1)%len(face)]]
		normal = normal.Add(Vec{(a.Y - b.Y) * (a.Z + b.Z), (a.Z - b.Z) * (a.X + b.X), (a.X - b.X) * (a.Y + b.Y)})
	}
	turn := func(a, b, c Vec) float64 { return b.Sub(a).Cross(c.Sub(a)).Dot(normal) }
	left := append([]int(nil), face...)
	var out [][3]int
	for len(left) > 3 && *ears > 0 {
		ear := -1
		for k := range left {
			a, b, c := left[(k+len(left)-1)%len(left)], left[k], left[(k+1)%len(left)]
			if turn(at[a], at[b], at[c]) <= 0 || len(face) > maxEars {
				continue
			}
			if *ears -= len(left); *ears <= 0 {
				return nil
			}
			if clear := !holdsAny(at, left, a, b, c, turn); clear {
				ear = k
				break
			}
		}
		if ear < 0 { // it crosses itself, or is flat: the fan is as good as anything
			for k := 1; k+1 < len(left); k++ {
				out = append(out, [3]int{left[0], left[k], left[k+1]})
			}
			return out
		}
		out = append(out, [3]int{left[(ear+len(left)-1)%len(left)], left[ear], left[(ear+1)%len(left)]})
		left = append(left[:ear], left[ear+1:]...)
	}
	return append(out, [3]int{left[0], left[1], left[2]})
}

// maxEars bounds the corners of a polygon whose ears are looked for: the search takes time
// with their square and more. All polygons of a file share what may be looked at.
const (
	maxEars     = 2000
	earsAtLeast = 20_000_000
	earsPerByte = 10
)

// holdsAny reports whether another corner of the polygon lies in triangle abc.
func holdsAny(at []Vec, left []int, a, b, c int, turn func(a, b, c Vec) float64) bool {
	for _, i := range left {
		if i == a || i == b || i == c {
			continue
		}
		p := at[i]
		if turn(at[a], at[b], p) >= 0 && turn(at[b], at[c], p) >= 0 && turn(at[c], at[a], p) >= 0 {
			return true
		}
	}
	return false
}
