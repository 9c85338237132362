package papers

import (
	"fmt"
	"sakuji/core/rates"
	"sakuji/studio"
	"time"

	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"
)

// QuotePaper is a sent quote as a PDF: what the client's page says, and where that
// page is.
func QuotePaper(q studio.Quote, link string, picture Stills) *Paper {
	d, t := q.Document, q.Taken()
	what := "Quote"
	if d.Instead != nil {
		what = "A change to order"
	}
	p := New(d.Studio, d.Title, fmt.Sprintf("%s %s, revision %d", what, d.Number, q.Revision), q.Sent).Headed()
	p.Two("for "+d.Client.Name, p.Day(q.Sent), 11, fontstyle.Normal)
	if d.Wanted != 0 {
		p.Row("wanted by "+p.Day(time.UnixMilli(d.Wanted)), 10, fontstyle.Normal)
	}
	if d.Sure != 0 {
		p.Row("ready by "+p.Day(time.UnixMilli(d.Sure)), 10, fontstyle.Normal)
	} else if d.Earliest != 0 {
		p.Row("ready at the earliest "+p.Day(time.UnixMilli(d.Earliest)), 10, fontstyle.Normal)
	}
	if d.Instead != nil {
		p.Head(fmt.Sprintf("What changes against what we agreed (revision %d, %s): %s", d.Instead.Revision, q.Money(d.Instead.TotalMinor).String(), d.More()))
		for _, c := range d.Instead.Changes {
			p.Row("– "+c.What+": "+c.Before+", now "+c.After, 10, fontstyle.Normal)
		}
	}
	p.Rule()
	if t.Name != "" {
		p.Row(t.Name, 11, fontstyle.Bold)
	}
	for _, it := range t.Items {
		p.quoted(it, q.Money(it.NetMinor).String(), picture)
	}
	p.sums(q)
	if q.State == studio.QuoteSent {
		p.offered(q)
	}
	p.Head("To accept, decline or ask")
	p.Link(link)
	for _, list := range []struct {
		head  string
		lines []string
	}{{"In the price", d.Included}, {"Not in it", d.Excluded}, {"Colours agreed", d.Colours}, {"We still ask you", d.Questions}, {"Good to know", d.Cautions}} {
		if len(list.lines) > 0 {
			p.Head(list.head)
			p.Lines(list.lines)
		}
	}
	return p
}

// quoted is a line of a quote.
func (p *Paper) quoted(it studio.DocumentItem, net string, picture Stills) {
	var still []byte
	if len(it.Spec.Parts) > 0 {
		still = picture(it.Spec.Parts[0].Model.SHA)
	}
	p.Pictured(still, 21, fmt.Sprintf("%d × %s", it.Copies, it.Title), net, it.Detail)
	if text := it.RestoreText(p.studio); text != "" {
		p.Row(text, 9, fontstyle.Normal)
	}
}

// sums are what is to be paid.
func (p *Paper) sums(q studio.Quote) {
	d, t := q.Document, q.Taken()
	p.Rule()
	p.Two("Net", q.Money(t.NetMinor).String(), 10, fontstyle.Normal)
	p.Two("Tax, "+rates.Number(d.Terms.TaxPercent)+" %", q.Money(t.TaxMinor).String(), 10, fontstyle.Normal)
	if d.Terms.DiscountPercent > 0 {
		p.Two("in it, a discount of "+rates.Number(d.Terms.DiscountPercent)+" %", d.Terms.DiscountReason, 10, fontstyle.Normal)
	}
	if d.Terms.RushPercent > 0 {
		p.Two("in it, for the rush", rates.Number(d.Terms.RushPercent)+" %", 10, fontstyle.Normal)
	}
	p.Figure("Price, tax included", q.Money(t.TotalMinor).String())
	p.Two("Deposit on acceptance", q.Money(t.DepositMinor).String(), 10, fontstyle.Normal)
	p.Row("Valid until "+p.Day(q.ValidUntil), 10, fontstyle.Normal)
}

// offered is what else the client may choose.
func (p *Paper) offered(q studio.Quote) {
	d := q.Document
	for _, a := range d.Alternatives {
		p.Head("Or: " + a.Name)
		for _, c := range a.Changes {
			p.Row("– "+c.What+": "+c.After, 10, fontstyle.Normal)
		}
		p.Two("Price, tax included", q.Money(a.Price.TotalMinor).String(), 11, fontstyle.Bold)
	}
	if len(d.Options) > 0 {
		p.Head("Optional extras")
		for _, o := range d.Options {
			p.Two(fmt.Sprintf("%d × %s, %s", o.Item.Copies, o.Item.Title, o.Item.Detail), "+ "+q.Money(o.TotalMinor).String(), 10, fontstyle.Normal)
		}
	}
}
