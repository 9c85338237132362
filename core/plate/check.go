package plate

import "sakuji/core/solid"

// Clash is why a part may not stay where it lies: it leaves the bed, or comes too near to another.
type Clash struct {
	ID, Other string // Other is empty where the bed itself is in the way
	Reason    string
}

// hair is how far a part may be out of its place by rounding, in millimetres: less than any machine
// can tell.
const hair = 0.002

// Check finds, by the outlines themselves, what lies where it must not. It takes time in proportion
// to the pairs whose boxes come near, times their corners.
func Check(bed Bed, spacingMM float64, laid []Laid) (out []Clash) {
	on := make([]solid.Outline, len(laid))
	for i, l := range laid {
		on[i] = l.On()
		low, high := on[i].Size()
		m := bed.MarginMM + l.SkirtMM - hair
		if low.X < m || low.Y < m || high.X > bed.WidthMM-m || high.Y > bed.DepthMM-m {
			out = append(out, Clash{ID: l.Part.ID, Reason: "it leaves the bed"})
		}
		if l.HeightMM > bed.HeightMM {
			out = append(out, Clash{ID: l.Part.ID, Reason: "it is too tall for the machine"})
		}
		for _, k := range bed.KeepOut {
			place := k.outline().Each(func(p solid.Point) solid.Point { return solid.Point{X: p.X + k.XMM, Y: p.Y + k.YMM} })
			if Nearer(on[i], place, spacingMM+l.SkirtMM-hair) {
				out = append(out, Clash{ID: l.Part.ID, Reason: "it lies where the bed must stay free"})
			}
		}
		for j := range i {
			if Nearer(on[i], on[j], spacingMM+l.SkirtMM+laid[j].SkirtMM-hair) {
				out = append(out, Clash{laid[j].Part.ID, l.Part.ID, "they come too near"})
			}
		}
	}
	return out
}

// Nearer reports whether two outlines overlap, or come nearer to each other than so many
// millimetres.
func Nearer(a, b solid.Outline, mm float64) bool {
	low, high := a.Size()
	return still(b, mm).nearer(a, solid.Point{}, low, high)
}

// Around is what lies still on a bed while one part is moved among it.
type Around []*standing

// standing is an outline with what is asked of it again and again.
type standing struct {
	outline   solid.Outline
	low, high solid.Point // of its box
	edges     []edge
	mm        float64 // nobody comes nearer
}

type edge struct{ from, to, low, high solid.Point }

// NewAround prepares what lies still, so that many places of one part can be tried quickly.
func NewAround(spacingMM float64, laid []Laid) (out Around) {
	for _, l := range laid {
		out = append(out, still(l.On(), spacingMM+l.SkirtMM-hair))
	}
	return out
}

// Near reports whether an outline that is moved by an offset comes too near to anything.
func (a Around) Near(o solid.Outline, by solid.Point) bool {
	low, high := o.Size()
	low, high = solid.Point{X: low.X + by.X, Y: low.Y + by.Y}, solid.Point{X: high.X + by.X, Y: high.Y + by.Y}
	for i := range a {
		if s := a[i]; s.mayMeet(low, high) && s.nearer(o, by, low, high) {
			return true
		}
	}
	return false
}

func still(o solid.Outline, mm float64) *standing {
	s := &standing{outline: o, mm: mm}
	s.low, s.high = o.Size()
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			s.edges = append(s.edges, edge{p, q, solid.Point{X: min(p.X, q.X) - mm, Y: min(p.Y, q.Y) - mm}, solid.Point{X: max(p.X, q.X) + mm, Y: max(p.Y, q.Y) + mm}})
		}
	}
	return s
}

// mayMeet reports whether a box comes near to that of the outline.
func (s *standing) mayMeet(low, high solid.Point) bool {
	return low.X < s.high.X+s.mm && low.Y < s.high.Y+s.mm && high.X > s.low.X-s.mm && high.Y > s.low.Y-s.mm
}

// nearer reports whether an outline that is moved, into a box from low to high, comes too near.
func (s *standing) nearer(o solid.Outline, by, low, high solid.Point) bool {
	var room [64]*edge
	meet := room[:0] // edges that the box meets
	for k := range s.edges {
		if e := &s.edges[k]; low.X < e.high.X && low.Y < e.high.Y && high.X > e.low.X && high.Y > e.low.Y {
			meet = append(meet, e)
		}
	}
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			p, q = solid.Point{X: p.X + by.X, Y: p.Y + by.Y}, solid.Point{X: q.X + by.X, Y: q.Y + by.Y}
			low, high := solid.Point{X: min(p.X, q.X), Y: min(p.Y, q.Y)}, solid.Point{X: max(p.X, q.X), Y: max(p.Y, q.Y)}
			if !s.mayMeet(low, high) {
				continue
			}
			for _, e := range meet {
				if low.X >= e.high.X || low.Y >= e.high.Y || high.X <= e.low.X || high.Y <= e.low.Y {
					continue
				}
				if crosses(p, q, e.from, e.to) || s.mm > 0 && min(off2(p, e.from, e.to), off2(q, e.from, e.to), off2(e.from, p, q), off2(e.to, p, q)) < s.mm*s.mm {
					return true
				}
			}
		}
	}
	if len(o) == 0 || len(s.outline) == 0 {
		return false
	}
	within := low.X >= s.low.X && low.Y >= s.low.Y && high.X <= s.high.X && high.Y <= s.high.Y
	around := low.X <= s.low.X && low.Y <= s.low.Y && high.X >= s.high.X && high.Y >= s.high.Y
	if !within && !around {
		return false
	}
	corner, other := o[0][0], s.outline[0][0]
	return inside(s.outline, solid.Point{X: corner.X + by.X, Y: corner.Y + by.Y}) || inside(o, solid.Point{X: other.X - by.X, Y: other.Y - by.Y})
}

// crosses reports whether two lines cross, each end farther from the other line than a hair.
func crosses(a, b, c, d solid.Point) bool {
	return parts(a, b, c, d) && parts(c, d, a, b)
}

// parts reports whether c and d lie on either side of the line from a to b, each off it by a hair.
func parts(a, b, c, d solid.Point) bool {
	dx, dy := b.X-a.X, b.Y-a.Y
	s, t := dx*(c.Y-a.Y)-dy*(c.X-a.X), dx*(d.Y-a.Y)-dy*(d.X-a.X)
	if s < 0 == (t < 0) {
		return false
	}
	least := hair * hair * (dx*dx + dy*dy)
	return s*s > least && t*t > least
}

// off2 is the square of how far a point lies off a line between two others.
func off2(p, a, b solid.Point) float64 {
	dx, dy := b.X-a.X, b.Y-a.Y
	t := 0.0
	if l := dx*dx + dy*dy; l > 0 {
		t = max(0, min(1, ((p.X-a.X)*dx+(p.Y-a.Y)*dy)/l))
	}
	ex, ey := a.X+t*dx-p.X, a.Y+t*dy-p.Y
	return ex*ex + ey*ey
}

// inside reports whether a point lies within the rings, holes left out, deeper than a hair.
func inside(o solid.Outline, p solid.Point) bool {
	in := false
	for _, ring := range o {
		for i, a := range ring {
			b := ring[(i+1)%len(ring)]
			if off2(p, a, b) <= hair*hair {
				return false
			}
			if (a.Y <= p.Y) != (b.Y <= p.Y) && p.X < a.X+(b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y) {
				in = !in
			}
		}
	}
	return in
}
