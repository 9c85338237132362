package quotes

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/format/csv"
	"sakuji/studio"
)

// Working writes an order's every line with its formula and inputs as CSV.
func (s OrderSheet) Working() []byte {
	var list [][]csv.Cell
	digits := studio.Digits(s.Shop.Studio.Currency)
	line := func(item, kind, what string, minor int64, minutes float64, work rates.Working) {
		var in []string
		for _, f := range work.Inputs {
			in = append(in, fmt.Sprintf("%s = %s %s (%s)", f.Label, rates.Number(f.Value), strings.ReplaceAll(f.Unit, "¤", s.Shop.Studio.Currency), f.Source))
		}
		amount := strconv.FormatFloat(quote.Units(minor, digits), 'f', int(digits), 64)
		list = append(list, []csv.Cell{csv.Text(item), csv.Text(kind), csv.Text(what), csv.Figure(amount), csv.Figure(rates.Number(minutes)), csv.Text(work.Formula), csv.Text(strings.Join(in, "; "))})
	}
	for _, it := range s.Items {
		title := it.Title
		if it.Option {
			title += " (option)"
		}
		for _, l := range it.Estimate.Lines {
			line(title, l.Kind, l.What, l.Minor, l.Minutes, l.Working)
		}
	}
	for _, st := range s.Price.Steps {
		line("", "price", st.What, st.Minor, 0, st.Working)
	}
	line("", "price", "price", s.Price.TotalMinor, 0, s.Price.Working)
	return csv.Write([]string{"item", "kind", "what", "amount " + s.Shop.Studio.Currency, "minutes", "formula", "inputs"}, list)
}

// Summary is a quote in plain text, to paste into a message.
func Summary(q studio.Quote, link string) string {
	d := q.Document
	var b strings.Builder
	day := func(t time.Time) string { return t.In(d.Studio.Zone()).Format("2 January 2006") }
	told := func(net, total int64) string { return d.Told(net, total).String() }
	tax := map[bool]string{true: "before tax", false: "tax included"}[d.Terms.BeforeTax]
	fmt.Fprintf(&b, "%s\n%s, quote %s, revision %d\n\n", d.Studio.Name, d.Title, d.Number, q.Revision)
	if d.Name != "" {
		fmt.Fprintf(&b, "%s\n", d.Name)
	}
	for _, it := range d.Items {
		fmt.Fprintf(&b, "%d × %s (%s)\n", it.Copies, it.Title, it.Detail)
	}
	fmt.Fprintf(&b, "Price: %s, %s\n", told(d.Price.NetMinor, d.Price.TotalMinor), tax)
	for _, a := range d.Alternatives {
		fmt.Fprintf(&b, "Or %s: %s\n", a.Name, told(a.Price.NetMinor, a.Price.TotalMinor))
	}
	for _, o := range d.Options {
		fmt.Fprintf(&b, "Optional extra: %s, %s\n", o.Item.Title, told(o.NetMinor, o.TotalMinor))
	}
	if d.Instead != nil {
		fmt.Fprintf(&b, "In place of %s, as agreed in revision %d: %s.\n", d.Studio.Money(d.Instead.TotalMinor), d.Instead.Revision, d.More())
	}
	fmt.Fprintf(&b, "Deposit on acceptance: %s\n", d.Studio.Money(d.Terms.Deposit(d.Price.TotalMinor)))
	if d.Sure != 0 {
		fmt.Fprintf(&b, "Ready by: %s, if you say yes now\n", day(time.UnixMilli(d.Sure)))
	} else if d.Earliest != 0 {
		fmt.Fprintf(&b, "Ready at the earliest: %s, if you say yes now\n", day(time.UnixMilli(d.Earliest)))
	}
	fmt.Fprintf(&b, "Included: %s.\n", strings.Join(d.Included, "; "))
	fmt.Fprintf(&b, "Not included: %s.\n", strings.Join(d.Excluded, "; "))
	for _, ask := range d.Questions {
		fmt.Fprintf(&b, "We still ask you: %s\n", ask)
	}
	fmt.Fprintf(&b, "\nValid until %s. Look at it and answer here: %s\n", day(q.ValidUntil), link)
	return b.String()
}
