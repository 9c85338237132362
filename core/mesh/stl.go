package mesh

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
)

// Limits bound what a reader accepts. A zero field means the default.
type Limits struct {
	MaxBytes     int64 // default 512 MiB
	MaxTriangles int   // default 10,000,000
}

// What is read when no limit is set.
const (
	DefaultMaxBytes     = 512 << 20
	DefaultMaxTriangles = 10_000_000
)

func (l Limits) maxBytes() int64 {
	if l.MaxBytes > 0 {
		return l.MaxBytes
	}
	return DefaultMaxBytes
}

func (l Limits) maxTriangles() int {
	if l.MaxTriangles > 0 {
		return l.MaxTriangles
	}
	return DefaultMaxTriangles
}

// What can be wrong with a file. A FormatError wraps one of them.
var (
	ErrTooLarge  = errors.New("over the limit")
	ErrCut       = errors.New("the file ends too early")
	ErrNotFinite = errors.New("a number is not finite")
	ErrSyntax    = errors.New("unexpected text")
	ErrEmpty     = errors.New("no triangle in it")
)

// FormatError says where a file stopped making sense. Line counts from 1 and is
// 0 in binary files, where Offset is the byte.
type FormatError struct {
	Offset int64
	Line   int
	Detail string
	Err    error
}

func (e *FormatError) Error() string {
	where := ""
	switch {
	case e.Line > 0:
		where = fmt.Sprintf("line %d: ", e.Line)
	case e.Offset > 0:
		where = fmt.Sprintf("byte %d: ", e.Offset)
	}
	if e.Detail == "" {
		return where + e.Err.Error()
	}
	return where + e.Err.Error() + ": " + e.Detail
}

func (e *FormatError) Unwrap() error { return e.Err }

const (
	stlHeader = 84 // 80 bytes of text and the count
	stlRecord = 50 // normal, three corners, two bytes of attribute
)

// ReadSTL reads a binary or an ASCII STL. The soup keeps data: do not change it.
// A binary file may begin with "solid" and may carry bytes after its last
// triangle; everything else that is wrong is a FormatError and nothing is read.
func ReadSTL(data []byte, limits Limits) (*Soup, error) {
	if int64(len(data)) > limits.maxBytes() {
		return nil, &FormatError{Err: ErrTooLarge,
			Detail: fmt.Sprintf("%d bytes, at most %d are read", len(data), limits.maxBytes())}
	}
	if len(bytes.TrimSpace(data[:min(len(data), stlHeader)])) == 0 && len(data) <= stlHeader {
		return nil, &FormatError{Err: ErrEmpty}
	}
	if looksASCII(data) {
		return readASCII(data, limits)
	}
	return readBinary(data, limits)
}

// looksASCII tells the two kinds apart. "solid" alone does not: many exporters
// write it into binary headers. Text has no control bytes near its start and has
// "facet" or "endsolid" there; a binary file whose count fits its length stays
// binary whatever its header says.
func looksASCII(data []byte) bool {
	text := bytes.TrimLeft(data, " \t\r\n")
	if len(text) < 5 || !bytes.EqualFold(text[:5], []byte("solid")) {
		return false
	}
	head := data[:min(len(data), 1024)]
	for _, c := range head {
		if c < 9 || c > 13 && c < 32 {
			return false
		}
	}
	if len(data) >= stlHeader {
		n := int64(binary.LittleEndian.Uint32(data[80:]))
		if int64(len(data)) == stlHeader+n*stlRecord {
			return false
		}
	}
	lower := bytes.ToLower(head)
	return bytes.Contains(lower, []byte("facet")) || bytes.Contains(lower, []byte("endsolid")) || len(data) < stlHeader
}

