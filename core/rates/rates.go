// Package rates is the rate book: the studio's prices and speeds, each a figure
// with its unit and where it came from, and the workings that tell how a number
// was made of others. starting.json beside this file is the book a new studio
// begins with; its values are common practice or from memory, as each one says.
package rates

import (
	"bytes"
	_ "embed"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
)

// Where a figure came from.
const (
	Ours     = "ours"
	Logged   = "from the logbook"
	Practice = "common practice"
	Memory   = "from memory"
	Mesh     = "from the mesh"
	Derived  = "worked out"
)

// Figure is a number that says what it is. In units, "¤" stands for the studio's
// currency.
type Figure struct {
	Label  string  `json:"label,omitempty"`
	Value  float64 `json:"value"`
	Unit   string  `json:"unit"`
	Source string  `json:"source"`
}

// Of makes a figure.
func Of(label string, value float64, unit, source string) Figure {
	return Figure{label, value, unit, source}
}

// Text is the value with its unit, to at most four significant digits.
func (f Figure) Text() string { return Number(f.Value) + " " + f.Unit }

// Number writes a number as people read it: four significant digits at most, no
// trailing zeros, no exponent.
func Number(v float64) string {
	if v == 0 || math.IsNaN(v) || math.IsInf(v, 0) {
		return "0"
	}
	digits := 3 - int(math.Floor(math.Log10(math.Abs(v))))
	if digits < 0 {
		digits = 0
	}
	shift := math.Pow(10, float64(digits))
	return strconv.FormatFloat(math.Round(v*shift)/shift, 'f', -1, 64)
}

// Working is the formula behind one number and what went into it.
type Working struct {
	Formula string   `json:"formula"`
	Inputs  []Figure `json:"inputs"`
	Result  Figure   `json:"result"`
}

// Key is under what the book has a rate. A test holds that the starting book has every key that the program names.
type Key string

// K puts a key together of its words, "station", "wash", "width".
func K(words ...string) Key { return Key(strings.Join(words, ".")) }

// FigureKey is under what a machine or a material has a figure, held alike to those of the starting templates.
type FigureKey string

// Set is figures by key, as machines and materials carry them.
type Set map[FigureKey]Figure

// V returns the value under a key. One that is missing is worth nothing where machines or materials of another sort
// have it; asking for one that none has is a mistake in the program.
func (s Set) V(key FigureKey) float64 {
	f, ok := s[key]
	if !ok && !known(key) {
		panic("no figure " + string(key))
	}
	return f.Value
}

// known reports whether a template of the starting book has a figure.
func known(key FigureKey) bool {
	has := func(t Template) bool { _, ok := t.Figures[key]; return ok }
	return slices.ContainsFunc(Starting().Machines, has) || slices.ContainsFunc(Starting().Materials, has)
}

// Filled returns s with every figure of base that s lacks.
func (s Set) Filled(base Set) Set {
	out := maps.Clone(base)
	if out == nil {
		out = Set{}
	}
	maps.Copy(out, s)
	return out
}

// Template is a machine or a material to start from.
type Template struct {
	Name    string `json:"name"`
	Process string `json:"process"`
	Figures Set    `json:"figures"`
}

// Entry is one rate of the book, under its key.
type Entry struct {
	Key   Key    `json:"key"`
	Group string `json:"group"`
	Figure
	Min float64 `json:"min,omitempty"`
	Max float64 `json:"max,omitempty"` // 0: no upper bound
}

// FinishRoute is how a print is made smooth, as the book writes it: steps of core/finish by name,
// each with its papers and the share of the surface that it goes over, "sand primer P180 P320",
// "spot putty 15 %". Source of those in the starting book: common practice.
type FinishRoute struct {
	Key    string   `json:"key"`
	Name   string   `json:"name"`
	How    string   `json:"how"`
	Suits  string   `json:"suits,omitempty"`
	Before string   `json:"before,omitempty"` // what it is not for, or wants
	Thick  Key      `json:"thick,omitempty"`  // the figure by which it thickens the part on every face
	Steps  []string `json:"steps"`
}

// Book is a whole rate book.
type Book struct {
	Rates        []Entry           `json:"rates"`
	Machines     []Template        `json:"machines"`
	Materials    []Template        `json:"materials"`
	Routes       []FinishRoute     `json:"routes,omitempty"`      // finish routes
	TaxPercent   float64           `json:"tax_percent,omitempty"` // of an exported book: the studio's
	FinishRoutes map[string]string `json:"schools,omitempty"`     // likewise: its finish routes, by "process tier"
	index        map[Key]int
}

