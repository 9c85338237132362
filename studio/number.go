package studio

import (
	"fmt"
	"math"
	"strconv"
	"strings"
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
