package studio

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
)

// ParseNumber reads a number as people type it, with a comma or a point: "2.5", "2,5",
// "1 200,5", "1.200,5". A single comma is a decimal comma: lengths and shares are typed here,
// and amounts, where "1,284" means thousands, by ParseMoney.
func ParseNumber(text string) (float64, error) {
	s := withoutSpaces(text)
	dots, commas := strings.Count(s, "."), strings.Count(s, ",")
	switch {
	case strings.LastIndexByte(s, ',') > strings.LastIndexByte(s, '.') && commas == 1:
		s = strings.Replace(strings.ReplaceAll(s, ".", ""), ",", ".", 1)
	case commas > 1 && dots > 1:
		return 0, fmt.Errorf("%q is not a number", text)
	case commas > 0:
		s = strings.ReplaceAll(s, ",", "")
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("%q is not a number", text)
	}
	return v, nil
}

// withoutSpaces drops what people put between the digits of a long number.
func withoutSpaces(text string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(" \u00a0\u202f\u2009’'", r) {
			return -1
		}
		return r
	}, strings.TrimSpace(text))
}

// Years of what a studio does; what is typed outside them is a slip. Source: from memory.
const firstYear, lastYear = 1990, 2100

// Believed says what is wrong with a day that somebody typed; nil where it can be.
func Believed(day time.Time) error {
	if y := day.Year(); y < firstYear || y > lastYear {
		return fmt.Errorf("the year %d is hard to believe: one from %d to %d", y, firstYear, lastYear)
	}
	return nil
}
