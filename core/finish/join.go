package finish

import (
	"slices"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Seam is the joining of what one copy is made of.
type Seam struct {
	Seams    float64 // of one copy
	After    float64 // of them, joined after paint: nothing of them is filled
	Loose    float64 // of them, what comes off again: fitted, never glued
	Pegs     float64 // pegs of cuts, dowels and plugs that are set, too
	LengthMM float64 // of one seam, all around
	Source   string  // where the length came from
	Joint    Joint
	Adhesive string // its key; empty: chosen by need
	Unfilled bool   // the seam may show: it is not filled
	Copies   int
	Packed   bool     // the assembly is packed in place of its parts
	Inserts  bool     // goods go inside before it is closed
	Sessions Sessions // that it shares with other pieces
	Logged   map[route.StageKind]Logged
}

// adhesive is the one named, or chosen by need, and why.
func (s Seam) adhesive() (Adhesive, string) {
	if a, ok := AdhesiveOf(s.Adhesive); ok {
		return a, "as was asked"
	}
	return s.Joint.Choose()
}

// How the minutes of a seam are shared out: lining it up, scoring it and gluing; then filling
// what is left of it, sanding, and priming it again. Source: from memory.
const (
	seamFit, seamScore, seamGlue  = 0.25, 0.1, 0.65
	seamFill, seamSand, seamPrime = 0.4, 0.45, 0.15
)

// seamPaper is used on a seam. Source: common practice.
const seamPaper = "P180, then P320 on the seam; keys and sockets clean"

// coatsEat is told at the dry fit of what is painted before it is joined, or comes off. Source of
// the figure: from memory.
const coatsEat = "mask the mating faces, or sand them after: primer, paint and clear coat take 0.05–0.15 mm on each"

// joining is the work of a seam being put together.
type joining struct {
	book   rates.Book
	seam   Seam
	part   Part
	seams  rates.Figure
	length rates.Figure
	work   []Work
}

// stage adds a stage with a share of an amount's minutes; of is what else it takes.
func (j *joining) stage(step Step, how string, key rates.Key, formula string, amount, share float64, inputs []rates.Figure, of func(*sum)) {
	each := sum{book: j.book}
	if share > 0 && amount > 0 {
		each.add(formula, amount*j.book.V(key)*share, append(slices.Clone(inputs), j.book.Get(key), rates.Of("of that", 100*share, "%", rates.Memory))...)
	}
	if of != nil {
		of(&each)
	}
	w := finished(j.book, j.part, step, each)
	w.How = how
	j.work = append(j.work, w)
}

// Join is the work of putting one copy together, stage by stage, and the adhesive it takes: a
// dry fit before the first coat, faces scored, what goes inside put in, glued, the seam filled,
// sanded, primed and looked at; then what is joined after paint, and the parcel. [common practice]
func Join(b rates.Book, s Seam) (work []Work, glue Supply) {
	if s.Seams+s.Pegs <= 0 {
		return nil, glue
	}
	j := joining{book: b, seam: s, part: Part{Copies: s.Copies, Sessions: s.Sessions, Logged: s.Logged},
		seams: rates.Of("seams", s.Seams, "×", rates.Derived), length: rates.Of("a seam, all around", s.LengthMM/100, "dm", s.Source)}
	before := s.Seams - s.After - s.Loose
	a, why := s.adhesive()
	how := a.text(b, why)
	perSeam := []rates.Figure{j.seams}
	if s.Seams > 0 {
		fit := ""
		if s.After+s.Loose > 0 {
			fit = coatsEat
		}
		j.stage(Step{Kind: route.DryFit}, fit, "seam.piece", "seams × a seam × share", s.Seams, seamFit, perSeam, nil)
	}
	if before > 0 {
		j.stage(Step{Kind: route.Score}, "P180 on the mating faces", "seam.piece", "seams × a seam × share", before, seamScore, perSeam, nil)
	}
	if s.Inserts {
		j.work = append(j.work, Work{Kind: route.Insert}) // a gate: the goods have the hands
	}
	if before > 0 || s.Pegs > 0 {
		j.stage(a.glueStep(route.Glue), how, "seam.piece", "seams × a seam × share", before, seamGlue, perSeam, j.pegs)
	}
	if before > 0 && !s.Unfilled {
		j.fill(before)
	}
	if s.After > 0 {
		j.stage(a.glueStep(route.JoinAfter), "Scrape paint off the mating faces first. "+how, "seam.piece", "seams × a seam × share", s.After, seamScore+seamGlue, perSeam, nil)
	}
	if s.Packed {
		j.stage(Step{Kind: route.Pack}, "", "", "", 0, 0, nil, func(each *sum) {
			each.rate("pack.piece", "a piece")
			each.rate("photo.piece", "photographs")
		})
	}
	return j.work, j.glue((before + s.After) * j.length.Value)
}

// pegs are set when the parts are glued.
func (j *joining) pegs(each *sum) {
	if n := j.seam.Pegs; n > 0 {
		each.add("pegs × time", n*j.book.V("seam.pegs"), rates.Of("pegs, dowels and plugs", n, "×", rates.Derived), j.book.Get("seam.pegs"))
	}
}

// fill makes seams vanish.
func (j *joining) fill(seams float64) {
	in := []rates.Figure{j.seams, j.length}
	formula, around := "seams × length × speed × share", seams*j.length.Value
	j.stage(Step{Kind: route.Fill, Wait: "fill.wait"}, "", "seam.length", formula, around, seamFill, in, nil)
	j.stage(Step{Kind: route.Sand}, seamPaper, "seam.length", formula, around, seamSand, in, nil)
	j.stage(Step{Kind: route.Prime, Wait: "prime.wait", Coat: "primer"}, "the filled seam once more", "seam.length", formula, around, seamPrime, in, nil)
	j.stage(Step{Kind: route.Look}, "", "", "", 0, 0, nil, func(each *sum) { each.rate("look.piece", "a piece") })
}

// glue is the adhesive for so many dm of seam.
func (j *joining) glue(dm float64) (glue Supply) {
	l, b := supplies{book: j.book}, j.book
	l.add("adhesive", "adhesive", "g", "seams × length × use", dm*b.V("adhesive.use"), b.V("adhesive.price")/1000, b.V("adhesive.pack"),
		j.seams, j.length, b.Get("adhesive.use"), b.Get("adhesive.price"), b.Get("adhesive.pack"))
	if len(l.list) > 0 {
		glue = l.list[0]
	}
	return glue
}
