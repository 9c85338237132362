package studio

import (
	"fmt"
	"strings"
	"time"

	"sakuji/core/rates"
)

// Bath is what prints are washed in.
type Bath struct {
	ID              int64
	Name            string
	Litres          float64
	StrengthPercent float64 // of alcohol
	Filled          time.Time
	Ended           time.Time
	Parts           int     // that were washed in it
	AreaMM2         float64 // of their surface
}

// Check says what is wrong with it.
func (b Bath) Check() (v rates.Invalid) {
	v.Need(strings.TrimSpace(b.Name) != "" && len(b.Name) <= 60, "name", "say what it is called, in 60 letters")
	v.Need(b.Litres > 0 && b.Litres <= 500, "litres", "between a drop and 500 litres")
	v.Need(b.StrengthPercent > 0 && b.StrengthPercent <= 100, "strength", "its strength: between 0 and 100 %%")
	return v
}

// Used is how much of what a bath can take has gone through it, 0..1 and beyond: surface carries resin
// into it.
func (b Bath) Used(book rates.Book) float64 {
	if takes := b.Litres * book.V("bath.area") * 1e4; takes > 0 {
		return b.AreaMM2 / takes
	}
	return 0
}

// Due says that a bath wants changing; empty: it does not yet.
func (b Bath) Due(book rates.Book) string {
	if b.Used(book) < 1 {
		return ""
	}
	return fmt.Sprintf("%s wants changing: %s and %.0f dm² have gone through %s l.", b.Name, Say(b.Parts, "part"), b.AreaMM2/1e4, rates.Number(b.Litres))
}
