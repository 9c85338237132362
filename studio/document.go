package studio

import (
	"fmt"
	"slices"

	"sakuji/core/quote"
	"sakuji/core/solid"
)

// Document is a quote as it was sent, whole.
type Document struct {
	Studio       Studio         `json:"studio"`
	Client       Client         `json:"client"`
	Number       string         `json:"number"`
	Title        string         `json:"title"`
	Wanted       int64          `json:"wanted_ms"`
	Earliest     int64          `json:"earliest_ms,omitempty"` // when it could be ready, by summed hands and waits
	Sure         int64          `json:"sure_ms,omitempty"`     // by when it is ready in 8 futures of 10, by the plan of the studio; 0: nobody could say
	Items        []DocumentItem `json:"items"`
	Price        quote.Price    `json:"price"`
	Terms        quote.Terms    `json:"terms"`
	WageMinor    int64          `json:"wage_minor,omitempty"` // reckoned with, where the order named one
	Name         string         `json:"name,omitempty"`       // of the order as it stands, beside alternatives
	Alternatives []Alternative  `json:"alternatives,omitempty"`
	Options      []Option       `json:"options,omitempty"`
	Instead      *Instead       `json:"instead,omitempty"` // a change to what was accepted
	Included     []string       `json:"included,omitempty"`
	Excluded     []string       `json:"excluded,omitempty"`
	Colours      []string       `json:"colours"`
	Questions    []string       `json:"questions"`
	Cautions     []string       `json:"cautions"`
	PaidMinor    int64          `json:"paid_minor,omitempty"` // what had arrived when it was sent
}

// DocumentItem is one line of a sent quote.
type DocumentItem struct {
	Title    string        `json:"title"`
	Detail   string        `json:"detail"`
	Copies   int           `json:"copies"`
	SizeMM   [3]float64    `json:"size_mm"`
	Front    solid.Outline `json:"front"`
	NetMinor int64         `json:"net_minor"`
	Cost     quote.Item    `json:"cost"`
	Spec     Item          `json:"spec"` // as accepted; models left out
}

// Alternative is another way to make the order that the client may choose.
type Alternative struct {
	Name     string         `json:"name"`
	Items    []DocumentItem `json:"items"`
	Price    quote.Price    `json:"price"`
	Earliest int64          `json:"earliest_ms,omitempty"`
	Sure     int64          `json:"sure_ms,omitempty"`
	Changes  []Change       `json:"changes"`           // against the order as it stands
	Options  []OptionAt     `json:"options,omitempty"` // what each option costs beside it
	Included []string       `json:"included,omitempty"`
	Excluded []string       `json:"excluded,omitempty"`
	Cautions []string       `json:"cautions,omitempty"`
}

// OptionAt is what an option costs beside an alternative.
type OptionAt struct {
	ItemID     int64 `json:"item_id"`
	TotalMinor int64 `json:"total_minor"`
	NetMinor   int64 `json:"net_minor"`
}

// Option is an item that the client may take besides, with its price, tax included.
type Option struct {
	Item       DocumentItem `json:"item"`
	TotalMinor int64        `json:"total_minor"`
	NetMinor   int64        `json:"net_minor"`
	LaterMS    int64        `json:"later_ms,omitempty"` // by how much all is ready later with it
	Included   []string     `json:"included,omitempty"` // what it adds to what is in the price
}

// Instead says what a change to an accepted order changes.
type Instead struct {
	Revision   int      `json:"revision"`
	TotalMinor int64    `json:"total_minor"` // what was agreed
	Changes    []Change `json:"changes"`
	CallsOff   []string `json:"calls_off,omitempty"` // what was made already and would not be wanted any more, for the studio's eyes
}

// Chosen is what a client chose of what was offered.
type Chosen struct {
	Alternative int     `json:"alternative,omitempty"` // 0: as the order stands; n: the n-th alternative
	Options     []int64 `json:"options,omitempty"`     // items taken besides
}

// SameTerms reports whether a price is asked on the terms that the document has; the rate
// book's own changes do not count, a quote is frozen against them.
func (d Document) SameTerms(own Terms, now quote.Terms) bool {
	was := d.Terms
	return own.WageMinor == d.WageMinor && (own.MarginPercent == nil || *own.MarginPercent == was.MarginPercent) && now.RushPercent == was.RushPercent &&
		now.DiscountPercent == was.DiscountPercent && now.AskedMinor == was.AskedMinor && now.BeforeTax == was.BeforeTax
}

