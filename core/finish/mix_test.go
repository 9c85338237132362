package finish

import (
	"image"
	"image/color"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// The handbook's example: a paint of 50 % volume solids laid 50 µm dry spreads 10 m² a litre in theory [published:
// theoretical spreading rate, as coatings handbooks have it]: 1 m² in one coat takes 100 ml that land.
func TestSpreadingRateOfTheHandbook(t *testing.T) {
	b := rates.Starting().With(map[rates.Key]float64{"transfer.brush": 100, "mix.pot": 0})
	l := Laying{Medium: route.AcrylicPaint, Tool: Brush, Coats: 1, FilmUM: 50, SolidsPercent: 50}
	assert.InDelta(t, 100, MixML(b, l, 1e6).Result.Value, 1e-9)
	l.Coats = 3
	assert.InDelta(t, 300, MixML(b, l, 1e6).Result.Value, 1e-9)
	l.ThinnerPercent = 50
	assert.InDelta(t, 450, MixML(b, l, 1e6).Result.Value, 1e-9, "thinner is added to the paint that lands")
}

// What lands goes by the tool: brush 0.9, airbrush 0.6, can 0.4 [from memory]; a can has no pot.
func TestWhatLandsGoesByTheTool(t *testing.T) {
	b := rates.Starting()
	of := func(tool string) float64 {
		return MixML(b, Laying{Medium: route.AcrylicPaint, Tool: tool, Coats: 1, FilmUM: 50, SolidsPercent: 50}, 1e6).Result.Value
	}
	pot := b.V("mix.pot")
	assert.InDelta(t, 100/0.9+pot, of(Brush), 1e-9)
	assert.InDelta(t, 100/0.6+pot, of(Airbrush), 1e-9)
	assert.InDelta(t, 100/0.4, of(Can), 1e-9)
	assert.Equal(t, of(Brush), of(Sponge))
	assert.Equal(t, of(Brush), of(Roller))
	for _, m := range route.Media() {
		if w := MixML(b, Laying{Medium: m, Tool: Brush, Coats: 1}, 1e4); m.IsCoat() {
			assert.Greater(t, w.Result.Value, pot, "%s has its film and solids in the book", m)
		}
	}
	assert.Zero(t, MixML(b, Laying{Medium: route.Primer, Tool: Brush, Coats: 1}, 0).Result.Value, "nothing to paint takes nothing")
}

// What a mix is made of adds up to it, in the parts of its recipe.
func TestSplitAddsUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ml, thin := rapid.Float64Range(0.1, 500).Draw(t, "ml"), rapid.Float64Range(0, 200).Draw(t, "thinner")
		parts := rapid.SliceOfN(rapid.Float64Range(0.1, 20), 1, 6).Draw(t, "parts")
		var paints []Share
		for _, p := range parts {
			paints = append(paints, Share{"paint", p})
		}
		sum := 0.0
		got := Split(ml, paints, "water", thin)
		for k, s := range got {
			sum += s.ML
			if k < len(parts) {
				assert.InDelta(t, parts[k]/parts[0], s.ML/got[0].ML, 1e-9)
			}
		}
		assert.InDelta(t, ml, sum, 1e-9*ml+1e-12)
	})
}

// L* of greys and primaries as published tables of sRGB in CIE 1976 L*a*b*, D65, have them.
func TestLightness(t *testing.T) {
	for text, want := range map[string]float64{"#000000": 0, "#ffffff": 100, "#777777": 50.03, "#ff0000": 53.24, "#00ff00": 87.73, "#0000ff": 32.30, "#ffff00": 97.14, "#808080": 53.59} {
		c, err := ParseColour(text)
		require.NoError(t, err)
		assert.InDelta(t, want, c.Lightness(), 0.02, text)
		assert.Equal(t, text, c.Text())
		assert.Zero(t, c.Differs(c))
	}
	red, green := Colour{255, 0, 0}, Colour{0, 255, 0}
	assert.InDelta(t, 170.6, red.Differs(green), 0.2, "ΔE*ab of the sRGB primaries red and green")
	for _, bad := range []string{"", "red", "#12345", "#1234567", "123456", "#gg0000", "#+12345"} {
		_, err := ParseColour(bad)
		assert.Error(t, err, bad)
	}
}

// Coats by colour over colour: light over dark 3 to 4, dark over light 3 [common practice]; what was tried counts
// more.
func TestCover(t *testing.T) {
	white, black, bone := Colour{255, 255, 255}, Colour{}, Colour{235, 228, 210}
	assert.Equal(t, Cover{3, 4, "light over dark"}, CoverOf(black, white, nil))
	assert.Equal(t, 3, CoverOf(white, black, nil).Most)
	assert.Equal(t, 2, CoverOf(white, bone, nil).Most)
	got := CoverOf(black, white, []int{5, 2})
	assert.Equal(t, "2 to 5: as 2 swatches took", got.Text())
	assert.Equal(t, "about 1: as a swatch took", CoverOf(black, white, []int{1}).Text())
}

// The middle of a picture is what counts, and light is added up as light: half black, half white is no #7f7f7f.
func TestMiddleOfAPicture(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 90, 90))
	for y := range 90 {
		for x := range 90 {
			c := color.RGBA{200, 30, 30, 255} // round about
			if x >= 30 && x < 60 && y >= 30 && y < 60 {
				c = color.RGBA{uint8(255 * (x % 2)), uint8(255 * (x % 2)), uint8(255 * (x % 2)), 255}
			}
			img.Set(x, y, c)
		}
	}
	got := MiddleOf(img)
	want := uint8(math.Round(255 * (1.055*math.Pow(0.5, 1/2.4) - 0.055)))
	assert.Equal(t, Colour{want, want, want}, got)
	one := image.NewRGBA(image.Rect(0, 0, 1, 1))
	one.Set(0, 0, color.RGBA{9, 9, 9, 255})
	assert.Equal(t, Colour{9, 9, 9}, MiddleOf(one), "a picture of one point has a middle, too")
}
