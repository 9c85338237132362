package studio

import (
	"fmt"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Say writes a number of things: "1 piece", "3 pieces".
func Say(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// UpperFirst makes a text begin with a capital.
func UpperFirst(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	return strings.ToUpper(string(r[:1])) + string(r[1:])
}

// LowerFirst makes a text begin with a small letter.
func LowerFirst(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	return strings.ToLower(string(r[:1])) + string(r[1:])
}

// Dash hangs a note on a sentence; nothing where there is none.
func Dash(note string) string {
	if note = strings.TrimSpace(note); note == "" {
		return ""
	}
	return "; " + note
}

// Short cuts a text to so many letters.
func Short(text string, letters int) string {
	if r := []rune(text); len(r) > letters {
		return string(r[:letters-1]) + "…"
	}
	return text
}

// ClockText writes a time as people at work say it: 14:40, Fri 02:15, 22 May.
func ClockText(at, now time.Time) string {
	noon := func(x time.Time) time.Time { return time.Date(x.Year(), x.Month(), x.Day(), 12, 0, 0, 0, time.UTC) }
	switch days := noon(at).Sub(noon(now)) / (24 * time.Hour); {
	case days == 0:
		return at.Format("15:04")
	case days > -6 && days < 6:
		return at.Format("Mon 15:04")
	case at.Year() != now.Year():
		return at.Format("2 Jan 2006")
	}
	return at.Format("2 Jan")
}

// EndOfDay is the last minute of a day, which may lie beyond its month.
func EndOfDay(year int, month time.Month, day int, zone *time.Location) time.Time {
	return time.Date(year, month, day, 23, 59, 0, 0, zone)
}

// plainer are letters that carry no accent that could be taken off. Source: common practice
// of the languages that write them, as where a keyboard lacks them.
var plainer = strings.NewReplacer("ß", "ss", "æ", "ae", "œ", "oe", "ø", "o", "ł", "l", "đ", "d", "ð", "d", "þ", "th", "ı", "i")

// Folded is a text as it is compared: small letters, no accents, single spaces. É is looked
// for as e. Source: Unicode Standard Annex 15, canonical decomposition.
func Folded(s string) string {
	s = strings.ToLower(s)
	if strings.IndexFunc(s, func(r rune) bool { return r > unicode.MaxASCII }) >= 0 {
		s = plainer.Replace(strings.Map(func(r rune) rune {
			if unicode.Is(unicode.Mn, r) {
				return -1
			}
			return r
		}, norm.NFD.String(s)))
	}
	return strings.Join(strings.Fields(s), " ")
}

// ClientLabel is a client's name, with something to tell them by where others have the same.
func ClientLabel(c Client, all []Client) string {
	for _, o := range all {
		if o.ID != c.ID && Folded(o.Name) == Folded(c.Name) {
			for _, by := range []string{c.Email, strings.Split(strings.TrimSpace(c.Address), "\n")[0], c.Phone} {
				if by != "" {
					return c.Name + ", " + by
				}
			}
			return fmt.Sprintf("%s, no. %d", c.Name, c.ID)
		}
	}
	return c.Name
}

// FirstName is what people at the bench call somebody.
func FirstName(name string) string {
	first, _, _ := strings.Cut(name, " ")
	return first
}
