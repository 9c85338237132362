package models

import (
	"bytes"
	"encoding/binary"
	"math"

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
