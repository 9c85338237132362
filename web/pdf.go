package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
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

	"sakuji/app/change"
	"sakuji/app/delivery"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// paper is a PDF on A4 with the studio's head. The Go fonts carry Latin, Greek and
// Cyrillic letters, so that names come out as they are written.
type paper struct {
	core.Maroto
	zone *time.Location
}

const face = "go"

func newPaper(st studio.Studio, title, right string) (paper, error) {
	fonts, err := repository.New().AddUTF8FontFromBytes(face, fontstyle.Normal, goregular.TTF).AddUTF8FontFromBytes(face, fontstyle.Bold, gobold.TTF).Load()
	if err != nil {
		return paper{}, err
	}
	cfg := config.NewBuilder().WithCustomFonts(fonts).WithDefaultFont(&props.Font{Family: face, Size: 10}).WithSequentialMode().
		WithLeftMargin(20).WithRightMargin(20).WithTopMargin(18).WithTitle(title, true).WithAuthor(st.Name, true).
		WithPageNumber(props.PageNumber{Pattern: "{current} / {total}", Place: props.RightBottom, Size: 8, Family: face}).Build()
	p := paper{maroto.New(cfg), st.Zone()}
	p.two(st.Name, right, 13, fontstyle.Bold)
	for _, l := range strings.Split(strings.TrimSpace(st.Address), "\n") {
		p.row(l, 9, fontstyle.Normal)
	}
	if st.TaxNumber != "" {
		p.row("Tax number "+st.TaxNumber, 9, fontstyle.Normal)
	}
	p.rule()
	p.row(title, 18, fontstyle.Bold)
	return p, nil
}

func (p paper) row(s string, size float64, style fontstyle.Type) {
	p.AddAutoRow(text.NewCol(12, s, props.Text{Size: size, Style: style, Bottom: size * 0.16}))
}

func (p paper) head(s string) {
	p.AddRow(4)
	p.row(s, 11, fontstyle.Bold)
}

func (p paper) two(left, right string, size float64, style fontstyle.Type) {
	p.AddAutoRow(text.NewCol(8, left, props.Text{Size: size, Style: style, Top: 0.8, Bottom: 1}), text.NewCol(4, right, props.Text{Size: min(size, 12), Style: style, Align: align.Right, Top: 0.8, Bottom: 1}))
}

// stills finds the pictures of models by their files; without one a paper goes without.
type stills func(modelSHA string) []byte

func (s *Server) stills(r *http.Request) stills {
	return func(sha string) []byte {
		picture, err := s.App.Models.Still(r.Context(), sha)
		if err != nil && !change.NotFound(err) {
			s.Log.Error("still", "id", requestID(r.Context()), "err", err)
		}
		return picture
	}
}

