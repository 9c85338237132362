package quotes

import (
	"sakuji/web/kit/kittest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/quotes"
	"sakuji/core/quote"
	"sakuji/store"
	"sakuji/studio"
)

// The curve holds the expected cost, the one it stays under 8 times in 10 and the net price,
// left to right as they are large, and all of it within its box, wherever the price lies.
func TestCostCurve(t *testing.T) {
	r := quote.Range{ExpectedMinor: 500_00, EightInTenMinor: 580_00}
	for q := range 101 {
		r.Quantiles = append(r.Quantiles, int64(300_00+450*q))
	}
	whole := func(minor int64) string { return studio.Money{Minor: minor, Currency: "EUR"}.Whole() }
	for _, net := range []int64{1, 300_00, 640_00, 5000_00} {
		elements, text := kittest.Drawn(t, costCurve(r, net, whole))
		var lines []float64
		for _, e := range elements {
			switch e.Name.Local {
			case "line":
				lines = append(lines, kittest.Attribute(e, "x1"))
			case "text":
				assert.True(t, kittest.Attribute(e, "x") > 0 && kittest.Attribute(e, "x") < 340, "a label outside at %d", net)
				assert.Less(t, kittest.Attribute(e, "y"), 146.0)
			}
		}
		require.Len(t, lines, 3)
		assert.Less(t, lines[0], lines[1])
		assert.Equal(t, net > 580_00, lines[2] > lines[1])
		for _, x := range lines {
			assert.True(t, x >= 0 && x <= 340, "%v at %d", lines, net)
		}
		for _, says := range []string{"expected € 500", "€ 580, 8 in 10", "net " + whole(net)} {
			assert.Contains(t, text, says)
		}
	}
	assert.Empty(t, costCurve(quote.Range{}, 5, whole), "nothing was lived through")
	for i := range r.Quantiles { // all draws alike
		r.Quantiles[i] = 500_00
	}
	assert.NotContains(t, string(costCurve(r, 500_00, whole)), "NaN")
}

// Rows that are written by hand escape what people typed, as templates do.
func TestQuoteRowsAreEscaped(t *testing.T) {
	rows := string(rowsHTML([]store.QuoteRow{{Order: `04"12`, Title: "<script>x</script>", Client: `O'Hara & "Sons"`, Revision: 3, State: "sent", TotalMinor: 1234_50, Currency: "EUR", Sent: time.UnixMilli(0)}}, time.UTC))
	assert.NotContains(t, rows, "<script>")
	assert.Contains(t, rows, "&lt;script&gt;")
	assert.Contains(t, rows, "O&#39;Hara &amp; &#34;Sons&#34;")
	assert.Contains(t, rows, `href="/orders/04%2212/quote"`)
	assert.Contains(t, rows, "€ 1,234.50")
	assert.Equal(t, 1, strings.Count(rows, "<li"))
}

// A variant that nobody named is called after what it changes.
func TestVariantName(t *testing.T) {
	for want, v := range map[string]studio.Variant{
		"": {}, "Raw kit": {Tier: "raw"}, "Filament, gaps only": {Process: "filament", FinishRoute: "gaps"},
		"50 % of the size": {Factor: 0.5}, "Painted, printed in 3": {Tier: "painted", CutInto: 3},
	} {
		assert.Equal(t, want, variantName(v))
	}
}

// What the quote sheet says of dates, drivers and old pieces.
func TestWordsOfTheQuoteSheet(t *testing.T) {
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	var v pricingView
	v.Shop.Studio = studio.Studio{Currency: "EUR", TimeZone: "UTC"}
	v.Now, v.Soonest, v.Earliest = now, now.Add(20*time.Hour), now.Add(76*time.Hour)
	assert.Equal(t, 4, v.DaysToEarliest())
	assert.Equal(t, 4, v.WantedDays(), "no date: the earliest")
	assert.Empty(t, v.WantedRush())
	v.Order.Wanted = now.Add(2 * time.Hour)
	assert.Contains(t, v.WantedRush(), "sooner than it can be ready")
	assert.Equal(t, 1, v.WantedDays())
	v.Order.Wanted = now.Add(300 * time.Hour)
	assert.Empty(t, v.WantedRush())
	assert.Equal(t, 26, v.MostDays(), "a fortnight beyond the date")
	one, two := studio.PricedItem{}, studio.PricedItem{}
	one.Title, two.Title = "Heron", "Satchel"
	v.Items = []studio.PricedItem{one}
	assert.Equal(t, "sand", v.DriverText(quote.Driver{What: "sand"}))
	v.Items = append(v.Items, two)
	assert.Equal(t, "sand, Satchel", v.DriverText(quote.Driver{Item: 1, What: "sand"}))
	assert.Empty(t, v.FloorText(one))
	one.Extras = []quote.Extra{{Kind: quote.Restore, What: "mend"}}
	one.Estimate.CostMinor, one.Estimate.HandsMinutes, one.NetMinor = 100_00, 120, 130_00
	one.Estimate.Lines = []quote.Line{{Kind: quote.Hands, Minor: 60_00}}
	assert.Contains(t, v.FloorText(one), "under € 100.00; at this price an hour of hands earns € 45.00", "130 − 100 + 60 over two hours")
	assert.Equal(t, []string{"nothing differs"}, v.Differ(quotes.PricedVariant{}))
}