// Taken is a document after a choice: the items that hold, with their price and what is
// in it.
type Taken struct {
	Name         string
	Items        []DocumentItem
	NetMinor     int64
	TaxMinor     int64
	TotalMinor   int64
	DepositMinor int64
	Earliest     int64
	Sure         int64
	Included     []string
	Excluded     []string
	Cautions     []string
}

// Take works out what a choice comes to: the alternative with what it holds, and the
// options on top, each at its price beside that alternative.
func (d Document) Take(c Chosen) (t Taken, err error) {
	t = Taken{Name: d.Name, Items: slices.Clone(d.Items), NetMinor: d.Price.NetMinor, TotalMinor: d.Price.TotalMinor, Earliest: d.Earliest, Sure: d.Sure, Included: d.Included, Excluded: d.Excluded, Cautions: d.Cautions}
	if c.Alternative < 0 || c.Alternative > len(d.Alternatives) {
		return t, fmt.Errorf("there is no such alternative on this quote")
	}
	if c.Alternative > 0 {
		a := d.Alternatives[c.Alternative-1]
		t.Name, t.Items, t.NetMinor, t.TotalMinor, t.Earliest, t.Sure = a.Name, slices.Clone(a.Items), a.Price.NetMinor, a.Price.TotalMinor, a.Earliest, a.Sure
		if len(a.Included) > 0 {
			t.Included, t.Excluded, t.Cautions = a.Included, a.Excluded, a.Cautions
		}
	}
	t.Included = slices.Clone(t.Included)
	seen := map[int64]bool{}
	for _, id := range c.Options {
		at := slices.IndexFunc(d.Options, func(o Option) bool { return o.Item.Spec.ID == id })
		if at < 0 {
			return t, fmt.Errorf("there is no such option on this quote")
		}
		if seen[id] {
			continue
		}
		seen[id] = true
		o := d.Options[at]
		if t.Sure > 0 {
			t.Sure += o.LaterMS
		}
		net, total := d.OptionBeside(c.Alternative, id)
		o.Item.NetMinor = net
		t.Items = append(t.Items, o.Item)
		t.NetMinor += net
		t.TotalMinor += total
		for _, in := range o.Included {
			if !slices.Contains(t.Included, in) {
				t.Included = append(t.Included, in)
			}
		}
	}
	t.TaxMinor = t.TotalMinor - t.NetMinor
	t.DepositMinor = d.Terms.Deposit(t.TotalMinor)
	return t, nil
}

// OptionBeside is what an option costs beside an alternative (0: the order as quoted).
func (d Document) OptionBeside(alternative int, itemID int64) (net, total int64) {
	if alternative > 0 && alternative <= len(d.Alternatives) {
		for _, o := range d.Alternatives[alternative-1].Options {
			if o.ItemID == itemID {
				return o.NetMinor, o.TotalMinor
			}
		}
	}
	for _, o := range d.Options {
		if o.Item.Spec.ID == itemID {
			return o.NetMinor, o.TotalMinor
		}
	}
	return 0, 0
}

// AskedNow is what is to be paid on acceptance: the deposit without what has been paid.
func (d Document) AskedNow(t Taken) Money {
	return d.Studio.Money(max(0, t.DepositMinor-d.PaidMinor))
}

// Specs are the items of a taken document as they were accepted.
func (t Taken) Specs() (out []Item) {
	for _, it := range t.Items {
		out = append(out, it.Spec)
	}
	return out
}

// Specs are the items that the document offers, its options among them.
func (d Document) Specs() (out []Item) {
	for _, it := range d.Items {
		out = append(out, it.Spec)
	}
	for _, o := range d.Options {
		out = append(out, o.Item.Spec)
	}
	return out
}

// Told is the price as the terms have it told: with tax, or before it.
func (d Document) Told(netMinor, totalMinor int64) Money {
	if d.Terms.BeforeTax {
		return d.Studio.Money(netMinor)
	}
	return d.Studio.Money(totalMinor)
}

// More says what a change adds to what was agreed, or takes from it; nothing of a quote that
// changes nothing.
func (d Document) More() string {
	if d.Instead == nil {
		return ""
	}
	if more := d.Price.TotalMinor - d.Instead.TotalMinor; more != 0 {
		return MoreOrLess(d.Studio.Money(more))
	}
	return "the same price"
}

// RestoreText says where a restoration stops to ask, or nothing.
func (i DocumentItem) RestoreText(s Studio) string {
	for _, e := range i.Spec.Extras {
		if e.Kind == quote.Restore && e.StopAt > 0 {
			return fmt.Sprintf("Old pieces can turn out worse than they look. We stop and ask you before it comes to more than %s.", s.Money(quote.Minor(e.StopAt, Digits(s.Currency))))
		}
	}
	return ""
}
