package mesh

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
)

// Write writes the soup in the format that a file name's ending asks for.
func Write(w io.Writer, name string, s *Soup) error {
	switch ending(name) {
	case "stl":
		_, err := w.Write(WriteSTL(s))
		return err
	case "obj":
		return WriteOBJ(w, s)
	case "3mf":
		return Write3MF(w, []Object{{Soup: s}})
	}
	return fmt.Errorf("%s: the ending says the format: .stl, .obj or .3mf", name)
}

// Writable reports whether Write knows the ending of a file name.
func Writable(name string) bool {
	switch ending(name) {
	case "stl", "obj", "3mf":
		return true
	}
	return false
}

func ending(name string) string {
	return strings.ToLower(name[strings.LastIndexByte(name, '.')+1:])
}

// WriteOBJ writes the welded soup in millimetres, one object for each of its groups.
// Coordinates are written so that they read back to the bit; degenerate triangles
// are left out.
func WriteOBJ(w io.Writer, s *Soup) error {
	out := bufio.NewWriterSize(w, 1<<16)
	fmt.Fprintln(out, "# Sakuji, millimetres")
	base := 1
	for _, g := range s.named() {
		m := s.Part(g.From, g.To).Weld()
		if g.Name != "" {
			fmt.Fprintf(out, "o %s\n", strings.Join(strings.Fields(g.Name), " "))
		}
		line := make([]byte, 0, 80)
		for _, v := range m.Vertices {
			line = append(line[:0], 'v')
			for _, x := range [3]float64{v.X, v.Y, v.Z} {
				line = strconv.AppendFloat(append(line, ' '), x, 'g', -1, 32)
			}
			out.Write(append(line, '\n'))
		}
		for _, t := range m.Triangles {
			line = append(line[:0], 'f')
			for _, i := range t {
				line = strconv.AppendInt(append(line, ' '), int64(i)+int64(base), 10)
			}
			out.Write(append(line, '\n'))
		}
		base += len(m.Vertices)
	}
	return out.Flush()
}

// named returns the soup's groups, or one without a name that holds all.
func (s *Soup) named() []Group {
	if len(s.Groups) == 0 {
		return []Group{{To: s.n}}
	}
	return s.Groups
}

// Object is one shape of a 3MF and where its copies stand: one build item each.
// Without a place it stands once, as drawn.
type Object struct {
	Name   string
	Soup   *Soup
	Places []Place
}

// Place turns an object about the vertical, anticlockwise seen from above, and
// then moves it.
type Place struct {
	AngleDeg float64
	Shift    Vec
}

// InPlace is all objects in one soup, each copy where it stands.
func InPlace(objects []Object) *Soup {
	n := 0
	for _, o := range objects {
		n += o.Soup.Len() * max(1, len(o.Places))
	}
	flat := make([]float32, 0, 9*n)
	for _, o := range objects {
		places := o.Places
		if len(places) == 0 {
			places = []Place{{}}
		}
		for _, p := range places {
			sin, cos := math.Sincos(p.AngleDeg * math.Pi / 180)
			for i := range o.Soup.Len() {
				a, b, c := o.Soup.Triangle(i)
				for _, v := range [3]Vec{a, b, c} {
					flat = append(flat, float32(v.X*cos-v.Y*sin+p.Shift.X), float32(v.X*sin+v.Y*cos+p.Shift.Y), float32(v.Z+p.Shift.Z))
				}
			}
		}
	}
	return SoupOf("stl", flat)
}

const (
	contentTypes = `<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>
`
	relationships = `<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>
`
)

// Write3MF writes objects in millimetres, by the 3MF Core Specification 1.3. A soup
// with groups becomes one object for each of them. Degenerate triangles, which the
// specification forbids, are left out.
func Write3MF(w io.Writer, objects []Object) error {
	z := zip.NewWriter(w)
	for _, part := range [2][2]string{{"[Content_Types].xml", contentTypes}, {"_rels/.rels", relationships}} {
		f, err := z.Create(part[0])
		if err != nil {
			return err
		}
		if _, err := io.WriteString(f, part[1]); err != nil {
			return err
		}
	}
	f, err := z.Create("3D/3dmodel.model")
	if err != nil {
		return err
	}
	out := bufio.NewWriterSize(f, 1<<16)
	writeModel(out, objects)
	if err := out.Flush(); err != nil {
		return err
	}
	return z.Close()
}

func writeModel(out *bufio.Writer, objects []Object) {
	out.WriteString("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n" +
		`<model unit="millimeter" xml:lang="en-US" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">` + "\n<resources>\n")
	id := 0
	var build []string
	for _, o := range objects {
		for _, g := range o.Soup.named() {
			m := o.Soup.Part(g.From, g.To).Weld()
			if len(m.Triangles) == 0 {
				continue
			}
			id++
			name := g.Name
			if o.Name != "" && (len(o.Soup.Groups) < 2 || name == "") {
				name = o.Name
			}
			writeObject(out, id, name, m)
			places := o.Places
			if len(places) == 0 {
				places = []Place{{}}
			}
			for _, p := range places {
				build = append(build, buildItem(id, p))
			}
		}
	}
	out.WriteString("</resources>\n<build>\n")
	for _, item := range build {
		out.WriteString(item)
	}
	out.WriteString("</build>\n</model>\n")
}

func writeObject(out *bufio.Writer, id int, name string, m *Mesh) {
	fmt.Fprintf(out, `<object id="%d" type="model"`, id)
	if name != "" {
		out.WriteString(` name="`)
		_ = xml.EscapeText(out, []byte(name)) // a bufio.Writer keeps its error until it is flushed
		out.WriteString(`"`)
	}
	out.WriteString("><mesh>\n<vertices>\n")
	line := make([]byte, 0, 120)
	for _, v := range m.Vertices {
		line = strconv.AppendFloat(append(line[:0], `<vertex x="`...), v.X, 'g', -1, 32)
		line = strconv.AppendFloat(append(line, `" y="`...), v.Y, 'g', -1, 32)
		line = strconv.AppendFloat(append(line, `" z="`...), v.Z, 'g', -1, 32)
		out.Write(append(line, "\"/>\n"...))
	}
	out.WriteString("</vertices>\n<triangles>\n")
	for _, t := range m.Triangles {
		line = strconv.AppendInt(append(line[:0], `<triangle v1="`...), int64(t[0]), 10)
		line = strconv.AppendInt(append(line, `" v2="`...), int64(t[1]), 10)
		line = strconv.AppendInt(append(line, `" v3="`...), int64(t[2]), 10)
		out.Write(append(line, "\"/>\n"...))
	}
	out.WriteString("</triangles>\n</mesh></object>\n")
}

func buildItem(id int, p Place) string {
	if p == (Place{}) {
		return fmt.Sprintf("<item objectid=\"%d\"/>\n", id)
	}
	sin, cos := math.Sincos(p.AngleDeg * math.Pi / 180)
	numbers := make([]string, 0, 12)
	for _, x := range []float64{cos, sin, 0, -sin, cos, 0, 0, 0, 1, p.Shift.X, p.Shift.Y, p.Shift.Z} {
		numbers = append(numbers, strconv.FormatFloat(x, 'f', -1, 64))
	}
	return fmt.Sprintf("<item objectid=\"%d\" transform=\"%s\"/>\n", id, strings.Join(numbers, " "))
}
