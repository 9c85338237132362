package finish

import (
	"fmt"
	"slices"
	"strings"

	"sakuji/core/route"
)

// What a stage of planned work becomes on a piece's strip: a ladder of papers is a stage for each
// paper, and a mask is put on, sprayed through and pulled. The minutes stay the same.

// wetFrom is the paper from which on the last one is used wet. Source: common practice.
const wetFrom = 320

// How the minutes of masking are shared out: taping, the coat through it, pulling. Source: from
// memory.
const maskTape, maskSpray, maskPull = 0.75, 0.15, 0.1

// Stages are the stages of a strip that work comes to.
func Stages(work []Work) (out []Work) {
	for _, w := range work {
		switch {
		case w.Kind == route.Sand && len(w.Papers) > 1:
			out = append(out, w.ladder()...)
		case w.Kind == route.Mask:
			tape, spray, pull := w.share(maskTape), w.share(maskSpray), w.share(maskPull)
			tape.WaitS, pull.WaitS = 0, 0
			spray.Kind, pull.Kind = route.Spray, route.Pull
			out = append(out, tape, spray, pull)
		default:
			out = append(out, w)
		}
	}
	return out
}

// share is so much of the work.
func (w Work) share(of float64) Work {
	w.Minutes, w.BookMin = w.Minutes*of, w.BookMin*of
	return w
}

// ladder is a stage for each paper: the first takes the print's lines off and has the most to do,
// each further one only the scratches of the one before. Source of the shares: from memory.
func (w Work) ladder() (out []Work) {
	n := len(w.Papers)
	for k, p := range w.Papers {
		s := w.share(float64(n-k) / float64(n*(n+1)/2))
		s.How, s.Papers = paperText(p, k == n-1, w.Fine), nil
		if k < n-1 {
			s.WaitS = 0
		}
		out = append(out, s)
	}
	return out
}

// paperText says how a paper is used.
func paperText(p int, last, fine bool) string {
	text := fmt.Sprintf("P%d, dry", p)
	if last && p >= wetFrom {
		text = fmt.Sprintf("P%d, wet; soap, water and a soft brush afterwards", p)
	}
	if fine {
		text += "; off the sharp detail"
	}
	return text
}

// ladder are the papers of a sanding that are a stage each, or how it goes in one: with a single
// paper, or on the spots that a second round touches.
func (s Step) ladder(fine bool) (papers []int, how string) {
	switch n := len(s.Papers); {
	case n == 0:
		return nil, ""
	case s.times() < 1:
		var names []string
		for _, p := range s.Papers {
			names = append(names, fmt.Sprint("P", p))
		}
		return nil, strings.Join(names, ", ") + " on what the look found, dry"
	case n == 1:
		return nil, paperText(s.Papers[0], true, fine)
	}
	return s.Papers, ""
}

// joined puts what is said of a stage together.
func joined(words ...string) string {
	return strings.Join(slices.DeleteFunc(words, func(w string) bool { return w == "" }), "; ")
}

// Schemes of colour, by which the primer is chosen.
const (
	SchemeMixed  = ""
	SchemeLight  = "light"  // light and saturated colours
	SchemeDark   = "dark"   // metals and darks
	SchemeClear  = "clear"  // a print one sees through
	SchemeMirror = "mirror" // mirror metal
)

// PrimerFor is the primer under a scheme, and why. Source: common practice.
func PrimerFor(scheme string, s Schools) (primer, why string) {
	switch scheme {
	case SchemeLight:
		return "white", "under light and saturated colours it lets them shine"
	case SchemeDark:
		return "black", "under metals and darks it deepens them, and white from above pre-shades"
	case SchemeClear:
		return "clear", "the print is to be seen through"
	case SchemeMirror:
		if s.GlossBlack {
			return "gloss black", "one coat under mirror metal, its sheen follows the metal"
		}
		return "flat black", "a gloss coat over it is more even under mirror metal than gloss black from a can"
	}
	return "grey", "it shows every flaw, and suits a mixed scheme"
}

// SchemeName is a scheme in words.
func SchemeName(scheme string) string {
	return map[string]string{SchemeMixed: "mixed", SchemeLight: "light, saturated", SchemeDark: "dark, metals", SchemeClear: "see-through", SchemeMirror: "mirror metal"}[scheme]
}

// Schemes lists them.
func Schemes() []string {
	return []string{SchemeMixed, SchemeLight, SchemeDark, SchemeClear, SchemeMirror}
}
