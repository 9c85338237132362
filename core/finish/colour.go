package finish

import (
	"fmt"
	"image"
	"math"
	"strconv"
	"strings"
)

// Colour is a colour as a screen shows it, sRGB [published: IEC 61966-2-1].
type Colour struct{ R, G, B uint8 }

// ParseColour reads one as #rrggbb.
func ParseColour(text string) (c Colour, err error) {
	hex, ok := strings.CutPrefix(strings.TrimSpace(text), "#")
	n, err := strconv.ParseUint(hex, 16, 32)
	if !ok || len(hex) != 6 || err != nil {
		return c, fmt.Errorf("%q is no colour: say it as #rrggbb", text)
	}
	return Colour{uint8(n >> 16), uint8(n >> 8), uint8(n)}, nil
}

// Text is it as #rrggbb.
func (c Colour) Text() string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

// Lightness is how light it is to the eye, from 0, black, to 100, white: L* [published: CIE 15, CIE 1976 L*a*b*].
func (c Colour) Lightness() float64 {
	l, _, _ := c.lab()
	return l
}

// Differs is how far two colours are apart to the eye: ΔE*ab [published: CIE 15, CIE 1976 L*a*b*]; from about 2
// people see it side by side.
func (c Colour) Differs(from Colour) float64 {
	l1, a1, b1 := c.lab()
	l2, a2, b2 := from.lab()
	return math.Sqrt((l1-l2)*(l1-l2) + (a1-a2)*(a1-a2) + (b1-b2)*(b1-b2))
}

// lab is a colour in CIE 1976 L*a*b*, by the white of sRGB, D65.
func (c Colour) lab() (l, a, b float64) {
	r, g, u := linear(c.R), linear(c.G), linear(c.B)
	x := (0.4124*r + 0.3576*g + 0.1805*u) / 0.9505
	y := 0.2126*r + 0.7152*g + 0.0722*u
	z := (0.0193*r + 0.1192*g + 0.9505*u) / 1.089
	f := func(t float64) float64 {
		if t > 216.0/24389 {
			return math.Cbrt(t)
		}
		return (24389.0/27*t + 16) / 116
	}
	return 116*f(y) - 16, 500 * (f(x) - f(y)), 200 * (f(y) - f(z))
}

// linear is the light of a channel.
func linear(v uint8) float64 {
	s := float64(v) / 255
	if s <= 0.04045 {
		return s / 12.92
	}
	return math.Pow((s+0.055)/1.055, 2.4)
}

// channel is the other way round.
func channel(light float64) uint8 {
	s := 12.92 * light
	if light > 0.0031308 {
		s = 1.055*math.Pow(light, 1/2.4) - 0.055
	}
	return uint8(math.Round(255 * min(1, max(0, s))))
}

// MiddleOf is the colour in the middle of a picture: a ninth of it, its light taken together.
func MiddleOf(picture image.Image) Colour {
	in := picture.Bounds()
	middle := image.Rect(in.Min.X+in.Dx()/3, in.Min.Y+in.Dy()/3, in.Max.X-in.Dx()/3, in.Max.Y-in.Dy()/3)
	if middle.Empty() {
		middle = in
	}
	var r, g, b, n float64
	for y := middle.Min.Y; y < middle.Max.Y; y++ {
		for x := middle.Min.X; x < middle.Max.X; x++ {
			pr, pg, pb, _ := picture.At(x, y).RGBA()
			r, g, b, n = r+linear(uint8(pr>>8)), g+linear(uint8(pg>>8)), b+linear(uint8(pb>>8)), n+1
		}
	}
	n = max(1, n)
	return Colour{channel(r / n), channel(g / n), channel(b / n)}
}

// From what difference in lightness a colour is light over dark, or dark over light. Source: from memory.
const farApart = 25

// Cover is how many coats one colour takes over another until it is even.
type Cover struct {
	Least, Most int
	Why         string
}

// Text is it in words.
func (c Cover) Text() string {
	if c.Least == c.Most {
		return fmt.Sprintf("about %d: %s", c.Least, c.Why)
	}
	return fmt.Sprintf("%d to %d: %s", c.Least, c.Most, c.Why)
}

// CoverOf is how many coats a colour takes over another: light over dark 3 to 4, dark over light 3, colours alike 2.
// Source: common practice. What swatches of the pair took counts in its place.
func CoverOf(under, over Colour, took []int) Cover {
	if len(took) > 0 {
		c := Cover{Least: took[0], Most: took[0]}
		for _, n := range took {
			c.Least, c.Most = min(c.Least, n), max(c.Most, n)
		}
		if c.Why = "as a swatch took"; len(took) > 1 {
			c.Why = fmt.Sprintf("as %d swatches took", len(took))
		}
		return c
	}
	switch d := over.Lightness() - under.Lightness(); {
	case d > farApart:
		return Cover{3, 4, "light over dark"}
	case d < -farApart:
		return Cover{3, 3, "dark over light, until it is even"}
	}
	return Cover{2, 2, "over a colour about as light"}
}

// PrimerColour is the colour of a primer by its name, as PrimerFor has it; grey, where it has none of its own.
func PrimerColour(name string) Colour {
	switch {
	case strings.HasSuffix(name, "black"):
		return Colour{28, 28, 30}
	case name == "white":
		return Colour{244, 244, 240}
	}
	return Colour{128, 128, 126}
}
