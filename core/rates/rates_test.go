package rates

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestStartingBook(t *testing.T) {
	b := Starting()
	for _, e := range b.Rates {
		assert.Contains(t, []string{Practice, Memory}, e.Source, e.Key)
		require.NoError(t, b.Check(e.Key, e.Value))
	}
	count := map[string]int{}
	for _, m := range b.Machines {
		count[m.Process]++
		for key, f := range m.Figures {
			assert.Contains(t, []string{Practice, Memory}, f.Source, m.Name+" "+key)
			assert.NotEmpty(t, f.Unit, m.Name+" "+key)
		}
	}
	assert.Equal(t, map[string]int{"resin": 2, "filament": 2}, count)
}

func TestOwnValues(t *testing.T) {
	b := Starting().With(map[string]float64{"wage": 31, "nonsense": 4})
	assert.Equal(t, Figure{"wage with its costs", 31, "¤/h", Ours}, b.Get("wage"))
	assert.NotEqual(t, 31.0, Starting().V("wage"), "the starting book stays as it was")
	assert.ErrorContains(t, b.Check("margin", 95), "between 0 and 90")
	assert.ErrorContains(t, b.Check("wage", -1), "0 ¤/h or more")
	assert.ErrorContains(t, b.Check("nonsense", 1), "nonsense")
	assert.ErrorContains(t, b.Check("wage", 1e308), "hard to believe")
	assert.ErrorContains(t, b.Check("wage", 1e-300), "hard to believe")
	assert.Error(t, b.Check("wage", math.NaN()))
	assert.Error(t, b.Check("wage", math.Inf(1)))
	assert.NoError(t, b.Check("wage", 0))
}

func TestParseRefuses(t *testing.T) {
	for text, says := range map[string]string{
		`{"rates":[{"key":"a","label":"a","value":1,"source":"x"}]}`:                                                                      "lacks",
		`{"rates":[{"key":"a","label":"a","value":1,"unit":"m","source":"x"},{"key":"a","label":"a","value":1,"unit":"m","source":"x"}]}`: "stands twice",
		`{"machines":[{"name":"M","figures":{"width":{"value":3}}}]}`:                                                                     "M",
		`{`: "unexpected end",
	} {
		_, err := Parse([]byte(text))
		assert.ErrorContains(t, err, says)
	}
}

func TestNumber(t *testing.T) {
	for v, want := range map[float64]string{0: "0", 1234567: "1234567", 12.3456: "12.35", 0.0123456: "0.01235", 5: "5", -2.5: "-2.5", 99.999: "100"} {
		assert.Equal(t, want, Number(v))
	}
}
