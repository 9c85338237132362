package finish

import (
	"cmp"
	"slices"

	"sakuji/core/rates"
)

// Ways of colouring what stands out, lines and letters: with a brush, by masking and spraying, or
// rolled on. Which is quickest is decided by the length of their edges, by how many there are and
// by the passes that cover. Source: common practice.
const (
	ByBrush = ""
	ByMask  = "mask"
	ByRoll  = "roll"
)

// RaisedWay is a way of colouring the raised lines and letters of one piece.
type RaisedWay struct {
	Key, Name string
	Minutes   float64 // of hands for a piece, before its set-up and what copies teach
	Good      string  // what it is good for, and where it goes wrong
	Working   rates.Working
}

// RaisedWays compares them for what is counted on a piece, the quickest first; nil when nothing is
// raised.
func RaisedWays(b rates.Book, f Features) []RaisedWay {
	if f.RaisedMM <= 0 {
		return nil
	}
	out := []RaisedWay{
		raisedWay(b, f, ByBrush, "brush", goodBrush),
		raisedWay(b, f, ByMask, "mask and spray", goodMask),
		raisedWay(b, f, ByRoll, "roll or dry-brush", goodRoll),
	}
	return quickestFirst(out)
}

func quickestFirst(ways []RaisedWay) []RaisedWay {
	slices.SortStableFunc(ways, func(a, b RaisedWay) int { return cmp.Compare(a.Minutes, b.Minutes) })
	return ways
}

// RegionWays compares them for a region of its own colour on one piece: with a brush, steadily along its edge;
// sprayed, taped along its edge; rolled, where it is as narrow as what stands out. nil where nobody knows its edge.
func RegionWays(b rates.Book, areaMM2, edgeMM float64, coats int) []RaisedWay {
	if edgeMM <= 0 || areaMM2 <= 0 {
		return nil
	}
	area, edge := rates.Of("area", areaMM2/1e4, "dm²", rates.Mesh), rates.Of("edge, all around", edgeMM/100, "dm", rates.Mesh)
	passes := rates.Of("coats", float64(coats), "coats", rates.Ours)
	share := passes.Value / b.V("paint.coats")
	brush, mask := sum{book: b}, sum{book: b}
	brush.add("area × brushing × coats ÷ usual coats", area.Value*b.V("base.area")*share, area, b.Get("base.area"), passes, b.Get("paint.coats"))
	brush.add("edge × coats × along an edge", edge.Value*passes.Value*b.V("raised.brush"), edge, b.Get("raised.brush"))
	mask.rate("mask.piece", "masking, a piece")
	mask.add("edge × masking", edge.Value*b.V("mask.edge"), edge, b.Get("mask.edge"))
	mask.add("area × spraying × coats ÷ usual coats", area.Value*b.V("base.airbrush")*share, area, b.Get("base.airbrush"), passes, b.Get("paint.coats"))
	mask.rate("airbrush.colour", "cleaning")
	out := []RaisedWay{brush.way(ByBrush, "brush", goodBrush), mask.way(ByMask, "mask and spray", goodMask)}
	if 2*areaMM2/edgeMM <= narrowMM {
		roll := sum{book: b}
		roll.rate("raised.roll.piece", "loading and trying")
		line := rates.Of("its length, half its edge", edge.Value/2, "dm", rates.Derived)
		roll.add("length × coats × rolling", line.Value*passes.Value*b.V("raised.roll"), line, passes, b.Get("raised.roll"))
		out = append(out, roll.way(ByRoll, "roll or dry-brush", goodRoll))
	}
	return quickestFirst(out)
}

// narrowMM is up to how wide a region can be rolled on or dry-brushed as a line. Source: from memory.
const narrowMM = 10

// What the ways are good for, and where they go wrong. Source: common practice.
const (
	goodBrush = "goes anywhere, and into corners; even cover takes a steady hand"
	goodMask  = "the sharpest edge; tape wants smooth ground that is fully dry"
	goodRoll  = "only where lines stand out clearly and alike; try it on a scrap"
)

// raisedWay works a way out.
func raisedWay(b rates.Book, f Features, key, name, good string) RaisedWay {
	s := sum{book: b}
	s.raised(f, key)
	return s.way(key, name, good)
}

// way is what was summed up as a way of colouring.
func (s *sum) way(key, name, good string) RaisedWay {
	return RaisedWay{Key: key, Name: name, Minutes: s.minutes, Good: good,
		Working: rates.Working{Formula: s.formula, Inputs: s.inputs, Result: rates.Of(name, s.minutes, "min", rates.Derived)}}
}

// raised adds what a way takes: passes along the lines with brush or roller, or tape along both
// their edges and a coat through it; letters go with them.
func (s *sum) raised(f Features, way string) {
	b := s.book
	line, passes := rates.Of("raised lines", f.RaisedMM/100, "dm", rates.Ours), b.Get("raised.passes")
	if way == ByMask {
		edge := rates.Of("their edges, on both sides", 2*line.Value, "dm", rates.Derived)
		s.add("edges × masking", edge.Value*b.V("mask.edge"), edge, b.Get("mask.edge"))
		s.add("lines × passes × spraying", line.Value*passes.Value*b.V("raised.spray"), line, passes, b.Get("raised.spray"))
		s.count(f.Letters, "raised.stencil")
		return
	}
	if way == ByRoll {
		s.rate("raised.roll.piece", "loading and trying")
		s.add("lines × passes × rolling", line.Value*passes.Value*b.V("raised.roll"), line, passes, b.Get("raised.roll"))
		s.count(f.Letters, "raised.letter")
		return
	}
	s.add("lines × passes × brushing", line.Value*passes.Value*b.V("raised.brush"), line, passes, b.Get("raised.brush"))
	s.count(f.Letters, "detail.letter")
}

// RaisedWaysKnown are the keys of the ways.
func RaisedWaysKnown() []string { return []string{ByBrush, ByMask, ByRoll} }

// raisedHow says at a stage how the raised lines are coloured; empty: not there.
func (f Features) raisedHow(masked bool) string {
	switch {
	case f.RaisedMM <= 0 || masked != (f.Raised == ByMask):
		return ""
	case f.Raised == ByRoll:
		return "raised lines rolled or dry-brushed, tried on a scrap first"
	case f.Raised == ByMask:
		return "tape along both edges of the raised lines"
	}
	return "raised lines with a brush"
}

// taped is the length of edge that is masked, in millimetres: what was asked for, and raised lines
// on both sides where they are sprayed.
func (f Features) taped() float64 {
	if f.Raised == ByMask {
		return f.MaskMM + 2*f.RaisedMM
	}
	return f.MaskMM
}
