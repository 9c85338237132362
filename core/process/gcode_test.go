package process

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func gcode(t *testing.T, text string) GCode {
	t.Helper()
	g, err := ReadGCode(strings.NewReader(text), OrdinaryGCodeMachine())
	require.NoError(t, err)
	return g
}

// Worked by hand: 100 mm at 50 mm/s and 1000 mm/s². Speeding up takes 50/1000 =
// 0.05 s and 50²/2000 = 1.25 mm, slowing down the same; 97.5 mm at 50 mm/s are
// 1.95 s. Together 2.05 s.
func TestTrapezoidByHand(t *testing.T) {
	g := gcode(t, "M83\nG1 X100 E5 F3000\n")
	assert.InDelta(t, 2.05/60, g.Minutes, 1e-9)
	assert.Equal(t, 100.0, g.PathMM)
	assert.InDelta(t, 5, g.FilamentMM, 1e-12)
	// π/4 · 1.75² · 5 mm = 12.03 mm³ of 1.24 mg each.
	assert.InDelta(t, 12.0264*1.24/1000, g.FilamentG, 1e-6)
	assert.Equal(t, 1, g.Layers)

	// 2 mm at 50 mm/s never get there: up to √(1000·2) = 44.72 mm/s and down, 2·44.72/1000 s.
	g = gcode(t, "M83\nG1 X2 E.1 F3000\n")
	assert.InDelta(t, 2*math.Sqrt(2000)/1000/60, g.Minutes, 1e-9)

	// The same 100 mm in ten pieces in a line are one move.
	var b strings.Builder
	for k := 1; k <= 10; k++ {
		fmt.Fprintf(&b, "G1 X%d E%g F3000\n", 10*k, float64(k)/2)
	}
	assert.InDelta(t, 2.05/60, gcode(t, b.String()).Minutes, 1e-9)

	// A square of 100 mm stops in its corners: four times as long.
	g = gcode(t, "M83\nG1 X100 E5 F3000\nG1 Y100 E5\nG1 X0 E5\nG1 Y0 E5\n")
	assert.InDelta(t, 4*2.05/60, g.Minutes, 1e-9)
	// With a corner speed of 10 mm/s a right angle is taken at 10/√2 = 7.071: six ramps
	// of the eight end there. Each ramp from 7.071 saves 0.007071 s and 0.025 mm.
	g = gcode(t, "M205 X10 Y10\nM83\nG1 X100 E5 F3000\nG1 Y100 E5\nG1 X0 E5\nG1 Y0 E5\n")
	assert.InDelta(t, (4*2.05-6*(0.00707107-0.025/50))/60, g.Minutes, 1e-7)
	// From 50 to 25 mm/s in a line: 0.05 s, 97.5/… by hand: first piece ends at 25:
	// up 1.25 mm in .05 s, down to 25 over (2500−625)/2000 = 0.9375 mm in 0.025 s, the
	// rest 97.8125 mm at 50; then 100 mm at 25, slowing at the end over 0.3125 mm in 0.025 s.
	g = gcode(t, "M83\nG1 X100 E5 F3000\nG1 X200 E5 F1500\n")
	assert.InDelta(t, (0.05+0.025+97.8125/50+(100-0.3125)/25+0.025)/60, g.Minutes, 1e-9)
}

// summed puts the checksum after a line: the exclusive or of its bytes.
func summed(line string) string {
	x := byte(0)
	for i := range len(line) {
		x ^= line[i]
	}
	return fmt.Sprintf("%s*%d\n", line, x)
}

func TestGCodeUnitsAndModes(t *testing.T) {
	want := gcode(t, "G21\nG90\nM82\nG1 X25.4 E2.54 F1524\nG1 X50.8 E5.08\n")
	for name, text := range map[string]string{
		"inches":                      "G20\nG90\nM82\nG1 X1 E0.1 F60\nG1 X2 E0.2\n",
		"relative":                    "G91\nG1 X25.4 E2.54 F1524\nG1 X25.4 E2.54\n",
		"relative extrusion alone":    "M83\nG90\nG1 X25.4 E2.54 F1524\nG1 X50.8 E2.54\n",
		"absolute extrusion alone":    "M82\nG91\nG1 X25.4 E2.54 F1524\nG1 X25.4 E5.08\n",
		"E set back between":          "G1 X25.4 E2.54 F1524\nG92 E0\nG1 X50.8 E2.54\n",
		"no blanks, small letters":    "g1x25.4e2.54f1524\ng1x50.8e5.08",
		"comments and numbers":        "; a heading\nN1 G1 X25.4 (half) E2.54 F1524 ; one\nN2 G1 X50.8 E5.08\n",
		"checksums":                   summed("N1 G1 X25.4 E2.54 F1524") + summed("N2 G1 X50.8 E5.08"),
		"a retraction and its return": "G1 X25.4 E2.54 F1524\nG1 X50.8 E5.08\nG1 E3 F1800\nG1 E5.08\n",
		"half speed given as factor":  "M220 S50\nG1 X25.4 E2.54 F3048\nG1 X50.8 E5.08\n",
	} {
		got, err := ReadGCode(strings.NewReader(text), OrdinaryGCodeMachine())
		require.NoError(t, err, name)
		assert.InDelta(t, want.FilamentMM, got.FilamentMM, 1e-9, name)
		assert.InDelta(t, want.PathMM, got.PathMM, 1e-9, name)
		if name != "a retraction and its return" {
			assert.InDelta(t, want.Minutes, got.Minutes, 1e-9, name)
		}
	}
}

