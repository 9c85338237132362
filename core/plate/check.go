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
	free := NewAround(spacingMM, keptFree(bed))
	there := &Around{spacing: spacingMM}
	for _, l := range laid {
		on := l.On()
		low, high := on.Size()
		m := bed.MarginMM + l.SkirtMM - hair
		if low.X < m || low.Y < m || high.X > bed.WidthMM-m || high.Y > bed.DepthMM-m {
			out = append(out, Clash{ID: l.Part.ID, Reason: "it leaves the bed"})
		}
		if l.HeightMM > bed.HeightMM {
			out = append(out, Clash{ID: l.Part.ID, Reason: "it is too tall for the machine"})
		}
		if free.Near(on, solid.Point{}, l.SkirtMM) {
			out = append(out, Clash{ID: l.Part.ID, Reason: "it lies where the bed must stay free"})
		}
		for k, s := range there.still {
			if s.nearer(on, solid.Point{}, low, high, l.SkirtMM) {
				out = append(out, Clash{laid[k].Part.ID, l.Part.ID, "they come too near"})
			}
		}
		there.add(l)
	}
	return out
}

// keptFree are the places of a bed that stay free, as if something lay there.
func keptFree(bed Bed) (out []Laid) {
	for _, k := range bed.KeepOut {
		out = append(out, Laid{Part{Outline: k.outline()}, Placed{XMM: k.XMM, YMM: k.YMM}})
	}
	return out
}

// Nearer reports whether two outlines overlap, or come nearer to each other than so many
// millimetres.
func Nearer(a, b solid.Outline, mm float64) bool {
	low, high := a.Size()
	return still(b, mm).nearer(a, solid.Point{}, low, high, 0)
}

// Around is what lies still on a bed while one part is moved among it. It is for one goroutine.
type Around struct {
	spacing float64
	still   []*standing
	last    int // what was in the way last is tried first: a part that is dragged moves little
}

// NewAround prepares what lies still, so that many places of one part can be tried quickly.
func NewAround(spacingMM float64, laid []Laid) *Around {
	out := &Around{spacing: spacingMM}
	for _, l := range laid {
		out.add(l)
	}
	return out
}

func (a *Around) add(l Laid) { a.still = append(a.still, still(l.On(), a.spacing+l.SkirtMM-hair)) }

// Near reports whether an outline that is moved by an offset comes too near to anything; skirt is how
// far its raft or brim reaches, in millimetres.
func (a *Around) Near(o solid.Outline, by solid.Point, skirt float64) bool {
	low, high := o.Size()
	low, high = solid.Point{X: low.X + by.X, Y: low.Y + by.Y}, solid.Point{X: high.X + by.X, Y: high.Y + by.Y}
	for i := range a.still {
		k := (a.last + i) % len(a.still)
		if a.still[k].nearer(o, by, low, high, skirt) {
			a.last = k
			return true
		}
	}
	return false
}

// standing is an outline with what is asked of it again and again.
type standing struct {
	outline   solid.Outline
	low, high solid.Point // of its box
	edges     []edge
	mm        float64 // nobody comes nearer
}

type edge struct{ from, to, low, high solid.Point }

func still(o solid.Outline, mm float64) *standing {
	s := &standing{outline: o, mm: mm}
	s.low, s.high = o.Size()
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			s.edges = append(s.edges, edge{p, q, solid.Point{X: min(p.X, q.X), Y: min(p.Y, q.Y)}, solid.Point{X: max(p.X, q.X), Y: max(p.Y, q.Y)}})
		}
	}
	return s
}

// apart reports whether two boxes lie so many millimetres from each other, or more.
func apart(low, high, otherLow, otherHigh solid.Point, mm float64) bool {
	return low.X >= otherHigh.X+mm || low.Y >= otherHigh.Y+mm || high.X <= otherLow.X-mm || high.Y <= otherLow.Y-mm
}

// nearer reports whether an outline that is moved, into a box from low to high, comes too near; more
// is added to what nobody may come nearer than.
func (s *standing) nearer(o solid.Outline, by, low, high solid.Point, more float64) bool {
	mm := s.mm + more
	if apart(low, high, s.low, s.high, mm) {
		return false
	}
	var room [64]*edge
	meet := room[:0] // edges that the box meets
	for k := range s.edges {
		if e := &s.edges[k]; !apart(low, high, e.low, e.high, mm) {
			meet = append(meet, e)
		}
	}
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			p, q = solid.Point{X: p.X + by.X, Y: p.Y + by.Y}, solid.Point{X: q.X + by.X, Y: q.Y + by.Y}
			low, high := solid.Point{X: min(p.X, q.X), Y: min(p.Y, q.Y)}, solid.Point{X: max(p.X, q.X), Y: max(p.Y, q.Y)}
			if apart(low, high, s.low, s.high, mm) {
				continue
			}
			for _, e := range meet {
				if apart(low, high, e.low, e.high, mm) {
					continue
				}
				if crosses(p, q, e.from, e.to) || mm > 0 && min(off2(p, e.from, e.to), off2(q, e.from, e.to), off2(e.from, p, q), off2(e.to, p, q)) < mm*mm {
					return true
				}
			}
		}
	}
	return s.around(o, by, low, high)
}

// around reports whether the one outline lies within the other, their rims apart.
func (s *standing) around(o solid.Outline, by, low, high solid.Point) bool {
	within := low.X >= s.low.X && low.Y >= s.low.Y && high.X <= s.high.X && high.Y <= s.high.Y
	about := low.X <= s.low.X && low.Y <= s.low.Y && high.X >= s.high.X && high.Y >= s.high.Y
	if len(o) == 0 || len(s.outline) == 0 || !within && !about {
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
