package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
)

// anOrder lays an order and its model in a folder of their own.
func anOrder(t *testing.T, text string) string {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ring.stl"), mesh.WriteSTL(meshtest.Ring(20, 6, 96, 48)), 0o600))
	name := filepath.Join(dir, "order.json")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
	return name
}

func quoteJSON(t *testing.T, args ...string) (q quoted) {
	t.Helper()
	text, errs, code := sakuji(t, "", append([]string{"quote", "--json"}, args...)...)
	require.Equal(t, 0, code, errs)
	require.NoError(t, json.Unmarshal([]byte(text), &q))
	return q
}

func money(t *testing.T, text string) decimal.Decimal {
	t.Helper()
	d, err := decimal.NewFromString(text)
	require.NoError(t, err, text)
	return d
}

const twoItems = `{"currency":"EUR","tax_percent":19,"seed":7,"items":[
	{"id":"ring","file":"ring.stl","copies":3,"process":"resin","tier":"painted","wall_mm":1.5},
	{"id":"stand","file":"ring.stl","scale":1.5,"process":"filament","tier":"primed","route":"gaps","material":"PETG, white"}]}`

// Everything adds up: lines to items, items to the expected cost, net and tax to the price.
func TestQuoteAddsUp(t *testing.T) {
	q := quoteJSON(t, anOrder(t, twoItems))
	sum := decimal.Zero
	for _, it := range q.Items {
		lines := decimal.Zero
		for _, l := range it.Lines {
			lines = lines.Add(money(t, l.Amount))
			assert.NotEmpty(t, l.Working.Formula, l.What)
			assert.NotEmpty(t, l.Working.Inputs, l.What)
		}
		assert.True(t, lines.Equal(money(t, it.Cost)), "%s: %s, lines %s", it.ID, it.Cost, lines)
		sum = sum.Add(lines)
		assert.Positive(t, it.HandsMinutes)
		assert.Positive(t, it.MachineMinutes)
	}
	assert.True(t, sum.Equal(money(t, q.Cost.Expected)))
	assert.True(t, money(t, q.Net).Add(money(t, q.Tax)).Equal(money(t, q.Price)))
	assert.True(t, money(t, q.Cost.EightInTen).GreaterThan(money(t, q.Cost.Expected)))
	assert.InDelta(t, 20, q.Margin, 0.5)
	assert.InDelta(t, 25, q.MarkUp, 0.7)
	assert.True(t, q.LossChance >= 0 && q.LossChance < 0.2)
	assert.Equal(t, []string{"ring", "stand"}, []string{q.Items[0].ID, q.Items[1].ID})
	assert.Equal(t, q, quoteJSON(t, anOrder(t, twoItems)), "the same order, the same quote")
}

// What is counted, what is bought in and how it is made move the price as on an order's sheet.
func TestQuoteTakesWhatTheSheetTakes(t *testing.T) {
	ask := func(extra string) quoted {
		return quoteJSON(t, anOrder(t, `{"items":[{"id":"a","file":"ring.stl","copies":24,"process":"resin","tier":"painted"`+extra+`}]}`))
	}
	cost := func(extra string) decimal.Decimal {
		q := ask(extra)
		assert.Empty(t, q.Ignored, extra)
		return money(t, q.Cost.Expected)
	}
	plain := cost("")
	assert.True(t, cost(`,"features":{"eyes":2,"faces":1,"weather":true}`).GreaterThan(plain))
	assert.True(t, cost(`,"extras":[{"kind":"bought","what":"glass eyes","each":1.5,"count":2,"per_copy":true}]`).GreaterThan(plain))
	assert.True(t, cost(`,"standard":"fast"`).LessThan(plain))
	assert.True(t, cost(`,"care":{"toned_percent":60}`).LessThan(plain))
	assert.True(t, cost(`,"hidden":true`).LessThan(plain))
	cast := ask(`,"making":{"cast":true}`)
	assert.Contains(t, names(cast.Items[0].Lines), "moulds")
	assert.True(t, cost(`,"cut_into":3`).GreaterThan(plain), "a small ring gains nothing by cuts")
	kit := quoteJSON(t, anOrder(t, `{"items":[{"id":"kit","tier":"primed","making":{"seam_mm":90},
		"parts":[{"file":"ring.stl","process":"resin","copies":2,"inside":"primed"},{"file":"ring.stl","process":"filament","hidden":true,"size":3}]}]}`))
	assert.Equal(t, []string{"items[0].parts[1].size"}, kit.Ignored)
	assert.Contains(t, names(kit.Items[0].Lines), "join: glue")
	for order, want := range map[string]string{
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw","parts":[{"file":"ring.stl","process":"resin"}]}]}`: "a file or parts, not both",
		`{"items":[{"id":"a","tier":"raw","parts":[{"file":"ring.stl","process":"clay"}]}]}`:                                      "parts[0]: process",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"primed","inside":"gold"}]}`:                              "left as printed, primed or painted",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"primed","features":{"eyes":"two"}}]}`:                    "features.eyes",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"primed","extras":[{"kind":"bought"}]}]}`:                 "say what it is",
	} {
		_, errs, code := sakuji(t, "", "quote", anOrder(t, order))
		assert.Equal(t, 1, code, order)
		assert.Contains(t, errs, want)
	}
}

func names(lines []quotedLine) (out []string) {
	for _, l := range lines {
		out = append(out, l.What)
	}
	return out
}

// Scale and number move grams as geometry says: solid goes with the cube, copies one by one.
func TestQuoteFollowsGeometry(t *testing.T) {
	grams := func(extra string) float64 {
		return quoteJSON(t, anOrder(t, `{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw"`+extra+`}]}`)).Items[0].Grams
	}
	one := grams("")
	ring := meshtest.Ring(20, 6, 96, 48).Weld().Measure().VolumeMM3
	assert.InDelta(t, ring/1000*1.1, one, 0.35*one, "the solid ring at 1.10 g/cm³, and its supports")
	assert.GreaterOrEqual(t, one, ring/1000*1.1)
	assert.InEpsilon(t, 3*one, grams(`,"copies":3`), 1e-9)
	assert.InEpsilon(t, 8*one, grams(`,"scale":2`), 0.15, "supports and raft do not quite go with the cube")
	assert.Less(t, grams(`,"wall_mm":1`), one)
}

