package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"github.com/shopspring/decimal"
	"github.com/spf13/cobra"

	"sakuji/app/quotes"
	"sakuji/core/finish"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// asked is an order as the command reads it.
type asked struct {
	Currency   string      `json:"currency"`
	TaxPercent *float64    `json:"tax_percent"` // default: the rates', which of the starting book is none
	Items      []askedItem `json:"items"`
	Seed       *uint64     `json:"seed"`
}

type askedItem struct {
	ID     string   `json:"id"`
	Scale  *float64 `json:"scale"`
	Copies *int     `json:"copies"`
	Tier   string   `json:"tier"`
	Route  string   `json:"route"`
	askedPart
	Parts []askedParts `json:"parts"` // in place of a file: prints that are joined

	Features     finish.Features `json:"features"`
	DetailFactor float64         `json:"detail_factor"`
	DetailWhy    string          `json:"detail_why"`
	Standard     string          `json:"standard"` // of painting: "" for display, or "fast"
	Care         finish.Care     `json:"care"`
	Worn         bool            `json:"worn"` // edges are broken
	Extras       []quote.Extra   `json:"extras"`
	Making       struct {
		Cast     bool    `json:"cast"`
		Apart    bool    `json:"apart"`
		SeamMM   float64 `json:"seam_mm"`
		Adhesive string  `json:"adhesive"` // "ca", "epoxy", "contact", "uv", "weld"; "" as the joint needs
		Scheme   string  `json:"scheme"`   // "light", "dark", "clear", "mirror"; "" mixed
	} `json:"making"`
}

// askedPart is what is printed.
type askedPart struct {
	File     string              `json:"file"`
	Process  string              `json:"process"`
	Material string              `json:"material"`
	WallMM   float64             `json:"wall_mm"`
	Profile  studio.PrintProfile `json:"profile"`
	Inside   string              `json:"inside"`
	Hidden   bool                `json:"hidden"`
	CutInto  int                 `json:"cut_into"`
	Joins    string              `json:"joins"` // "before" paint, "after" it, "loose"; "" as suggested
}

// askedParts is one of several, so many in each copy of the item.
type askedParts struct {
	askedPart
	Copies *int `json:"copies"`
}

// mostItems bounds what one order asks for.
const mostItems = 1000

// quoted is what the command answers.
type quoted struct {
	Currency string  `json:"currency"`
	Price    string  `json:"price"`
	Net      string  `json:"net"`
	Tax      string  `json:"tax"`
	Deposit  string  `json:"deposit"`
	Margin   float64 `json:"margin_percent"`
	MarkUp   float64 `json:"mark_up_percent"`
	Cost     struct {
		Expected   string `json:"expected"`
		EightInTen string `json:"eight_in_ten"`
	} `json:"cost"`
	LossChance float64        `json:"loss_chance"`
	Drivers    []quotedDriver `json:"drivers"` // what moves the cost most, with its share
	Items      []quotedItem   `json:"items"`
	Ignored    []string       `json:"ignored,omitempty"` // fields of the order that mean nothing here
}

type quotedDriver struct {
	ID    string  `json:"id"`
	What  string  `json:"what"`
	Share float64 `json:"share"`
}

type quotedItem struct {
	ID             string       `json:"id"`
	Cost           string       `json:"cost"`
	HandsMinutes   float64      `json:"hands_minutes"`
	MachineMinutes float64      `json:"machine_minutes"`
	Grams          float64      `json:"grams"`
	Lines          []quotedLine `json:"lines"`
	Troubles       []string     `json:"troubles,omitempty"` // what keeps it from being made as asked
	Advice         []string     `json:"advice,omitempty"`
}

type quotedLine struct {
	Kind    string        `json:"kind"`
	What    string        `json:"what"`
	Amount  string        `json:"amount"`
	Minutes float64       `json:"minutes,omitempty"`
	Working rates.Working `json:"working"`
}

func quoteVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "quote [--json] [--rates RATES.json] ORDER.json", Short: "Price an order from its models", Args: cobra.ExactArgs(1)}
	flags := addModelFlags(cmd)
	book := cmd.Flags().String("rates", "", "a rate book as it is exported (default: the one a new studio starts with)")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		k, err := flags.scale()
		if err != nil {
			return err
		}
		h := studio.Shop{Book: rates.Starting()}
		if *book != "" {
			data, err := readAll(*book)
			if err == nil {
				h.Book, err = rates.Read(data)
			}
			if err != nil {
				return &failed{[]string{fmt.Sprintf("%s: %v", *book, err)}}
			}
		}
		outfit(&h)
		out, f := quoteOrder(h, args[0], func(file string) (*mesh.Soup, error) { return open(file, k, flags.limits) })
		if err := f.or(); err != nil {
			return err
		}
		if *flags.json {
			return json.NewEncoder(cmd.OutOrStdout()).Encode(out)
		}
		return out.print(cmd.OutOrStdout())
	}
	return cmd
}

// readAll reads a small text file whole.
func readAll(name string) ([]byte, error) {
	f, size, err := openFile(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	const most = 64 << 20
	if size > most {
		return nil, fmt.Errorf("is larger than %d MB", most>>20)
	}
	return io.ReadAll(f)
}

// readJSON reads a text into what v points to, and lists the fields of it that nobody reads.
func readJSON(name string, v any) (ignored []string, err error) {
	data, err := readAll(name)
	if err == nil {
		err = json.Unmarshal(data, v)
	}
	var wrong *json.UnmarshalTypeError
	if errors.As(err, &wrong) && wrong.Field != "" {
		err = fmt.Errorf("%s: %s does not fit there (byte %d)", wrong.Field, wrong.Value, wrong.Offset)
	}
	if err != nil {
		return nil, err
	}
	return unreadOf(data, reflect.TypeOf(v)), nil
}

// outfit gives a house the machines and materials of its book.
func outfit(h *studio.Shop) {
	for i, k := range h.Book.Machines {
		h.Machines = append(h.Machines, studio.Machine{ID: int64(i + 1), Name: k.Name, Process: k.Process, Figures: k.Figures, Active: true})
	}
	for i, k := range h.Book.Materials {
		h.Materials = append(h.Materials, studio.Material{ID: int64(i + 1), Name: k.Name, Process: k.Process, Figures: k.Figures, Active: true})
	}
	h.Studio.TaxPercent, h.Studio.Defaults.FinishRoutes = h.Book.TaxPercent, h.Book.FinishRoutes
}

func quoteOrder(h studio.Shop, name string, read func(string) (*mesh.Soup, error)) (out quoted, f failed) {
	var o asked
	ignored, err := readJSON(name, &o)
	if err == nil {
		err = o.check(&h)
	}
	if err != nil {
		f.add(name, err)
		return out, f
	}
	out.Ignored = ignored
	models := map[string]studio.Model{} // each file is read once
	var items []studio.Item
	for i, it := range o.Items {
		item, err := it.item(h, i, func(named string) (studio.Model, error) {
			file := beside(name, named)
			if m, ok := models[file]; ok {
				return m, nil
			}
			soup, err := read(file)
			if err != nil {
				return studio.Model{}, err
			}
			m := studio.Model{ID: int64(len(models) + 1), Name: filepath.Base(file)}
			m.Measures, m.Shape = studio.MeasureModel(soup)
			if why := m.NoInside(); why != "" {
				return m, errors.New(why)
			}
			models[file] = m
			return m, nil
		})
		if err != nil {
			f.add(it.called(i), err)
			continue
		}
		items = append(items, item)
	}
	if len(f.lines) > 0 {
		return out, f
	}
	if err := out.price(h, o, items); err != nil {
		f.add(name, err)
	}
	return out, f
}

// beside is where a file named in an order lies: beside the order, or where the command runs.
func beside(order, file string) string {
	if filepath.IsAbs(file) {
		return file
	}
	if near := filepath.Join(filepath.Dir(order), file); exists(near) || !exists(file) {
		return near
	}
	return file
}

func exists(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}

func (o *asked) check(h *studio.Shop) error {
	if o.Currency = strings.ToUpper(strings.TrimSpace(o.Currency)); o.Currency == "" {
		o.Currency = "EUR"
	}
	if !studio.IsCurrency(o.Currency) {
		return fmt.Errorf("currency %q: three letters as in ISO 4217", o.Currency)
	}
	h.Studio.Currency = o.Currency
	if o.TaxPercent != nil {
		h.Studio.TaxPercent = *o.TaxPercent
	}
	if !(h.Studio.TaxPercent >= 0 && h.Studio.TaxPercent <= 100) {
		return fmt.Errorf("tax_percent: between 0 and 100")
	}
	if len(o.Items) == 0 {
		return errors.New("there is no item in it")
	}
	if len(o.Items) > mostItems {
		return fmt.Errorf("%d items; %d at most", len(o.Items), mostItems)
	}
	return nil
}

func (a askedItem) called(i int) string {
	if a.ID != "" {
		return a.ID
	}
	return fmt.Sprintf("item %d", i+1)
}

func (a askedItem) item(h studio.Shop, i int, model func(file string) (studio.Model, error)) (it studio.Item, err error) {
	it = studio.Item{ID: int64(i + 1), Title: a.called(i), Tier: a.Tier, Copies: 1, Scale: 1}
	it.Features, it.DetailFactor, it.DetailWhy, it.Standard, it.Care, it.Extras = a.Features, a.DetailFactor, a.DetailWhy, a.Standard, a.Care, a.Extras
	it.Cast, it.Apart, it.SeamMM = a.Making.Cast, a.Making.Apart, a.Making.SeamMM
	it.Adhesive, it.Scheme = a.Making.Adhesive, a.Making.Scheme
	if a.Worn {
		it.Rule.By = studio.ByHead
	}
	if a.Scale != nil {
		it.Scale = *a.Scale
	}
	if a.Copies != nil {
		it.Copies = *a.Copies
	}
	parts := a.Parts
	switch {
	case route.TierName(a.Tier) == "":
		return it, fmt.Errorf("tier %q: %s", a.Tier, strings.Join(route.Tiers(), ", "))
	case len(parts) > 0 && a.File != "":
		return it, errors.New("it has a file or parts, not both")
	case len(parts) == 0:
		parts = []askedParts{{askedPart: a.askedPart}}
	}
	if it.FinishRoute, err = finishRoute(h.Book, a.Route); err != nil {
		return it, err
	}
	for k, p := range parts {
		part, err := p.part(h, model)
		if err != nil && len(a.Parts) > 0 {
			err = fmt.Errorf("parts[%d]: %w", k, err)
		}
		if err != nil {
			return it, err
		}
		if part.Name = it.Title; len(parts) > 1 {
			part.Name = strings.TrimSuffix(part.Model.Name, filepath.Ext(part.Model.Name))
		}
		part.ID = int64(1000*(i+1) + k)
		it.Parts = append(it.Parts, part)
	}
	return it, it.Check()
}

// finishRoute is the key of a finish route that is named by key or name.
func finishRoute(b rates.Book, name string) (string, error) {
	if name == "" {
		return "", nil
	}
	var known []string
	for _, s := range finish.Routes(b) {
		if strings.EqualFold(s.Key, name) || strings.EqualFold(s.Name, name) {
			return s.Key, nil
		}
		known = append(known, s.Key)
	}
	return "", fmt.Errorf("route %q: %s", name, strings.Join(known, ", "))
}

func (a askedParts) part(h studio.Shop, model func(file string) (studio.Model, error)) (p studio.Part, err error) {
	p = studio.Part{Copies: 1, Process: a.Process, WallMM: a.WallMM, Profile: a.Profile, Inside: a.Inside, Hidden: a.Hidden, CutInto: a.CutInto, Joins: a.Joins}
	if a.Copies != nil {
		p.Copies = *a.Copies
	}
	switch {
	case !process.Known(a.Process):
		return p, fmt.Errorf("process %q: %s", a.Process, process.OrOf())
	case a.File == "":
		return p, errors.New("no file is named")
	}
	var known []string
	for _, m := range h.Materials {
		if m.Process != a.Process {
			continue
		}
		known = append(known, m.Name)
		if a.Material == "" && p.MaterialID == 0 || strings.EqualFold(m.Name, a.Material) {
			p.MaterialID = m.ID
		}
	}
	if p.MaterialID == 0 {
		return p, fmt.Errorf("material %q: the rate book has %s", a.Material, strings.Join(known, ", "))
	}
	if p.Model, err = model(a.File); err != nil {
		return p, fmt.Errorf("%s: %w", a.File, err)
	}
	p.ModelID = p.Model.ID
	return p, nil
}

// price fills in what the items cost and what is asked for them.
func (q *quoted) price(h studio.Shop, o asked, items []studio.Item) error {
	digits := studio.Digits(o.Currency)
	money := func(minor int64) string { return decimal.New(minor, -digits).StringFixed(digits) }
	var costs []quote.Item
	for i, e := range h.EstimateAll(items) {
		if len(e.Job.Parts) == 0 {
			return fmt.Errorf("%s cannot be priced: %s", items[i].Title, strings.Join(e.Troubles, "; "))
		}
		costs = append(costs, e.Item)
		out := quotedItem{ID: items[i].Title, Cost: money(e.CostMinor), HandsMinutes: e.HandsMinutes, MachineMinutes: e.MachineMinutes, Grams: e.Grams, Troubles: e.Troubles}
		for _, s := range e.Savings {
			out.Advice = append(out.Advice, s.Text)
		}
		for _, l := range e.Lines {
			out.Lines = append(out.Lines, quotedLine{l.Kind, l.What, money(l.Minor), l.Minutes, l.Working})
		}
		q.Items = append(q.Items, out)
	}
	p, err := quote.Ask(costs, h.Terms(studio.Terms{}), digits)
	if err != nil {
		return err
	}
	seed := uint64(1)
	if o.Seed != nil {
		seed = *o.Seed
	}
	r := quote.Simulate(h.Book, costs, quotes.Dice(seed), quote.Draws, digits)
	q.Currency, q.Price, q.Net, q.Tax, q.Deposit = o.Currency, money(p.TotalMinor), money(p.NetMinor), money(p.TaxMinor), money(p.DepositMinor)
	q.Margin, q.MarkUp = math.Round(p.MarginPercent*100)/100, math.Round(p.MarkUpPercent*100)/100
	q.Cost.Expected, q.Cost.EightInTen = money(r.ExpectedMinor), money(r.EightInTenMinor)
	q.LossChance = r.LossChance(p.NetMinor)
	for _, d := range r.Drivers[:min(len(r.Drivers), 10)] {
		q.Drivers = append(q.Drivers, quotedDriver{items[d.Item].Title, d.What, math.Round(d.Share*1e4) / 1e4})
	}
	return nil
}

// unreadOf lists fields of a JSON text that have none in a type, so that a slip of the pen is seen.
func unreadOf(data []byte, t reflect.Type) []string {
	var o any
	if json.Unmarshal(data, &o) != nil {
		return nil
	}
	return unread("", o, t)
}

// unread lists what of a JSON value has no field in a type.
func unread(at string, value any, t reflect.Type) (out []string) {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch v := value.(type) {
	case []any:
		for i, one := range v {
			if t.Kind() == reflect.Slice {
				out = append(out, unread(fmt.Sprintf("%s[%d]", at, i), one, t.Elem())...)
			}
		}
	case map[string]any:
		if t.Kind() != reflect.Struct {
			return nil
		}
		fields := map[string]reflect.Type{}
		for _, f := range reflect.VisibleFields(t) {
			if name, _, _ := strings.Cut(f.Tag.Get("json"), ","); name != "" {
				fields[name] = f.Type
			}
		}
		for _, key := range slices.Sorted(maps.Keys(v)) {
			path := strings.TrimPrefix(at+"."+key, ".")
			if f, ok := fields[strings.ToLower(key)]; ok {
				out = append(out, unread(path, v[key], f)...)
			} else {
				out = append(out, path)
			}
		}
	}
	return out
}

func (q quoted) print(w io.Writer) error {
	var b strings.Builder
	for _, it := range q.Items {
		fmt.Fprintf(&b, "%s: costs %s, %s of hands, %s of machine, %s g\n", it.ID, it.Cost, studio.HandsText(it.HandsMinutes), studio.Hours(it.MachineMinutes), rates.Number(it.Grams))
		for _, l := range it.Lines {
			fmt.Fprintf(&b, "  %-10s %-32s %12s\n", l.Kind, l.What, l.Amount)
		}
		for _, t := range append(slices.Clone(it.Troubles), it.Advice...) {
			fmt.Fprintf(&b, "  %s\n", t)
		}
	}
	fmt.Fprintf(&b, "cost %s expected, 8 times in 10 under %s\nnet %s + tax %s = price %s %s, deposit %s\nmargin %.0f %% of net (%.0f %% on cost), chance of a loss %.1f in 100\n",
		q.Cost.Expected, q.Cost.EightInTen, q.Net, q.Tax, q.Price, q.Currency, q.Deposit, q.Margin, q.MarkUp, 100*q.LossChance)
	for _, field := range q.Ignored {
		fmt.Fprintf(&b, "not understood and left out: %s\n", field)
	}
	_, err := io.WriteString(w, b.String())
	return err
}
