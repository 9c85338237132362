package finish

import (
	"sakuji/core/route"
)

// Schools are the ways of painting that practitioners disagree on, as a studio has chosen; the zero
// value is the commoner of each. Source: common practice.
type Schools struct {
	DarkFirst       bool `json:"dark_first,omitempty"`        // dark, metal, dark touch-up, white; else light and bright before dark lines
	ClearUnderLines bool `json:"clear_under_lines,omitempty"` // the clear coat protects base colours under hand-painted lines; else it goes over everything
	FitBeforeClear  bool `json:"fit_before_clear,omitempty"`  // fitted out, then cleared with touch-ups; else after the clear coat
	PullDry         bool `json:"pull_dry,omitempty"`          // masks are pulled when the coat is fully dry; else after about two hours
	GlossBlack      bool `json:"gloss_black,omitempty"`       // one gloss black under mirror metal; else flat black and a gloss coat apart
	GlueDown        bool `json:"glue_down,omitempty"`         // figures are glued to their bases; else they come off
}

// School is one such choice in words: what is done when it is set, and when it is not.
type School struct {
	Key, What, Yes, No string
}

// AllSchools lists them, with how each is told.
func AllSchools() []School {
	return []School{
		{"dark_first", "order of colours", "dark, metal, dark touch-up, white", "light and bright before dark lines"},
		{"clear_under_lines", "clear coat", "under hand-painted lines", "over everything"},
		{"fit_before_clear", "fitting out", "before the clear coat, with touch-up", "after the clear coat"},
		{"pull_dry", "masks are pulled", "when fully dry", "after about two hours"},
		{"gloss_black", "under mirror metal", "gloss black in one coat", "flat black, then a gloss coat"},
		{"glue_down", "figures on bases", "glued down", "come off again"},
	}
}

// Has reports whether a choice is made, by its key.
func (s Schools) Has(key string) bool {
	return map[string]bool{"dark_first": s.DarkFirst, "clear_under_lines": s.ClearUnderLines, "fit_before_clear": s.FitBeforeClear, "pull_dry": s.PullDry, "gloss_black": s.GlossBlack, "glue_down": s.GlueDown}[key]
}

// SchoolsOf are those of the keys that are set.
func SchoolsOf(set func(key string) bool) Schools {
	return Schools{DarkFirst: set("dark_first"), ClearUnderLines: set("clear_under_lines"), FitBeforeClear: set("fit_before_clear"), PullDry: set("pull_dry"), GlossBlack: set("gloss_black"), GlueDown: set("glue_down")}
}

// how says what a school asks of a stage of painting; empty: nothing.
func (s Schools) how(kind route.StageKind) string {
	switch {
	case kind == route.Base && s.DarkFirst:
		return "dark, then metal, dark touch-up, white last"
	case kind == route.Base:
		return "light and bright colours before dark lines"
	case kind == route.Clear && s.ClearUnderLines:
		return "over the base colours; hand-painted lines come on top"
	case kind == route.Fit && s.FitBeforeClear:
		return "before the clear coat: touch up what it marks"
	}
	return ""
}

// Paints are what the coats of a scheme are made of.
type Paints struct {
	Base  route.Coat `json:"base,omitempty"`
	Shade route.Coat `json:"shade,omitempty"`
	Clear route.Coat `json:"clear,omitempty"`
}

// Of is what a stage’s coat is made of; acrylic, where a scheme does not say.
func (p Paints) Of(kind route.StageKind) route.Coat {
	switch kind.Traits().Paint {
	case route.BasePaint:
		return p.Base
	case route.ShadePaint:
		return p.Shade
	case route.ClearPaint:
		return p.Clear
	}
	return route.Acrylic
}

// Attack says what a stage's coat does to the one under it; empty: they get on.
func (p Paints) Attack(kind route.StageKind) string {
	switch {
	case kind == route.Shade:
		return route.Attacks(p.Base, p.Shade)
	case kind == route.Clear && p.Shade != route.Acrylic && route.Attacks(p.Shade, p.Clear) != "":
		return route.Attacks(p.Shade, p.Clear)
	case kind == route.Clear:
		return route.Attacks(p.Base, p.Clear)
	}
	return ""
}
