// Package csv writes tables for spreadsheets [published: RFC 4180]. What people typed stays text there, whatever it begins
// with.
package csv

import (
	"bytes"
	"encoding/csv"
	"strings"
	"unicode/utf8"
)

// Cell is a cell of a table: Text or a Figure.
type Cell interface{ cell() string }

// Text is what somebody may have typed: a spreadsheet is kept from taking it for a formula. Source: published, OWASP, CSV
// injection; wide signs count as theirs.
type Text string

// Figure is a number, a date or a word of our own, which may begin with a sign.
type Figure string

func (t Text) cell() string {
	if first, _ := utf8.DecodeRuneInString(string(t)); t != "" && strings.ContainsRune("=+-@\t\r\n＝＋－＠", first) {
		return "'" + string(t)
	}
	return string(t)
}

func (f Figure) cell() string { return string(f) }

// Write writes a table with its head.
func Write(head []string, rows [][]Cell) []byte {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Write(head) //nolint:errcheck // into memory
	for _, row := range rows {
		cells := make([]string, len(row))
		for k, c := range row {
			cells[k] = c.cell()
		}
		w.Write(cells) //nolint:errcheck // into memory
	}
	w.Flush()
	return out.Bytes()
}
