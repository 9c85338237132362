package studio

import (
	"slices"
	"strings"

	"sakuji/core/route"
)

// heavyG is from which weight on a piece is lifted with care. Source: from memory.
const heavyG = 5000

// Handover is what a client should know of what they get, on the quote and on the delivery note.
// grams are those of each item's copy. Source: common practice.
func Handover(o Order, items []Item, grams map[int64]float64) []string {
	has := func(f func(Item) bool) bool { return slices.ContainsFunc(items, f) }
	with := func(words ...string) bool {
		return has(func(it Item) bool {
			return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(strings.ToLower(it.extraText()), w) })
		})
	}
	out := []string{"A display piece, not a toy: it has small parts. Not for food.", "Keep it from sun, heat and a hot car; dust it softly."}
	if o.Use == "worn" || has(func(it Item) bool { return it.Rule.Worn() }) {
		out = append(out, "Worn pieces narrow sight and breathing: try it on before the day, with straps that release; heat and weight tell on the wearer.")
	}
	if has(func(it Item) bool { return it.Weapon == "yes" }) {
		out = append(out, "It looks like a weapon. Carriers, venues and countries have rules on look-alikes: ask those you mean to pass, and carry it covered.")
	}
	if with("cell", "batter", "light", "motor", "led") {
		out = append(out, "Cells: take them out to send it and to store it; charge protected ones only, watched; no mains without a qualified person.")
	}
	if with("magnet") {
		out = append(out, "Magnets: swallowed they are an emergency; they pinch, and stay away from implants.")
	}
	if has(func(it Item) bool { return grams[it.ID] >= heavyG }) {
		out = append(out, "It is heavy: two lift it, and somebody qualified fixes what hangs overhead.")
	}
	if has(func(it Item) bool { return it.Tier == route.Raw && len(it.Parts) > 0 }) {
		out = append(out, "Raw prints are sanded at home with a particulate respirator and wet where possible; follow the product’s safety data sheet and local rules.")
	}
	return out
}
