package finish

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Advice is what to take for a piece now, why, and by what rule.
type Advice struct {
	Of   string // AdviceGrit and others
	What string
	Why  string
	Rule string // with its source
}

// What is advised on.
const (
	AdviceGrit     = "grit"
	AdviceFiller   = "filler"
	AdviceAdhesive = "adhesive"
	AdvicePrimer   = "primer"
	AdviceClear    = "clear coat"
)

// AdviceAt is what a kind of stage asks about; empty: nothing of it.
func AdviceAt(kind route.StageKind) string {
	return map[route.StageKind]string{route.Sand: AdviceGrit, route.Score: AdviceGrit, route.Fill: AdviceFiller, route.Mend: AdviceFiller, route.Glue: AdviceAdhesive, route.JoinAfter: AdviceAdhesive, route.Prime: AdvicePrimer, route.Clear: AdviceClear}[kind]
}

// Ladder is the papers from one P number to another, each no more than double the one before: as few as do, and in steps
// as even as papers are made. Nothing where there is no way up.
func Ladder(from, to int) []int {
	for n := 1; from > 0 && from < to && n < 10; n++ {
		if out := evenly(from, to, n); out != nil {
			return out
		}
	}
	return nil
}

// evenly goes up in so many steps; nil where that is not possible.
func evenly(from, to, n int) (out []int) {
	for at, left := from, n; left > 0; left-- {
		ideal := float64(at) * math.Pow(float64(to)/float64(at), 1/float64(left))
		best := 0
		for _, p := range slices.Sorted(maps.Keys(grains)) {
			reaches := p<<(left-1) >= to
			if p > at && p <= 2*at && p <= to && reaches && (best == 0 || math.Abs(math.Log(float64(p)/ideal)) < math.Abs(math.Log(float64(best)/ideal))) {
				best = p
			}
		}
		if best == 0 {
			return nil
		}
		out, at = append(out, best), best
	}
	return out
}

// Sanding is what the next paper goes by.
type Sanding struct {
	Bare   int  // the paper that a bare print begins with
	Last   int  // the last paper on what lies there now; 0: none yet
	Filled bool // putty, skin or filler primer lies over it
	To     int  // the paper that the finish paid for ends with
}

// first is the paper to begin with on bare or filled ground. Source: common practice.
func (s Sanding) first() int {
	if s.Filled {
		return 180
	}
	return s.Bare
}

// AdviseGrit says which paper is next.
func AdviseGrit(s Sanding) Advice {
	a := Advice{Of: AdviceGrit, Rule: "no more than double the P number from paper to paper, and a filling coat starts again [common practice]; grain sizes by the FEPA P-scale [published: ISO 6344]"}
	if s.Last == 0 || s.Filled {
		p := s.first()
		a.What = papersText(append([]int{p}, Ladder(p, s.To)...))
		ground := map[bool]string{true: "a filling coat lies on it: the ladder starts again",
			false: "bare print: fine enough not to dig, coarse enough to cut the lines"}[s.Filled]
		a.Why = fmt.Sprintf("%s. P%d has grains of %s µm", ground, p, rates.Number(GrainUM(p)))
		return a
	}
	next := Ladder(s.Last, s.To)
	if len(next) == 0 {
		a.What = "stop: it is smooth enough"
		a.Why = fmt.Sprintf("P%d is what the finish paid for ends with; the distance it is seen from decides, not perfection", s.To)
		return a
	}
	a.What = papersText(next)
	a.Why = fmt.Sprintf("P%d left scratches of grains of %s µm; P%d, %s µm, takes them out in one go", s.Last, rates.Number(GrainUM(s.Last)), next[0], rates.Number(GrainUM(next[0])))
	return a
}

func papersText(papers []int) string {
	words := make([]string, len(papers))
	for i, p := range papers {
		words[i] = fmt.Sprintf("P%d", p)
	}
	return strings.Join(words, ", then ")
}

// Up to how wide a gap each filler closes, in mm. Source: from memory.
const (
	primerFillsMM = 0.1
	spotFillsMM   = 0.5
	puttyFillsMM  = 3
)

