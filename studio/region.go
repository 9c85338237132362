package studio

import (
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/surface"
)

// Region is a part of an item's surface that is painted alike: a line of its paint plan.
type Region struct {
	ID           int64
	OrderID      int64
	ItemID       int64
	PartID       int64 // 0: of the whole
	Position     int
	Name         string
	Stage        route.StageKind // at which it is painted
	RecipeNumber int
	Only         string // numbers on the labels of the pieces that have it: 1-6, 9; empty: all
	OverID       int64  // the region that lies under it; 0: the primer
	Coats        int
	SharePercent float64        // of what is seen
	AreaMM2      float64        // as marked on the model, at its own size; 0: by its share
	EdgeMM       float64        // all around it: as marked, at the model’s own size, else as it is
	Marks        []surface.Mark // how it was marked on the model
	Mirror       string         // across which axis it is on the other side, too: x, left and right; y, front and back
	Care         string         // CareFocal, CareToned; empty: as usual
	Way          string         // finish.ByBrush, ByMask or ByRoll
	Stop         string         // where to stop
	StopSHA      string         // and a picture of it
}

// Seen tells one state of a region from another, for a form that shows it.
func (r Region) Seen() string {
	h := fnv.New64a()
	fmt.Fprint(h, r.PartID, r.Name, r.Stage, r.RecipeNumber, r.Only, r.OverID, r.Coats, r.SharePercent, r.EdgeMM, r.Care, r.Way, r.Stop)
	return strconv.FormatUint(h.Sum64(), 36)
}

// Care of a region.
const (
	CareFocal = "focal" // it gets the hours
	CareToned = "toned" // it is toned down
)

// PaintStages are the stages at which regions are painted, in the order of work.
func PaintStages() []route.StageKind {
	return route.Those(func(t route.Traits) bool { return t.Colour || t.Kind == route.Prime })
}

// Check says what is wrong with a region.
func (r Region) Check() error {
	var wrong rates.Invalid
	wrong.Need(strings.TrimSpace(r.Name) != "" && utf8.RuneCountInString(r.Name) <= 100, "name", "a region needs a name of at most 100 letters")
	wrong.Need(OneOf(r.Stage, PaintStages()...), "stage", "nothing is painted at that stage")
	wrong.Need(r.RecipeNumber > 0, "recipe", "with which recipe?")
	_, err := r.spans()
	wrong.Need(err == nil, "only", "%v", err)
	wrong.Need(r.Coats >= 1 && r.Coats <= 30, "coats", "between 1 and 30 coats")
	wrong.Need(r.SharePercent > 0 && r.SharePercent <= 100, "share", "how much of what is seen: more than 0, at most 100 %%")
	wrong.Need(r.EdgeMM >= 0 && r.EdgeMM <= 1e6, "edge", "edge: between 0 and 1,000 m")
	wrong.Need(OneOf(r.Care, "", CareFocal, CareToned), "care", "care is as usual, focal or toned down")
	wrong.Need(OneOf(r.Way, finish.RaisedWaysKnown()...), "way", "it is brushed, masked or rolled")
	wrong.Need(utf8.RuneCountInString(r.Stop) <= 300, "stop", "at most 300 letters")
	return wrong.Err()
}

// Of reports whether a piece has the region: a print has those of its part and of the whole, what is joined of several
// has all.
func (r Region) Of(p Piece) bool {
	return r.ItemID == p.ItemID && r.has(numberOf(p.Code)) && (r.PartID == 0 || r.PartID == p.PartID || p.Kind == KindAssembly) && !OneOf(p.Kind, StaysHere()...)
}

// MostMarks is how many marks a region has at the most.
const MostMarks = 400

// Axes are the axes that a region may be mirrored across.
func Axes() []string { return []string{"", "x", "y"} }

// Marking is a region on its model, at the model's own size.
type Marking struct {
	surface.Measured
	In    []bool
	Other surface.Measured // the other side by itself, where it is mirrored
	Own   surface.Measured // this side by itself
}

