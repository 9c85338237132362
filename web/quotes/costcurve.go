package quotes

import (
	"fmt"
	"html/template"
	"strings"

	"sakuji/core/quote"
)

// costCurve draws how likely each cost is, with the expected one, the one it stays under
// eight times in ten, and the net price.
func costCurve(r quote.Range, net int64, money func(int64) string) template.HTML {
	if len(r.Quantiles) < 101 {
		return ""
	}
	const wide, high, bins = 340.0, 96.0, 44
	low, top := float64(r.Quantiles[0]), float64(r.Quantiles[99])
	low, top = min(low, float64(net)), max(top, float64(net))
	pad := max(1, (top-low)*0.06)
	low, top = low-pad, top+pad
	below := func(x float64) float64 { // share of draws under x
		q := r.Quantiles
		switch {
		case x <= float64(q[0]):
			return 0
		case x >= float64(q[100]):
			return 1
		}
		for i := range 100 {
			if a, b := float64(q[i]), float64(q[i+1]); x < b {
				return (float64(i) + (x-a)/max(1e-9, b-a)) / 100
			}
		}
		return 1
	}
	step := (top - low) / bins
	var d [bins + 1]float64
	peak := 0.0
	for i := range d { // a window of three steps keeps single quantiles from showing
		x := low + float64(i)*step
		d[i] = below(x+1.5*step) - below(x-1.5*step)
		peak = max(peak, d[i])
	}
	px := func(x float64) float64 { return (x - low) / (top - low) * wide }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="costcurve" viewBox="0 0 %.0f 146" role="img" aria-label="what it may cost us: expected %s, 8 times in 10 under %s, net price %s">`, wide, money(r.ExpectedMinor), money(r.EightInTenMinor), money(net))
	fmt.Fprintf(&b, `<path d="M0 %.1f`, high+14)
	for i, v := range d {
		fmt.Fprintf(&b, ` L%.1f %.1f`, float64(i)/bins*wide, high+14-v/max(peak, 1e-9)*(high-12))
	}
	fmt.Fprintf(&b, ` L%.1f %.1f Z" fill="url(#h0)" stroke="currentColor" stroke-width="1.2"/>`, wide, high+14)
	// Labels that would meet keep their distance; the net price stands above.
	e, t, n := px(float64(r.ExpectedMinor)), px(float64(r.EightInTenMinor)), px(float64(net))
	fmt.Fprintf(&b, `<line x1="%.1f" x2="%.1f" y1="22" y2="%.1f" stroke="currentColor"/><line x1="%.1f" x2="%.1f" y1="40" y2="%.1f" stroke="currentColor" stroke-dasharray="3 3"/>`, e, e, high+14, t, t, high+14)
	fmt.Fprintf(&b, `<line x1="%.1f" x2="%.1f" y1="16" y2="%.1f" stroke="var(--persimmon)" stroke-width="2.5"/>`, n, n, high+18)
	text := func(x, y float64, anchor, fill, s string) {
		fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" text-anchor="%s" fill="%s" class="fig" font-size="11.5">%s</text>`, x, y, anchor, fill, template.HTMLEscapeString(s))
	}
	el, tl := "expected "+money(r.ExpectedMinor), money(r.EightInTenMinor)+", 8 in 10"
	const letter = 7.0
	ex := min(max(e, letter*float64(len([]rune(el)))/2), wide-letter*float64(len([]rune(el)))/2)
	text(ex, high+30, "middle", "currentColor", el)
	tx := min(max(t, letter*float64(len([]rune(tl)))/2), wide-letter*float64(len([]rune(tl)))/2)
	text(tx, high+42, "middle", "var(--ink2)", tl)
	nl := "net " + money(net)
	nx := min(max(n, letter*float64(len([]rune(nl)))/2), wide-letter*float64(len([]rune(nl)))/2)
	text(nx, 11, "middle", "var(--persimmon)", nl)
	b.WriteString("</svg>")
	return template.HTML(b.String()) //nolint:gosec // numbers, and money escaped above
}
