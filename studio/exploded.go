package studio

import (
	"cmp"
	"math"
	"slices"

	"sakuji/core/mesh"
	"sakuji/core/solid"
)

// ExplodedPart is a part in the exploded drawing of an item: seen from the front, pulled away from
// where it belongs along the axis that it is joined on. Points are in millimetres, y up.
type ExplodedPart struct {
	Part    Part
	Number  int // in the order of joining
	Count   int // of one copy
	Join    string
	Outline solid.Outline
	From    solid.Point // the lower left of its outline where it belongs
	At      solid.Point // and where it is drawn
}

// Size is the breadth and height of its outline.
func (p ExplodedPart) Size() solid.Point {
	low, high := p.Outline.Size()
	return solid.Point{X: high.X - low.X, Y: high.Y - low.Y}
}

// explodedGap is what is left free between parts that are pulled apart, of the largest of them.
const explodedGap = 0.06

// Exploded lays out an item's parts for the drawing: the principal part in the middle, dowels and
// what lies inside next, then the larger before the smaller, what is joined after paint and what
// comes off last. Pieces of one cut or file stand as they do in it. Nothing for a single part.
func (i Item) Exploded() []ExplodedPart {
	list := i.inOrder()
	if len(list) < 2 {
		return nil
	}
	largest := 0.0
	for _, p := range list {
		s := p.Size()
		largest = max(largest, s.X, s.Y)
	}
	sides := []solid.Point{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}}
	first := &list[0]
	whole, _ := lowOf(first.Part.Model)
	for k := 1; k < len(list); k++ {
		p := &list[k]
		middle := solid.Point{X: first.Size().X / 2, Y: first.Size().Y / 2}
		p.From = solid.Point{X: middle.X - p.Size().X/2, Y: middle.Y - p.Size().Y/2}
		way := sides[(k-1)%len(sides)]
		if low, ok := lowOf(p.Part.Model); ok && sameFile(p.Part.Model, first.Part.Model) {
			p.From = solid.Point{X: (low.X - whole.X) * i.Scale, Y: (low.Y - whole.Y) * i.Scale}
			off := solid.Point{X: p.From.X + p.Size().X/2 - middle.X, Y: p.From.Y + p.Size().Y/2 - middle.Y}
			if math.Hypot(off.X, off.Y) > 0.02*largest {
				way = along(off)
			}
		}
		p.At = pulled(*p, way, list[:k], explodedGap*largest)
	}
	return list
}

// inOrder are the parts in the order in which they are joined, with what each is seen as.
func (i Item) inOrder() (list []ExplodedPart) {
	principal := i.Principal().ID
	rank := func(p ExplodedPart) int {
		when, _ := i.JoinOf(p.Part)
		switch {
		case p.Part.ID == principal:
			return 0
		case p.Part.Unseen():
			return 1
		}
		return map[string]int{JoinBefore: 2, JoinAfter: 3, JoinLoose: 4}[when]
	}
	for _, p := range i.Parts {
		shape := p.Model.Shape
		if p.Model.AsFile != nil {
			shape = *p.Model.AsFile
		}
		list = append(list, ExplodedPart{Part: p, Count: p.Copies, Join: i.JoinText(p), Outline: shape.Front.Scaled(i.Scale)})
	}
	slices.SortStableFunc(list, func(a, b ExplodedPart) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(b.Part.Model.Measures.VolumeMM3, a.Part.Model.Measures.VolumeMM3))
	})
	for k := range list {
		list[k].Number = k + 1
	}
	return list
}

// lowOf is the lower left of a model in its file, seen from the front; ok is false where that was
// not kept.
func lowOf(m Model) (low solid.Point, ok bool) {
	box, ok := fileBox(m)
	return solid.Point{X: box.Min.X, Y: box.Min.Z}, ok
}

// fileBox is where a model lies in its file; ok is false where that was not kept.
func fileBox(m Model) (b mesh.Box, ok bool) {
	shape, size := m.Shape, m.Measures.SizeMM
	if m.AsFile != nil {
		shape = *m.AsFile
	}
	l := shape.LowMM
	b.Min = mesh.Vec{X: l[0], Y: l[1], Z: l[2]}
	b.Max = b.Min.Add(mesh.Vec{X: size[0], Y: size[1], Z: size[2]})
	return b, l != [3]float64{}
}

// sameFile reports whether two models are pieces of one cut, or bodies of one file.
func sameFile(a, b Model) bool {
	return OneOf(a.How, Cut, Body) && a.How == b.How && a.FromID == b.FromID && a.Batch == b.Batch
}

// along is the axis that a direction leans to most.
func along(v solid.Point) solid.Point {
	if math.Abs(v.X) > math.Abs(v.Y) {
		return solid.Point{X: math.Copysign(1, v.X)}
	}
	return solid.Point{Y: math.Copysign(1, v.Y)}
}

// pulled moves a part away from where it belongs until it is clear of those that are drawn.
func pulled(p ExplodedPart, way solid.Point, drawn []ExplodedPart, gap float64) solid.Point {
	at, size := p.From, p.Size()
	for moved := true; moved; {
		moved = false
		for _, o := range drawn {
			s := o.Size()
			if at.X >= o.At.X+s.X+gap-1e-9 || at.X+size.X+gap <= o.At.X+1e-9 || at.Y >= o.At.Y+s.Y+gap-1e-9 || at.Y+size.Y+gap <= o.At.Y+1e-9 {
				continue
			}
			switch {
			case way.X > 0:
				at.X = o.At.X + s.X + gap
			case way.X < 0:
				at.X = o.At.X - size.X - gap
			case way.Y > 0:
				at.Y = o.At.Y + s.Y + gap
			default:
				at.Y = o.At.Y - size.Y - gap
			}
			moved = true
		}
	}
	return at
}

// ExplodedExtent is the box that the parts are drawn in.
func ExplodedExtent(parts []ExplodedPart) (low, high solid.Point) {
	low, high = solid.Point{X: math.Inf(1), Y: math.Inf(1)}, solid.Point{X: math.Inf(-1), Y: math.Inf(-1)}
	for _, p := range parts {
		s := p.Size()
		low = solid.Point{X: min(low.X, p.At.X), Y: min(low.Y, p.At.Y)}
		high = solid.Point{X: max(high.X, p.At.X+s.X), Y: max(high.Y, p.At.Y+s.Y)}
	}
	return low, high
}
