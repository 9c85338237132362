package kit

import (
	"encoding/xml"
	"fmt"
	"html/template"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawn reads an SVG and returns its elements, so that what is drawn is well formed and a
// text is found by what it says.
func drawn(t *testing.T, svg template.HTML) (elements []xml.StartElement, text string) {
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

func attribute(e xml.StartElement, name string) (v float64) {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			fmt.Sscanf(a.Value, "%g", &v) //nolint:errcheck // naught where there is none
		}
	}
	return v
}

// Hours are drawn in proportion, the longest item over the whole width.
func TestHoursBar(t *testing.T) {
	elements, _ := drawn(t, HoursBar(60, 180, 240))
	require.Len(t, elements, 3)
	assert.InDelta(t, 250, attribute(elements[1], "width"), 0.1)
	assert.InDelta(t, 750, attribute(elements[2], "width"), 0.1)
	assert.InDelta(t, 250, attribute(elements[2], "x"), 0.1)
	half, _ := drawn(t, HoursBar(30, 90, 240))
	assert.InDelta(t, 375, attribute(half[2], "width"), 0.1)
	assert.Empty(t, HoursBar(0, 0, 240))
}
