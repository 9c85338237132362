package models

import (
	"bytes"
	"encoding/binary"
	"errors"
	"math"

	"sakuji/core/mesh"
	"sakuji/studio"
)

// viewOf writes a mesh for the part sheet's canvas, little-endian: "SKV1", the number
// of vertices and of triangles (uint32), x y z of each vertex in mm (float32), the
// wall behind each vertex in mm (float32, negative where there is none), the three
// vertices of each triangle (uint32), the body of each triangle (uint32), and who
// sees each (solid.FaceKind, a byte).
func viewOf(v studio.View) []byte {
	var b bytes.Buffer
	b.Grow(12 + 16*len(v.Mesh.Vertices) + 16*len(v.Mesh.Triangles))
	b.WriteString("SKV1")
	word := make([]byte, 4)
	put := func(x uint32) {
		binary.LittleEndian.PutUint32(word, x)
		b.Write(word)
	}
	put(uint32(len(v.Mesh.Vertices)))
	put(uint32(len(v.Mesh.Triangles)))
	for _, p := range v.Mesh.Vertices {
		for _, x := range [3]float64{p.X, p.Y, p.Z} {
			put(math.Float32bits(float32(x)))
		}
	}
	for _, mm := range v.WallMM {
		if math.IsInf(mm, 0) {
			mm = -1
		}
		put(math.Float32bits(float32(mm)))
	}
	for _, t := range v.Mesh.Triangles {
		for _, i := range t {
			put(uint32(i))
		}
	}
	for _, body := range v.BodyOf {
		put(uint32(body))
	}
	for _, kind := range v.KindOf { // files of before do not have it
		b.WriteByte(byte(kind))
	}
	return b.Bytes()
}

// errView says that a file is no view.
var errView = errors.New("the mesh that is turned cannot be read: look closely at the model once more")

// MeshOfView reads the mesh of such a file; the triangles have the same numbers as in the browser.
func MeshOfView(data []byte) (*mesh.Mesh, error) {
	word := func(k int) uint32 { return binary.LittleEndian.Uint32(data[4*k:]) }
	if len(data) < 12 || string(data[:4]) != "SKV1" {
		return nil, errView
	}
	n, m := int(word(1)), int(word(2))
	if len(data) < 12+16*n+16*m {
		return nil, errView
	}
	out := &mesh.Mesh{Vertices: make([]mesh.Vec, n), Triangles: make([][3]int32, m), Box: mesh.EmptyBox()}
	for i := range out.Vertices {
		at := func(k int) float64 { return float64(math.Float32frombits(word(3 + 3*i + k))) }
		out.Vertices[i] = mesh.Vec{X: at(0), Y: at(1), Z: at(2)}
		out.Box.Add(out.Vertices[i])
	}
	for i := range out.Triangles {
		for k := range 3 {
			v := word(3 + 4*n + 3*i + k)
			if int(v) >= n {
				return nil, errView
			}
			out.Triangles[i][k] = int32(v)
		}
	}
	return out, nil
}