//go:embed starting.json
var starting []byte

// begins is the book that a new studio begins with, with what was added to it.
var begins atomic.Pointer[Book]

// Starting returns the book that a new studio begins with.
func Starting() Book {
	if b := begins.Load(); b != nil {
		return *b
	}
	b, err := Parse(starting)
	if err != nil {
		panic("the starting rate book: " + err.Error())
	}
	begins.CompareAndSwap(nil, &b)
	return *begins.Load()
}

// Further puts the rates, machines and materials of a further process into the starting book, when the program starts.
func Further(more Book) {
	was := Starting()
	b := Book{Rates: append(slices.Clone(was.Rates), more.Rates...), Machines: append(slices.Clone(was.Machines), more.Machines...),
		Materials: append(slices.Clone(was.Materials), more.Materials...), Routes: was.Routes}
	b, err := Parse(b.Export())
	if err != nil {
		panic("what is added to the starting rate book: " + err.Error())
	}
	begins.Store(&b)
}

// Parse reads a book and checks that every figure has a unit and a source.
func Parse(data []byte) (Book, error) {
	var b Book
	if err := json.Unmarshal(data, &b); err != nil {
		return Book{}, err
	}
	b.index = map[Key]int{}
	for i, e := range b.Rates {
		if e.Key == "" || e.Unit == "" || e.Source == "" || e.Label == "" {
			return Book{}, fmt.Errorf("rate %d %q lacks a key, label, unit or source", i+1, e.Key)
		}
		if _, twice := b.index[e.Key]; twice {
			return Book{}, fmt.Errorf("rate %q stands twice", e.Key)
		}
		b.index[e.Key] = i
	}
	for _, k := range append(append([]Template{}, b.Machines...), b.Materials...) {
		for key, f := range k.Figures {
			if f.Unit == "" || f.Source == "" || f.Label == "" {
				return Book{}, fmt.Errorf("%s: %q lacks a label, unit or source", k.Name, key)
			}
		}
	}
	return b, nil
}

// Read reads a book as Export or a person wrote it. What it leaves out is as in the
// starting book.
func Read(data []byte) (Book, error) {
	b, err := Parse(data)
	if err != nil {
		return Book{}, err
	}
	start := Starting()
	for _, e := range b.Rates {
		if !start.Has(e.Key) {
			return Book{}, fmt.Errorf("no rate is called %q", e.Key)
		}
		if err := start.Check(e.Key, e.Value); err != nil {
			return Book{}, err
		}
	}
	if !(b.TaxPercent >= 0 && b.TaxPercent <= 100) {
		return Book{}, fmt.Errorf("tax is between 0 and 100 %%, not %g", b.TaxPercent)
	}
	for _, e := range start.Rates {
		if !b.Has(e.Key) {
			b.index[e.Key] = len(b.Rates)
			b.Rates = append(b.Rates, e)
		}
	}
	b.Routes = start.WithRoutes(b.Routes).Routes
	if len(b.Machines) == 0 {
		b.Machines = start.Machines
	}
	if len(b.Materials) == 0 {
		b.Materials = start.Materials
	}
	for _, k := range append(append([]Template{}, b.Machines...), b.Materials...) {
		for key, f := range k.Figures {
			if !Sane(f.Value) {
				return Book{}, fmt.Errorf("%s, %s: %g %s is hard to believe", k.Name, key, f.Value, f.Unit)
			}
		}
	}
	return b, nil
}

// WithRoutes is the book with finish routes in place of those of the same key, or after all.
func (b Book) WithRoutes(own []FinishRoute) Book {
	b.Routes = slices.Clone(b.Routes)
	for _, r := range own {
		if at := slices.IndexFunc(b.Routes, func(o FinishRoute) bool { return o.Key == r.Key }); at >= 0 {
			b.Routes[at] = r
		} else {
			b.Routes = append(b.Routes, r)
		}
	}
	return b
}

// Export writes the whole book as JSON, which Read takes.
func (b Book) Export() []byte {
	out, err := json.MarshalIndent(b, "", "  ")
	if err != nil {
		panic(err) // figures are finite and the rest is text
	}
	return append(out, '\n')
}

