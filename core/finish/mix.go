package finish

import (
	"math"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// More of what lays colour on; Brush, Airbrush and Can are the others.
const (
	Sponge = "sponge"
	Roller = "roller"
)

// Tools lists what lays colour on.
func Tools() []string { return []string{Brush, Airbrush, Can, Sponge, Roller} }

// Laying is a coat as a recipe has it.
type Laying struct {
	Medium         route.Medium
	Tool           string
	Coats          int
	FilmUM         float64 // dry, of one coat; 0: as the rate book has it
	SolidsPercent  float64 // by volume, as the paint is sold; 0: as the rate book has it
	ThinnerPercent float64 // of the paint, by volume
}

// coatKey is under what the rate book has a medium's film and solids.
func coatKey(m route.Medium) string {
	switch m {
	case route.Primer:
		return "primer"
	case route.FillerPrimer:
		return "filler"
	case route.ClearCoat:
		return "clear"
	case route.StainColour, route.SandOrWash:
		return "shade"
	}
	return "paint"
}

// FilmUM is how thick a coat of a medium is by the rate book, dry.
func FilmUM(b rates.Book, m route.Medium) float64 { return b.V(rates.K(coatKey(m), "film")) }

// CoatsML is how many millilitres the coats of an area take, thinned, with what misses the piece.
func CoatsML(b rates.Book, l Laying, areaMM2 float64) float64 {
	return coats(b, l, areaMM2).Result.Value
}

// PotML is what of a mix stays in pot and tool; a spray can has no pot.
func PotML(b rates.Book, l Laying) float64 {
	if l.Tool == Can {
		return 0
	}
	return b.V("mix.pot")
}

// MixML is how many millilitres to mix for the coats of an area, with what stays in pot and tool.
func MixML(b rates.Book, l Laying, areaMM2 float64) rates.Working {
	w := coats(b, l, areaMM2)
	if pot := PotML(b, l); pot > 0 && w.Result.Value > 0 {
		w.Formula += " + what stays in pot and tool"
		w.Inputs = append(w.Inputs, b.Get("mix.pot"))
		w.Result.Value += pot
	}
	return w
}

// coats works out what the coats of an area take: the theoretical spreading rate in m²/l is 10 × volume solids (%) ÷ dry
// film (µm) [published: any coatings handbook]; what lands of it goes by the tool [from memory].
func coats(b rates.Book, l Laying, areaMM2 float64) rates.Working {
	key := coatKey(l.Medium)
	given := func(own float64, last, label, unit string) rates.Figure {
		if own > 0 {
			return rates.Of(label, own, unit, rates.Ours)
		}
		return b.Get(rates.K(key, last))
	}
	area, coats := rates.Of("area", areaMM2/1e4, "dm²", rates.Mesh), rates.Of("coats", float64(l.Coats), "coats", rates.Ours)
	film, solids := given(l.FilmUM, "film", "dry film of a coat", "µm"), given(l.SolidsPercent, "solids", "volume solids of the paint", "%")
	lands := b.Get(rates.K("transfer", Brush)) // sponge and roller lay as it does
	if l.Tool == Airbrush || l.Tool == Can {
		lands = b.Get(rates.K("transfer", l.Tool))
	}
	spreadM2PerL := 10 * solids.Value / film.Value
	ml := area.Value / 100 / spreadM2PerL * 1000 * coats.Value / (lands.Value / 100)
	w := rates.Working{Formula: "area × coats × film ÷ (10 × solids) ÷ what lands", Inputs: []rates.Figure{area, coats, film, solids, lands}}
	if l.ThinnerPercent > 0 {
		ml *= 1 + l.ThinnerPercent/100
		w.Formula += " × (1 + thinner)"
		w.Inputs = append(w.Inputs, rates.Of("thinner, of the paint", l.ThinnerPercent, "%", rates.Ours))
	}
	w.Result = rates.Of("to mix", ml, "ml", rates.Derived)
	return w
}

// Share is what is taken of one paint, or of the thinner, for a mix.
type Share struct {
	What string
	ML   float64
}

// Split is how much of each paint and of the thinner an amount of a mix takes, by their parts.
func Split(ml float64, paints []Share, thinner string, thinnerPercent float64) (out []Share) {
	parts := 0.0
	for _, p := range paints {
		parts += p.ML
	}
	paint := ml / (1 + thinnerPercent/100)
	for _, p := range paints {
		out = append(out, Share{p.What, paint * p.ML / max(parts, math.SmallestNonzeroFloat64)})
	}
	if thinnerPercent > 0 {
		out = append(out, Share{thinner, ml - paint})
	}
	return out
}
