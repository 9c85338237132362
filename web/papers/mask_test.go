package papers

import (
	"bytes"
	"compress/zlib"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/surface"
)

// streams inflates the streams of a PDF [published: ISO 32000-1, 7.3.8].
func streams(t *testing.T, pdf []byte) (out []string) {
	t.Helper()
	for _, m := range regexp.MustCompile(`(?s)stream\r?\n(.*?)\r?\nendstream`).FindAllSubmatch(pdf, -1) {
		z, err := zlib.NewReader(bytes.NewReader(m[1]))
		if err != nil {
			continue
		}
		text, err := io.ReadAll(z)
		if err == nil {
			out = append(out, string(text))
		}
	}
	return out
}

// A pattern is drawn at its true size: a point of a PDF is 1/72 inch [published: ISO 32000-1, 8.3.2.3]. One that is
// larger than a page goes over several.
func TestMasksAreTrueToSize(t *testing.T) {
	oblong := func(w, h float64) surface.Pattern {
		return surface.Pattern{Loops: [][]surface.Point{{{}, {X: w}, {X: w, Y: h}, {Y: h}}}}
	}
	pdf, err := Masks("0001, Vase: wings 🦋", []surface.Pattern{oblong(90, 40)}, true)
	require.NoError(t, err)
	var xs, ys []float64
	drawn := ""
	for _, s := range streams(t, pdf) {
		if bytes.Contains([]byte(s), []byte(" l")) {
			drawn = s
			break
		}
	}
	for _, m := range regexp.MustCompile(`(?m)^\s*(-?[\d.]+) (-?[\d.]+) (m|l)`).FindAllStringSubmatch(drawn, -1) {
		x, _ := strconv.ParseFloat(m[1], 64)
		y, _ := strconv.ParseFloat(m[2], 64)
		xs, ys = append(xs, x*25.4/72), append(ys, y*25.4/72)
	}
	side := map[string]bool{}
	for k := 1; k < len(xs); k++ {
		side[fmt.Sprintf("%.0f", max(xs[k]-xs[k-1], xs[k-1]-xs[k], ys[k]-ys[k-1], ys[k-1]-ys[k]))] = true
	}
	for _, want := range []string{"90", "40", "50"} { // its sides, and the bar
		assert.True(t, side[want], "%s mm in %v", want, side)
	}
	pages := func(pdf []byte) int { return len(regexp.MustCompile(`/Type /Page\b[^s]`).FindAll(pdf, -1)) }
	assert.Equal(t, 1, pages(pdf), "it and its mirror image go on one")
	pdf, err = Masks("large", []surface.Pattern{oblong(400, 300)}, false)
	require.NoError(t, err)
	assert.Equal(t, 6, pages(pdf), "three across, two down")
}
