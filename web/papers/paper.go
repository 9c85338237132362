// Package papers is what leaves the studio on A4: quotes, packing lists, delivery notes and
// labels, drawn as the client's page is: a frame with a filing margin, and a title block.
package papers

import (
	"fmt"
	"strings"
	"time"

	"github.com/johnfercher/go-tree/node"
	"github.com/johnfercher/maroto/v2"
	"github.com/johnfercher/maroto/v2/pkg/components/code"
	"github.com/johnfercher/maroto/v2/pkg/components/col"
	"github.com/johnfercher/maroto/v2/pkg/components/image"
	"github.com/johnfercher/maroto/v2/pkg/components/line"
	"github.com/johnfercher/maroto/v2/pkg/components/row"
	"github.com/johnfercher/maroto/v2/pkg/components/text"
	"github.com/johnfercher/maroto/v2/pkg/config"
	"github.com/johnfercher/maroto/v2/pkg/consts/align"
	"github.com/johnfercher/maroto/v2/pkg/consts/extension"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"
	"github.com/johnfercher/maroto/v2/pkg/core"
	"github.com/johnfercher/maroto/v2/pkg/core/entity"
	"github.com/johnfercher/maroto/v2/pkg/props"
	"github.com/johnfercher/maroto/v2/pkg/repository"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"sakuji/studio"
)

// Stills finds the pictures of models by their files; without one a paper goes without.
type Stills func(modelSHA string) []byte

// Paper is a PDF on A4 that is being written. The Go fonts carry Latin, Greek and Cyrillic
// letters, so that names come out as they are written; what they lack becomes a box.
type Paper struct {
	studio studio.Studio
	title  string
	number string
	day    string
	blank  bool // without a frame: it is cut up
	rows   []func(*sheet)
}

// New begins a paper: what it is and of which order, and the day in its title block.
func New(st studio.Studio, title, number string, day time.Time) *Paper {
	p := &Paper{studio: st, title: title, number: number}
	p.day = p.Day(day)
	return p
}

// Headed writes the studio's head above the title.
func (p *Paper) Headed() *Paper {
	p.Two(p.studio.Name, p.number, 13, fontstyle.Bold)
	for _, l := range strings.Split(strings.TrimSpace(p.studio.Address), "\n") {
		p.Row(l, 9, fontstyle.Normal)
	}
	if p.studio.TaxNumber != "" {
		p.Row("Tax number "+p.studio.TaxNumber, 9, fontstyle.Normal)
	}
	p.Rule()
	p.Row(p.title, 18, fontstyle.Bold)
	return p
}

// Blank leaves frame and title block off.
func (p *Paper) Blank() *Paper {
	p.blank = true
	return p
}

func (p *Paper) add(f func(*sheet)) { p.rows = append(p.rows, f) }

// Row writes a paragraph.
func (p *Paper) Row(s string, size float64, style fontstyle.Type) {
	p.add(func(d *sheet) {
		d.row(0, d.text(gridCols, s, props.Text{Size: size, Style: style, Bottom: size * 0.16}))
	})
}

// Lines writes what stands under one another.
func (p *Paper) Lines(lines []string) {
	for _, l := range lines {
		p.Row("– "+l, 10, fontstyle.Normal)
	}
}

// Head begins a part of the paper.
func (p *Paper) Head(s string) {
	p.Gap(4)
	p.Row(s, 11, fontstyle.Bold)
}

// Gap leaves some millimetres free.
func (p *Paper) Gap(mm float64) { p.add(func(d *sheet) { d.row(mm * d.scale) }) }

// Two writes something at the left and something at the right.
func (p *Paper) Two(left, right string, size float64, style fontstyle.Type) {
	p.add(func(d *sheet) {
		d.row(0, d.text(8, left, props.Text{Size: size, Style: style, Top: 0.8, Bottom: 1}),
			d.text(4, right, props.Text{Size: min(size, 12), Style: style, Align: align.Right, Top: 0.8, Bottom: 1}))
	})
}