// pictured is a row with a picture at its left.
func (p paper) pictured(picture []byte, heightMM float64, left, small, right string) {
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

func (p paper) rule() { p.AddRows(line.NewRow(6, props.Line{SizePercent: 100, Thickness: 0.3})) }

func (p paper) address(c studio.Client) {
	p.row(c.Name, 11, fontstyle.Bold)
	for _, l := range strings.Split(strings.TrimSpace(c.Address), "\n") {
		p.row(l, 10, fontstyle.Normal)
	}
	p.AddRow(3)
}

func (p paper) day(t time.Time) string { return t.In(p.zone).Format("2 January 2006") }

func (s *Server) sendPDF(w http.ResponseWriter, r *http.Request, p paper, err error, name string) {
	if err != nil {
		s.fail(w, r, err)
		return
	}
	doc, err := p.Generate()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	write(w, "application/pdf", name, doc.GetBytes())
}

// quotePaper is a sent quote as a PDF: what the client's page says, and where that
// page is.
func quotePaper(q studio.Quote, link string, picture stills) (paper, error) {
	d, t := q.Document, q.Taken()
	money := func(minor int64) string { return studio.Money{Minor: minor, Currency: q.Currency}.String() }
	what := "Quote"
	if d.Instead != nil {
		what = "A change to order"
	}
	p, err := newPaper(d.Studio, d.Title, fmt.Sprintf("%s %s, revision %d", what, d.Number, q.Revision))
	if err != nil {
		return p, err
	}
	p.two("for "+d.Client.Name, p.day(q.Sent), 11, fontstyle.Normal)
	if d.Wanted != 0 {
		p.row("wanted by "+p.day(time.UnixMilli(d.Wanted)), 10, fontstyle.Normal)
	}
	if d.Earliest != 0 {
		p.row("ready at the earliest "+p.day(time.UnixMilli(d.Earliest)), 10, fontstyle.Normal)
	}
	if d.Instead != nil {
		p.head(fmt.Sprintf("What changes against what we agreed (revision %d, %s): %s", d.Instead.Revision, money(d.Instead.TotalMinor), d.More()))
		for _, c := range d.Instead.Changes {
			p.row("– "+c.What+": "+c.Before+", now "+c.After, 10, fontstyle.Normal)
		}
	}
	p.rule()
	lines := func(items []studio.DocumentItem) {
		for _, it := range items {
			var still []byte
			if len(it.Spec.Parts) > 0 {
				still = picture(it.Spec.Parts[0].Model.SHA)
			}
			p.pictured(still, 21, fmt.Sprintf("%d × %s", it.Copies, it.Title), it.Detail, money(it.NetMinor))
			if text := it.RestoreText(d.Studio); text != "" {
				p.row(text, 9, fontstyle.Normal)
			}
		}
	}
	if t.Name != "" {
		p.row(t.Name, 11, fontstyle.Bold)
	}
	lines(t.Items)
	p.rule()
	p.two("Net", money(t.NetMinor), 10, fontstyle.Normal)
	p.two("Tax, "+rates.Number(d.Terms.TaxPercent)+" %", money(t.TaxMinor), 10, fontstyle.Normal)
	if d.Terms.DiscountPercent > 0 {
		p.two("in it, a discount of "+rates.Number(d.Terms.DiscountPercent)+" %", d.Terms.DiscountReason, 10, fontstyle.Normal)
	}
	if d.Terms.RushPercent > 0 {
		p.two("in it, for the rush", rates.Number(d.Terms.RushPercent)+" %", 10, fontstyle.Normal)
	}
	p.two("Price, tax included", money(t.TotalMinor), 14, fontstyle.Bold)
	p.two("Deposit on acceptance", money(t.DepositMinor), 10, fontstyle.Normal)
	p.row("Valid until "+p.day(q.ValidUntil), 10, fontstyle.Normal)
	if q.State == studio.QuoteSent {
		for _, a := range d.Alternatives {
			p.head("Or: " + a.Name)
			for _, c := range a.Changes {
				p.row("– "+c.What+": "+c.After, 10, fontstyle.Normal)
			}
			p.two("Price, tax included", money(a.Price.TotalMinor), 11, fontstyle.Bold)
		}
		if len(d.Options) > 0 {
			p.head("Besides, if you like")
			for _, o := range d.Options {
				p.two(fmt.Sprintf("%d × %s, %s", o.Item.Copies, o.Item.Title, o.Item.Detail), "+ "+money(o.TotalMinor), 10, fontstyle.Normal)
			}
		}
	}
	p.head("To accept, decline or ask")
	p.AddAutoRow(text.NewCol(12, link, props.Text{Size: 9, Hyperlink: &link}))
	for _, list := range []struct {
		head  string
		lines []string
	}{{"In the price", d.Included}, {"Not in it", d.Excluded}, {"Colours agreed", d.Colours}, {"We still ask you", d.Questions}, {"Good to know", d.Cautions}} {
		if len(list.lines) > 0 {
			p.head(list.head)
			for _, l := range list.lines {
				p.row("– "+l, 10, fontstyle.Normal)
			}
		}
	}
	return p, nil
}

func (s *Server) clientQuotePDF(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	p, err := quotePaper(q.Quote, s.clientLink(r, q.Quote), s.stills(r))
	s.sendPDF(w, r, p, err, fmt.Sprintf("quote-%s-%d.pdf", q.Quote.Document.Number, q.Quote.Revision))
}

func (s *Server) quotePDF(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Quotes.OrderSheet(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	rev, _ := strconv.Atoi(chi.URLParam(r, "rev"))
	for _, q := range sheet.Quotes {
		if q.Revision == rev {
			p, err := quotePaper(q, s.clientLink(r, q), s.stills(r))
			s.sendPDF(w, r, p, err, fmt.Sprintf("quote-%s-%d.pdf", sheet.Order.Number, rev))
			return
		}
	}
	s.errorPage(w, r, http.StatusNotFound, "There is no such quote.", "")
}

// packed writes the pieces of a delivery, item by item.
func (p paper) packed(v delivery.DeliverySheet, box string, picture stills) {
	for _, line := range v.Packed {
		var still []byte
		if len(line.Item.Parts) > 0 {
			still = picture(line.Item.Parts[0].Model.SHA)
		}
		p.pictured(still, 20, fmt.Sprintf("%s%d × %s", box, len(line.Pieces), line.Item.Title), line.Codes(), route.TierName(line.Item.Tier))
	}
}

// labels are a label for each piece of an order: picture, code, name, to cut apart.
func (s *Server) labels(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p, err := newPaper(v.Shop.Studio, "Labels", "Order "+v.Order.Number)
	if err == nil {
		find, known := s.stills(r), map[string][]byte{}
		for _, line := range v.Packed {
			for _, piece := range line.Pieces {
				sha := ""
				for _, part := range line.Item.Parts {
					if part.ID == piece.PartID {
						sha = part.Model.SHA
					}
				}
				if _, ok := known[sha]; !ok {
					known[sha] = find(sha)
				}
				p.pictured(known[sha], 24, piece.Code, piece.Name+", "+route.TierName(line.Item.Tier), "")
				p.rule()
			}
		}
	}
	s.sendPDF(w, r, p, err, "labels-"+v.Order.Number+".pdf")
}

func (s *Server) packingList(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p, err := newPaper(v.Shop.Studio, "Packing list", "Order "+v.Order.Number)
	if err == nil {
		p.row(v.Order.Title, 12, fontstyle.Normal)
		p.address(v.Client)
		p.packed(v, "[  ]  ", s.stills(r))
		p.rule()
		n := 0
		for _, line := range v.Packed {
			n += len(line.Pieces)
		}
		p.row(studio.Say(n, "piece")+" in all. Count them into the parcel.", 10, fontstyle.Normal)
	}
	s.sendPDF(w, r, p, err, "packing-list-"+v.Order.Number+".pdf")
}

func (s *Server) deliveryNote(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p, err := newPaper(v.Shop.Studio, "Delivery note", "Order "+v.Order.Number)
	if err == nil {
		on := v.Order.Delivered
		if on.IsZero() {
			on = v.Now
		}
		p.two(v.Order.Title, p.day(on), 12, fontstyle.Normal)
		p.address(v.Client)
		p.packed(v, "", s.stills(r))
		p.rule()
		p.head("Care")
		for _, l := range []string{"Keep it from sun, heat and a hot car; dust it softly. Paint scratches.", "A display piece, not a toy: it has small parts.", "Not for food or drink."} {
			p.row("– "+l, 10, fontstyle.Normal)
		}
		p.AddRow(14)
		p.row("Received: ______________________________", 10, fontstyle.Normal)
	}
	s.sendPDF(w, r, p, err, "delivery-note-"+v.Order.Number+".pdf")
}