func TestGCodeArcs(t *testing.T) {
	// A quarter of a circle of 10 mm, both ways, by middle and by radius; the long way
	// round by a negative radius; a full circle; a helix.
	for text, length := range map[string]float64{
		"G3 X10 Y0 I-10 J0":    -1,
		"G3 X0 Y10 I-10 J0":    math.Pi * 5,
		"G2 X0 Y-10 I-10 J0":   math.Pi * 5,
		"G3 X0 Y10 R10":        math.Pi * 5,
		"G2 X0 Y10 R-10":       math.Pi * 15,
		"G2 X0 Y10 I-10 J0":    math.Pi * 15,
		"G3 X-10 Y0 R10":       math.Pi * 10,
		"G3 X0 Y10 Z7 I-10 J0": math.Hypot(math.Pi*5, 7),
	} {
		if length < 0 {
			length = math.Pi * 20
		}
		g := gcode(t, "G0 X10 Y0\nM83\n"+text+" E1 F1200\n")
		assert.InDelta(t, length, g.PathMM, 1e-6, text)
	}
	g := gcode(t, "G0 X10 Y0\nM83\nG3 X-10 Y0 I-10 J0 E1\n")
	assert.InDelta(t, 10, g.SizeMM[1], 1e-6, "a half circle reaches as far as its top")
	// Sideways acceleration bounds the speed: 1 mm at 1000 mm/s² is √1000 = 31.6 mm/s.
	fast, slow := gcode(t, "G0 X1\nM83\nG3 X1 Y0 I-1 J0 E1 F30000\n"), gcode(t, "G0 X1\nM83\nG3 X1 Y0 I-1 J0 E1 F1897.3666\n")
	assert.InDelta(t, slow.Minutes, fast.Minutes, 1e-7)
	// A circle of chords takes about as long as the arc.
	var chords strings.Builder
	chords.WriteString("G0 X10 Y0\nM83\n")
	for k := 1; k <= 90; k++ {
		a := 2 * math.Pi * float64(k) / 90
		fmt.Fprintf(&chords, "G1 X%.6f Y%.6f E.1 F1200\n", 10*math.Cos(a), 10*math.Sin(a))
	}
	arc := gcode(t, "G0 X10 Y0\nM83\nG3 X10 Y0 I-10 J0 E9 F1200\n")
	assert.InEpsilon(t, arc.Minutes, gcode(t, chords.String()).Minutes, 0.01)
}

func TestGCodeLayersTravelAndLimits(t *testing.T) {
	text := "M201 X500 Y500 Z100 E5000\nM203 X200 Y200 Z10 E25\nG1 Z0.2 F600\nG0 X50 F9000\nG1 X100 E2 F1800\nG1 Z0.6 F600\nG0 X0 F9000\nG1 Z0.4\nG1 X50 E4 F1800\nG4 P1500\nG4 S2\nM104 S210\nT0\n"
	g := gcode(t, text)
	assert.Equal(t, 2, g.Layers, "a hop is no layer")
	assert.InDelta(t, 100, g.PathMM, 1e-9)
	assert.InDelta(t, 50+100+0.2+0.4+0.2, g.TravelMM, 1e-9)
	assert.Equal(t, [3]float64{100, 0, 0.2}, [3]float64{g.SizeMM[0], g.SizeMM[1], math.Round(g.SizeMM[2]*1e9) / 1e9})
	assert.Equal(t, 2, g.Ignored)
	assert.Greater(t, g.Minutes, 3.5/60, "pauses count")
	slower := gcode(t, strings.Replace(text, "X500 Y500", "X50 Y50", 1))
	assert.Greater(t, slower.Minutes, g.Minutes, "a lazier machine takes longer")
}

