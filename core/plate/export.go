package plate

import (
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"strings"

	"sakuji/core/mesh"
	"sakuji/core/solid"
)

// StandsAt is how a mesh is turned and moved so that it lies as its outline was placed, its lowest
// point on the bed. low is the least corner of the mesh's box, which is the outline's origin.
func StandsAt(outline solid.Outline, low mesh.Vec, at Placed) mesh.Place {
	sin, cos := math.Sincos(at.AngleDeg * math.Pi / 180)
	least, _ := outline.Each(func(p solid.Point) solid.Point { return solid.Point{X: p.X*cos - p.Y*sin, Y: p.X*sin + p.Y*cos} }).Size()
	return mesh.Place{AngleDeg: at.AngleDeg, Shift: mesh.Vec{
		X: at.XMM - least.X - (low.X*cos - low.Y*sin),
		Y: at.YMM - least.Y - (low.X*sin + low.Y*cos),
		Z: -low.Z,
	}}
}

// WriteSVG writes what lies on a bed as a drawing at full size, seen from above: each outline with
// its name and height.
func WriteSVG(w io.Writer, bed Bed, title string, laid []Laid) error {
	var out strings.Builder
	text := func(s string) string {
		var b strings.Builder
		_ = xml.EscapeText(&b, []byte(s)) // a Builder does not fail
		return b.String()
	}
	fmt.Fprintf(&out, `<svg xmlns="http://www.w3.org/2000/svg" width="%[1]gmm" height="%[2]gmm" viewBox="0 0 %[1]g %[2]g"><title>%[3]s</title>`+"\n", bed.WidthMM, bed.DepthMM, text(title))
	rect := func(x, y, w, h float64, dash string) {
		fmt.Fprintf(&out, `<rect x="%.4g" y="%.4g" width="%.6g" height="%.6g" fill="none" stroke="#222" stroke-width="0.3"%s/>`+"\n", x, bed.DepthMM-y-h, w, h, dash)
	}
	rect(0, 0, bed.WidthMM, bed.DepthMM, "")
	m := bed.MarginMM
	rect(m, m, bed.WidthMM-2*m, bed.DepthMM-2*m, ` stroke-dasharray="2 2"`)
	for _, k := range bed.KeepOut {
		rect(k.XMM, k.YMM, k.WidthMM, k.DepthMM, ` stroke-dasharray="0.6 0.6"`)
	}
	for _, l := range laid {
		out.WriteString(`<path fill="#eee" fill-rule="evenodd" stroke="#222" stroke-width="0.3" d="`)
		on := l.On()
		for _, ring := range on {
			for i, p := range ring {
				fmt.Fprintf(&out, "%s%.3f %.3f", map[bool]string{true: "M", false: "L"}[i == 0], p.X, bed.DepthMM-p.Y)
			}
			out.WriteString("Z")
		}
		low, high := on.Size()
		fmt.Fprintf(&out, `"/><text x="%.2f" y="%.2f" text-anchor="middle" font-family="monospace" font-size="4">%s, %.0f</text>`+"\n", (low.X+high.X)/2, bed.DepthMM-(low.Y+high.Y)/2, text(l.Part.ID), l.HeightMM)
	}
	out.WriteString("</svg>\n")
	_, err := io.WriteString(w, out.String())
	return err
}
