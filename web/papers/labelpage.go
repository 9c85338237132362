package papers

import (
	"bytes"

	"github.com/boombuler/barcode/qr"
)

// A single label, as label printers take it; the QR code with its quiet zone of four modules [published: ISO/IEC 18004].
const (
	labelPageWideMM, labelPageHighMM = 62.0, 29.0
	quietModules                     = 4
)

// Page is the label alone, a page of its own size.
func (l Label) Page() ([]byte, error) {
	code, err := qr.Encode(l.Scan, qr.M, qr.Auto)
	if err != nil {
		return nil, err
	}
	pdf := trueSize(labelPageWideMM, labelPageHighMM, l.Code)
	pdf.AddPage()
	side := code.Bounds().Dx()
	module := labelPageHighMM / float64(side+2*quietModules)
	for y := range side {
		for x := range side {
			if r, _, _, _ := code.At(x, y).RGBA(); r == 0 {
				pdf.Rect(float64(x+quietModules)*module, float64(y+quietModules)*module, module, module, "F")
			}
		}
	}
	pdf.SetFont("go", "B", 17)
	pdf.Text(labelPageHighMM, 11, printable(l.Code))
	pdf.SetFont("go", "", 7.5)
	lines := pdf.SplitText(printable(l.Name), labelPageWideMM-labelPageHighMM-2)
	for i, line := range lines[:min(4, len(lines))] {
		pdf.Text(labelPageHighMM, 16+3.4*float64(i), line)
	}
	var out bytes.Buffer
	err = pdf.Output(&out)
	return out.Bytes(), err
}