// Figure writes the number that the paper is about.
func (p *Paper) Figure(what, figure string) {
	p.add(func(d *sheet) {
		d.row(0, d.text(6, what, props.Text{Size: 12, Style: fontstyle.Bold, Top: 3.4, Bottom: 1}), d.text(6, figure, props.Text{Size: 22, Style: fontstyle.Bold, Align: align.Right, Top: 1, Bottom: 1.5}))
	})
}

// Link writes an address that can be followed.
func (p *Paper) Link(address string) {
	p.add(func(d *sheet) { d.row(0, d.text(gridCols, address, props.Text{Size: 9, Hyperlink: &address})) })
}

// Pictured is a row with a picture at its left: a line in bold, and small ones under it.
func (p *Paper) Pictured(picture []byte, heightMM float64, left, right string, small ...string) {
	p.pictured(picture, heightMM, left, small, func(d *sheet) core.Col {
		return d.text(4, right, props.Text{Size: 11, Style: fontstyle.Bold, Align: align.Right, Top: 1})
	})
}

// Scanned is such a row with a QR code at its right.
func (p *Paper) Scanned(picture []byte, scan string, heightMM float64, left string, small ...string) {
	p.pictured(picture, heightMM, left, small, func(*sheet) core.Col {
		return code.NewQrCol(4*colMM, scan, props.Rect{Center: true, Percent: 96})
	})
}

func (p *Paper) pictured(picture []byte, heightMM float64, left string, small []string, right func(*sheet) core.Col) {
	p.add(func(d *sheet) {
		width := 8
		var cols []core.Col
		if len(picture) > 0 {
			cols = append(cols, image.NewFromBytesCol(2*colMM, picture, extension.Png, props.Rect{Percent: 96}))
			width = 6
		}
		bold := d.props(props.Text{Size: 11, Style: fontstyle.Bold, Top: 1})
		c, at := col.New(width*colMM), bold.Top
		for i, l := range append([]string{left}, small...) {
			t := bold
			if i > 0 {
				t = d.props(props.Text{Size: 9})
			}
			t.Top = at
			lines := d.fitted(l, width, t)
			c.Add(text.New(strings.Join(lines, " "), t))
			at += float64(len(lines))*t.Size*lineMM + 0.8
		}
		cols = append(cols, c, right(d))
		d.row(max(heightMM*d.scale, at+1.5), cols...)
	})
}

// What a picture of its own takes on the page: its breadth, and the greatest height, that a picture of its own takes on the page.
const pictureWidthMM, pictureHighMM = 160.0, 120.0

// Picture is a picture across the page; high is how high it is of its breadth.
func (p *Paper) Picture(picture []byte, high float64) {
	p.add(func(d *sheet) {
		d.row(min(pictureHighMM, pictureWidthMM*high)*d.scale, image.NewFromBytesCol(gridCols*colMM, picture, extension.Png, props.Rect{Center: true, Percent: 98}))
	})
}

// Rule draws a line across.
func (p *Paper) Rule() {
	p.add(func(d *sheet) {
		d.row(6*d.scale, line.NewCol(gridCols*colMM, props.Line{SizePercent: 100, Thickness: 0.3, Color: &ink}))
	})
}

// Address writes where a client lives.
func (p *Paper) Address(c studio.Client) {
	p.Row(c.Name, 11, fontstyle.Bold)
	for _, l := range strings.Split(strings.TrimSpace(c.Address), "\n") {
		p.Row(l, 10, fontstyle.Normal)
	}
	p.Gap(3)
}

// Day writes a day in the studio's zone.
func (p *Paper) Day(t time.Time) string { return t.In(p.studio.Zone()).Format("2 January 2006") }

// least is how many rows a last page has: fewer are drawn together with the page before.
const least = 5

// PDF draws the paper. So that no lonely line is left for the last page, it is drawn a
// little smaller where that brings it in.
func (p *Paper) PDF() ([]byte, error) {
	best, pages := 1.0, 0
	for i, scale := range []float64{1, 0.95, 0.9, 0.85} {
		d, err := p.drawn(scale)
		if err != nil {
			return nil, err
		}
		n, last := d.extent()
		if i == 0 {
			pages = n
		}
		if n == 1 || last >= least {
			best, pages = scale, n
			break
		}
	}
	d, err := p.drawn(best) // again: looking at its extent has ended the other
	if err != nil {
		return nil, err
	}
	d.pages = pages
	doc, err := d.Generate()
	if err != nil {
		return nil, err
	}
	return doc.GetBytes(), nil
}

