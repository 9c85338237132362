package studio

import (
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/route"
)

// When a part is joined to its assembly.
const (
	JoinAsSuggested = ""
	JoinBefore      = "before" // paint: its seam vanishes
	JoinAfter       = "after"  // paint
	JoinLoose       = "loose"  // it comes off again, and is never glued
)

// JoinOf says when a part is joined to its assembly, and why: as was said, or as the tool
// decides. Source of the rules: common practice.
func (i Item) JoinOf(p Part) (when, why string) {
	principal := i.Principal()
	switch {
	case !i.Joined():
		return JoinBefore, ""
	case p.ID == principal.ID:
		return JoinBefore, "the others are joined to it"
	case p.Joins != JoinAsSuggested:
		return p.Joins, "as was said"
	case p.Unseen():
		return JoinBefore, "it lies inside"
	case i.Tier != route.Painted:
		return JoinBefore, "nothing is painted"
	case p.Model.How == Cut:
		return JoinBefore, "it was cut off: the seam must vanish"
	case p.MaterialID != principal.MaterialID || p.Process != principal.Process:
		return JoinAfter, "printed in another material: it keeps its own colour"
	case within(p.Model, principal.Model) > mostWithin:
		return JoinAfter, "it and what it lies in hide each other from the brush"
	}
	return JoinBefore, "its seam is filled and painted over"
}

// mostWithin is how much of a part's box may lie in that of another before they hide each other.
// Source: from memory.
const mostWithin = 0.6

// within is the share of a part's box that lies in that of another of the same file; 0 where
// nobody knows where they belong.
func within(m, other Model) float64 {
	a, okA := fileBox(m)
	b, okB := fileBox(other)
	if !okA || !okB || !sameFile(m, other) {
		return 0
	}
	d := a.Max.Sub(a.Min)
	x := min(a.Max.X, b.Max.X) - max(a.Min.X, b.Min.X)
	y := min(a.Max.Y, b.Max.Y) - max(a.Min.Y, b.Min.Y)
	z := min(a.Max.Z, b.Max.Z) - max(a.Min.Z, b.Min.Z)
	if volume := d.X * d.Y * d.Z; volume > 0 {
		return max(0, x) * max(0, y) * max(0, z) / volume
	}
	return 0
}

// JoinText says it in words: "before paint: its seam is filled and painted over".
func (i Item) JoinText(p Part) string {
	when, why := i.JoinOf(p)
	if why == "" {
		return joinText(when)
	}
	return joinText(when) + ": " + why
}

// after reports whether a part is coloured by itself.
func (i Item) after(p Part) bool {
	when, _ := i.JoinOf(p)
	return OneOf(when, JoinAfter, JoinLoose)
}

// joints are the seams of one copy that are joined after paint, and those never glued; and what
// the adhesive is chosen by.
func (i Item) joints(lengthMM float64) (after, loose float64, j finish.Joint) {
	j = finish.Joint{Worn: i.Rule.Worn(), LengthMM: lengthMM}
	for k, p := range i.Parts {
		if bond := process.Of(p.Process).Bond; k == 0 {
			j.Bond = bond
		} else if bond != j.Bond {
			j.Bond = ""
		}
		switch when, _ := i.JoinOf(p); when {
		case JoinAfter:
			after += float64(p.Copies)
		case JoinLoose:
			loose += float64(p.Copies)
		}
	}
	return after, loose, j
}
