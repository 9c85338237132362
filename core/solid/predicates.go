package solid

import (
	"math"
	"math/big"

	"sakuji/core/mesh"
)

// orient is over 0 when d lies behind the plane of a, b, c, which run anticlockwise seen from
// its front, and under 0 when it lies in front: six times the volume between them. Its sign is
// exact: where rounding could tell a wrong one, it is worked out in whole numbers [published:
// Shewchuk, 1997: the error of the plain formula is under 7.8e-16 times the sum of the sizes
// of its terms].
func orient(a, b, c, d mesh.Vec) float64 {
	u, v, w := a.Sub(d), b.Sub(d), c.Sub(d)
	vxwy, wxvy := v.X*w.Y, w.X*v.Y
	wxuy, uxwy := w.X*u.Y, u.X*w.Y
	uxvy, vxuy := u.X*v.Y, v.X*u.Y
	det := u.Z*(vxwy-wxvy) + v.Z*(wxuy-uxwy) + w.Z*(uxvy-vxuy)
	size := math.Abs(u.Z)*(math.Abs(vxwy)+math.Abs(wxvy)) + math.Abs(v.Z)*(math.Abs(wxuy)+math.Abs(uxwy)) + math.Abs(w.Z)*(math.Abs(uxvy)+math.Abs(vxuy))
	if math.Abs(det) > 7.8e-16*size {
		return det
	}
	return exactly(a, b, c, d)
}

// straight reports whether three places lie in one line, exactly: then no other lies off their
// plane.
func straight(a, b, c mesh.Vec) bool {
	return orient(a, b, c, a.Add(mesh.Vec{X: 1})) == 0 && orient(a, b, c, a.Add(mesh.Vec{Y: 1})) == 0 && orient(a, b, c, a.Add(mesh.Vec{Z: 1})) == 0
}

// exactly is orient in fractions.
func exactly(a, b, c, d mesh.Vec) float64 {
	less := func(p, q float64) *big.Rat {
		return new(big.Rat).Sub(new(big.Rat).SetFloat64(p), new(big.Rat).SetFloat64(q))
	}
	var m [3][3]*big.Rat
	for i, p := range [3]mesh.Vec{a, b, c} {
		m[i] = [3]*big.Rat{less(p.X, d.X), less(p.Y, d.Y), less(p.Z, d.Z)}
	}
	times := func(p, q *big.Rat) *big.Rat { return new(big.Rat).Mul(p, q) }
	sum := new(big.Rat)
	for i := range 3 {
		j, k := (i+1)%3, (i+2)%3
		sum.Add(sum, times(m[i][2], new(big.Rat).Sub(times(m[j][0], m[k][1]), times(m[k][0], m[j][1]))))
	}
	det, _ := sum.Float64()
	if det == 0 && sum.Sign() != 0 { // too small for a float
		det = float64(sum.Sign()) * math.SmallestNonzeroFloat64
	}
	return det
}
