package finish

import (
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
		raisedWay(b, f, ByBrush, "brush", "goes anywhere, and into corners; even cover takes a steady hand"),
		raisedWay(b, f, ByMask, "mask and spray", "the sharpest edge; tape wants smooth ground that is fully dry"),
		raisedWay(b, f, ByRoll, "roll or dry-brush", "only where lines stand out clearly and alike; try it on a scrap"),
	}
	slices.SortStableFunc(out, func(a, c RaisedWay) int {
		if a.Minutes < c.Minutes {
			return -1
		}
		return 1
	})
	return out
}

// raisedWay works a way out.
func raisedWay(b rates.Book, f Features, key, name, good string) RaisedWay {
	s := sum{book: b}
	s.raised(f, key)
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
