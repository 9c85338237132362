package studio

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/process"
)

// Film wears by plates, a screen by hours, a nozzle by what went through it; nothing is said before
// nine tenths of their lives, and of a part without one never.
func TestWorn(t *testing.T) {
	h := house()
	for _, m := range h.Machines {
		if m.Process == process.Filament {
			assert.Equal(t, []string{process.Nozzle}, m.Wears())
			life := m.Figures.V("nozzle_kg")
			assert.Empty(t, m.Worn(process.Nozzle, Use{Grams: 890 * life, Plates: 1e6}).Text())
			assert.Contains(t, m.Worn(process.Nozzle, Use{Grams: 1100 * life}).Text(), "replace it")
			continue
		}
		assert.Equal(t, []string{process.Film, process.Screen}, m.Wears())
		life := m.Figures.V("film_plates")
		assert.Empty(t, m.Worn(process.Film, Use{Plates: 0.89 * life, Hours: 1e6}).Text())
		assert.NotContains(t, m.Worn(process.Film, Use{Plates: 0.95 * life}).Text(), "replace")
		assert.Contains(t, m.Worn(process.Film, Use{Plates: life}).Text(), "replace it")
		assert.Contains(t, m.Worn(process.Screen, Use{Hours: 2 * m.Figures.V("screen_hours")}).Text(), "replace it")
	}
	assert.Empty(t, Machine{}.Worn(process.Film, Use{Plates: 99}).Text())
}
