package papers

import (
	"bytes"
	"fmt"
	"math"

	"github.com/phpdave11/gofpdf"

	"sakuji/core/surface"
	"sakuji/studio"
)

// The page that patterns are drawn on, and what of it they take; neighbours overlap, so that they can be glued together.
const (
	maskLeftMM, maskTopMM = 12.0, 24.0
	maskWideMM            = 210 - 2*maskLeftMM
	maskHighMM            = 297 - maskTopMM - 14
	maskOverlapMM         = 8.0
	maskGapMM             = 6.0
	barMM                 = 50.0
)

// Masks draws patterns to cut from tape at their true size: lines in millimetres, and a bar to hold a ruler against. Each
// comes with its mirror image where the other side is not among them.
func Masks(what string, patterns []surface.Pattern, mirrored bool) ([]byte, error) {
	pdf := trueSize(pageWideMM, pageHighMM, what)
	m := &masks{pdf: pdf, what: printable(what), high: math.Inf(1)}
	for k, p := range patterns {
		name := fmt.Sprintf("%d", k+1)
		m.pattern(p, name)
		if mirrored {
			m.pattern(p.Mirror(), name+", mirrored")
		}
	}
	var out bytes.Buffer
	err := pdf.Output(&out)
	return out.Bytes(), err
}

// masks are pages being filled from above.
type masks struct {
	pdf  *gofpdf.Fpdf
	what string
	page int
	high float64 // of the page that is taken
}

// next begins a page.
func (m *masks) next(note string) {
	m.pdf.AddPage()
	m.page++
	m.pdf.SetFont("go", "B", 12)
	m.pdf.Text(maskLeftMM, 12, m.what)
	m.pdf.SetFont("go", "", 8)
	m.pdf.Text(maskLeftMM, 17, "1:1, print without fitting to the page. The bar is 50 mm. "+note)
	x := 210 - maskLeftMM - barMM
	m.pdf.SetLineWidth(0.25)
	m.pdf.Line(x, 14, x+barMM, 14)
	m.pdf.Line(x, 12, x, 16)
	m.pdf.Line(x+barMM, 12, x+barMM, 16)
	m.high = 0
}

// pattern draws one, over several pages where it is larger than one.
func (m *masks) pattern(p surface.Pattern, name string) {
	p, wide, high := p.Laid()
	label := fmt.Sprintf("%s: %.1f × %.1f mm", name, wide, high)
	if p.StretchPercent >= 0.5 {
		label += fmt.Sprintf("; tape gives or takes up to %.1f %% along its edge", p.StretchPercent)
	}
	if wide <= maskWideMM && high <= maskHighMM {
		if m.high+high+maskGapMM+4 > maskHighMM {
			m.next("")
		}
		m.draw(p, maskLeftMM, maskTopMM+m.high, high)
		m.pdf.SetFont("go", "", 8)
		m.pdf.Text(maskLeftMM, maskTopMM+m.high+high+4, label)
		m.high += high + maskGapMM + 6
		return
	}
	stepX, stepY := maskWideMM-maskOverlapMM, maskHighMM-maskOverlapMM
	columns, rows := int(math.Ceil(max(1, (wide-maskOverlapMM)/stepX))), int(math.Ceil(max(1, (high-maskOverlapMM)/stepY)))
	for row := range rows {
		for column := range columns {
			m.next(fmt.Sprintf("%s. Sheet %d of %d across, %d of %d down; they overlap by %.0f mm.", label, column+1, columns, row+1, rows, maskOverlapMM))
			m.pdf.ClipRect(maskLeftMM, maskTopMM, maskWideMM, maskHighMM, false)
			m.draw(p, maskLeftMM-float64(column)*stepX, maskTopMM-float64(row)*stepY, high)
			m.pdf.ClipEnd()
			m.pdf.SetLineWidth(0.1)
			m.pdf.Rect(maskLeftMM, maskTopMM, maskWideMM, maskHighMM, "D")
		}
	}
	m.high = math.Inf(1)
}

// draw draws a pattern with its upper left corner at a place.
func (m *masks) draw(p surface.Pattern, x, y, high float64) {
	m.pdf.SetLineWidth(0.2)
	for _, loop := range p.Loops {
		points := make([]gofpdf.PointType, len(loop))
		for k, q := range loop {
			points[k] = gofpdf.PointType{X: x + q.X, Y: y + high - q.Y}
		}
		m.pdf.Polygon(points, "D")
	}
}

// MasksOf is what stands on the sheets of a region's masks.
func MasksOf(o studio.Order, it studio.Item, r studio.Region) string {
	return fmt.Sprintf("%s, %s: %s", o.Number, it.Title, r.Name)
}
