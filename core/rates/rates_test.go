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
			assert.Contains(t, []string{Practice, Memory}, f.Source, m.Name+" "+string(key))
			assert.NotEmpty(t, f.Unit, m.Name+" "+string(key))
		}
	}
	assert.Equal(t, map[string]int{"resin": 2, "filament": 2}, count)
}

func TestOwnValues(t *testing.T) {
	b := Starting().With(map[Key]float64{"wage": 31, "nonsense": 4})
	assert.Equal(t, Figure{"wage with its costs, at the bench", 31, "¤/h", Ours}, b.Get("wage"))
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

// What is exported reads back the same, whole as JSON and by key as CSV; what a book leaves
// out is as in the starting one, and what is wrong is named by its line.
func TestExportReadsBack(t *testing.T) {
	b := Starting().With(map[Key]float64{"wage": 31.25, "sand.resin": 8})
	back, err := Read(b.Export())
	require.NoError(t, err)
	assert.Equal(t, b.Rates, back.Rates)
	assert.Equal(t, b.Machines, back.Machines)
	for _, data := range [][]byte{b.Export(), b.ExportCSV(), append([]byte("\ufeff"), b.ExportCSV()...)} {
		values, err := ReadValues(data)
		require.NoError(t, err)
		assert.Len(t, values, len(b.Rates))
		assert.Equal(t, 31.25, values["wage"])
	}
	part, err := Read([]byte(`{"rates":[{"key":"wage","label":"wage","value":40,"unit":"¤/h","source":"ours"}]}`))
	require.NoError(t, err)
	assert.Equal(t, 40.0, part.V("wage"))
	assert.Equal(t, Starting().V("margin"), part.V("margin"))
	assert.Len(t, part.Machines, 4)
	for text, says := range map[string]string{
		"key,value\nwage,12\nwage,much\n":       "line 3",
		"key,value\nnonsense,12\n":              "nonsense",
		"key,value\nmargin,95\n":                "line 2",
		"label,value\nwage,12\n":                "key and value",
		"":                                      "neither",
		"key,value\nwage\n":                     "wrong number of fields",
		`{"rates":[{"key":"wage","value":-1}]}`: "rate 1",
		`{"rates":3}`:                           "not that of a rate book",
	} {
		_, err := ReadValues([]byte(text))
		assert.ErrorContains(t, err, says, text)
	}
	_, err = Read([]byte(`{"rates":[{"key":"wages","label":"x","value":40,"unit":"h","source":"ours"}]}`))
	assert.ErrorContains(t, err, "wages")
	_, err = Read([]byte(`{"machines":[{"name":"M","process":"resin","figures":{"width":{"label":"w","value":1e300,"unit":"mm","source":"ours"}}}]}`))
	assert.ErrorContains(t, err, "hard to believe")
}

func TestNumber(t *testing.T) {
	for v, want := range map[float64]string{0: "0", 1234567: "1234567", 12.3456: "12.35", 0.0123456: "0.01235", 5: "5", -2.5: "-2.5", 99.999: "100"} {
		assert.Equal(t, want, Number(v))
	}
}

// A figure that machines of another sort have is worth nothing here; one that none has is a slip of the program, not 0.
func TestAFigureThatNoneHas(t *testing.T) {
	resin := Set{"exposure": Of("exposure", 2, "s", Practice)}
	assert.Zero(t, resin.V("nozzle"))
	assert.PanicsWithValue(t, "no figure exposuer", func() { resin.V("exposuer") })
	assert.PanicsWithValue(t, "no rate wage.pant", func() { Starting().V("wage.pant") })
}
