package studio

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Recipe is a paint, or a mix of paints, and how it is laid; what makers call a paint is the studio's own entry. One
// that was used is not changed any more: it has a new version.
type Recipe struct {
	ID             int64
	Number         int // the same for all its versions
	Version        int
	Name           string
	Medium         route.Medium
	Coat           route.Coat // what it is thinned with
	Colour         string     // #rrggbb; empty: nobody has said
	Paints         []PaintPart
	Thinner        string
	ThinnerPercent float64 // of the paint
	Tool           string
	PressureBar    float64
	Coats          int
	FilmUM         float64 // dry, of a coat; 0: as the rate book has it
	SolidsPercent  float64 // by volume; 0: as the rate book has it
	Over           string  // what it is meant to go over
	OverColour     string
	Note           string
	At             time.Time
	ByID           int64
}

// PaintPart is how much of a paint a mix takes.
type PaintPart struct {
	Paint string  `json:"paint"`
	Parts float64 `json:"parts"`
}

// RecipeMark begins what stands on a pot: no piece's code begins so, nor a place's.
const RecipeMark = "R"

// Code is what stands on a pot of it.
func (r Recipe) Code() string { return fmt.Sprintf("%s%d", RecipeMark, r.Number) }

// Check says what is wrong with a recipe.
func (r Recipe) Check() error {
	var wrong rates.Invalid
	short := func(text string, most int) bool { return utf8.RuneCountInString(text) <= most }
	wrong.Need(strings.TrimSpace(r.Name) != "" && short(r.Name, 100), "name", "a recipe needs a name of at most 100 letters")
	wrong.Need(OneOf(r.Medium, route.Media()...) && r.Medium.IsCoat() || r.Medium == route.SandOrWash, "medium",
		"a recipe is of a paint, a wash, a primer or a clear coat")
	wrong.Need(OneOf(r.Coat, route.Coats()...), "coat", "it is thinned with water, spirits or lacquer thinner")
	wrong.Need(OneOf(r.Tool, finish.Tools()...), "tool", "there is no tool %s", r.Tool)
	wrong.Need(len(r.Paints) > 0 && len(r.Paints) <= 12, "paint", "say which paint it is, or at most 12 of which it is mixed")
	for _, p := range r.Paints {
		wrong.Need(p.Paint != "" && short(p.Paint, 100), "paint", "a paint needs a name of at most 100 letters")
		wrong.Need(p.Parts > 0 && p.Parts <= 1000, "parts", "%s: between 0 and 1,000 parts", p.Paint)
	}
	wrong.Need(r.Coats >= 1 && r.Coats <= 30, "coats", "between 1 and 30 coats")
	wrong.Need(r.ThinnerPercent >= 0 && r.ThinnerPercent <= 1000, "thinner_percent", "thinner: between 0 and 1,000 %% of the paint")
	wrong.Need(r.ThinnerPercent == 0 || r.Thinner != "", "thinner", "thinned with what?")
	wrong.Need(r.PressureBar >= 0 && r.PressureBar <= 10, "pressure", "pressure: between 0 and 10 bar")
	wrong.Need(r.FilmUM >= 0 && r.FilmUM <= 2000, "film", "film: between 0 and 2,000 µm")
	wrong.Need(r.SolidsPercent >= 0 && r.SolidsPercent <= 100, "solids", "volume solids: between 0 and 100 %%")
	wrong.Need(short(r.Thinner, 100) && short(r.Over, 100) && short(r.Note, 1000), "note", "at most 100 letters for thinner and ground, 1,000 for the note")
	for field, text := range map[string]string{"colour": r.Colour, "over_colour": r.OverColour} {
		if _, err := finish.ParseColour(text); text != "" && err != nil {
			wrong.Need(false, field, "%s", err)
		}
	}
	return wrong.Err()
}

// Tried reports whether a colour has to be signed off on a swatch before a piece is painted with it: what lies under
// all of it, or over all, is not.
func (r Recipe) Tried() bool {
	return !OneOf(r.Medium, route.Primer, route.FillerPrimer, route.ClearCoat)
}

// Laying is a coat of it.
func (r Recipe) Laying(coats int) finish.Laying {
	return finish.Laying{Medium: r.Medium, Tool: r.Tool, Coats: coats, FilmUM: r.FilmUM, SolidsPercent: r.SolidsPercent, ThinnerPercent: r.ThinnerPercent}
}

// Split is what an amount of it is mixed of.
func (r Recipe) Split(ml float64) []finish.Share {
	var paints []finish.Share
	for _, p := range r.Paints {
		paints = append(paints, finish.Share{What: p.Paint, ML: p.Parts})
	}
	return finish.Split(ml, paints, r.Thinner, r.ThinnerPercent)
}

// Text says what it is made of and how it is laid.
func (r Recipe) Text() string {
	var words []string
	for _, p := range r.Paints {
		if len(r.Paints) == 1 {
			words = append(words, p.Paint)
			break
		}
		words = append(words, rates.Number(p.Parts)+" "+p.Paint)
	}
	text := strings.Join(words, " : ")
	if r.ThinnerPercent > 0 {
		text += fmt.Sprintf(", %s %% %s", rates.Number(r.ThinnerPercent), r.Thinner)
	}
	if text += "; " + r.Tool; r.PressureBar > 0 {
		text += fmt.Sprintf(" at %s bar", rates.Number(r.PressureBar))
	}
	if text += ", " + Say(r.Coats, "coat"); r.Over != "" {
		text += " over " + r.Over
	}
	return text
}

