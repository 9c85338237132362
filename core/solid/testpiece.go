package solid

import "sakuji/core/mesh"

// Test pieces are small prints by which a machine is set: what comes off them is measured, and says
// the figure. Their sizes are from memory.

// TestWidthsMM are the posts and slots of an exposure test, from the thinnest.
var TestWidthsMM = []float64{0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.5, 0.6, 0.8, 1}

// ExposurePiece is a plate of 52 × 16 × 2 mm with a row of square posts, 4 mm tall, and a row of slots
// between bars as tall, each as wide as TestWidthsMM says: its corner is cut where the thinnest are.
func ExposurePiece() *mesh.Soup {
	const pitch, base, tall, sunk = 5.0, 2.0, 4.0, 0.5 // what stands reaches into the plate
	var blocks [][2]mesh.Vec
	box := func(x, y, z, w, d, h float64) {
		blocks = append(blocks, [2]mesh.Vec{{X: x, Y: y, Z: z}, {X: w, Y: d, Z: h}})
	}
	box(4, 0, 0, 48, 16, base)
	box(0, 4, 0, 4+sunk, 12, base) // the corner that is not there
	for i, mm := range TestWidthsMM {
		x := 1 + pitch*float64(i)
		box(x, 11, base-sunk, mm, mm, tall+sunk)
		const bar = 1.2
		box(x+2.5-bar-mm/2, 5, base-sunk, bar, 4, tall+sunk)
		box(x+2.5+mm/2, 5, base-sunk, bar, 4, tall+sunk)
	}
	return mesh.Blocks(blocks...)
}

// FlowPiece is a block of 30 × 24 × 15 mm that is printed with one wall, no infill and no top: its
// wall is measured at several places. It is longer than it is wide, so that it lies as it should.
func FlowPiece() *mesh.Soup { return mesh.Blocks([2]mesh.Vec{{}, {X: 30, Y: 24, Z: 15}}) }
