package mesh

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
)

// unitsMM are the units a 3MF can be drawn in [published: 3MF Core Specification
// 1.3, section 3.4].
var unitsMM = map[string]float64{"": 1, "millimeter": 1, "micron": 0.001, "centimeter": 10, "inch": 25.4, "foot": 304.8, "meter": 1000}

// matrix is a 3MF transform: rows of x, y, z and the shift.
type matrix [12]float64

var identity = matrix{1, 0, 0, 0, 1, 0, 0, 0, 1}

func (m matrix) of(v Vec) Vec {
	return Vec{v.X*m[0] + v.Y*m[3] + v.Z*m[6] + m[9], v.X*m[1] + v.Y*m[4] + v.Z*m[7] + m[10], v.X*m[2] + v.Y*m[5] + v.Z*m[8] + m[11]}
}

// then returns the transform that does m first and n after it.
func (m matrix) then(n matrix) (out matrix) {
	for r := range 4 {
		v := Vec{m[3*r], m[3*r+1], m[3*r+2]}
		w := n.of(v)
		if r < 3 { // directions are not shifted
			w = w.Sub(Vec{n[9], n[10], n[11]})
		}
		out[3*r], out[3*r+1], out[3*r+2] = w.X, w.Y, w.Z
	}
	return out
}

// mirrors reports a transform that turns facets inside out.
func (m matrix) mirrors() bool {
	return Vec{m[0], m[1], m[2]}.Dot(Vec{m[3], m[4], m[5]}.Cross(Vec{m[6], m[7], m[8]})) < 0
}

// object is a mesh of its own, or others put together.
type object struct {
	name       string
	vertices   []Vec
	triangles  [][3]int
	components []placedObject
}

type placedObject struct {
	id string
	by matrix
}

// threeMF is a package being read.
type threeMF struct {
	limits  Limits
	objects map[string]*object
	build   []placedObject
	unit    float64
	placed  int
	flat    []float32
	groups  groups
}

// read3MF reads the model part of a 3MF package: objects, their components and the
// build, in millimetres. Colours, materials and extensions are read past.
func read3MF(z *zip.Reader, limits Limits) (*Soup, error) {
	f := modelPart(z, limits)
	if f == nil {
		return nil, &FormatError{Err: ErrSyntax, Detail: "no model in the package"}
	}
	data, err := entry(f, limits)
	if err != nil {
		return nil, err
	}
	t := &threeMF{limits: limits, objects: map[string]*object{}, unit: 1}
	if err := t.parse(data); err != nil {
		return nil, err
	}
	for _, p := range t.build {
		if len(t.build) > 1 {
			t.group(p)
		}
		if err := t.place(p, identity, nil); err != nil {
			return nil, err
		}
	}
	if len(t.flat) == 0 {
		return nil, &FormatError{Err: ErrEmpty, Detail: "nothing is on the build"}
	}
	soup := SoupOf("3mf", t.flat)
	soup.Groups = t.groups.done(len(t.flat) / 9)
	return soup, nil
}

// group begins the run of a thing on the build; an object without a name has its number.
func (t *threeMF) group(p placedObject) {
	name := "object " + p.id
	if o := t.objects[p.id]; o != nil && o.name != "" {
		name = o.name
	}
	t.groups.begin(name, len(t.flat)/9)
}

// modelPart finds the part that the package names as its 3D model, else the first.
func modelPart(z *zip.Reader, limits Limits) (first *zip.File) {
	target := ""
	for _, f := range z.File {
		if f.Name == "_rels/.rels" {
			if data, err := entry(f, limits); err == nil {
				var rels struct {
					List []struct {
						Type   string `xml:"Type,attr"`
						Target string `xml:"Target,attr"`
					} `xml:"Relationship"`
				}
				if xml.Unmarshal(data, &rels) == nil {
					for _, r := range rels.List {
						if strings.HasSuffix(r.Type, "/3dmodel") {
							target = strings.TrimPrefix(r.Target, "/")
						}
					}
				}
			}
		}
	}
	for _, f := range z.File {
		if f.Name == target {
			return f
		}
		if first == nil && strings.HasSuffix(strings.ToLower(f.Name), ".model") {
			first = f
		}
	}
	return first
}

