package papers

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"sync"

	"github.com/johnfercher/maroto/v2/pkg/props"
)

// The frame of an A4 sheet: a filing margin of 20 mm at the left, 10 mm elsewhere (ISO 5457),
// and where the holes are punched: 6 mm wide, 80 mm apart, 12 mm from the edge (ISO 838).
const (
	pageWideMM, pageHighMM  = 210, 297
	filingMM, marginMM      = 20, 10
	holeMM, apartMM, edgeMM = 6, 80, 12
	blockMM                 = 13 // the title block's height
)

// Where the text stands within it.
const (
	leftMM, rightMM, topMM, bottomMM = 26, 16, 17, 10
	gridCols                         = 12
	colMM                            = (pageWideMM - leftMM - rightMM) / gridCols
)

// blockCols are the columns at which the fields of the title block begin.
var blockCols = [4]int{1, 5, 8, 11}

var (
	ink   = props.Color{Red: 0x20, Green: 0x24, Blue: 0x2e}
	faint = props.Color{Red: 0x5b, Green: 0x5a, Blue: 0x55}
)

// frame is the drawing under every page.
var frame = sync.OnceValue(func() []byte {
	const dotsPerMM = 8
	at := func(mm float64) int { return int(math.Round(mm * dotsPerMM)) }
	img := image.NewGray(image.Rect(0, 0, at(pageWideMM), at(pageHighMM)))
	for i := range img.Pix {
		img.Pix[i] = 0xff
	}
	dot := func(x, y int) { img.SetGray(x, y, color.Gray{Y: 0x24}) }
	bar := func(x0, y0, x1, y1, thick float64) {
		for y := at(y0 - thick/2); y < at(y1+thick/2); y++ {
			for x := at(x0 - thick/2); x < at(x1+thick/2); x++ {
				dot(x, y)
			}
		}
	}
	box := func(x0, y0, x1, y1, thick float64) {
		bar(x0, y0, x1, y0, thick)
		bar(x0, y1, x1, y1, thick)
		bar(x0, y0, x0, y1, thick)
		bar(x1, y0, x1, y1, thick)
	}
	const right, foot = pageWideMM - marginMM, pageHighMM - marginMM
	box(filingMM, marginMM, right, foot, 0.5)
	block := float64(leftMM + blockCols[0]*colMM)
	box(block, foot-blockMM, right, foot, 0.5)
	for _, col := range blockCols[1:] {
		x := float64(leftMM + col*colMM)
		bar(x, foot-blockMM, x, foot, 0.2)
	}
	for _, middle := range []float64{pageHighMM/2 - apartMM/2, pageHighMM/2 + apartMM/2} {
		for a := 0.0; a < 2*math.Pi; a += 0.002 {
			for r := holeMM/2 - 0.1; r < holeMM/2+0.1; r += 0.05 {
				dot(at(edgeMM+r*math.Cos(a)), at(middle+r*math.Sin(a)))
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // an image in memory is always written
	}
	return b.Bytes()
})