// ExportCSV writes the rates as CSV: key, group, label, value, unit, source.
func (b Book) ExportCSV() []byte {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Write(csvHead) //nolint:errcheck // into memory
	for _, e := range b.Rates {
		value := strconv.FormatFloat(e.Value, 'f', -1, 64)
		w.Write([]string{string(e.Key), e.Group, e.Label, value, e.Unit, e.Source}) //nolint:errcheck // into memory
	}
	w.Flush()
	return out.Bytes()
}

var csvHead = []string{"key", "group", "label", "value", "unit", "source"}

// ReadValues reads rates by key from a book's JSON or CSV; of CSV the columns key and value
// count. An error says in which line what is wrong; nothing is taken by halves.
func ReadValues(data []byte) (map[Key]float64, error) {
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	values := map[Key]float64{}
	if bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")) {
		var b Book
		if err := json.Unmarshal(data, &b); err != nil {
			return nil, errors.New("its JSON is damaged, or not that of a rate book")
		}
		for i, e := range b.Rates {
			if err := Starting().Check(e.Key, e.Value); err != nil {
				return nil, fmt.Errorf("rate %d: %w", i+1, err)
			}
			values[e.Key] = e.Value
		}
		return values, nil
	}
	r := csv.NewReader(bytes.NewReader(data))
	head, err := r.Read()
	if err != nil {
		return nil, errors.New("this is neither a rate book’s JSON nor CSV")
	}
	key, value := slices.Index(head, "key"), slices.Index(head, "value")
	if key < 0 || value < 0 {
		return nil, errors.New("line 1: the columns key and value are missing")
	}
	for {
		row, err := r.Read()
		if err == io.EOF {
			return values, nil
		}
		if err != nil {
			return nil, err
		}
		line, _ := r.FieldPos(0)
		v, err := strconv.ParseFloat(strings.TrimSpace(row[value]), 64)
		if err != nil {
			return nil, fmt.Errorf("line %d: %q is not a number", line, row[value])
		}
		if err := Starting().Check(Key(row[key]), v); err != nil {
			return nil, fmt.Errorf("line %d: %w", line, err)
		}
		values[Key(row[key])] = v
	}
}

// Get returns the figure under a key. Asking for a key that no book has is a
// mistake in the program.
func (b Book) Get(key Key) Figure {
	i, ok := b.index[key]
	if !ok {
		panic("no rate " + string(key))
	}
	return b.Rates[i].Figure
}

// V returns the value under a key.
func (b Book) V(key Key) float64 { return b.Get(key).Value }

// With returns the book with the studio's own values in place of the book's.
// Keys that the book does not know are left out.
func (b Book) With(own map[Key]float64) Book {
	rates := append([]Entry{}, b.Rates...)
	for i, e := range rates {
		if v, ok := own[e.Key]; ok && v != e.Value {
			rates[i].Value, rates[i].Source = v, Ours
		}
	}
	b.Rates = rates
	return b
}

// Greatest and Least bound every figure that is not nothing: beyond them it is a slip,
// and sums would leave what numbers can hold.
const (
	Greatest = 1e7
	Least    = 1e-6
)

// Sane reports whether a figure is nothing, or within what figures can be.
func Sane(v float64) bool { return v == 0 || v >= Least && v <= Greatest }

// Check says what is wrong with a value for a key, or nil.
func (b Book) Check(key Key, v float64) error {
	i, ok := b.index[key]
	if !ok {
		return fmt.Errorf("no rate is called %q", key)
	}
	e := b.Rates[i]
	if v >= e.Min && !Sane(v) {
		return fmt.Errorf("%s: %g %s is hard to believe", e.Label, v, e.Unit)
	}
	if math.IsNaN(v) || v < e.Min || e.Max > 0 && v > e.Max {
		if e.Max > 0 {
			return fmt.Errorf("%s: between %s and %s %s, not %s", e.Label, Number(e.Min), Number(e.Max), e.Unit, Number(v))
		}
		return fmt.Errorf("%s: %s %s or more, not %s", e.Label, Number(e.Min), e.Unit, Number(v))
	}
	return nil
}

// Has reports whether the book has a rate under the key.
func (b Book) Has(key Key) bool {
	_, ok := b.index[key]
	return ok
}