// AdviseFiller says what fills a gap or a step of so many mm, in a print of which two become one by a bond.
func AdviseFiller(b rates.Book, gapMM float64, bond string, light bool) Advice {
	a := Advice{Of: AdviceFiller, Rule: fmt.Sprintf("by the gap: filler primer up to %s mm, spot putty up to %s mm, two-part putty up to %s mm, beyond that something is let in [from memory]", rates.Number(primerFillsMM), rates.Number(spotFillsMM), rates.Number(puttyFillsMM))}
	switch {
	case gapMM <= primerFillsMM:
		a.What, a.Why = "filler primer, in light coats", "lines and scratches so shallow need no putty, which would only be sanded off again"
	case bond == UVResin && light && gapMM <= spotFillsMM:
		a.What, a.Why = "resin from the vat, brushed in and cured with a lamp", "of the same stuff as the print, hard in minutes; putty beside it would sand softer"
	case gapMM <= spotFillsMM:
		a.What, a.Why = "spot putty, thin, twice if it must", fmt.Sprintf("it shrinks as it dries: two thin fillings; sand it after %s h", rates.Number(b.V("fill.wait")))
	case gapMM <= puttyFillsMM:
		a.What, a.Why = "two-part putty", "it hardens through and does not sink; wet the finger, it sets within its open time"
	default:
		a.What, a.Why = "a sliver of print or card glued in, two-part putty over it", "so much putty cracks and takes days; what is let in holds the shape"
	}
	return a
}

// AdviseAdhesive says what a joint is glued with: by need, unless an adhesive was chosen for it.
func AdviseAdhesive(b rates.Book, j Joint, chosen string) Advice {
	glue, why := j.Choose()
	if own, ok := AdhesiveOf(chosen); ok {
		glue, why = own, "as its order has it; "+own.Suits
	}
	return Advice{Of: AdviceAdhesive, What: glue.Name, Why: fmt.Sprintf("%s. It may be handled after %s, and is hard after %s", why, b.Get(glue.Handle).Text(), b.Get(glue.Full).Text()),
		Rule: "by need: worn, large, small, alike or unlike parts [common practice]. " + glue.Caution}
}

// AdvisePrimer says which primer goes under a scheme.
func AdvisePrimer(scheme string, s Schools) Advice {
	primer, why := PrimerFor(scheme, s)
	return Advice{Of: AdvicePrimer, What: primer + " primer", Why: why, Rule: "primer by the scheme: white under light, black under metals and darks, grey when mixed, clear for see-through [common practice]"}
}

// Clearing is what the clear coat goes by.
type Clearing struct {
	Scheme  string
	Worn    bool
	Fine    bool // eyes, letters, hand-painted lines
	Paints  Paints
	Weather bool
}

// AdviseClear says which clear coat, and where it does harm.
func AdviseClear(c Clearing) Advice {
	a := Advice{Of: AdviceClear, Rule: "several thin coats; gloss on eyes and glass last; test on an offcut: it changes what lies under it [common practice]"}
	switch {
	case c.Scheme == SchemeMirror:
		a.What, a.Why = "none, or the maker's own for mirror metal", "most clear coats dull mirror metal at once; keep fingers off it instead"
	case c.Scheme == SchemeClear:
		a.What, a.Why = "gloss, thin", "what is to be seen through is dulled by matt"
	case c.Worn:
		a.What, a.Why = "satin, three thin coats", "it is worn: matt polishes where it rubs, and hands take off what is not covered"
	case c.Scheme == SchemeDark && !c.Fine:
		a.What, a.Why = "satin", "matt turns metals and darks grey"
	default:
		a.What, a.Why = "matt, two thin coats", "it evens out the sheen of different paints"
	}
	if c.Fine && c.Scheme != SchemeMirror {
		a.Why += "; a first coat under the hand-painted lines lets a slip be wiped off, and eyes get gloss last"
	}
	if bad := c.Paints.Attack(route.Clear); bad != "" {
		a.Why += ". Mind: " + bad
	}
	if c.Weather {
		a.Why += "; sand and earth darken for good under it"
	}
	return a
}
