package papers

import (
	"bytes"
	"fmt"
	"math"
	"time"

	"github.com/phpdave11/gofpdf"

	"sakuji/studio"
)

// Frame is a photograph on a contact sheet, with what is said under it.
type Frame struct {
	JPEG    []byte
	Text    string
	Strokes [][]studio.Spot
}

// How a contact sheet is divided.
const (
	framesARow  = 3
	framesADown = 4
	frameGapMM  = 5.0
	captionMM   = 9.0
)

// Contact lays photographs out on sheets, in order, each whole, with what is drawn on it.
func Contact(title, studioName string, frames []Frame, now time.Time) ([]byte, error) {
	pdf := trueSize(pageWideMM, pageHighMM, title)
	cellW, cellH := (maskWideMM-frameGapMM*(framesARow-1))/framesARow, (maskHighMM-frameGapMM*(framesADown-1))/framesADown
	pages := max(1, (len(frames)+framesARow*framesADown-1)/(framesARow*framesADown))
	for page := range pages {
		pdf.AddPage()
		pdf.SetFont("go", "B", 12)
		pdf.Text(maskLeftMM, 13, printable(title))
		pdf.SetFont("go", "", 8)
		pdf.Text(maskLeftMM, 18, fmt.Sprintf("%s, %s, sheet %d of %d", printable(studioName), now.Format("2 Jan 2006"), page+1, pages))
		for k := page * framesARow * framesADown; k < min(len(frames), (page+1)*framesARow*framesADown); k++ {
			at := k % (framesARow * framesADown)
			drawFrame(pdf, k, frames[k], maskLeftMM+float64(at%framesARow)*(cellW+frameGapMM), maskTopMM+float64(at/framesARow)*(cellH+frameGapMM), cellW, cellH)
		}
	}
	var out bytes.Buffer
	err := pdf.Output(&out)
	return out.Bytes(), err
}

// drawFrame draws one into its cell.
func drawFrame(pdf *gofpdf.Fpdf, k int, f Frame, x, y, wide, high float64) {
	name := fmt.Sprintf("photo%d", k)
	info := pdf.RegisterImageOptionsReader(name, gofpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(f.JPEG))
	if info == nil || pdf.Err() {
		pdf.ClearError()
		pdf.Rect(x, y, wide, high-captionMM, "D")
	} else {
		scale := math.Min(wide/info.Width(), (high-captionMM)/info.Height())
		w, h := info.Width()*scale, info.Height()*scale
		pdf.ImageOptions(name, x, y+high-captionMM-h, w, h, false, gofpdf.ImageOptions{ImageType: "JPG"}, 0, "")
		pdf.SetDrawColor(173, 58, 8)
		pdf.SetLineWidth(0.6)
		for _, stroke := range f.Strokes {
			for i := 1; i < len(stroke); i++ {
				pdf.Line(x+stroke[i-1][0]*w, y+high-captionMM-h+stroke[i-1][1]*h, x+stroke[i][0]*w, y+high-captionMM-h+stroke[i][1]*h)
			}
		}
		pdf.SetDrawColor(0, 0, 0)
	}
	pdf.SetFont("go", "", 7.5)
	lines := pdf.SplitText(printable(f.Text), wide)
	for i, line := range lines[:min(2, len(lines))] {
		pdf.Text(x, y+high-captionMM+3.5+3.3*float64(i), line)
	}
}
