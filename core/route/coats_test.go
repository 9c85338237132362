package route

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Coats attack what a weaker thinner laid, and never the other way round; what to put between is
// said with it. [common practice: spirits, lacquers and car paints lift or craze acrylics and enamels]
func TestCoatsAttack(t *testing.T) {
	for _, c := range []struct {
		under, over Coat
		want        string
	}{
		{Acrylic, Acrylic, ""}, {Enamel, Acrylic, ""}, {Lacquer, Acrylic, ""}, {Lacquer, Enamel, ""}, {Mirror, Lacquer, ""},
		{Acrylic, Spirit, "wash in spirits over acrylic lifts it"}, {Acrylic, Lacquer, "lacquer or car paint over acrylic crazes it"},
		{Enamel, Lacquer, "over enamel crazes it"}, {Spirit, Mirror, "mirror metal over wash in spirits crazes it"},
	} {
		got := Attacks(c.under, c.over)
		if c.want == "" {
			assert.Empty(t, got, "%q over %q", c.over, c.under)
			continue
		}
		assert.Contains(t, got, c.want)
		assert.Contains(t, got, "let it cure for a day, or lay a clear coat between")
	}
	for _, a := range Coats() {
		assert.NotEmpty(t, a.Name())
		assert.Empty(t, Attacks(a, a), "a coat gets on with itself")
		for _, b := range Coats() {
			assert.False(t, Attacks(a, b) != "" && Attacks(b, a) != "", "%q and %q cannot both attack", a, b)
		}
	}
}