// parse reads the XML as a stream, element by element.
func (t *threeMF) parse(data []byte) error {
	d := xml.NewDecoder(bytes.NewReader(data))
	var now *object
	count := 0
	fail := func(err error, format string, args ...any) error {
		line, _ := d.InputPos()
		return &FormatError{Line: line, Offset: d.InputOffset(), Err: err, Detail: fmt.Sprintf(format, args...)}
	}
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return nil
		}
		var syntax *xml.SyntaxError
		if errors.As(err, &syntax) {
			return fail(ErrSyntax, "%s", syntax.Msg)
		}
		if err != nil {
			return fail(ErrSyntax, "%v", err)
		}
		if _, bad := token.(xml.Directive); bad {
			return fail(ErrSyntax, "a 3MF has no document type")
		}
		e, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		at := attributes(e)
		switch e.Name.Local {
		case "model":
			unit, known := unitsMM[at["unit"]]
			if !known {
				return fail(ErrSyntax, "unit %.40q", at["unit"])
			}
			t.unit = unit
		case "object":
			now = &object{name: at["name"]}
			if _, twice := t.objects[at["id"]]; twice {
				return fail(ErrSyntax, "object %.40q stands twice", at["id"])
			}
			t.objects[at["id"]] = now
		case "vertex", "triangle", "component":
			if now == nil {
				return fail(ErrSyntax, "a %s outside an object", e.Name.Local)
			}
			if count++; count > 4*t.limits.maxTriangles() {
				return fail(ErrTooLarge, "at most %d triangles are read", t.limits.maxTriangles())
			}
			if err := now.add(e.Name.Local, at); err != nil {
				return fail(err, "%s %d", e.Name.Local, count)
			}
		case "item":
			by, err := transform(at["transform"])
			if err != nil {
				return fail(err, "transform of an item")
			}
			t.build = append(t.build, placedObject{at["objectid"], by})
		}
	}
}

func attributes(e xml.StartElement) map[string]string {
	m := make(map[string]string, len(e.Attr))
	for _, a := range e.Attr {
		if a.Name.Space == "" {
			m[a.Name.Local] = a.Value
		}
	}
	return m
}

// add reads a vertex, a triangle or a component into the object.
func (o *object) add(what string, at map[string]string) error {
	switch what {
	case "vertex":
		v, err := objVertex([]string{at["x"], at["y"], at["z"]})
		if err != nil {
			return err
		}
		o.vertices = append(o.vertices, v)
	case "triangle":
		var t [3]int
		for k, name := range [3]string{"v1", "v2", "v3"} {
			i, err := strconv.Atoi(at[name])
			if err != nil || i < 0 || i >= len(o.vertices) {
				return ErrSyntax
			}
			t[k] = i
		}
		o.triangles = append(o.triangles, t)
	case "component":
		by, err := transform(at["transform"])
		if err != nil {
			return err
		}
		o.components = append(o.components, placedObject{at["objectid"], by})
	}
	return nil
}

func transform(text string) (m matrix, err error) {
	if text == "" {
		return identity, nil
	}
	words := strings.Fields(text)
	if len(words) != 12 {
		return m, ErrSyntax
	}
	for k, w := range words {
		f, err := strconv.ParseFloat(w, 64)
		if math.IsNaN(f) || math.IsInf(f, 0) || math.Abs(f) > 1e12 {
			return m, ErrNotFinite
		}
		if err != nil {
			return m, ErrSyntax
		}
		m[k] = f
	}
	return m, nil
}

// place adds an object and its components to the soup; within are those it is part
// of, none of which it may hold again.
func (t *threeMF) place(p placedObject, by matrix, within []string) error {
	for _, id := range within {
		if id == p.id {
			return &FormatError{Err: ErrSyntax, Detail: fmt.Sprintf("object %.40q holds itself", p.id)}
		}
	}
	o, ok := t.objects[p.id]
	if !ok {
		return &FormatError{Err: ErrSyntax, Detail: fmt.Sprintf("object %.40q is not there", p.id)}
	}
	by = p.by.then(by)
	if len(t.flat)/9+len(o.triangles) > t.limits.maxTriangles() || len(within) > 64 {
		return &FormatError{Err: ErrTooLarge, Detail: fmt.Sprintf("at most %d triangles are read", t.limits.maxTriangles())}
	}
	for _, tri := range o.triangles {
		if by.mirrors() {
			tri[1], tri[2] = tri[2], tri[1]
		}
		for _, i := range tri {
			v := by.of(o.vertices[i]).Mul(t.unit)
			for _, x := range [3]float64{v.X, v.Y, v.Z} {
				if !(math.Abs(x) <= math.MaxFloat32) { // NaN, too
					return &FormatError{Err: ErrNotFinite, Detail: "a corner is carried out of range by its transform"}
				}
				t.flat = append(t.flat, float32(x))
			}
		}
	}
	t.placed++
	if t.placed > maxEntries {
		return &FormatError{Err: ErrTooLarge, Detail: fmt.Sprintf("at most %d components are placed", maxEntries)}
	}
	for _, c := range o.components {
		if len(t.build) == 1 && len(within) == 0 {
			t.group(c)
		}
		if err := t.place(c, by, append(within, p.id)); err != nil {
			return err
		}
	}
	return nil
}