// sheet is a paper drawn at a scale.
type sheet struct {
	core.Maroto
	scale  float64
	pages  int
	around int // rows at the head and the foot of each page
}

// row lays columns within the margins; without a height it is as high as they need.
func (d *sheet) row(heightMM float64, cols ...core.Col) {
	cols = append([]core.Col{col.New(leftMM)}, cols...)
	if heightMM == 0 {
		d.AddAutoRow(cols...)
		return
	}
	d.AddRow(heightMM, cols...)
}

func (p *Paper) drawn(scale float64) (*sheet, error) {
	fonts, err := repository.New().AddUTF8FontFromBytes(face, fontstyle.Normal, goregular.TTF).AddUTF8FontFromBytes(face, fontstyle.Bold, gobold.TTF).Load()
	if err != nil {
		return nil, err
	}
	b := config.NewBuilder().WithCustomFonts(fonts).WithDefaultFont(&props.Font{Family: face, Size: 10, Color: &ink}).WithSequentialMode().
		WithMaxGridSize(pageWideMM).WithLeftMargin(0).WithRightMargin(0).WithTopMargin(0).WithBottomMargin(0).WithTitle(printable(p.title), true).WithAuthor(printable(p.studio.Name), true)
	if !p.blank {
		b = b.WithBackgroundImage(frame(), extension.Png)
	}
	d := &sheet{Maroto: maroto.New(b.Build()), scale: scale, around: 2}
	if err := d.RegisterHeader(row.New(topMM).Add(col.New())); err != nil {
		return nil, err
	}
	foot := []core.Row{row.New(bottomMM).Add(col.New())}
	if !p.blank {
		foot, d.around = append(d.titleBlock(p), foot...), 3
	}
	if err := d.RegisterFooter(foot...); err != nil {
		return nil, err
	}
	for _, f := range p.rows {
		f(d)
	}
	return d, nil
}

// titleBlock is at the lower right, as on the client's page: studio, paper, day and page.
func (d *sheet) titleBlock(p *Paper) []core.Row {
	label := func(s string) core.Component {
		return text.New(s, props.Text{Size: 6.5, Top: 2, Left: 2, Color: &faint})
	}
	value := props.Text{Size: 9, Style: fontstyle.Bold, Top: 5.6, Left: 2}
	field := func(width int, name, what string) core.Col {
		return col.New(width*colMM).Add(label(name), text.New(d.short(what, width, value), value))
	}
	page := col.New(2*colMM).Add(label("Page"), &pageNumber{sheet: d, text: value})
	return []core.Row{row.New(blockMM).Add(col.New(leftMM+blockCols[0]*colMM), field(blockCols[1]-blockCols[0], "Studio", p.studio.Name), field(blockCols[2]-blockCols[1], "Sheet", p.number),
		field(blockCols[3]-blockCols[2], "Date", p.day), page)}
}

// pageNumber writes which page of how many it stands on.
type pageNumber struct {
	sheet  *sheet
	text   props.Text
	at     int
	config *entity.Config
}

func (n *pageNumber) Render(to core.Provider, cell *entity.Cell) {
	n.at++
	t := n.text
	t.MakeValid(n.config.DefaultFont)
	to.AddText(fmt.Sprintf("%d / %d", n.at, n.sheet.pages), cell, &t)
}

func (n *pageNumber) GetHeight(core.Provider, *entity.Cell) float64 { return 0 }
func (n *pageNumber) SetConfig(c *entity.Config)                    { n.config = c }
func (n *pageNumber) GetStructure() *node.Node[core.Structure] {
	return node.New(core.Structure{Type: "page number"})
}

// extent is how many pages a sheet takes, and how many rows stand on the last. It ends the
// sheet.
func (d *sheet) extent() (pages, last int) {
	list := d.GetStructure().GetNexts()
	return len(list), len(list[len(list)-1].GetNexts()) - d.around - 1 // the last fills the page up
}
