package mesh

// Blocks is a soup of blocks, each by its lower corner and its size, facets outward.
func Blocks(list ...[2]Vec) *Soup {
	var flat []float32
	for _, block := range list {
		corner := func(k int) Vec {
			return block[0].Add(Vec{X: block[1].X * float64(k&1), Y: block[1].Y * float64(k>>1&1), Z: block[1].Z * float64(k>>2)})
		}
		for _, f := range [][4]int{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
			for _, k := range []int{f[0], f[1], f[2], f[0], f[2], f[3]} {
				v := corner(k)
				flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	return SoupOf("stl", flat)
}
