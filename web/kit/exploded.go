package kit

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"sakuji/core/solid"
	"sakuji/studio"
)

// explodedRoom is what is left around the exploded drawing for its numbers, in pixels.
const explodedRoom = 30.0

// ExplodedSVG draws the parts of an item pulled apart, at one scale, w × h pixels at most: each with
// its number and count, and a dot-dash line to where it belongs.
func ExplodedSVG(parts []studio.ExplodedPart, w, h float64) template.HTML {
	if len(parts) == 0 {
		return ""
	}
	low, high := studio.ExplodedExtent(parts)
	k := math.Min((w-2*explodedRoom)/math.Max(high.X-low.X, 1e-9), (h-2*explodedRoom)/math.Max(high.Y-low.Y, 1e-9))
	height := (high.Y-low.Y)*k + 2*explodedRoom
	width := (high.X-low.X)*k + 2*explodedRoom
	place := func(p solid.Point) solid.Point {
		return solid.Point{X: explodedRoom + (p.X-low.X)*k, Y: height - explodedRoom - (p.Y-low.Y)*k}
	}
	var lines, shapes, numbers strings.Builder
	for _, p := range parts {
		size, corner := p.Size(), lowest(p.Outline)
		if p.At != p.From {
			a, b := place(centre(p.At, size)), place(centre(p.From, size))
			fmt.Fprintf(&lines, `<line x1="%.1f" y1="%.1f" x2="%.1f" y2="%.1f" stroke="var(--ink2)" stroke-dasharray="9 3 2 3"/>`, a.X, a.Y, b.X, b.Y)
		}
		d := Path2D(p.Outline, func(q solid.Point) solid.Point {
			return place(solid.Point{X: p.At.X + q.X - corner.X, Y: p.At.Y + q.Y - corner.Y})
		})
		fmt.Fprintf(&shapes, `<path d="%s" fill="var(--paper2)" fill-rule="evenodd" stroke="var(--ink)" stroke-width="1.2"><title>%s</title></path>`, d, template.HTMLEscapeString(p.Part.Name))
		top := place(solid.Point{X: p.At.X + size.X, Y: p.At.Y + size.Y})
		fmt.Fprintf(&numbers, `<circle cx="%.1f" cy="%.1f" r="10.5" fill="var(--paper)" stroke="var(--ink)"/><text x="%.1f" y="%.1f" font-size="12" font-weight="700" text-anchor="middle">%d</text>`, top.X+9, top.Y-9, top.X+9, top.Y-4.8, p.Number)
		if p.Count > 1 {
			fmt.Fprintf(&numbers, `<text x="%.1f" y="%.1f" font-size="11" text-anchor="middle">%d×</text>`, top.X+9, top.Y+14, p.Count)
		}
	}
	return template.HTML(fmt.Sprintf(`<svg class="exploded" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" role="img" aria-label="exploded drawing: %d parts, numbered in the order of joining">%s%s%s</svg>`, //nolint:gosec // numbers, and names that are escaped
		width, height, width, height, len(parts), &lines, &shapes, &numbers))
}

func lowest(o solid.Outline) solid.Point {
	low, _ := o.Size()
	return low
}

func centre(at, size solid.Point) solid.Point {
	return solid.Point{X: at.X + size.X/2, Y: at.Y + size.Y/2}
}