// The rate book that is exported is the one that is read.
func TestQuoteByOtherRates(t *testing.T) {
	order := anOrder(t, twoItems)
	rate := func(own map[rates.Key]float64) string {
		return file(t, "rates.json", rates.Starting().With(own).Export())
	}
	same := quoteJSON(t, "--rates", rate(nil), order)
	assert.Equal(t, quoteJSON(t, order), same)
	dear := quoteJSON(t, "--rates", rate(map[rates.Key]float64{"wage": 60}), order)
	assert.True(t, money(t, dear.Cost.Expected).GreaterThan(money(t, same.Cost.Expected)))
	plain := quoteJSON(t, "--rates", rate(map[rates.Key]float64{"margin": 50, "round.to": 0, "least": 0}), order)
	assert.True(t, money(t, plain.Net).Equal(money(t, plain.Cost.Expected).Mul(decimal.NewFromInt(2)).RoundBank(2)))
	yen := quoteJSON(t, anOrder(t, `{"currency":"JPY","items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw"}]}`))
	assert.NotContains(t, yen.Price, ".")
}

func TestQuoteRefuses(t *testing.T) {
	for text, says := range map[string]string{
		`{"items":[{"copies":1e9}]}`: "items.copies: number 1e9", `{"seed":-1}`: "seed: number -1",
		`{"items":[]}`: "no item", `{`: "unexpected end", `[]`: "cannot unmarshal",
		`{"currency":"euro","items":[{"file":"ring.stl"}]}`:                                                                     "ISO 4217",
		`{"tax_percent":-3,"items":[{"file":"ring.stl"}]}`:                                                                      "tax_percent",
		`{"items":[{"id":"a","file":"ring.stl","process":"wood","tier":"raw"}]}`:                                                "a: process",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"gold"}]}`:                                              "a: tier",
		`{"items":[{"id":"a","file":"nothing.stl","process":"resin","tier":"raw"}]}`:                                            "nothing.stl",
		`{"items":[{"id":"a","process":"resin","tier":"raw"}]}`:                                                                 "no file",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw","copies":0}]}`:                                    "copies",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw","scale":-1}]}`:                                    "scale",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw","wall_mm":-1}]}`:                                  "wall",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw","material":"gold leaf"}]}`:                        "Grey standard resin",
		`{"items":[{"id":"a","file":"ring.stl","process":"resin","tier":"raw","route":"magic"}]}`:                               "putty, skin",
		`{"items":[{"id":"a","file":"order.json","process":"resin","tier":"raw"}]}`:                                             "order.json",
		`{"items":[{"id":"a","file":"x","process":"resin","tier":"raw"},{"id":"b","file":"y","process":"resin","tier":"raw"}]}`: "b: ",
	} {
		out, errs, code := sakuji(t, "", "quote", "--json", anOrder(t, text))
		assert.Equal(t, 1, code, text)
		assert.Empty(t, out, text)
		assert.Contains(t, errs, says, text)
	}
	_, errs, code := sakuji(t, "", "quote", "--rates", file(t, "bad.json", []byte(`{"rates":[{"key":"wages"}]}`)), anOrder(t, twoItems))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "bad.json")
	_, _, code = sakuji(t, "", "quote")
	assert.Equal(t, 2, code)
	resinOnly := rates.Starting()
	resinOnly.Machines = resinOnly.Machines[:2]
	out, errs, code := sakuji(t, "", "quote", "--json", "--rates", file(t, "resin.json", resinOnly.Export()), anOrder(t, twoItems))
	assert.Equal(t, 1, code)
	assert.Empty(t, out)
	assert.Contains(t, errs, "stand cannot be priced: stand: no filament machine")
}

func TestQuoteInWords(t *testing.T) {
	text, errs, code := sakuji(t, "", "quote", anOrder(t, `{"colour":"red","items":[{"id":"a","file":"ring.stl","process":"filament","tier":"raw","finish":"x"}]}`))
	require.Equal(t, 0, code, errs)
	for _, says := range []string{"a: costs", "machine time", "8 times in 10 under", "left out: colour", "left out: items[0].finish"} {
		assert.Contains(t, text, says)
	}
}
