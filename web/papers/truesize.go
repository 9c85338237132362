package papers

import (
	"github.com/phpdave11/gofpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// trueSize is a paper without a page yet, on which lines are drawn in millimetres.
func trueSize(wideMM, highMM float64, title string) *gofpdf.Fpdf {
	pdf := gofpdf.NewCustom(&gofpdf.InitType{UnitStr: "mm", Size: gofpdf.SizeType{Wd: wideMM, Ht: highMM}})
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	pdf.SetTitle(printable(title), true)
	return pdf
}