func readBinary(data []byte, limits Limits) (*Soup, error) {
	if len(data) < stlHeader {
		return nil, &FormatError{Offset: int64(len(data)), Err: ErrCut,
			Detail: fmt.Sprintf("%d bytes, a binary STL has at least %d", len(data), stlHeader)}
	}
	n := int64(binary.LittleEndian.Uint32(data[80:]))
	if n == 0 {
		return nil, &FormatError{Offset: 80, Err: ErrEmpty, Detail: "the count says 0"}
	}
	if want := stlHeader + n*stlRecord; int64(len(data)) < want {
		return nil, &FormatError{Offset: int64(len(data)), Err: ErrCut,
			Detail: fmt.Sprintf("the count says %d triangles, %d are there", n, (len(data)-stlHeader)/stlRecord)}
	}
	if n > int64(limits.maxTriangles()) {
		return nil, &FormatError{Offset: 80, Err: ErrTooLarge,
			Detail: fmt.Sprintf("%d triangles, at most %d are read", n, limits.maxTriangles())}
	}
	soup := &Soup{Format: "stl", raw: data[stlHeader : stlHeader+n*stlRecord], n: int(n)}
	return soup.looked()
}

// looked surveys a binary soup and refuses one with a number that is not finite.
func (s *Soup) looked() (*Soup, error) {
	var bad int
	if s.Box, bad = s.survey(); bad >= 0 {
		return nil, notFinite(bad)
	}
	return s, nil
}

func notFinite(triangle int) error {
	return &FormatError{Offset: stlHeader + int64(triangle)*stlRecord, Err: ErrNotFinite,
		Detail: fmt.Sprintf("a corner of triangle %d", triangle+1)}
}

// binarySTL is a binary STL in a file, read in stretches, several at the same time.
type binarySTL struct {
	r io.ReaderAt
	n int
}

// window reads the triangles from..to into room.
func (b binarySTL) window(from, to int, room []byte) (*Soup, error) {
	part := &Soup{Format: "stl", raw: room[:(to-from)*stlRecord], n: to - from}
	if _, err := b.r.ReadAt(part.raw, int64(stlHeader+from*stlRecord)); err != nil && err != io.EOF {
		return nil, err
	}
	return part, nil
}

// survey walks all of it once. hold is as long as the file's records, and keeps them,
// or nil, and nothing is kept.
func (b binarySTL) survey(hold []byte) (Box, error) {
	w := workers(b.n)
	boxes, faults := make([]Box, w), make([]error, w)
	spread(b.n, w, func(k, from, to int) {
		boxes[k] = EmptyBox()
		room := make([]byte, stretch*stlRecord)
		for ; from < to && faults[k] == nil; from += stretch {
			until := min(from+stretch, to)
			if hold != nil {
				room = hold[from*stlRecord : until*stlRecord]
			}
			part, err := b.window(from, until, room)
			if err != nil {
				faults[k] = err
				return
			}
			box, bad := part.surveyed(0, part.n)
			if bad >= 0 {
				faults[k] = notFinite(from + bad)
			}
			boxes[k] = boxes[k].Union(box)
		}
	})
	box := EmptyBox()
	for k := range w {
		if faults[k] != nil {
			return box, faults[k]
		}
		box = box.Union(boxes[k])
	}
	return box, nil
}

// words walks the words of a text and knows the line it is on.
type words struct {
	data []byte
	at   int
	line int
}

// next returns the next word, or nil at the end.
func (w *words) next() []byte {
	for w.at < len(w.data) && w.data[w.at] <= ' ' {
		if w.data[w.at] == '\n' {
			w.line++
		}
		w.at++
	}
	from := w.at
	for w.at < len(w.data) && w.data[w.at] > ' ' {
		w.at++
	}
	return w.data[from:w.at]
}

// rest skips to the end of the line: the name after "solid" may be anything.
func (w *words) rest() {
	for w.at < len(w.data) && w.data[w.at] != '\n' {
		w.at++
	}
}

func (w *words) fail(err error, format string, args ...any) error {
	if err == ErrSyntax && w.at == len(w.data) {
		err = ErrCut // the odd word is the stump of the right one
	}
	return &FormatError{Line: w.line, Offset: int64(w.at), Err: err, Detail: fmt.Sprintf(format, args...)}
}

