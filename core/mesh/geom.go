package mesh

import (
	"encoding/json"
	"math"
)

// Vec is a point or a direction in millimetres. X runs right, Y away from the
// viewer, Z up from the plate.
type Vec struct{ X, Y, Z float64 }

// MarshalJSON writes a Vec as [x, y, z].
func (v Vec) MarshalJSON() ([]byte, error) { return json.Marshal([3]float64{v.X, v.Y, v.Z}) }

// UnmarshalJSON reads [x, y, z].
func (v *Vec) UnmarshalJSON(data []byte) error {
	var a [3]float64
	err := json.Unmarshal(data, &a)
	*v = Vec{a[0], a[1], a[2]}
	return err
}

// Add returns v+w.
func (v Vec) Add(w Vec) Vec { return Vec{v.X + w.X, v.Y + w.Y, v.Z + w.Z} }

// Sub returns v−w.
func (v Vec) Sub(w Vec) Vec { return Vec{v.X - w.X, v.Y - w.Y, v.Z - w.Z} }

// Mul returns k·v.
func (v Vec) Mul(k float64) Vec { return Vec{k * v.X, k * v.Y, k * v.Z} }

// Dot returns v·w.
func (v Vec) Dot(w Vec) float64 { return v.X*w.X + v.Y*w.Y + v.Z*w.Z }

// Cross returns v×w.
func (v Vec) Cross(w Vec) Vec {
	return Vec{v.Y*w.Z - v.Z*w.Y, v.Z*w.X - v.X*w.Z, v.X*w.Y - v.Y*w.X}
}

// Len returns |v|.
func (v Vec) Len() float64 { return math.Sqrt(v.Dot(v)) }

// Box is an axis-aligned box, both corners included. The zero Box is a point at
// the origin; start from EmptyBox when collecting.
type Box struct{ Min, Max Vec }

// EmptyBox holds nothing: adding any point to it gives that point's box.
func EmptyBox() Box {
	inf := math.Inf(1)
	return Box{Vec{inf, inf, inf}, Vec{-inf, -inf, -inf}}
}

// Add grows b until it holds v. Plain comparisons: the built-in min minds NaN and
// the sign of zero, at twice the time.
func (b *Box) Add(v Vec) {
	if v.X < b.Min.X {
		b.Min.X = v.X
	}
	if v.X > b.Max.X {
		b.Max.X = v.X
	}
	if v.Y < b.Min.Y {
		b.Min.Y = v.Y
	}
	if v.Y > b.Max.Y {
		b.Max.Y = v.Y
	}
	if v.Z < b.Min.Z {
		b.Min.Z = v.Z
	}
	if v.Z > b.Max.Z {
		b.Max.Z = v.Z
	}
}

// Union returns the smallest box that holds both.
func (b Box) Union(c Box) Box {
	if c.Max.X < c.Min.X {
		return b
	}
	b.Add(c.Min)
	b.Add(c.Max)
	return b
}

// Size returns the three edge lengths; an empty box has none.
func (b Box) Size() Vec {
	if b.Max.X < b.Min.X {
		return Vec{}
	}
	return b.Max.Sub(b.Min)
}

// Diagonal returns the length from corner to corner.
func (b Box) Diagonal() float64 { return b.Size().Len() }

// Centre returns the middle of b.
func (b Box) Centre() Vec { return b.Min.Add(b.Max).Mul(0.5) }

// Holds reports whether v lies in b or on its faces.
func (b Box) Holds(v Vec) bool {
	return v.X >= b.Min.X && v.X <= b.Max.X && v.Y >= b.Min.Y && v.Y <= b.Max.Y &&
		v.Z >= b.Min.Z && v.Z <= b.Max.Z
}

// Meets reports whether the two boxes share a point.
func (b Box) Meets(c Box) bool {
	return b.Min.X <= c.Max.X && c.Min.X <= b.Max.X && b.Min.Y <= c.Max.Y && c.Min.Y <= b.Max.Y &&
		b.Min.Z <= c.Max.Z && c.Min.Z <= b.Max.Z
}

// Common returns what both boxes hold; it is empty when they do not meet.
func (b Box) Common(c Box) Box {
	if !b.Meets(c) {
		return EmptyBox()
	}
	return Box{Vec{max(b.Min.X, c.Min.X), max(b.Min.Y, c.Min.Y), max(b.Min.Z, c.Min.Z)},
		Vec{min(b.Max.X, c.Max.X), min(b.Max.Y, c.Max.Y), min(b.Max.Z, c.Max.Z)}}
}