// Marked is what the marks of a region have of a surface, with those on the other side where it is mirrored.
func Marked(s *surface.Surface, marks []surface.Mark, mirror string) (m Marking, err error) {
	var wrong rates.Invalid
	wrong.Need(len(marks) <= MostMarks, "marks", "a region has at most %d marks", MostMarks)
	wrong.Need(OneOf(mirror, Axes()...), "mirror", "it is mirrored left and right, or front and back")
	for _, k := range marks {
		wrong.Need(k.RadiusMM >= 0 && k.RadiusMM <= 2000 && k.EdgeDeg >= 0 && k.EdgeDeg <= 180, "marks", "a dab is at most 2,000 mm wide, an edge has at most 180°")
	}
	if err := wrong.Err(); err != nil {
		return m, err
	}
	m.In = s.Region(marks)
	if m.Own = s.Measure(m.In); mirror != "" {
		axis := map[string]int{"x": 0, "y": 1}[mirror]
		other := s.Region(s.Mirrored(marks, axis))
		m.Other = s.Measure(other)
		for t, in := range other {
			m.In[t] = m.In[t] || in
		}
	}
	m.Measured = s.Measure(m.In)
	return m, nil
}

// Text says how large it is.
func (m Marking) Text() string {
	if m.Triangles == 0 {
		return "Nothing is marked yet."
	}
	text := fmt.Sprintf("%s cm², edge %s cm, %s", rates.Number(m.AreaMM2/100), rates.Number(m.EdgeMM/10), Say(m.Pieces, "piece"))
	if m.Other.Triangles > 0 {
		text += fmt.Sprintf("; this side %s cm², the other %s cm²", rates.Number(m.Own.AreaMM2/100), rates.Number(m.Other.AreaMM2/100))
		if d := math.Abs(m.Own.AreaMM2-m.Other.AreaMM2) / max(m.Own.AreaMM2, m.Other.AreaMM2); d > unlike {
			text += fmt.Sprintf(": they differ by %.0f %%, compare them before you paint", 100*d)
		}
	}
	return text + "."
}

// unlike is from which share on two sides are not alike. Source: from memory.
const unlike = 0.05

// numberOf is the number of a piece on its label, behind that of its order; what is made of several parts has its
// parts' letters behind it.
func numberOf(code string) int {
	digits := code[strings.LastIndex(code, "-")+1:]
	if end := strings.IndexFunc(digits, func(c rune) bool { return c < '0' || c > '9' }); end >= 0 {
		digits = digits[:end]
	}
	n, _ := strconv.Atoi(digits)
	return n
}

// span is a run of numbers on labels.
type span struct{ from, to int }

// spans reads the numbers that a region is only for.
func (r Region) spans() (out []span, err error) {
	for _, word := range strings.FieldsFunc(r.Only, func(c rune) bool { return c == ',' || c == ';' || c == ' ' }) {
		a, b, run := strings.Cut(strings.ReplaceAll(word, "–", "-"), "-")
		if !run {
			b = a
		}
		from, err := strconv.Atoi(a)
		to, e := strconv.Atoi(b)
		if err != nil || e != nil || from < 1 || to < from || to > 1e6 {
			return nil, fmt.Errorf("%q: say the numbers on the labels, as in 1-6, 9", r.Only)
		}
		out = append(out, span{from, to})
	}
	return out, nil
}

// has reports whether the piece of a number has the region.
func (r Region) has(number int) bool {
	spans, err := r.spans()
	return err != nil || len(spans) == 0 || slices.ContainsFunc(spans, func(s span) bool { return s.from <= number && number <= s.to })
}

// Copies is how many of so many copies have the region.
func (r Region) Copies(of int) (n int) {
	spans, _ := r.spans()
	for _, s := range spans {
		n += s.to - s.from + 1
	}
	if n == 0 {
		return of
	}
	return min(n, of)
}

// Wants reports whether a stage of a kind is still to come of a piece.
func (p Piece) Wants(kind route.StageKind) bool {
	return slices.ContainsFunc(p.Stages, func(s Stage) bool { return s.Kind == kind && s.Mark == route.Todo })
}

