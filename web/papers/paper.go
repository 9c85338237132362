package papers

import (
	"fmt"
	"strings"
	"time"

	"github.com/johnfercher/maroto/v2"
	"github.com/johnfercher/maroto/v2/pkg/components/image"
	"github.com/johnfercher/maroto/v2/pkg/components/line"
	"github.com/johnfercher/maroto/v2/pkg/components/text"
	"github.com/johnfercher/maroto/v2/pkg/config"
	"github.com/johnfercher/maroto/v2/pkg/consts/align"
	"github.com/johnfercher/maroto/v2/pkg/consts/extension"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"
	"github.com/johnfercher/maroto/v2/pkg/core"
	"github.com/johnfercher/maroto/v2/pkg/props"
	"github.com/johnfercher/maroto/v2/pkg/repository"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"sakuji/app/delivery"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// Stills finds the pictures of models by their files; without one a paper goes without.
type Stills func(modelSHA string) []byte

// Paper is a PDF on A4 with the studio's head. The Go fonts carry Latin, Greek and
// Cyrillic letters, so that names come out as they are written.
type Paper struct {
	core.Maroto
	zone *time.Location
}

const face = "go"

func NewPaper(st studio.Studio, title, right string) (Paper, error) {
	fonts, err := repository.New().AddUTF8FontFromBytes(face, fontstyle.Normal, goregular.TTF).AddUTF8FontFromBytes(face, fontstyle.Bold, gobold.TTF).Load()
	if err != nil {
		return Paper{}, err
	}
	cfg := config.NewBuilder().WithCustomFonts(fonts).WithDefaultFont(&props.Font{Family: face, Size: 10}).WithSequentialMode().
		WithLeftMargin(20).WithRightMargin(20).WithTopMargin(18).WithTitle(title, true).WithAuthor(st.Name, true).
		WithPageNumber(props.PageNumber{Pattern: "{current} / {total}", Place: props.RightBottom, Size: 8, Family: face}).Build()
	p := Paper{maroto.New(cfg), st.Zone()}
	p.Two(st.Name, right, 13, fontstyle.Bold)
	for _, l := range strings.Split(strings.TrimSpace(st.Address), "\n") {
		p.Row(l, 9, fontstyle.Normal)
	}
	if st.TaxNumber != "" {
		p.Row("Tax number "+st.TaxNumber, 9, fontstyle.Normal)
	}
	p.Rule()
	p.Row(title, 18, fontstyle.Bold)
	return p, nil
}

func (p Paper) Row(s string, size float64, style fontstyle.Type) {
	p.AddAutoRow(text.NewCol(12, s, props.Text{Size: size, Style: style, Bottom: size * 0.16}))
}

func (p Paper) Head(s string) {
	p.AddRow(4)
	p.Row(s, 11, fontstyle.Bold)
}

func (p Paper) Two(left, right string, size float64, style fontstyle.Type) {
	p.AddAutoRow(text.NewCol(8, left, props.Text{Size: size, Style: style, Top: 0.8, Bottom: 1}), text.NewCol(4, right, props.Text{Size: min(size, 12), Style: style, Align: align.Right, Top: 0.8, Bottom: 1}))
}

// Pictured is a row with a picture at its left.
func (p Paper) Pictured(picture []byte, heightMM float64, left, small, right string) {
	cols := []core.Col{}
	width := 8
	if len(picture) > 0 {
		cols = append(cols, image.NewFromBytesCol(2, picture, extension.Png, props.Rect{Percent: 96}))
		width = 6
	}
	cols = append(cols, text.NewCol(width, left, props.Text{Size: 11, Style: fontstyle.Bold, Top: 1}).Add(text.New(small, props.Text{Size: 9, Top: 6.5})),
		text.NewCol(4, right, props.Text{Size: 11, Style: fontstyle.Bold, Align: align.Right, Top: 1}))
	p.AddRow(heightMM, cols...)
}

func (p Paper) Rule() { p.AddRows(line.NewRow(6, props.Line{SizePercent: 100, Thickness: 0.3})) }

func (p Paper) Address(c studio.Client) {
	p.Row(c.Name, 11, fontstyle.Bold)
	for _, l := range strings.Split(strings.TrimSpace(c.Address), "\n") {
		p.Row(l, 10, fontstyle.Normal)
	}
	p.AddRow(3)
}

func (p Paper) Day(t time.Time) string { return t.In(p.zone).Format("2 January 2006") }

// QuotePaper is a sent quote as a PDF: what the client's page says, and where that
// page is.
func QuotePaper(q studio.Quote, link string, picture Stills) (Paper, error) {
	d, t := q.Document, q.Taken()
	money := func(minor int64) string { return studio.Money{Minor: minor, Currency: q.Currency}.String() }
	what := "Quote"
	if d.Instead != nil {
		what = "A change to order"
	}
	p, err := NewPaper(d.Studio, d.Title, fmt.Sprintf("%s %s, revision %d", what, d.Number, q.Revision))
	if err != nil {
		return p, err
	}
	p.Two("for "+d.Client.Name, p.Day(q.Sent), 11, fontstyle.Normal)
	if d.Wanted != 0 {
		p.Row("wanted by "+p.Day(time.UnixMilli(d.Wanted)), 10, fontstyle.Normal)
	}
	if d.Earliest != 0 {
		p.Row("ready at the earliest "+p.Day(time.UnixMilli(d.Earliest)), 10, fontstyle.Normal)
	}
	if d.Instead != nil {
		p.Head(fmt.Sprintf("What changes against what we agreed (revision %d, %s): %s", d.Instead.Revision, money(d.Instead.TotalMinor), d.More()))
		for _, c := range d.Instead.Changes {
			p.Row("– "+c.What+": "+c.Before+", now "+c.After, 10, fontstyle.Normal)
		}
	}
	p.Rule()
	lines := func(items []studio.DocumentItem) {
		for _, it := range items {
			var still []byte
			if len(it.Spec.Parts) > 0 {
				still = picture(it.Spec.Parts[0].Model.SHA)
			}
			p.Pictured(still, 21, fmt.Sprintf("%d × %s", it.Copies, it.Title), it.Detail, money(it.NetMinor))
			if text := it.RestoreText(d.Studio); text != "" {
				p.Row(text, 9, fontstyle.Normal)
			}
		}
	}
	if t.Name != "" {
		p.Row(t.Name, 11, fontstyle.Bold)
	}
	lines(t.Items)
	p.Rule()
	p.Two("Net", money(t.NetMinor), 10, fontstyle.Normal)
	p.Two("Tax, "+rates.Number(d.Terms.TaxPercent)+" %", money(t.TaxMinor), 10, fontstyle.Normal)
	if d.Terms.DiscountPercent > 0 {
		p.Two("in it, a discount of "+rates.Number(d.Terms.DiscountPercent)+" %", d.Terms.DiscountReason, 10, fontstyle.Normal)
	}
	if d.Terms.RushPercent > 0 {
		p.Two("in it, for the rush", rates.Number(d.Terms.RushPercent)+" %", 10, fontstyle.Normal)
	}
	p.Two("Price, tax included", money(t.TotalMinor), 14, fontstyle.Bold)
	p.Two("Deposit on acceptance", money(t.DepositMinor), 10, fontstyle.Normal)
	p.Row("Valid until "+p.Day(q.ValidUntil), 10, fontstyle.Normal)
	if q.State == studio.QuoteSent {
		for _, a := range d.Alternatives {
			p.Head("Or: " + a.Name)
			for _, c := range a.Changes {
				p.Row("– "+c.What+": "+c.After, 10, fontstyle.Normal)
			}
			p.Two("Price, tax included", money(a.Price.TotalMinor), 11, fontstyle.Bold)
		}
		if len(d.Options) > 0 {
			p.Head("Besides, if you like")
			for _, o := range d.Options {
				p.Two(fmt.Sprintf("%d × %s, %s", o.Item.Copies, o.Item.Title, o.Item.Detail), "+ "+money(o.TotalMinor), 10, fontstyle.Normal)
			}
		}
	}
	p.Head("To accept, decline or ask")
	p.AddAutoRow(text.NewCol(12, link, props.Text{Size: 9, Hyperlink: &link}))
	for _, list := range []struct {
		head  string
		lines []string
	}{{"In the price", d.Included}, {"Not in it", d.Excluded}, {"Colours agreed", d.Colours}, {"We still ask you", d.Questions}, {"Good to know", d.Cautions}} {
		if len(list.lines) > 0 {
			p.Head(list.head)
			for _, l := range list.lines {
				p.Row("– "+l, 10, fontstyle.Normal)
			}
		}
	}
	return p, nil
}

// Packed writes the pieces of a delivery, item by item.
func (p Paper) Packed(v delivery.DeliverySheet, box string, picture Stills) {
	for _, line := range v.Packed {
		var still []byte
		if len(line.Item.Parts) > 0 {
			still = picture(line.Item.Parts[0].Model.SHA)
		}
		p.Pictured(still, 20, fmt.Sprintf("%s%d × %s", box, len(line.Pieces), line.Item.Title), line.Codes(), route.TierName(line.Item.Tier))
	}
}
