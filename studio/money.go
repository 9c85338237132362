package studio

import (
	"fmt"
	"strconv"
	"strings"

	"sakuji/core/quote"

	"github.com/shopspring/decimal"
)

// Money is an amount in the minor units of a currency (ISO 4217 code).
type Money struct {
	Minor    int64
	Currency string
}

// Units is the amount in whole units of its currency.
func (m Money) Units() float64 { return quote.Units(m.Minor, Digits(m.Currency)) }

// decimals are those of currencies that do not have two, signs those of the usual ones.
// Source: ISO 4217, list one (2024).
var (
	decimals = map[string]int32{
		"BIF": 0, "CLP": 0, "DJF": 0, "GNF": 0, "ISK": 0, "JPY": 0, "KMF": 0, "KRW": 0, "PYG": 0, "RWF": 0, "UGX": 0, "UYI": 0, "VND": 0, "VUV": 0, "XAF": 0, "XOF": 0, "XPF": 0,
		"BHD": 3, "IQD": 3, "JOD": 3, "KWD": 3, "LYD": 3, "OMR": 3, "TND": 3, "CLF": 4, "UYW": 4,
	}
	signs = map[string]string{"EUR": "€", "USD": "$", "GBP": "£", "JPY": "¥"}
)

// IsCurrency reports whether a code looks like one of ISO 4217: three capital letters.
func IsCurrency(code string) bool {
	return len(code) == 3 && strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == ""
}

// Digits is how many decimals a currency has.
func Digits(currency string) int32 {
	if d, ok := decimals[currency]; ok {
		return d
	}
	return 2
}

// Sign is what a currency is written with: its sign, or its code.
func Sign(currency string) string {
	if s, ok := signs[currency]; ok {
		return s
	}
	return currency
}

// String writes the amount with its sign and thousands apart, e.g. "€ 1,284.00".
func (m Money) String() string { return Sign(m.Currency) + " " + m.Plain() }

// Plain is the amount without its sign.
func (m Money) Plain() string {
	d := Digits(m.Currency)
	s := decimal.New(m.Minor, -d).StringFixed(d)
	whole, rest, found := strings.Cut(strings.TrimPrefix(s, "-"), ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if found {
		whole += "." + rest
	}
	if m.Minor < 0 {
		whole = "−" + whole
	}
	return whole
}

// Whole is the amount rounded to whole units, for large figures.
func (m Money) Whole() string {
	d := Digits(m.Currency)
	units := decimal.New(m.Minor, -d).RoundBank(0).IntPart()
	whole := Money{units, "JPY"}.Plain()
	return Sign(m.Currency) + " " + whole
}

// ParseMoney reads an amount as people type it: "1284", "1,284.50", "1284,5".
func ParseMoney(text, currency string) (int64, error) {
	s := withoutSpaces(strings.TrimPrefix(strings.TrimSpace(text), Sign(currency)))
	if dot, comma := strings.LastIndexByte(s, '.'), strings.LastIndexByte(s, ','); comma > dot {
		if len(s)-comma-1 == 3 && dot < 0 {
			s = strings.ReplaceAll(s, ",", "")
		} else {
			s = strings.ReplaceAll(s, ".", "")
			s = strings.Replace(s, ",", ".", 1)
		}
	} else {
		s = strings.ReplaceAll(s, ",", "")
	}
	if strings.ContainsAny(s, "eE") {
		return 0, fmt.Errorf("%q is not an amount", text)
	}
	v, err := decimal.NewFromString(s)
	if err != nil {
		return 0, fmt.Errorf("%q is not an amount", text)
	}
	if v.Abs().GreaterThan(decimal.NewFromInt(1_000_000_000)) {
		return 0, fmt.Errorf("%q is too large an amount", text)
	}
	return v.Shift(Digits(currency)).RoundBank(0).IntPart(), nil
}

// Hours writes minutes as people say them: "25 min", "5 h 47", "2 d 3 h".
func Hours(minutes float64) string {
	m := int64(minutes + 0.5)
	switch {
	case m < 60:
		return strconv.FormatInt(m, 10) + " min"
	case m < 48*60 && m%60 == 0:
		return fmt.Sprintf("%d h", m/60)
	case m < 48*60:
		return fmt.Sprintf("%d h %02d", m/60, m%60)
	}
	return fmt.Sprintf("%d d %d h", m/(24*60), m/60%24)
}

// HandsText writes minutes of hands: hours stay hours, for nobody's hands work days on end.
func HandsText(minutes float64) string {
	if m := int64(minutes + 0.5); m >= 48*60 {
		return fmt.Sprintf("%d h", (m+30)/60)
	}
	return Hours(minutes)
}

// MoreOrLess writes a difference as people say it: "€ 14.00 more", "€ 3.50 less".
func MoreOrLess(m Money) string {
	if m.Minor < 0 {
		return Money{-m.Minor, m.Currency}.String() + " less"
	}
	return m.String() + " more"
}
