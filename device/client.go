package device

import (
	"errors"
	"net/http"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"
)

// client speaks to devices. One that sends elsewhere is not followed: what it names may be anybody's, this computer's own
// sheets too.
var client = &http.Client{Timeout: 10 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error {
	return errors.New("it sends elsewhere, which a device may not")
}}

// Bounds of what a device says. Source: from memory.
const (
	longestName   = 40
	longestReason = 120
)

// words are what a device says, printable, on one line, and no longer than so many letters.
func words(text string, most int) string {
	text = strings.Map(func(r rune) rune {
		switch {
		case unicode.IsSpace(r):
			return ' '
		case !unicode.IsPrint(r) || r == utf8.RuneError:
			return -1
		}
		return r
	}, strings.ToValidUTF8(text, ""))
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > most {
		text = string(r[:most-1]) + "…"
	}
	return text
}