// Swatch is a patch of a recipe that was laid to be looked at.
type Swatch struct {
	ID         int64
	RecipeID   int64
	OrderID    int64 // for which it was laid; 0: none yet
	Over       string
	OverColour string
	Coats      int // that it took
	Colour     string
	PhotoSHA   string
	Note       string
	At         time.Time
	ByID       int64
	Verdict    string // VerdictYes, VerdictNo; empty: nobody has said
	JudgedBy   string // in words
	Judged     time.Time
	JudgedNote string
}

// What is said of a swatch.
const (
	VerdictYes = "yes"
	VerdictNo  = "no"
)

// Check says what is wrong with a swatch.
func (s Swatch) Check() error {
	var wrong rates.Invalid
	wrong.Need(s.Coats >= 1 && s.Coats <= 30, "coats", "how many coats did it take? Between 1 and 30")
	wrong.Need(utf8.RuneCountInString(s.Over) <= 100 && utf8.RuneCountInString(s.Note) <= 1000, "note", "at most 100 letters for the ground, 1,000 for the note")
	for field, text := range map[string]string{"colour": s.Colour, "over_colour": s.OverColour} {
		if _, err := finish.ParseColour(text); text != "" && err != nil {
			wrong.Need(false, field, "%s", err)
		}
	}
	return wrong.Err()
}

// Judge notes what somebody said of a swatch: signed off, or not, and then why.
func (s Swatch) Judge(verdict, by, note string, at time.Time) (Swatch, error) {
	var wrong rates.Invalid
	by, note = strings.TrimSpace(by), strings.TrimSpace(note)
	wrong.Need(OneOf(verdict, VerdictYes, VerdictNo), "verdict", "signed off, or not?")
	wrong.Need(by != "" && utf8.RuneCountInString(by) <= 100, "by", "who said so? At most 100 letters")
	wrong.Need(verdict != VerdictNo || note != "", "note", "say what is wrong with it: too dark, too warm")
	wrong.Need(utf8.RuneCountInString(note) <= 1000, "note", "at most 1,000 letters")
	s.Verdict, s.JudgedBy, s.JudgedNote, s.Judged = verdict, by, note, at
	return s, wrong.Err()
}

// Signed is the newest swatch of a recipe that was signed off for an order; false: none was, or the last word on it was
// no.
func Signed(swatches []Swatch, recipeID, orderID int64) (s Swatch, ok bool) {
	for _, o := range swatches {
		if o.RecipeID == recipeID && o.OrderID == orderID && o.Verdict != "" && !o.Judged.Before(s.Judged) {
			s, ok = o, o.Verdict == VerdictYes
		}
	}
	return s, ok
}

// Mix is what was mixed of a recipe.
type Mix struct {
	ID       int64
	RecipeID int64
	ML       float64
	LeftML   float64
	At       time.Time
	ByID     int64
	Ended    bool
}

// Check says what is wrong with a mix.
func (m Mix) Check() error {
	var wrong rates.Invalid
	wrong.Need(m.ML > 0 && m.ML <= 20_000, "ml", "between 0 and 20,000 ml")
	wrong.Need(m.LeftML >= 0 && m.LeftML <= m.ML, "left", "between 0 and %s ml are left", rates.Number(m.ML))
	return wrong.Err()
}

// Laid is a coat that was laid on a piece.
type Laid struct {
	ID       int64
	PieceID  int64
	Position int // of the stage on its strip
	RecipeID int64
	Region   string
	Coats    int
	ML       float64 // as worked out
	MixID    int64
	At       time.Time
	ByID     int64
}

// AlsoLaid is a recipe that was laid beside what is planned.
type AlsoLaid struct {
	Number int // of the recipe; 0: none was
	Region string
	Coats  int
}

// Check says what is wrong with it.
func (l AlsoLaid) Check() error {
	var wrong rates.Invalid
	wrong.Need(l.Number == 0 || l.Coats >= 1 && l.Coats <= 30, "also_coats", "between 1 and 30 coats")
	wrong.Need(utf8.RuneCountInString(l.Region) <= 100, "also_region", "say where in at most 100 letters")
	return wrong.Err()
}

// SlowestOf is the medium among recipes laid together that takes longest until it may be taped or handled, and how many
// times as thick as the rate book has it; 0: as it has it.
func SlowestOf(b rates.Book, laid []Recipe) (slowest route.Medium, film float64) {
	longest := -1.0
	for _, r := range laid {
		times := 1.0
		if usual := finish.FilmUM(b, r.Medium); r.FilmUM > 0 && usual > 0 {
			times = r.FilmUM / usual
		}
		if takes := times * float64(finish.ClockOf(b, r.Medium).HandleS); takes > longest {
			slowest, film, longest = r.Medium, times, takes
		}
	}
	return slowest, film
}

// NewestRecipes are the last versions of recipes, in the order of their names.
func NewestRecipes(all []Recipe) (out []Recipe) {
	for _, r := range all {
		if !slices.ContainsFunc(all, func(o Recipe) bool { return o.Number == r.Number && o.Version > r.Version }) {
			out = append(out, r)
		}
	}
	slices.SortStableFunc(out, func(a, b Recipe) int { return strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name)) })
	return out
}

// RecipeOf is the last version of a number.
func RecipeOf(all []Recipe, number int) (out Recipe, ok bool) {
	for _, r := range all {
		if r.Number == number && r.Version > out.Version {
			out, ok = r, true
		}
	}
	return out, ok
}