// RegionMM2 is the area of a region on one copy of its item, with how it was worked out.
func (h Shop) RegionMM2(it Item, r Region) rates.Working {
	k := rates.Of("scale", it.Scale, "×", rates.Ours)
	if r.AreaMM2 > 0 {
		w := rates.Working{Formula: "marked × scale² × parts", Inputs: []rates.Figure{rates.Of("as marked on the model", r.AreaMM2/100, "cm²", rates.Mesh), k}}
		sum := 0.0
		for _, p := range it.prints() {
			sum += float64(p.Copies) * h.partMM2(it, r, p)
		}
		w.Result = rates.Of("area", sum, "mm²", rates.Mesh)
		return w
	}
	seen, own := 0.0, r
	own.SharePercent = 100
	for _, p := range it.prints() {
		seen += float64(p.Copies) * h.partMM2(it, own, p)
	}
	share := rates.Of("share of it", r.SharePercent, "%", rates.Ours)
	return rates.Working{Formula: "seen × share", Inputs: []rates.Figure{rates.Of("seen, of one copy", seen/100, "cm²", rates.Mesh), share},
		Result: rates.Of("area", seen*r.SharePercent/100, "mm²", rates.Derived)}
}

// partMM2 is the area of a region on one print of a part.
func (h Shop) partMM2(it Item, r Region, p Part) float64 {
	switch {
	case r.PartID != 0 && r.PartID != p.ID:
		return 0
	case r.AreaMM2 > 0:
		return r.AreaMM2 * it.Scale * it.Scale
	}
	return h.finishPart(p.Model, p, it).Painted() * r.SharePercent / 100
}

// RegionOnMM2 is its area on a piece.
func (h Shop) RegionOnMM2(it Item, r Region, p Piece) float64 {
	if p.Kind == KindAssembly {
		return h.RegionMM2(it, r).Result.Value
	}
	for _, part := range it.prints() {
		if part.ID == p.PartID {
			return h.partMM2(it, r, part)
		}
	}
	return 0
}

// CoverOf is how many coats of a recipe a region takes until it is even, by what lies under it and by swatches of it;
// false: a colour is not known.
func (r Region) CoverOf(it Item, regions []Region, recipes []Recipe, swatches []Swatch) (finish.Cover, bool) {
	own, ok := RecipeOf(recipes, r.RecipeNumber)
	over, err := finish.ParseColour(own.Colour)
	if !ok || err != nil || !OneOf(own.Medium, route.AcrylicPaint, route.CanPaint) {
		return finish.Cover{}, false
	}
	primer, _ := finish.PrimerFor(it.Scheme, finish.Schools{})
	under, known := finish.PrimerColour(primer), true
	if at := slices.IndexFunc(regions, func(o Region) bool { return o.ID == r.OverID && r.OverID != 0 }); at >= 0 {
		below, _ := RecipeOf(recipes, regions[at].RecipeNumber)
		if under, err = finish.ParseColour(below.Colour); err != nil {
			known = false
		}
	}
	var took []int
	for _, s := range swatches {
		ground, err := finish.ParseColour(s.OverColour)
		if s.RecipeID == own.ID && s.Verdict != VerdictNo && err == nil && known && ground.Differs(under) < alike {
			took = append(took, s.Coats)
		}
	}
	return finish.CoverOf(under, over, took), known
}

// alike is up to what difference the grounds of two swatches are one, to the eye. Source: from memory.
const alike = 15

// Ways compares brushing a region with masking it and with rolling it on, the quickest first; nil where nobody knows
// how long its edge is.
func (h Shop) Ways(r Region, it Item) []finish.RaisedWay {
	edge := r.EdgeMM
	if r.AreaMM2 > 0 { // as marked on the model
		edge *= it.Scale
	}
	return finish.RegionWays(h.Book, h.RegionMM2(it, r).Result.Value, edge, r.Coats)
}

// Unsigned are the colours of a paint plan that nobody has signed off on a swatch for an order, at a stage; at the
// joining of painted parts, those of all stages.
func Unsigned(regions []Region, recipes []Recipe, swatches []Swatch, orderID int64, kind route.StageKind) (out []Recipe) {
	for _, r := range regions {
		own, ok := RecipeOf(recipes, r.RecipeNumber)
		if !ok || !own.Tried() || r.Stage != kind && kind != route.JoinAfter {
			continue
		}
		if _, signed := Signed(swatches, own.ID, orderID); !signed && !slices.ContainsFunc(out, func(o Recipe) bool { return o.ID == own.ID }) {
			out = append(out, own)
		}
	}
	return out
}

// UnsignedText says so; empty: all are.
func UnsignedText(list []Recipe) string {
	if len(list) == 0 {
		return ""
	}
	var names []string
	for _, r := range list {
		names = append(names, fmt.Sprintf("%s (%s)", r.Name, r.Code()))
	}
	return fmt.Sprintf("Nobody has signed off %s on a swatch.", joinAnd(names))
}
