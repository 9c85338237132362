package finish

import (
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Seam is the joining of what one copy is made of.
type Seam struct {
	Seams    float64 // of one copy
	Pegs     float64 // pegs of cuts, dowels and plugs that are set, too
	LengthMM float64 // of one seam, all around
	Source   string  // where the length came from
	Copies   int
	Packed   bool     // the assembly is packed in place of its parts
	Inserts  bool     // goods go inside before it is closed
	Sessions Sessions // that it shares with other pieces
	Logged   map[route.StageKind]Logged
}

// How the minutes of a seam are shared out: lining it up, scoring it and gluing; then filling
// what is left of it, sanding, and priming it again. Source: from memory.
const (
	seamFit, seamScore, seamGlue  = 0.25, 0.1, 0.65
	seamFill, seamSand, seamPrime = 0.4, 0.45, 0.15
)

// Join is the work of putting one copy together, stage by stage, and the adhesive it takes: a
// dry fit before the first coat, faces scored, glued, the seam filled, sanded, primed and looked
// at. [common practice]
func Join(b rates.Book, s Seam) (work []Work, glue Supply) {
	if s.Seams+s.Pegs <= 0 {
		return nil, glue
	}
	seams := rates.Of("seams", s.Seams, "×", rates.Derived)
	length := rates.Of("a seam, all around", s.LengthMM/100, "dm", s.Source)
	p := Part{Copies: s.Copies, Sessions: s.Sessions, Logged: s.Logged}
	stage := func(step Step, key, formula string, amount, share float64, inputs ...rates.Figure) {
		each := sum{book: b}
		if s.Seams <= 0 && step.Kind != route.Glue && step.Kind != route.Pack {
			return // nothing but plugs
		}
		if share > 0 {
			each.add(formula, amount*b.V(key)*share, append(inputs, b.Get(key), rates.Of("of that", 100*share, "%", rates.Memory))...)
		}
		switch {
		case step.Kind == route.Glue && s.Pegs > 0:
			each.add("pegs × time", s.Pegs*b.V("seam.pegs"), rates.Of("pegs, dowels and plugs", s.Pegs, "×", rates.Derived), b.Get("seam.pegs"))
		case step.Kind == route.Look || step.Kind == route.Pack:
			each.rate(string(step.Kind)+".piece", "a piece")
			if step.Kind == route.Pack {
				each.rate("photo.piece", "photographs")
			}
		}
		work = append(work, finished(b, p, step, each))
	}
	around := s.Seams * length.Value
	stage(Step{Kind: route.DryFit}, "seam.piece", "seams × a seam × share", s.Seams, seamFit, seams)
	stage(Step{Kind: route.Score}, "seam.piece", "seams × a seam × share", s.Seams, seamScore, seams)
	if s.Inserts {
		work = append(work, Work{Kind: route.Insert}) // a gate: the goods have the hands
	}
	stage(Step{Kind: route.Glue, Wait: "seam.wait"}, "seam.piece", "seams × a seam × share", s.Seams, seamGlue, seams)
	stage(Step{Kind: route.Fill, Wait: "fill.wait"}, "seam.length", "seams × length × speed × share", around, seamFill, seams, length)
	stage(Step{Kind: route.Sand}, "seam.length", "seams × length × speed × share", around, seamSand, seams, length)
	stage(Step{Kind: route.Prime, Wait: "prime.wait", Coat: "primer"}, "seam.length", "seams × length × speed × share", around, seamPrime, seams, length)
	stage(Step{Kind: route.Look}, "", "", 0, 0)
	if s.Packed {
		stage(Step{Kind: route.Pack}, "", "", 0, 0)
	}
	l := supplies{book: b}
	l.add("adhesive", "adhesive", "g", "seams × length × use", around*b.V("adhesive.use"), b.V("adhesive.price")/1000, b.V("adhesive.pack"),
		seams, length, b.Get("adhesive.use"), b.Get("adhesive.price"), b.Get("adhesive.pack"))
	if len(l.list) > 0 {
		glue = l.list[0]
	}
	return work, glue
}
