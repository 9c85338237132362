package papers

import (
	"strings"

	"github.com/johnfercher/maroto/v2/pkg/components/code"
	"github.com/johnfercher/maroto/v2/pkg/components/col"
	"github.com/johnfercher/maroto/v2/pkg/components/text"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"
	"github.com/johnfercher/maroto/v2/pkg/core"
	"github.com/johnfercher/maroto/v2/pkg/props"
)

// Label is one to cut out and stick on: what a scanner reads, the code that people read, and what it is.
type Label struct {
	Scan string
	Code string
	Name string
}

// Labels a row, and how large each is: with a QR code [published: ISO/IEC 18004] that a tablet reads at arm's length.
const (
	labelsARow  = 2
	labelHighMM = 30.0
	labelQRMM   = 28 // of its width
)

// Labels lays labels out side by side, to cut apart.
func (p *Paper) Labels(list []Label) {
	for len(list) > 0 {
		n := min(labelsARow, len(list))
		some := list[:n]
		list = list[n:]
		p.add(func(d *sheet) {
			wide := gridCols * colMM / labelsARow
			var cols []core.Col
			for _, l := range some {
				bold, small := d.props(props.Text{Size: 20, Style: fontstyle.Bold, Top: 4, Left: 2}), d.props(props.Text{Size: 9, Top: 15, Left: 2})
				c := col.New(wide - labelQRMM)
				c.Add(text.New(l.Code, bold), text.New(strings.Join(d.fitted(l.Name, gridCols/labelsARow-2, small), " "), small))
				cols = append(cols, code.NewQrCol(labelQRMM, l.Scan, props.Rect{Center: true, Percent: 94}), c)
			}
			if n < labelsARow {
				cols = append(cols, col.New(wide*(labelsARow-n)))
			}
			d.row(labelHighMM*d.scale, cols...)
		})
		p.Rule()
	}
}
