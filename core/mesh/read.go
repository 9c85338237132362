package mesh

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
)

// Read reads a model file of any kind this room knows, told by its contents and not
// by its name: STL, OBJ, 3MF, and each of them inside gzip or alone inside a zip. A
// 3MF says its own unit and comes out in millimetres; the others come out in
// whatever they were drawn in. Limits hold for what is unpacked, too; what has no size of a
// thing is refused.
func Read(data []byte, limits Limits) (*Soup, error) { return thing(readAny(data, limits, 0)) }

// ReadFrom reads a model file of size bytes. A binary STL is looked over while it
// comes in, in several places at once.
func ReadFrom(r io.ReaderAt, size int64, limits Limits) (*Soup, error) {
	b, plain, err := plainSTL(r, size, limits)
	if err != nil {
		return nil, err
	}
	data := make([]byte, size)
	if plain {
		soup := &Soup{Format: "stl", raw: data[stlHeader:], n: b.n}
		soup.Box, err = b.survey(soup.raw)
		return thing(soup, err)
	}
	if _, err := r.ReadAt(data, 0); err != nil && err != io.EOF {
		return nil, err
	}
	return Read(data, limits)
}

// MeasureFrom is the full diagnosis of a model file of size bytes, in the file's own
// unit times a scale. A large binary STL is walked twice and never held: most of the
// time of holding it would go into asking the system for memory.
func MeasureFrom(r io.ReaderAt, size int64, limits Limits, scale func(format string) float64) (Measures, error) {
	b, plain, err := plainSTL(r, size, limits)
	if err != nil {
		return Measures{}, err
	}
	if !plain || scale("stl") != 1 {
		s, err := ReadFrom(r, size, limits)
		if err != nil {
			return Measures{}, err
		}
		return Measure(s.Scaled(scale(s.Format))), nil
	}
	box, err := b.survey(nil)
	if err == nil {
		err = (&Soup{n: b.n, Box: box}).CheckSize()
	}
	if err != nil {
		return Measures{}, err
	}
	m, err := weld(box, b.n, nil, b.window)
	if err != nil {
		return Measures{}, err
	}
	out := m.Measure()
	out.Format, out.Triangles = "stl", b.n
	return out, nil
}

// plainSTL tells a binary STL of over a megabyte whose count fits its length.
func plainSTL(r io.ReaderAt, size int64, limits Limits) (b binarySTL, plain bool, err error) {
	if size > limits.maxBytes() {
		return b, false, &FormatError{Err: ErrTooLarge, Detail: fmt.Sprintf("%d bytes, at most %d are read", size, limits.maxBytes())}
	}
	n := (size - stlHeader) / stlRecord
	if size <= 1<<20 || stlHeader+n*stlRecord != size || n > int64(limits.maxTriangles()) {
		return b, false, nil
	}
	var count [4]byte
	if _, err := r.ReadAt(count[:], 80); err != nil {
		return b, false, err
	}
	return binarySTL{r, int(n)}, int64(binary.LittleEndian.Uint32(count[:])) == n, nil
}

// wrappings is how many wrappings deep a model may lie.
const wrappings = 2

func readAny(data []byte, limits Limits, depth int) (*Soup, error) {
	if int64(len(data)) > limits.maxBytes() {
		return nil, &FormatError{Err: ErrTooLarge, Detail: fmt.Sprintf("%d bytes, at most %d are read", len(data), limits.maxBytes())}
	}
	switch {
	case bytes.HasPrefix(data, []byte{0x1f, 0x8b}):
		if depth == wrappings {
			return nil, &FormatError{Err: ErrSyntax, Detail: "packed again and again"}
		}
		inner, err := unpack(func() (io.ReadCloser, error) { return gzip.NewReader(bytes.NewReader(data)) }, "gzip", limits)
		if err != nil {
			return nil, err
		}
		return readAny(inner, limits, depth+1)
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		return readZip(data, limits, depth)
	case looksOBJ(data):
		return readOBJ(data, limits)
	}
	return ReadSTL(data, limits)
}

// unpack reads what a wrapping holds, as far as the limit. It goes through it twice, so that
// of what is too large nothing is held, and of the rest no more than there is.
func unpack(open func() (io.ReadCloser, error), name string, limits Limits) ([]byte, error) {
	broken := func(err error) error {
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return &FormatError{Err: ErrCut, Detail: err.Error()}
		}
		return &FormatError{Err: ErrSyntax, Detail: name + ": " + err.Error()}
	}
	through := func(to io.Writer) (int64, error) {
		r, err := open()
		if err != nil {
			return 0, err
		}
		defer r.Close()
		return io.Copy(to, io.LimitReader(r, limits.maxBytes()+1))
	}
	n, err := through(io.Discard)
	if err != nil {
		return nil, broken(err)
	}
	if n > limits.maxBytes() {
		return nil, &FormatError{Err: ErrTooLarge, Detail: fmt.Sprintf("unpacked it is over the %d bytes that are read", limits.maxBytes())}
	}
	data := bytes.NewBuffer(make([]byte, 0, n+bytes.MinRead))
	if _, err := through(data); err != nil {
		return nil, broken(err)
	}
	return data.Bytes(), nil
}

// maxEntries bounds what is looked at in a zip.
const maxEntries = 10_000

// readZip reads a 3MF, or the one model file that a plain zip holds. Names in the
// zip are compared, never used as paths.
func readZip(data []byte, limits Limits, depth int) (*Soup, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, &FormatError{Err: ErrCut, Detail: "zip: " + err.Error()}
	}
	if len(z.File) > maxEntries {
		return nil, &FormatError{Err: ErrTooLarge, Detail: fmt.Sprintf("%d files in it, at most %d are looked at", len(z.File), maxEntries)}
	}
	models, is3MF := Packed(z)
	if is3MF {
		return read3MF(z, limits)
	}
	if len(models) != 1 {
		return nil, &FormatError{Err: ErrSyntax, Detail: fmt.Sprintf("%d model files in the zip; send one, or unpack it", len(models))}
	}
	if depth == wrappings {
		return nil, &FormatError{Err: ErrSyntax, Detail: "packed again and again"}
	}
	inner, err := entry(models[0], limits)
	if err != nil {
		return nil, err
	}
	return readAny(inner, limits, depth+1)
}

// Packed lists the model files that a plain zip holds, by the endings of their names; a 3MF
// is a zip itself, and one model.
func Packed(z *zip.Reader) (models []*zip.File, is3MF bool) {
	for _, f := range z.File {
		name := strings.ToLower(f.Name)
		switch {
		case strings.HasPrefix(name, "__macosx/") || strings.HasPrefix(path.Base(name), "."):
		case strings.HasSuffix(name, ".model"):
			return nil, true
		case hasAny(name, ".stl", ".obj", ".3mf", ".gz"):
			models = append(models, f)
		}
	}
	return models, false
}

func hasAny(name string, endings ...string) bool {
	for _, e := range endings {
		if strings.HasSuffix(name, e) {
			return true
		}
	}
	return false
}

// entry unpacks one file of a zip.
func entry(f *zip.File, limits Limits) ([]byte, error) { return unpack(f.Open, f.Name, limits) }
