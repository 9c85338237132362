package kit

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"sakuji/core/finish"
	"sakuji/core/solid"
	"sakuji/studio"
)

// HoursBar draws an item's hours of machines and of hands.
func HoursBar(machineMin, handsMin, longest float64) template.HTML {
	if machineMin+handsMin <= 0 || longest <= 0 {
		return ""
	}
	k := 1000 * max(0.16, (machineMin+handsMin)/longest) / (machineMin + handsMin)
	return template.HTML(fmt.Sprintf(`<svg class="bar" viewBox="0 0 1000 12" preserveAspectRatio="none" height="12" role="img" aria-label="machine %s, hands %s"><rect x="0" y=".5" width="%.1f" height="11" fill="url(#k1)" stroke="var(--ink)" vector-effect="non-scaling-stroke"/><rect x="%.1f" y=".5" width="%.1f" height="11" fill="url(#k2)" stroke="var(--ink)" vector-effect="non-scaling-stroke"/></svg>`, //nolint:gosec // numbers only
		studio.Hours(machineMin), studio.Hours(handsMin), machineMin*k, machineMin*k, handsMin*k))
}

// Path2D writes an outline as SVG path data; place maps its points to the drawing.
func Path2D(o solid.Outline, place func(solid.Point) solid.Point) string {
	var b strings.Builder
	for _, ring := range o {
		for i, p := range ring {
			q := place(p)
			c := 'L'
			if i == 0 {
				c = 'M'
			}
			fmt.Fprintf(&b, "%c%.1f %.1f", c, q.X, q.Y)
		}
		b.WriteByte('Z')
	}
	return b.String()
}

// OutlineSVG draws a silhouette into a box of w × h pixels, standing on its base.
func OutlineSVG(o solid.Outline, w, h float64) template.HTML {
	if len(o) == 0 {
		return ""
	}
	low, high := o.Size()
	k := math.Min((w-2)/math.Max(high.X-low.X, 1e-9), (h-2)/math.Max(high.Y-low.Y, 1e-9))
	d := Path2D(o, func(p solid.Point) solid.Point {
		return solid.Point{X: 1 + (p.X-low.X)*k + (w-2-(high.X-low.X)*k)/2, Y: h - 1 - (p.Y-low.Y)*k}
	})
	return template.HTML(fmt.Sprintf(`<svg class="silhouette" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" aria-hidden="true"><path d="%s" fill="var(--paper2)" fill-rule="evenodd" stroke="currentColor" stroke-width="1.2"/></svg>`, w, h, w, h, d)) //nolint:gosec // numbers only
}

// hatches are the fills of drawings: five densities for height, one per kind of
// cost, as materials are hatched in section.
const hatches template.HTML = `<svg width="0" height="0" class="absolute" aria-hidden="true"><defs>
<pattern id="h0" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="9" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h1" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="7" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h2" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="5" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h3" width="3.5" height="3.5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="3.5" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h4" width="3" height="3" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="3" height="3" fill="var(--paper)"/><line x1="0" y1="0" x2="3" y2="0" stroke="var(--persimmon)" stroke-width="1"/></pattern>
<pattern id="k0" width="4" height="5" patternUnits="userSpaceOnUse"><line x1="0" y1="1" x2="4" y2="1" stroke="var(--ink2)" stroke-width="1"/></pattern>
<pattern id="k1" width="4" height="4" patternUnits="userSpaceOnUse"><line x1="1" y1="0" x2="1" y2="4" stroke="var(--indigo)" stroke-width="1"/></pattern>
<pattern id="k2" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><line x1="0" y1="0" x2="5" y2="0" stroke="var(--persimmon)" stroke-width="1.4"/></pattern>
<pattern id="k3" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="5" y2="0" stroke="var(--ochre)" stroke-width="1.4"/></pattern>
<pattern id="k4" width="6" height="6" patternUnits="userSpaceOnUse"><circle cx="2" cy="2" r="1.1" fill="var(--moss)"/><circle cx="5" cy="5" r="1.1" fill="var(--moss)"/></pattern>
<pattern id="k5" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><line x1="0" y1="0" x2="9" y2="0" stroke="var(--ink2)" stroke-width="1"/></pattern>
</defs></svg>`

// costBar draws an item's cost as a bar cut where the money goes.
func costBar(sums []int64, longest int64) template.HTML {
	var total int64
	for _, v := range sums {
		total += v
	}
	if total <= 0 || longest <= 0 {
		return ""
	}
	var b strings.Builder
	width := 1000 * math.Max(0.16, float64(total)/float64(longest))
	fmt.Fprint(&b, `<svg class="bar" viewBox="0 0 1000 28" preserveAspectRatio="none" height="28" role="img" aria-label="where the money goes">`)
	x := 0.0
	for i, v := range sums {
		w := width * float64(v) / float64(total)
		fmt.Fprintf(&b, `<rect x="%.1f" y=".5" width="%.1f" height="27" fill="url(#k%d)" stroke="var(--ink)" vector-effect="non-scaling-stroke"/>`, x, w, i)
		x += w
	}
	b.WriteString("</svg>")
	return template.HTML(b.String()) //nolint:gosec // numbers only
}

// kindKey is the little field that explains a hatch.
func kindKey(i int) template.HTML {
	return template.HTML(fmt.Sprintf(`<svg width="17" height="12" aria-hidden="true"><rect x=".5" y=".5" width="16" height="11" fill="url(#k%d)" stroke="var(--ink)"/></svg>`, i)) //nolint:gosec // numbers only
}

// patch draws a colour as it is laid on a ground to be looked at: a patch by hand on a small square. Without a colour
// it is only outlined.
func patch(colour, over string, px int) template.HTML {
	known := func(text, otherwise string) string {
		if c, err := finish.ParseColour(text); err == nil {
			return c.Text()
		}
		return otherwise
	}
	return template.HTML(fmt.Sprintf(`<svg class="patch" width="%[1]d" height="%[1]d" viewBox="0 0 40 40" aria-hidden="true"><rect x=".5" y=".5" width="39" height="39" fill="%[2]s" stroke="var(--ink)"/><path d="M6 9 L31 6 Q35 7 34 12 L35 30 Q34 34 29 34 L9 35 Q5 33 6 28 Z" fill="%[3]s" stroke="var(--ink)" stroke-width=".6"/></svg>`, //nolint:gosec // a number, and colours that were read as such
		px, known(over, "var(--paper2)"), known(colour, "none")))
}

// ring marks a place on a picture, from its left and its top, 0 to 1.
func ring(x, y float64) template.HTML {
	return template.HTML(fmt.Sprintf(`<svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true"><ellipse cx="%.2f" cy="%.2f" rx="6" ry="8"/></svg>`, 100*x, 100*y)) //nolint:gosec // numbers
}

// flawName is what a kind of flaw is called.
func flawName(key string) string {
	f, _ := finish.FlawOf(key)
	return f.Name
}

// strokes draws lines over a picture, as somebody drew them with a finger.
func strokes(list [][]studio.Spot) template.HTML {
	var b strings.Builder
	b.WriteString(`<svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true">`)
	for _, stroke := range list {
		b.WriteString(`<polyline points="`)
		for _, p := range stroke {
			fmt.Fprintf(&b, "%.2f,%.2f ", 100*p[0], 100*p[1])
		}
		b.WriteString(`"/>`)
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String()) //nolint:gosec // numbers
}
