package finish

import (
	"math"
	"slices"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// How the hours of a mould are shared out: the case around the print, flooding it with rubber,
// opening and cleaning it. Source: from memory.
const mouldCase, mouldRubber, mouldOpen = 0.4, 0.35, 0.25

// Mould is the work of making one mould around a print.
func Mould(b rates.Book) []Work {
	part := func(kind route.StageKind, share float64, wait rates.Key) Work {
		return plain(b, Step{Kind: kind, Wait: wait}, 60*share*b.V("mould.hours"), b.Get("mould.hours"))
	}
	return []Work{part(route.Case, mouldCase, ""), part(route.Rubber, mouldRubber, "mould.wait"), part(route.Open, mouldOpen, "")}
}

// Moulds is how many moulds so many copies take.
func Moulds(b rates.Book, copies float64) float64 {
	return math.Ceil(copies / max(1, b.V("mould.life")))
}

// Pour is the work of casting one copy: poured, taken out and cleaned up.
func Pour(b rates.Book) Work {
	return plain(b, Step{Kind: route.Pour, Wait: "cast.wait"}, b.V("cast.minutes"), b.Get("cast.minutes"))
}

// plain is a stage's work that the book tells as it stands.
func plain(b rates.Book, s Step, minutes float64, from rates.Figure) Work {
	return Work{Kind: s.Kind, Minutes: minutes, BookMin: minutes, WaitS: WaitS(b, s),
		Working: rates.Working{Formula: "as the book has it", Inputs: []rates.Figure{from},
			Result: rates.Of(s.Kind.Traits().Name, minutes, "min", rates.Derived)}}
}

// CastCopy is what of a print's work is done on every copy that is cast of it: it is primed,
// looked at, and coloured like a print.
func CastCopy(work []Work) (out []Work) {
	for _, w := range work {
		first := !slices.ContainsFunc(out, func(o Work) bool { return o.Kind == w.Kind })
		if w.Kind.Traits().Whole || first && (w.Kind == route.Prime || w.Kind == route.Look) {
			out = append(out, w)
		}
	}
	return out
}

// CastMaster is what of it is done on the one print that moulds are made of: all until it is
// smooth and looked at.
func CastMaster(work []Work) []Work {
	return slices.DeleteFunc(slices.Clone(work), func(w Work) bool { return w.Kind.Traits().Whole })
}
