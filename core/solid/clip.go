package solid

import (
	"cmp"
	"slices"
)

// hullOf is the convex hull of points, anticlockwise, without corners on a straight line
// [published: Andrew, Another efficient algorithm for convex hulls in two dimensions, 1979]. Most
// points are thrown out before they are sorted: those within the eight that reach farthest
// [published: Akl, Toussaint, A fast convex hull algorithm, 1978].
func hullOf(points []Point) []Point {
	points = slices.Clone(outside(points, farthest(points)))
	slices.SortFunc(points, func(a, b Point) int { return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Y, b.Y)) })
	points = slices.Compact(points)
	if len(points) < 3 {
		return points
	}
	var hull []Point
	chain := func(list []Point) {
		least := len(hull)
		for _, p := range list {
			for len(hull) >= least+2 && leftOf(hull[len(hull)-2], hull[len(hull)-1], p) <= 0 {
				hull = hull[:len(hull)-1]
			}
			hull = append(hull, p)
		}
		hull = hull[:len(hull)-1]
	}
	chain(points)
	slices.Reverse(points)
	chain(points)
	return hull
}

// leftOf is positive where the way from a over b to c turns left.
func leftOf(a, b, c Point) float64 { return (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X) }

// farthest are the points that reach farthest in eight directions, anticlockwise.
func farthest(points []Point) (out []Point) {
	ways := []Point{{1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, -1}, {1, -1}}
	if len(points) == 0 {
		return nil
	}
	out = make([]Point, len(ways))
	for k, w := range ways {
		out[k] = points[0]
		most := points[0].X*w.X + points[0].Y*w.Y
		for _, p := range points {
			if d := p.X*w.X + p.Y*w.Y; d > most {
				most, out[k] = d, p
			}
		}
	}
	return slices.Compact(out)
}

// outside are the points that do not lie within a convex ring.
func outside(points, ring []Point) []Point {
	if len(ring) < 3 {
		return points
	}
	return slices.DeleteFunc(slices.Clone(points), func(p Point) bool {
		for i, a := range ring {
			if leftOf(a, ring[(i+1)%len(ring)], p) <= 0 {
				return false
			}
		}
		return true
	})
}

// clippedTo is what of a ring lies within a convex one [published: Sutherland, Hodgman, Reentrant
// polygon clipping, 1974].
func clippedTo(ring, convex []Point) []Point {
	for i, a := range convex {
		b := convex[(i+1)%len(convex)]
		var out []Point
		for k, p := range ring {
			q := ring[(k+1)%len(ring)]
			sp, sq := leftOf(a, b, p), leftOf(a, b, q)
			if sp >= 0 {
				out = append(out, p)
			}
			if sp > 0 && sq < 0 || sp < 0 && sq > 0 {
				t := sp / (sp - sq)
				out = append(out, Point{p.X + t*(q.X-p.X), p.Y + t*(q.Y-p.Y)})
			}
		}
		ring = out
	}
	return slices.Compact(ring)
}
