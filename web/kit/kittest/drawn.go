// Package kittest reads what the site draws, for the tests of its rooms.
package kittest

import (
	"encoding/xml"
	"fmt"
	"html/template"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Drawn reads an SVG and returns its elements, so that what is drawn is well formed and a
// text is found by what it says.
func Drawn(t *testing.T, svg template.HTML) (elements []xml.StartElement, text string) {
	t.Helper()
	d := xml.NewDecoder(strings.NewReader(string(svg)))
	for {
		tok, err := d.Token()
		if tok == nil {
			return elements, text
		}
		require.NoError(t, err, string(svg))
		switch e := tok.(type) {
		case xml.StartElement:
			elements = append(elements, e.Copy())
		case xml.CharData:
			text += string(e) + "\n"
		}
	}
}

// Attribute is a number that an element carries.
func Attribute(e xml.StartElement, name string) (v float64) {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			fmt.Sscanf(a.Value, "%g", &v) //nolint:errcheck // 0 where there is none
		}
	}
	return v
}
