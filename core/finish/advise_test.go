package finish

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Papers go up by no more than double, reach the last, and are as few as do [common practice].
func TestLadder(t *testing.T) {
	assert.Equal(t, []int{220, 400}, Ladder(120, 400))
	assert.Equal(t, []int{150, 240, 400}, Ladder(80, 400))
	assert.Empty(t, Ladder(400, 400))
	assert.Empty(t, Ladder(400, 320))
	rapid.Check(t, func(t *rapid.T) {
		made := []int{60, 80, 100, 120, 150, 180, 220, 240, 280, 320, 360, 400, 500, 600, 800, 1000, 1200, 1500, 2000}
		from, to := rapid.SampledFrom(made).Draw(t, "from"), rapid.SampledFrom(made).Draw(t, "to")
		got, last := Ladder(from, to), from
		for _, p := range got {
			assert.Contains(t, made, p)
			assert.Greater(t, p, last)
			assert.LessOrEqual(t, p, 2*last)
			last = p
		}
		if to > from {
			require.Equal(t, to, last)
		}
	})
}

// P80, filler primer, P180 is right: a filling coat starts the ladder again [common practice].
func TestGritAdvice(t *testing.T) {
	assert.Equal(t, "P180, then P320", AdviseGrit(Sanding{Last: 80, Filled: true, To: 320}).What)
	assert.Equal(t, "P120, then P220, then P400", AdviseGrit(Sanding{Bare: 120, To: 400}).What)
	assert.Equal(t, "P220, then P360, then P600", AdviseGrit(Sanding{Bare: 220, To: 600}).What)
	next := AdviseGrit(Sanding{Last: 180, To: 400})
	assert.Equal(t, "P280, then P400", next.What)
	assert.Contains(t, next.Why, "82 µm")
	assert.Contains(t, AdviseGrit(Sanding{Last: 400, To: 400}).What, "stop")
}

// Each filler by the gap, and never without its reason and rule.
func TestFillerAdhesivePrimerAndClearCoat(t *testing.T) {
	b := rates.Starting()
	for gap, want := range map[float64]string{0.05: "filler primer", 0.3: "spot putty", 1.5: "two-part putty", 5: "sliver"} {
		assert.Contains(t, AdviseFiller(b, gap, Weld, true).What, want)
	}
	assert.Contains(t, AdviseFiller(b, 0.3, UVResin, true).What, "resin from the vat")
	assert.Contains(t, AdviseFiller(b, 0.3, UVResin, false).What, "spot putty", "no lamp reaches it")
	assert.Equal(t, "black primer", AdvisePrimer(SchemeDark, Schools{}).What)
	assert.Contains(t, AdviseAdhesive(b, Joint{Worn: true}, "").What, "contact")
	assert.Contains(t, AdviseAdhesive(b, Joint{Worn: true}, Epoxy).What, "epoxy", "as somebody chose it")
	assert.Contains(t, AdviseClear(Clearing{Scheme: SchemeMirror}).What, "none")
	assert.Contains(t, AdviseClear(Clearing{Worn: true}).What, "satin")
	mind := AdviseClear(Clearing{Fine: true, Paints: Paints{Clear: route.Lacquer}})
	assert.Contains(t, mind.What, "matt")
	assert.Contains(t, mind.Why, "eyes get gloss last")
	assert.Contains(t, mind.Why, "crazes it")
	for _, k := range []route.StageKind{route.Sand, route.Fill, route.Glue, route.Prime, route.Clear} {
		assert.NotEmpty(t, AdviceAt(k))
	}
	assert.Empty(t, AdviceAt(route.Pack))
	for _, a := range []Advice{AdviseFiller(b, 1, UVResin, true), AdviseAdhesive(b, Joint{}, ""), AdvisePrimer("", Schools{}),
		AdviseClear(Clearing{}), AdviseGrit(Sanding{Bare: 120, To: 320})} {
		assert.NotEmpty(t, a.What)
		assert.NotEmpty(t, a.Why)
		assert.Contains(t, a.Rule, "[")
	}
}
