package papers

import (
	"image"
	"math"

	"golang.org/x/image/font"
	"golang.org/x/image/math/fixed"

	"sakuji/core/plate"
	"sakuji/core/solid"
)

// Bed draws what lies on a plate, seen from above, each piece with its label.
func (p *Paper) Bed(bed plate.Bed, laid []plate.Laid) error {
	d, err := newDrawing(solid.Point{}, solid.Point{X: bed.WidthMM, Y: bed.DepthMM})
	if err != nil {
		return err
	}
	box := func(x, y, w, h float64) [][]solid.Point {
		return [][]solid.Point{{{X: x, Y: y}, {X: x + w, Y: y}, {X: x + w, Y: y + h}, {X: x, Y: y + h}}}
	}
	d.shape(box(0, 0, bed.WidthMM, bed.DepthMM), image.White.C)
	for _, k := range bed.KeepOut {
		d.fill(box(k.XMM, k.YMM, k.WidthMM, k.DepthMM), axisColour)
	}
	for _, l := range laid {
		on := l.On()
		d.shape(on, faceColour)
		low, high := on.Size()
		d.label(l.Part.ID, solid.Point{X: (low.X + high.X) / 2, Y: (low.Y + high.Y) / 2})
	}
	picture, high, err := d.png()
	if err == nil {
		p.Picture(picture, high)
	}
	return err
}

// label writes a word about a point.
func (d *drawing) label(text string, at solid.Point) {
	x, y := d.at(at)
	w := font.MeasureString(d.face, text).Ceil()
	(&font.Drawer{Dst: d.img, Src: image.NewUniform(lineColour), Face: d.face, Dot: fixed.P(int(math.Round(float64(x)))-w/2, int(y)+12)}).DrawString(text)
}