func TestGCodeRefuses(t *testing.T) {
	for text, want := range map[string]struct {
		err  error
		line int
	}{
		"G1 X1 E1\nG1 X..5\n":                    {ErrGCodeNumber, 2},
		"G1 X1 E1\nG1 E\n":                       {ErrGCodeNumber, 2},
		"G1 X" + strings.Repeat("9", 400) + "\n": {ErrGCodeNumber, 1},
		"G1 X9000000 E1\n":                       {ErrGCodeLimit, 1},
		"\n\nG2 X5 E1\n":                         {ErrGCodeArc, 3},
		"G2 X5 I1 J1 E1\n":                       {ErrGCodeArc, 1},
		"G3 X50 R2 E1\n":                         {ErrGCodeArc, 1},
		"N1 G1 X5 E1*12\n":                       {ErrGCodeSum, 1},
		"":                                       {ErrGCodeEmpty, 0},
		"G1 X10 F600\n":                          {ErrGCodeEmpty, 0},
		"G1 X1 E1\n" + strings.Repeat("A", gcodeLineBytes+1): {ErrGCodeLimit, 2},
	} {
		_, err := ReadGCode(strings.NewReader(text), OrdinaryGCodeMachine())
		require.ErrorIs(t, err, want.err, "%.40q", text)
		var at *GCodeError
		require.ErrorAs(t, err, &at)
		assert.Equal(t, want.line, at.Line, "%.40q", text)
	}
	few := OrdinaryGCodeMachine()
	few.MaxLines = 2
	_, err := ReadGCode(strings.NewReader("G1 X1 E1\nG1 X2 E2\nG1 X3 E3\n"), few)
	require.ErrorIs(t, err, ErrGCodeLimit)
	assert.Contains(t, err.Error(), "at most 2 lines")
}

func FuzzReadGCode(f *testing.F) {
	f.Add("G20\nM83\nG1 X1 E1 F60\nG3 X0 Y1 R1 E1\nG92 E0\nN1 G1 X5 E1*12\n")
	f.Add("M201 X1\nM203 Z0\nM204 P1 T2\nM205 X3\nM220 S1\nG28\nG4 P1\n(a)G2 X1 I1 J0 E4;")
	f.Fuzz(func(t *testing.T, text string) {
		m := OrdinaryGCodeMachine()
		m.MaxLines = 2000
		g, err := ReadGCode(strings.NewReader(text), m)
		if err != nil {
			return
		}
		for _, v := range []float64{g.PathMM, g.TravelMM, g.FilamentMM, g.FilamentG, g.Minutes} {
			if math.IsNaN(v) || math.IsInf(v, 0) || v < 0 {
				t.Fatalf("%+v", g)
			}
		}
	})
}

// However moves follow each other: never faster than the greatest speed allows, never
// slower than stopping at every corner, and a lazier machine is never quicker.
func TestMotionProperty(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		b.WriteString("M83\n")
		x, y, path, stops := 0.0, 0.0, 0.0, 0.0
		for range rapid.IntRange(1, 30).Draw(t, "n") {
			nx, ny := math.Round(rapid.Float64Range(-50, 50).Draw(t, "x")*100)/100, math.Round(rapid.Float64Range(-50, 50).Draw(t, "y")*100)/100
			l := math.Hypot(nx-x, ny-y)
			if l == 0 {
				continue
			}
			fmt.Fprintf(&b, "G1 X%.2f Y%.2f E1 F3000\n", nx, ny)
			path += l
			stops += trapezoid(l, 0, 50, 0, 1000)
			x, y = nx, ny
		}
		if path == 0 {
			return
		}
		m := OrdinaryGCodeMachine()
		m.CornerMMPerS = rapid.Float64Range(0, 20).Draw(t, "corner")
		g, err := ReadGCode(strings.NewReader(b.String()), m)
		if err != nil {
			t.Fatal(err)
		}
		if s := g.Minutes * 60; s < path/50-1e-9 || s > stops+1e-9 {
			t.Fatalf("%g s, between %g and %g", s, path/50, stops)
		}
		m.AccelMMPerS2 /= 2
		lazy, err := ReadGCode(strings.NewReader(b.String()), m)
		if err != nil || lazy.Minutes < g.Minutes-1e-12 {
			t.Fatalf("%g min at half the acceleration, %g at all of it, %v", lazy.Minutes, g.Minutes, err)
		}
	})
}
