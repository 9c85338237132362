package studio

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

func crown() Model {
	return Model{Measures: mesh.Measures{SizeMM: [3]float64{204, 164, 90}}, Shape: ModelShape{Overhang: solid.Overhang{FootprintMM2: math.Pi * 25 * 25}}}
}

func TestSizeRules(t *testing.T) {
	m := crown()
	length, breadth := Inside(m, 2)
	assert.Equal(t, [2]float64{200, 160}, [2]float64{length, breadth})
	// Worked by hand. An oval of 200 × 160 is about 567.2 mm round: by the series π(a+b)
	// (1 + h/4 + h²/64), h = (a−b)²/(a+b)² = 1/81, that is 180π · 1.003089 = 567.2. A head of
	// 560 with 5 mm of padding wants 560 + 2π·5 = 591.4: 1.0427 times the file.
	assert.InDelta(t, 567.24, EllipseMM(200, 160), 0.01)
	tests := []struct {
		rule SizeRule
		k    float64
		text string
	}{
		{SizeRule{By: ByRatio, Ratio: 0.85}, 0.85, ""},
		{SizeRule{By: ByScale, OneTo: 12, Real: 1800}, 1800.0 / 12 / 90, "1:12 of 1.8 m"},
		{SizeRule{By: ByHeight, Height: 45}, 0.5, "45 mm tall"},
		{SizeRule{By: ByBase, Base: 32}, 0.64, "for a base of 32 mm"},
		{SizeRule{By: ByHead, Round: 560, Padding: 5, InsideL: 200, InsideB: 160}, 1.0427, "for a head of 56 cm"},
		{SizeRule{By: ByHead, Length: 196, Breadth: 150, Padding: 5, InsideL: 200, InsideB: 160}, 1.03, "for a head of 54.59 cm"},
		{SizeRule{By: ByHead, Round: 560, Length: 205, Breadth: 150, Padding: 5, InsideL: 200, InsideB: 160}, 1.075, "for a head of 56 cm"},
		{SizeRule{By: ByGirth, Round: 300, Padding: 4, InsideL: 110, InsideB: 90}, (300 + 8*math.Pi) / EllipseMM(110, 90), "for a girth of 30 cm"},
	}
	for _, test := range tests {
		k, w, err := test.rule.Scale(m)
		require.NoError(t, err, "%+v", test.rule)
		assert.InDelta(t, test.k, k, 1e-4, "%+v", test.rule)
		assert.InDelta(t, k, w.Result.Value, 1e-12)
		assert.NotEmpty(t, w.Inputs)
		assert.Equal(t, test.text, test.rule.Text())
	}
	for _, bad := range []SizeRule{{}, {By: ByRatio}, {By: ByScale, OneTo: 12}, {By: ByHeight}, {By: ByBase}, {By: ByHead, InsideL: 1, InsideB: 1}, {By: ByHead, Round: 500}, {By: ByGirth}} {
		_, _, err := bad.Scale(m)
		assert.Error(t, err, "%+v", bad)
	}
	_, _, err := SizeRule{By: ByHeight, Height: 5}.Scale(Model{})
	assert.Error(t, err, "a flat file has no height to measure by")
}

func TestSizeCautions(t *testing.T) {
	h := Shop{Book: rates.Starting()}
	analysis := &Analysis{Walls: mesh.Walls{ThinnestMM: 1.2, Share1MM: 1.4, Share10MM: 3, FacetsSeen: 10}}
	assert.Empty(t, h.SizeCautions(crown(), analysis, 1, "resin", true))
	assert.Len(t, h.SizeCautions(crown(), analysis, 3.1, "resin", false), 1)
	thin := h.SizeCautions(crown(), analysis, 0.4, "resin", false)
	require.Len(t, thin, 1)
	assert.Contains(t, thin[0], "0.48 mm")
	assert.Contains(t, thin[0], "Under a hundredth")
	assert.Len(t, h.SizeCautions(crown(), analysis, 0.5, "filament", false), 1, "filament wants 0.8 mm")
	joins := h.SizeCautions(crown(), analysis, 0.5, "resin", true)
	require.Len(t, joins, 1)
	assert.Contains(t, joins[0], "0.05–0.1 mm")
	analysis.Walls.ThinnestMM, analysis.Walls.Share1MM = 0.5, 0.7
	fine := h.SizeCautions(crown(), analysis, 0.4, "resin", false)
	require.Len(t, fine, 2)
	assert.Contains(t, fine[1], "detail of 0.28 mm and less; under 0.3 mm no brush paints it")
	assert.Len(t, h.SizeCautions(crown(), analysis, 0.5, "resin", false), 1, "0.35 mm a brush still paints")
	assert.Empty(t, h.SizeCautions(crown(), nil, 0.4, "resin", false), "what is not measured is not claimed")
}
