package papers

import (
	"bytes"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/plate"
	"sakuji/core/quote"
	"sakuji/core/solid"
	"sakuji/studio"
)

func quoteOf(title string, lines int) studio.Quote {
	doc := studio.Document{Studio: studio.Studio{Name: "Lantern & Larch", Address: "1 Mill Lane\nSorrel Vale", Currency: "EUR", TimeZone: "Europe/Vienna"}, Title: title, Number: "0408", Price: quote.Price{NetMinor: 1000, TaxMinor: 200, TotalMinor: 1200}}
	doc.Client.Name = title
	for range lines {
		doc.Items = append(doc.Items, studio.DocumentItem{Copies: 2, Title: title, Detail: "Grey standard resin, 40 × 60 × 80 mm, " + title, NetMinor: 1000})
	}
	return studio.Quote{Revision: 1, Currency: "EUR", State: studio.QuoteSent, Document: doc, Sent: time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC), ValidUntil: time.Date(2026, 5, 28, 9, 0, 0, 0, time.UTC)}
}

// read reads a paper as Debian's poppler-utils do: its pages' text.
func read(t *testing.T, pdf []byte) (pages []string) {
	t.Helper()
	tool, err := exec.LookPath("pdftotext")
	if err != nil {
		t.Skip("poppler-utils is not here")
	}
	path := filepath.Join(t.TempDir(), "paper.pdf")
	require.NoError(t, os.WriteFile(path, pdf, 0o600))
	out, err := exec.Command(tool, "-layout", path, "-").Output()
	require.NoError(t, err)
	return strings.Split(strings.TrimSuffix(string(out), "\f"), "\f")
}

// Whatever a client can type is printed: what the fonts lack as a box.
func TestEveryTitleIsPrinted(t *testing.T) {
	for _, title := range []string{"Heron 🦩 Postmaster", "𝔉raktur", "雪の園丁", "👩‍👩‍👧‍👦 family", "\x00\x07bell", "Żółw, Ωmega, Ёж", strings.Repeat("x", 4000), "", "\xff\xfe", "a\u0301 é"} {
		pdf, err := QuotePaper(quoteOf(title, 2), "https://x.example/q/1", func(string) []byte { return nil }).PDF()
		require.NoError(t, err, title)
		assert.NotEmpty(t, pdf)
	}
	assert.Equal(t, "Heron □ Postmaster", printable("Heron 🦩 Postmaster"))
	assert.Equal(t, "□ family", printable("👩‍👩‍👧‍👦 family"), "joined letters are one box")
	assert.Equal(t, "Żółw, Ωmega, Ёж", printable("Żółw, Ωmega, Ёж"))
	assert.Equal(t, "bell ring", printable("bell\n\x07ring"))
	rapid.Check(t, func(r *rapid.T) {
		_, err := New(studio.Studio{}, rapid.String().Draw(r, "title"), "Order 1", time.Now()).Headed().PDF()
		require.NoError(r, err)
	})
}

// A word without end is broken where it must, and nothing of it is lost.
func TestLongWordsWrap(t *testing.T) {
	word := strings.Repeat("Heronpostmaster", 20)
	pdf, err := QuotePaper(quoteOf(word, 1), "https://x.example/q/1", func(string) []byte { return nil }).PDF()
	require.NoError(t, err)
	text := strings.Join(strings.Fields(strings.Join(read(t, pdf), "")), "")
	assert.GreaterOrEqual(t, strings.Count(text, word), 2, "the title and the client's name in full")
}

// Frame, title block and page number are on every page, and no page ends the paper with a
// lonely line.
func TestNoLonelyLine(t *testing.T) {
	most := 0
	for lines := 1; lines < 40; lines++ {
		p := New(studio.Studio{Name: "Lantern & Larch"}, "Packing list", "Order 0408", time.Now()).Headed()
		for range lines {
			p.Pictured(nil, 14, "12 × Snail courier", "painted", "0408-1, 0408-2")
		}
		pdf, err := p.PDF()
		require.NoError(t, err)
		pages := read(t, pdf)
		most = max(most, len(pages))
		for _, page := range pages {
			assert.Contains(t, page, "Sheet")
		}
		last := pages[len(pages)-1]
		if len(pages) > 1 {
			assert.Greater(t, strings.Count(last, "Snail courier"), 2, "%d lines", lines)
		}
	}
	assert.Greater(t, most, 1)
}

// The exploded drawing holds every part whole, with room for its number, at one scale.
func TestExplodedDrawing(t *testing.T) {
	square := func(mm float64) solid.Outline {
		return solid.Outline{{{X: 0, Y: 0}, {X: mm, Y: 0}, {X: mm, Y: mm}, {X: 0, Y: mm}}}
	}
	parts := []studio.ExplodedPart{
		{Number: 1, Count: 1, Outline: square(40)},
		{Number: 2, Count: 12, Outline: square(20), From: solid.Point{X: 10, Y: 10}, At: solid.Point{X: 10, Y: 45}},
	}
	picture, high, err := exploded(parts)
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(picture))
	require.NoError(t, err)
	assert.InDelta(t, 65.0/40, high, 0.15, "65 mm high and 40 mm wide, with its room")
	inked := func(x, y, w, h int) (n int) {
		for i := range w {
			for k := range h {
				if r, _, _, _ := img.At(x+i, y+k).RGBA(); r < 0x4000 {
					n++
				}
			}
		}
		return n
	}
	b := img.Bounds()
	assert.Positive(t, inked(0, 0, b.Dx(), b.Dy()/2), "the upper one and its number")
	assert.Positive(t, inked(0, b.Dy()-drawingRoom-4, b.Dx(), 8), "the foot of the lower one")
	for x := range b.Dx() {
		assert.Zero(t, inked(x, b.Dy()-1, 1, 1), "nothing runs over the edge")
	}
	p := New(studio.Studio{Name: "Lantern & Larch"}, "How it goes together", "Order 0412", time.Now()).Headed()
	require.NoError(t, p.Exploded(parts, func(studio.Part) string { return "0412-1a" }))
	pdf, err := p.PDF()
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF")))
}

// A plate on paper holds its bed, what is kept free and every piece with its label.
func TestBedOnPaper(t *testing.T) {
	p := New(studio.Studio{Name: "Lantern & Larch"}, "Plate 7", "Tarn", time.Now()).Headed()
	square := solid.Outline{{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 20}, {X: 0, Y: 20}}}
	bed := plate.Bed{WidthMM: 143, DepthMM: 89, HeightMM: 160, KeepOut: []plate.KeepOut{{XMM: 0, YMM: 0, WidthMM: 10, DepthMM: 10}}}
	require.NoError(t, p.Bed(bed, []plate.Laid{{Part: plate.Part{ID: "0412-1", Outline: square}, Placed: plate.Placed{XMM: 30, YMM: 40, AngleDeg: 30}}}))
	pdf, err := p.PDF()
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF")))
	assert.Greater(t, len(pdf), 5000, "the drawing is in it")
}