func (w *words) want(expected string) error {
	got := w.next()
	if len(got) == 0 {
		return w.fail(ErrCut, "%q expected", expected)
	}
	if !bytes.EqualFold(got, []byte(expected)) {
		return w.fail(ErrSyntax, "%q expected, %.40q found", expected, got)
	}
	return nil
}

func (w *words) number() (float32, error) {
	word := w.next()
	if len(word) == 0 {
		return 0, w.fail(ErrCut, "a number expected")
	}
	f, err := strconv.ParseFloat(string(word), 32)
	if errors.Is(err, strconv.ErrRange) || math.IsInf(f, 0) || math.IsNaN(f) {
		return 0, w.fail(ErrNotFinite, "%.40q", word)
	}
	if err != nil {
		return 0, w.fail(ErrSyntax, "a number expected, %.40q found", word)
	}
	return float32(f), nil
}

func readASCII(data []byte, limits Limits) (*Soup, error) {
	w := &words{data: data, line: 1}
	var flat []float32
	inside := false
	for {
		word := w.next()
		switch {
		case len(word) == 0 && inside:
			return nil, w.fail(ErrCut, `"endsolid" expected`)
		case len(word) == 0:
			if len(flat) == 0 {
				return nil, &FormatError{Err: ErrEmpty}
			}
			return SoupOf("stl", flat), nil
		case !inside && bytes.EqualFold(word, []byte("solid")):
			w.rest()
			inside = true
		case inside && bytes.EqualFold(word, []byte("endsolid")):
			w.rest()
			inside = false
		case inside && bytes.EqualFold(word, []byte("facet")):
			if len(flat)/9 >= limits.maxTriangles() {
				return nil, w.fail(ErrTooLarge, "at most %d triangles are read", limits.maxTriangles())
			}
			corners, err := w.facet()
			if err != nil {
				return nil, err
			}
			flat = append(flat, corners[:]...)
		case !inside && len(flat) > 0:
			return SoupOf("stl", flat), nil // text after the last "endsolid" is forgiven as trailing bytes are
		default:
			return nil, w.fail(ErrSyntax, `"facet" or "endsolid" expected, %.40q found`, word)
		}
	}
}

// facet reads from after "facet" to "endfacet". The normal is read past: corners
// in order say which way a facet faces.
func (w *words) facet() (corners [9]float32, err error) {
	if err = w.want("normal"); err != nil {
		return
	}
	for range 3 {
		if len(w.next()) == 0 {
			return corners, w.fail(ErrCut, "a normal expected")
		}
	}
	for _, word := range []string{"outer", "loop"} {
		if err = w.want(word); err != nil {
			return
		}
	}
	for i := range 9 {
		if i%3 == 0 {
			if err = w.want("vertex"); err != nil {
				return
			}
		}
		if corners[i], err = w.number(); err != nil {
			return
		}
	}
	for _, word := range []string{"endloop", "endfacet"} {
		if err = w.want(word); err != nil {
			return
		}
	}
	return
}

// WriteSTL returns the soup as a binary STL with normals worked out again.
func WriteSTL(s *Soup) []byte {
	out := make([]byte, stlHeader+s.n*stlRecord)
	copy(out, "Sakuji")
	binary.LittleEndian.PutUint32(out[80:], uint32(s.n))
	spread(s.n, workers(s.n), func(_, from, to int) {
		for i := from; i < to; i++ {
			rec := out[stlHeader+i*stlRecord:]
			a, b, c := s.Triangle(i)
			n := b.Sub(a).Cross(c.Sub(a))
			if l := n.Len(); l > 0 {
				n = n.Mul(1 / l)
			}
			for k, f := range [3]float64{n.X, n.Y, n.Z} {
				binary.LittleEndian.PutUint32(rec[4*k:], math.Float32bits(float32(f)))
			}
			for k, f := range s.corners(i) {
				binary.LittleEndian.PutUint32(rec[12+4*k:], math.Float32bits(f))
			}
		}
	})
	return out
}
