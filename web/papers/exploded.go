package papers

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"

	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"

	"sakuji/core/solid"
	"sakuji/studio"
)

// drawing is a picture of lines and areas being drawn for a paper.
type drawing struct {
	img   *image.RGBA
	k     float64 // pixels per millimetre of the thing
	low   solid.Point
	face  font.Face
	space float64 // around it, in pixels
}

// Sizes of the drawing on paper: pixels along its longer side, and what is left around it.
const drawingPixels, drawingRoom = 1500, 70

// Exploded draws the parts of an item pulled apart, numbered in the order of joining, and lists
// them; codes are the labels of each part's pieces.
func (p *Paper) Exploded(parts []studio.ExplodedPart, codes func(studio.Part) string) error {
	picture, high, err := exploded(parts)
	if err != nil {
		return err
	}
	p.Picture(picture, high)
	for _, part := range parts {
		left := fmt.Sprintf("%d   %s", part.Number, part.Part.Name)
		if part.Count > 1 {
			left += fmt.Sprintf(", %d ×", part.Count)
		}
		p.Two(left, codes(part.Part), 11, fontstyle.Bold)
		if part.Join != "" {
			p.Row(studio.UpperFirst(part.Join), 9, fontstyle.Normal)
		}
	}
	return nil
}

// exploded draws the picture; high is how high it is of its breadth.
func exploded(parts []studio.ExplodedPart) (picture []byte, high float64, err error) {
	d, err := newDrawing(studio.ExplodedExtent(parts))
	if err != nil {
		return nil, 0, err
	}
	for _, p := range parts {
		if size := p.Size(); p.At != p.From {
			d.axis(solid.Point{X: p.At.X + size.X/2, Y: p.At.Y + size.Y/2}, solid.Point{X: p.From.X + size.X/2, Y: p.From.Y + size.Y/2})
		}
	}
	for _, p := range parts {
		d.part(p)
	}
	return d.png()
}

// newDrawing is an empty one of all between two corners.
func newDrawing(low, top solid.Point) (*drawing, error) {
	d := &drawing{space: drawingRoom, low: low, k: drawingPixels / max(top.X-low.X, top.Y-low.Y, 1e-9)}
	d.img = image.NewRGBA(image.Rect(0, 0, int((top.X-low.X)*d.k)+2*drawingRoom, int((top.Y-low.Y)*d.k)+2*drawingRoom))
	draw.Draw(d.img, d.img.Bounds(), image.White, image.Point{}, draw.Src)
	bold, err := opentype.Parse(gobold.TTF)
	if err != nil {
		return nil, err
	}
	d.face, err = opentype.NewFace(bold, &opentype.FaceOptions{Size: 36, DPI: 72})
	return d, err
}

// png is the picture; high is how high it is of its breadth.
func (d *drawing) png() (picture []byte, high float64, err error) {
	var out bytes.Buffer
	err = png.Encode(&out, d.img)
	return out.Bytes(), float64(d.img.Bounds().Dy()) / float64(d.img.Bounds().Dx()), err
}

// at is where a point of the thing lies in the picture.
func (d *drawing) at(p solid.Point) (x, y float32) {
	return float32(d.space + (p.X-d.low.X)*d.k), float32(float64(d.img.Bounds().Dy()) - d.space - (p.Y-d.low.Y)*d.k)
}

// fill fills rings with a colour.
func (d *drawing) fill(rings [][]solid.Point, c color.Color) {
	r := vector.NewRasterizer(d.img.Bounds().Dx(), d.img.Bounds().Dy())
	for _, ring := range rings {
		for i, p := range ring {
			if x, y := d.at(p); i == 0 {
				r.MoveTo(x, y)
			} else {
				r.LineTo(x, y)
			}
		}
		r.ClosePath()
	}
	r.Draw(d.img, d.img.Bounds(), image.NewUniform(c), image.Point{})
}

// stroke is the area of a line so many pixels wide; none of one without length.
func (d *drawing) stroke(a, b solid.Point, pixels float64) []solid.Point {
	long := math.Hypot(b.X-a.X, b.Y-a.Y)
	if long == 0 {
		return nil
	}
	side := solid.Point{X: -(b.Y - a.Y) / long * pixels / 2 / d.k, Y: (b.X - a.X) / long * pixels / 2 / d.k}
	return []solid.Point{{X: a.X + side.X, Y: a.Y + side.Y}, {X: b.X + side.X, Y: b.Y + side.Y}, {X: b.X - side.X, Y: b.Y - side.Y}, {X: a.X - side.X, Y: a.Y - side.Y}}
}

// axis draws a dot-dash line.
func (d *drawing) axis(a, b solid.Point) {
	long := math.Hypot(b.X-a.X, b.Y-a.Y)
	on := func(mm float64) solid.Point {
		t := min(1, mm/long)
		return solid.Point{X: a.X + (b.X-a.X)*t, Y: a.Y + (b.Y-a.Y)*t}
	}
	var dashes [][]solid.Point
	for mm := 0.0; mm < long; mm += 42 / d.k {
		dashes = append(dashes, d.stroke(on(mm), on(mm+24/d.k), 3), d.stroke(on(mm+31/d.k), on(mm+35/d.k), 3))
	}
	d.fill(dashes, axisColour)
}

var axisColour, faceColour, lineColour = color.Gray{0x80}, color.Gray{0xee}, color.Gray{0x20}

// shape draws rings filled, with their rims.
func (d *drawing) shape(rings [][]solid.Point, c color.Color) {
	d.fill(rings, c)
	var rim [][]solid.Point
	for _, ring := range rings {
		for i := range ring {
			rim = append(rim, d.stroke(ring[i], ring[(i+1)%len(ring)], 4))
		}
	}
	d.fill(rim, lineColour)
}

// part draws a part with its number.
func (d *drawing) part(p studio.ExplodedPart) {
	low, _ := p.Outline.Size()
	var rings [][]solid.Point
	for _, ring := range p.Outline {
		moved := make([]solid.Point, len(ring))
		for i, q := range ring {
			moved[i] = solid.Point{X: p.At.X + q.X - low.X, Y: p.At.Y + q.Y - low.Y}
		}
		rings = append(rings, moved)
	}
	d.shape(rings, faceColour)
	text := fmt.Sprint(p.Number)
	if p.Count > 1 {
		text = fmt.Sprintf("%d (%d×)", p.Number, p.Count)
	}
	size := p.Size()
	x, y := d.at(solid.Point{X: p.At.X + size.X, Y: p.At.Y + size.Y})
	w := font.MeasureString(d.face, text).Ceil()
	left := min(float64(x)+8, float64(d.img.Bounds().Dx()-w-4))
	(&font.Drawer{Dst: d.img, Src: image.NewUniform(lineColour), Face: d.face, Dot: fixed.P(int(left), max(40, int(y)-8))}).DrawString(text)
}
