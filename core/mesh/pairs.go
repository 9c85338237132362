package mesh

import (
	"cmp"
	"math"
	"slices"
)

const (
	// mostMeeting is among how many facets at one edge it is asked which go on into which;
	// where more meet, it is a tangle.
	mostMeeting = 32
	// sameAngle is how far apart facets at an edge may lie and count as one on the other, in
	// radians.
	sameAngle = 1e-6
)

// pair calls do with every two facets that go on into each other across an edge, one that
// passes it backward and one that passes it forward. Where more than two meet, those go
// together that have matter between them, so that bodies which only touch along the edge are
// parted there. Facets that lie on each other and face opposite ways are a wall within matter,
// and go together: the bodies on its two sides are one. Where bodies lie in one another, those
// go together that stand closest in the file. Every way to pair them gives the same inside and
// outside. In a file that was mirrored matter lies on the other side of all facets. It reports
// false, and calls nothing, where as many do not pass the edge one way as the other: it has
// then no sides.
func (e *edges) pair(low, high int32, same []halfEdge, do func(a, b halfEdge)) (even bool) {
	if len(same) == 2 {
		if even = same[0].forward() != same[1].forward(); even {
			do(same[0], same[1])
		}
		return even
	}
	sides := 0
	for _, h := range same {
		if h.forward() {
			sides++
		} else {
			sides--
		}
	}
	if sides != 0 || len(same) > mostMeeting {
		return false
	}
	var open, over []leaf
	join := func(h leaf) {
		k := h.closest(open)
		do(open[k].halfEdge, h.halfEdge)
		open = slices.Delete(open, k, k+1)
	}
	for _, h := range e.around(low, high, same) {
		switch {
		case h.begins:
			open = append(open, h)
		case len(open) == 0: // matter reaches across where the turn began
			over = append(over, h)
		default:
			join(h)
		}
	}
	for _, h := range over {
		join(h)
	}
	return true
}

// leaf is a facet at an edge and the angle at which it stands about it.
type leaf struct {
	halfEdge
	begins bool // whether matter begins there, turning about the edge from low to high
	rad    float64
}

// closest finds the facet that goes together with one: on the other side of the same wall, or
// else the closest in the file.
func (h leaf) closest(list []leaf) int {
	far := func(o leaf) float64 {
		d := abs(float64(o.triangle()) - float64(h.triangle()))
		if o.rad != h.rad {
			d += math.MaxInt32
		}
		return d
	}
	best := 0
	for k, o := range list {
		if far(o) < far(list[best]) {
			best = k
		}
	}
	return best
}

// around orders the facets of an edge by the angle at which they stand about it, from one on
// at which matter begins. Of facets that lie on each other those at which it begins come first.
func (e *edges) around(low, high int32, same []halfEdge) []leaf {
	m := e.mesh
	axis := m.Vertices[high].Sub(m.Vertices[low])
	axis = axis.Mul(1 / axis.Len())
	away := func(h halfEdge) Vec {
		apex := m.apex(h.triangle(), low, high)
		if apex < 0 { // the triangle is but this edge
			return Vec{}
		}
		d := m.Vertices[apex].Sub(m.Vertices[low])
		return d.Sub(axis.Mul(d.Dot(axis)))
	}
	begins := func(h halfEdge) bool { return h.forward() == e.inward() }
	u := away(same[slices.IndexFunc(same, begins)])
	v := axis.Cross(u)
	list := make([]leaf, len(same))
	for i, h := range same {
		d := away(h)
		list[i] = leaf{h, begins(h), math.Atan2(d.Dot(v), d.Dot(u))}
		if list[i].rad < -sameAngle {
			list[i].rad += 2 * math.Pi
		}
	}
	slices.SortStableFunc(list, func(a, b leaf) int { return cmp.Compare(a.rad, b.rad) })
	for i := 1; i < len(list); i++ {
		if list[i].rad-list[i-1].rad < sameAngle {
			list[i].rad = list[i-1].rad
		}
	}
	last := map[bool]int{true: 0, false: 1}
	slices.SortStableFunc(list, func(a, b leaf) int {
		return cmp.Or(cmp.Compare(a.rad, b.rad), cmp.Compare(last[a.begins], last[b.begins]))
	})
	return list
}
