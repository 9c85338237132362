package studio

import (
	"fmt"
	"net/url"
	"path"
	"strconv"
	"strings"
	"unicode/utf8"

	"sakuji/core/rates"
)

// Place is where pieces lie: a shelf, a box.
type Place struct {
	ID    int64
	Code  string // on its label
	Name  string
	Kind  string
	Ended bool // it is there no more
}

// PlaceKinds are what places are.
func PlaceKinds() []string { return []string{"shelf", "box", "booth", "line"} }

// Check says what is wrong with a place.
func (p Place) Check() error {
	var wrong rates.Invalid
	wrong.Need(strings.TrimSpace(p.Name) != "" && utf8.RuneCountInString(p.Name) <= 100, "name", "a place needs a name of at most 100 letters")
	wrong.Need(OneOf(p.Kind, PlaceKinds()...), "kind", "a place is a shelf, a box, a booth or a line")
	return wrong.Err()
}

// placeMark begins the codes of places: no piece's begins so.
const placeMark = "P"

// PlaceCode is the code of the place that comes after so many.
func PlaceCode(before int) string { return fmt.Sprintf("%s%d", placeMark, before+1) }

// Marks that begin what stands on a lot and on a bath.
const (
	lotMark  = "L"
	bathMark = "B"
)

// Code is what stands on a bottle or spool.
func (l Lot) Code() string { return fmt.Sprintf("%s%d", lotMark, l.ID) }

// Code is what stands on a bath.
func (b Bath) Code() string { return fmt.Sprintf("%s%d", bathMark, b.ID) }

// Labelled is what a code is of beside pieces and places: the mark that it begins with, and its number; false: of none.
func Labelled(code string) (mark string, number int64, ok bool) {
	code = strings.ToUpper(strings.TrimSpace(code))
	for _, mark := range []string{RecipeMark, lotMark, bathMark} {
		if digits, is := strings.CutPrefix(code, mark); is {
			if n, err := strconv.ParseInt(digits, 10, 64); err == nil && n > 0 {
				return mark, n, true
			}
		}
	}
	return "", 0, false
}

// SheetOf is where the sheet of what is labelled so lies; empty: it is none.
func SheetOf(code string) string {
	mark, n, ok := Labelled(code)
	if !ok {
		return ""
	}
	return fmt.Sprintf("%s/%d", map[string]string{RecipeMark: "/bench/recipes", lotMark: "/stock/lots", bathMark: "/stock/baths"}[mark], n)
}

// Scanned is the code in what a scanner reads, or somebody types: a label has the code alone, or an address that
// ends in it.
func Scanned(text string) string {
	text = strings.TrimSpace(text)
	if u, err := url.Parse(text); err == nil && u.Scheme != "" && u.Host != "" {
		if code := u.Query().Get("code"); code != "" {
			return code
		}
		return path.Base(u.Path)
	}
	return text
}

// ScanOf is what the label of a piece or a place says to a scanner: where the studio has an address, that of the
// sheet, which a telephone opens.
func (s Studio) ScanOf(code string) string {
	if s.PublicURL == "" {
		return code
	}
	return strings.TrimSuffix(s.PublicURL, "/") + "/bench?code=" + url.QueryEscape(code)
}

// PutAt is the piece at a place; no place takes it away from where it was.
func (p Piece) PutAt(a Act, at Place) (Piece, Entry, error) {
	if !p.Live() {
		return p, Entry{}, fmt.Errorf("%s is %s: it lies nowhere", p.Code, p.State)
	}
	if at.Ended {
		return p, Entry{}, fmt.Errorf("%s is there no more", at.Name)
	}
	p.PlaceID = at.ID
	if at.ID == 0 {
		return p, a.entry("taken away", "%s from its place", p.Code).of(p.OrderID, p.ID, 0), nil
	}
	return p, a.entry("put", "%s: %s", p.Code, at.Name).of(p.OrderID, p.ID, 0), nil
}
