package papers

import (
	"strings"
	"sync"
	"unicode"

	"github.com/johnfercher/maroto/v2/pkg/components/text"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"
	"github.com/johnfercher/maroto/v2/pkg/core"
	"github.com/johnfercher/maroto/v2/pkg/props"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
)

const (
	face = "go"
	// lineMM is the height of a line, for each point of its size.
	lineMM = 0.3528 * 1.2
	// missing stands for a letter that the fonts lack.
	missing = '□'
)

type letters struct {
	*sfnt.Font
	mu  sync.Mutex
	buf sfnt.Buffer
}

func lettersOf(ttf []byte) *letters {
	f, err := sfnt.Parse(ttf)
	if err != nil {
		panic(err) // it is built into the program
	}
	return &letters{Font: f}
}

var regular, bold = sync.OnceValue(func() *letters { return lettersOf(goregular.TTF) }), sync.OnceValue(func() *letters { return lettersOf(gobold.TTF) })

// widthMM is how wide a letter is at so many points; 0 for one that the font lacks.
func (l *letters) widthMM(r rune, points float64) float64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	at, err := l.GlyphIndex(&l.buf, r)
	if err != nil || at == 0 {
		return 0
	}
	const em = 1000
	wide, err := l.GlyphAdvance(&l.buf, at, fixed.I(em), 0)
	if err != nil {
		return 0
	}
	return float64(wide) / 64 / em * points * 0.3528
}

// printable makes of a text what the fonts can set: what they lack becomes a box, what has
// no shape of its own goes.
func printable(s string) string {
	box := false
	return strings.Map(func(r rune) rune {
		was := box
		box = false
		switch {
		case r == '\n' || r == '\t':
			return ' '
		case unicode.IsControl(r) || unicode.In(r, unicode.Cf, unicode.Mn, unicode.Me):
			box = was
			return -1
		case r <= 0xffff && regular().widthMM(r, 10) > 0:
			return r
		case was: // letters that are joined, or several of them: one box
			box = true
			return -1
		}
		box = true
		return missing
	}, s)
}

// fitted breaks a text into lines that fit so many columns; a word that is longer than a
// line is broken where it must.
func (d *sheet) fitted(s string, cols int, t props.Text) (lines []string) {
	font := regular()
	if t.Style == fontstyle.Bold {
		font = bold()
	}
	limit := float64(cols*colMM) - t.Left - t.Right - 2
	line, wide := "", 0.0
	end := func() {
		lines = append(lines, strings.TrimSpace(line))
		line, wide = "", 0
	}
	for _, word := range strings.Fields(printable(s)) {
		width := 0.0
		for _, r := range word {
			width += font.widthMM(r, t.Size)
		}
		if line != "" && wide+width > limit {
			end()
		}
		for _, r := range word {
			w := font.widthMM(r, t.Size)
			if wide+w > limit {
				end()
			}
			line, wide = line+string(r), wide+w
		}
		line, wide = line+" ", wide+font.widthMM(' ', t.Size)
	}
	if line != "" || len(lines) == 0 {
		end()
	}
	return lines
}

// short is a text cut to one line.
func (d *sheet) short(s string, cols int, t props.Text) string {
	lines := d.fitted(s, cols, t)
	if len(lines) == 1 {
		return lines[0]
	}
	first := []rune(lines[0])
	return strings.TrimSpace(string(first[:max(0, len(first)-2)])) + "…"
}

// props are those of a text at the sheet's scale.
func (d *sheet) props(t props.Text) props.Text {
	t.Size, t.Top, t.Bottom = t.Size*d.scale, t.Top*d.scale, t.Bottom*d.scale
	return t
}

// text is a column of a text that wraps.
func (d *sheet) text(cols int, s string, t props.Text) core.Col {
	t = d.props(t)
	return text.NewCol(cols*colMM, strings.Join(d.fitted(s, cols, t), " "), t)
}
