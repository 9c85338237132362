package studio

import (
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Flaw is a thing that went wrong with a piece under hands, and what was done about it.
type Flaw struct {
	ID          int64
	PieceID     int64
	Position    int // of the stage on its strip at which it was found
	Stage       route.StageKind
	Kind        string // of finish.Flaws
	Cause       string
	Text        string // where it is
	Verdict     string
	BackTo      route.StageKind
	HiddenBy    route.StageKind
	Remedy      string
	Minutes     float64 // of hands that it took on the spot
	Grams       float64
	PhotoSHA    string // on which it is marked; empty: on the picture of its model
	Marked      bool
	X, Y        float64 // from the left and the top of that, 0 to 1
	OverRecipe  int     // numbers of the coats that lay there: the one on top, and the one under it; 0: none
	UnderRecipe int
	At          time.Time
	ByID        int64
}

// What became of a flaw.
const (
	FlawBack   = "back"   // the piece went back for it
	FlawPass   = "pass"   // what is still to come hides it, or nobody will see it
	FlawMended = "mended" // on the spot
)

// Name is what it is called.
func (f Flaw) Name() string {
	kind, _ := finish.FlawOf(f.Kind)
	return kind.Name
}

// Check says what is wrong with what was said of a flaw.
func (f Flaw) Check() error {
	var wrong rates.Invalid
	kind, ok := finish.FlawOf(f.Kind)
	wrong.Need(ok, "kind", "there is no flaw %s in the list", f.Kind)
	wrong.Need(OneOf(f.Verdict, FlawBack, FlawPass, FlawMended), "verdict", "it goes back, it passes, or it was mended here")
	wrong.Need(f.Verdict != FlawBack || f.BackTo != "", "back_to", "back to where?")
	wrong.Need(f.Kind != finish.OtherFlaw || strings.TrimSpace(f.Text) != "", "text", "say what it is")
	wrong.Need(f.Verdict != FlawPass || f.HiddenBy != "" || strings.TrimSpace(f.Text) != "", "text", "nothing that is still to come hides %s: say why it may pass", kind.Name)
	wrong.Need(utf8.RuneCountInString(f.Text) <= 300 && utf8.RuneCountInString(f.Cause) <= 200 && utf8.RuneCountInString(f.Remedy) <= 300, "text", "at most 300 letters")
	wrong.Need(f.Minutes >= 0 && f.Minutes <= 24*60, "minutes", "minutes of hands: between 0 and a day's")
	wrong.Need(f.Grams >= 0 && f.Grams <= 100_000, "grams", "between 0 and 100,000 g")
	wrong.Need(f.X >= 0 && f.X <= 1 && f.Y >= 0 && f.Y <= 1, "x", "the mark is not on the picture")
	return wrong.Err()
}

// Became says what became of it.
func (f Flaw) Became() string {
	switch f.Verdict {
	case FlawBack:
		return "back to " + f.BackTo.Traits().Name
	case FlawMended:
		return "mended on the spot"
	}
	if f.HiddenBy != "" {
		return "passed: " + f.HiddenBy.Traits().Name + " hides it"
	}
	return "passed"
}

// Been are the kinds of stages that a piece has been through.
func (p Piece) Been() (been []route.StageKind) {
	for _, s := range p.Stages {
		if s.Mark == route.Done {
			been = append(been, s.Kind)
		}
	}
	return been
}

// ToCome are those that are still to come, the one that is next among them.
func (p Piece) ToCome() (out []route.StageKind) {
	for _, s := range p.Stages {
		if s.Mark == route.Todo {
			out = append(out, s.Kind)
		}
	}
	return out
}

// Found is a flaw of a piece as the logbook has it.
func (p Piece) Found(a Act, f Flaw) Entry {
	where := ""
	if f.Text != "" {
		where = ", " + f.Text
	}
	return a.entry("flaw found", "%s: %s%s, %s; %s", p.Code, f.Name(), where, f.Cause, f.Became()).of(p.OrderID, p.ID, 0)
}

// LostMin are the minutes of hands that a flaw has taken so far: on the spot, and what was done again because of it.
func (p Piece) LostMin(f Flaw) float64 {
	lost := f.Minutes
	if f.Verdict != FlawBack || f.Position >= len(p.Stages) || p.Stages[f.Position].Mark != route.SentBack {
		return lost
	}
	for k := f.Position + 1; k < len(p.Stages) && k <= f.Position+p.Stages[f.Position].Again; k++ {
		if p.Stages[k].Mark == route.Done {
			lost += p.Stages[k].Minutes
		}
	}
	return lost
}

// Bad is a pair of coats that went wrong, and on what piece.
type Bad struct {
	OverRecipe, UnderRecipe int
	Kind                    string
	Code                    string // of the piece
	At                      time.Time
}

// Warns says what a pair of coats did before; empty: nothing that anybody wrote down.
func Warns(list []Bad, under, over int) string {
	for _, b := range list {
		if b.OverRecipe == over && b.UnderRecipe == under && over != 0 {
			kind, _ := finish.FlawOf(b.Kind)
			return fmt.Sprintf("This pair of coats went wrong on %s: %s", b.Code, kind.Name)
		}
	}
	return ""
}
