package studio

import (
	"sakuji/core/finish"
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
	}
	return JoinBefore, "its seam is filled and painted over"
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
	for _, p := range i.Parts {
		if p.Process == "resin" {
			j.Resin = true
		} else {
			j.Filament = true
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
