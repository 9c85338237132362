package process

import (
	"bufio"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
)

// GCodeMachine is what is taken for true of a machine until its program says
// otherwise (M201, M203, M204, M205), and of the filament on it.
type GCodeMachine struct {
	AccelMMPerS2  float64 // of printing moves
	TravelMMPerS2 float64 // of moves without extrusion
	CornerMMPerS  float64 // the jump in speed allowed at a corner; 0 stops at corners
	FeedMMPerS    float64 // until the program sets one
	DiameterMM    float64
	GPerCM3       float64
	MaxLines      int // 0: DefaultGCodeLines
}

// DefaultGCodeLines is how many lines of a machine program are read.
const DefaultGCodeLines = 20_000_000

// OrdinaryGCodeMachine is a bedslinger with PLA. Source: from memory; it stops at
// corners, for a machine that does not say how fast it takes them.
func OrdinaryGCodeMachine() GCodeMachine {
	return GCodeMachine{AccelMMPerS2: 1000, TravelMMPerS2: 1000, FeedMMPerS: 25, DiameterMM: 1.75, GPerCM3: 1.24}
}

// GCode is what a machine program would do.
type GCode struct {
	Layers     int        `json:"layers"`      // heights at which a flat move extrudes
	PathMM     float64    `json:"path_mm"`     // moved while extruding
	TravelMM   float64    `json:"travel_mm"`   // moved without
	FilamentMM float64    `json:"filament_mm"` // drawn in: the furthest the feed ever was
	FilamentG  float64    `json:"filament_g"`
	Minutes    float64    `json:"minutes"`
	SizeMM     [3]float64 `json:"size_mm"` // of what is extruded
	Ignored    int        `json:"ignored"` // commands that move nothing this reader knows
}

// What can be wrong with a machine program; a GCodeError wraps one of them.
var (
	ErrGCodeNumber = errors.New("not a number")
	ErrGCodeArc    = errors.New("an arc that cannot be")
	ErrGCodeSum    = errors.New("the checksum does not fit the line")
	ErrGCodeLimit  = errors.New("over the limit")
	ErrGCodeEmpty  = errors.New("nothing is extruded in it")
)

// GCodeError says on which line a program stopped making sense.
type GCodeError struct {
	Line   int
	Detail string
	Err    error
}

func (e *GCodeError) Error() string {
	text := e.Err.Error()
	if e.Detail != "" {
		text += ": " + e.Detail
	}
	if e.Line == 0 {
		return text
	}
	return fmt.Sprintf("line %d: %s", e.Line, text)
}

func (e *GCodeError) Unwrap() error { return e.Err }

const (
	gcodeLineBytes = 1 << 16
	gcodeFarMM     = 1e6 // no machine is larger
	inchMM         = 25.4
)

// ReadGCode walks a filament machine's program: moves and arcs in the plan (G0 to G3),
// pauses (G4), inches and millimetres (G20, G21), absolute and relative places (G90,
// G91) and extrusion (M82, M83; until one of them is met extrusion goes with G90 and
// G91), set places (G92), homing (G28, taken to cost nothing), the machine's limits
// (M201, M203, M204, M205, M220). All else is counted and passed over.
//
// The time is that of trapezoidal motion: each move speeds up and slows down at the
// machine's acceleration, as far as the corners at its ends allow. A program in gzip is
// unpacked as it is read.
func ReadGCode(r io.Reader, machine GCodeMachine) (GCode, error) {
	g := &gcoder{machine: machine, scale: 1, absolute: true, absoluteE: true, feed: machine.FeedMMPerS, factor: 1, flat: map[int64]bool{}, plan: newPlanner(machine.CornerMMPerS)}
	limit := machine.MaxLines
	if limit <= 0 {
		limit = DefaultGCodeLines
	}
	in := bufio.NewReaderSize(r, 1<<16)
	r = in
	if head, err := in.Peek(2); err == nil && head[0] == 0x1f && head[1] == 0x8b {
		if r, err = gzip.NewReader(in); err != nil {
			return GCode{}, err
		}
	}
	lines := bufio.NewScanner(r)
	lines.Buffer(make([]byte, 0, 4096), gcodeLineBytes)
	for lines.Scan() {
		if g.line++; g.line > limit {
			return GCode{}, g.fail(ErrGCodeLimit, "at most %d lines are read", limit)
		}
		if err := g.read(lines.Bytes()); err != nil {
			return GCode{}, err
		}
	}
	if err := lines.Err(); errors.Is(err, bufio.ErrTooLong) {
		return GCode{}, &GCodeError{Line: g.line + 1, Err: ErrGCodeLimit, Detail: fmt.Sprintf("a line of over %d bytes", gcodeLineBytes)}
	} else if err != nil {
		return GCode{}, err
	}
	if g.out.PathMM == 0 {
		return GCode{}, &GCodeError{Err: ErrGCodeEmpty}
	}
	g.out.Layers = len(g.flat)
	g.out.Minutes = (g.plan.finish() + g.pauses) / 60
	g.out.FilamentMM = g.drawn
	g.out.FilamentG = g.drawn * math.Pi / 4 * machine.DiameterMM * machine.DiameterMM * machine.GPerCM3 / 1000
	for k := range 3 {
		g.out.SizeMM[k] = g.high[k] - g.low[k]
	}
	return g.out, nil
}

// gcoder is where the machine stands while its program is read. The fourth place is
// the filament's.
type gcoder struct {
	machine   GCodeMachine
	line      int
	out       GCode
	scale     float64 // mm in a unit
	absolute  bool
	absoluteE bool
	ownE      bool // M82 or M83 was met
	feed      float64
	factor    float64    // of M220
	at        [4]float64 // mm, as the program counts
	fed       float64    // filament since the start, whatever the program sets its count to
	drawn     float64    // the most it ever was
	pauses    float64    // seconds
	accel     [4]float64 // by axis, 0 when unknown
	most      [4]float64 // speed by axis
	flat      map[int64]bool
	low, high [3]float64
	extruded  bool
	plan      *planner
}

func (g *gcoder) fail(err error, format string, args ...any) error {
	return &GCodeError{Line: g.line, Err: err, Detail: fmt.Sprintf(format, args...)}
}

// words are the letters of one line and their numbers.
type words struct {
	has   uint32
	value [26]float64
}

func (w *words) get(letter byte) (float64, bool) {
	return w.value[letter-'A'], w.has>>(letter-'A')&1 != 0
}

// axes are the letters of the four places.
const axes = "XYZE"

// read carries out one line. A line holds one command and its words; a comment goes
// from ";" to the end or stands in brackets; "N12" before and "*71" after are checked.
func (g *gcoder) read(line []byte) error {
	var w words
	command, number := byte(0), 0.0
	for i := 0; i < len(line); {
		c := line[i]
		switch {
		case c == ';':
			i = len(line)
			continue
		case c == '(':
			for i < len(line) && line[i] != ')' {
				i++
			}
			i++
			continue
		case c == '*':
			return g.sum(line, i, command, number, &w)
		case c >= 'a' && c <= 'z':
			c -= 'a' - 'A'
		}
		i++
		if c <= ' ' {
			continue
		}
		from := i
		for i < len(line) && (line[i] >= '0' && line[i] <= '9' || line[i] == '.' || line[i] == '-' || line[i] == '+') {
			i++
		}
		if c < 'A' || c > 'Z' {
			if command == 0 { // no line of a program: a heading, a marker
				return nil
			}
			return g.fail(ErrGCodeNumber, "%.40q", line)
		}
		v := 0.0
		if i > from {
			var err error
			if v, err = strconv.ParseFloat(string(line[from:i]), 64); err != nil || math.Abs(v) > 1e12 {
				return g.fail(ErrGCodeNumber, "%c%.40s", c, line[from:i])
			}
		}
		switch {
		case c == 'N' && command == 0:
		case command == 0:
			command, number = c, v
			if c == 'M' && textCommand(v) {
				i = len(line)
			}
		default:
			if i == from && (command == 'G' && (number <= 3 || number == 92) && c != 'X' && c != 'Y' && c != 'Z') {
				return g.fail(ErrGCodeNumber, "%c without a number", c)
			}
			w.has |= 1 << (c - 'A')
			w.value[c-'A'] = v
		}
	}
	return g.do(command, number, &w)
}

// textCommand reports a command whose words are a message.
func textCommand(m float64) bool { return m == 117 || m == 118 || m == 16 || m == 862 || m == 486 }

// sum checks what stands after "*": the exclusive or of all bytes before it.
func (g *gcoder) sum(line []byte, at int, command byte, number float64, w *words) error {
	x := byte(0)
	for _, c := range line[:at] {
		x ^= c
	}
	text := line[at+1:]
	for k, c := range text {
		if c < '0' || c > '9' {
			text = text[:k]
			break
		}
	}
	if want, err := strconv.Atoi(string(text)); err != nil || want != int(x) {
		return g.fail(ErrGCodeSum, "*%.10s, it should be %d", line[at+1:], x)
	}
	return g.do(command, number, w)
}

func (g *gcoder) do(command byte, number float64, w *words) error {
	if command == 0 {
		return nil
	}
	switch command {
	case 'G':
		switch number {
		case 0, 1:
			return g.move(w)
		case 2, 3:
			return g.arc(w, number == 2)
		case 4:
			ms, _ := w.get('P')
			s, _ := w.get('S')
			g.pauses += max(0, ms/1000) + max(0, s)
			g.plan.stop()
		case 20:
			g.scale = inchMM
		case 21:
			g.scale = 1
		case 28:
			g.home(w)
		case 90, 91:
			g.absolute = number == 90
			if !g.ownE {
				g.absoluteE = g.absolute
			}
		case 92:
			g.set(w)
		default:
			g.out.Ignored++
		}
	case 'M':
		g.limits(number, w)
	default:
		g.out.Ignored++
	}
	return nil
}

// limits takes what a program says of its machine.
func (g *gcoder) limits(number float64, w *words) {
	switch number {
	case 82, 83:
		g.absoluteE, g.ownE = number == 82, true
	case 201, 203:
		list := &g.accel
		if number == 203 {
			list = &g.most
		}
		for k := range 4 {
			if v, ok := w.get(axes[k]); ok && v > 0 {
				list[k] = v * g.scale
			}
		}
	case 204:
		if v, ok := w.get('S'); ok && v > 0 {
			g.machine.AccelMMPerS2, g.machine.TravelMMPerS2 = v, v
		}
		if v, ok := w.get('P'); ok && v > 0 {
			g.machine.AccelMMPerS2 = v
		}
		if v, ok := w.get('T'); ok && v > 0 {
			g.machine.TravelMMPerS2 = v
		}
	case 205:
		if v, ok := w.get('X'); ok && v >= 0 {
			g.plan.corner = v
		}
	case 220:
		if v, ok := w.get('S'); ok && v > 0 {
			g.factor = v / 100
		}
	default:
		g.out.Ignored++
	}
}

func (g *gcoder) home(w *words) {
	some := w.has&(1<<('X'-'A')|1<<('Y'-'A')|1<<('Z'-'A')) != 0
	for k := range 3 {
		if _, ok := w.get(axes[k]); ok || !some {
			g.at[k] = 0
		}
	}
	g.plan.stop()
}

func (g *gcoder) set(w *words) {
	some := false
	for k := range 4 {
		if v, ok := w.get(axes[k]); ok {
			g.at[k], some = v*g.scale, true
		}
	}
	if !some {
		g.at = [4]float64{}
	}
}

// target is where a move ends, and takes its feed.
func (g *gcoder) target(w *words) (to [4]float64, err error) {
	to = g.at
	for k := range 4 {
		v, ok := w.get(axes[k])
		if !ok {
			continue
		}
		v *= g.scale
		if k < 3 && !g.absolute || k == 3 && !g.absoluteE {
			v += g.at[k]
		}
		if math.Abs(v) > gcodeFarMM && k < 3 {
			return to, g.fail(ErrGCodeLimit, "%c %g mm: no machine is that large", axes[k], v)
		}
		to[k] = v
	}
	if v, ok := w.get('F'); ok && v > 0 {
		g.feed = v * g.scale / 60
	}
	return to, nil
}

func (g *gcoder) move(w *words) error {
	to, err := g.target(w)
	if err != nil {
		return err
	}
	var d [4]float64
	for k := range d {
		d[k] = to[k] - g.at[k]
	}
	length := math.Sqrt(d[0]*d[0] + d[1]*d[1] + d[2]*d[2])
	g.step(to, length, math.Inf(1), [3]float64{d[0], d[1], d[2]}, [3]float64{d[0], d[1], d[2]}, d)
	return nil
}

// arc is a circle's piece in the plan, clockwise for G2, perhaps rising.
func (g *gcoder) arc(w *words, clockwise bool) error {
	to, err := g.target(w)
	if err != nil {
		return err
	}
	dx, dy := to[0]-g.at[0], to[1]-g.at[1]
	i, hasI := w.get('I')
	j, hasJ := w.get('J')
	i, j = i*g.scale, j*g.scale
	if r, ok := w.get('R'); ok {
		r *= g.scale
		half := math.Hypot(dx, dy) / 2
		if half == 0 || math.Abs(r) < half*(1-1e-6) {
			return g.fail(ErrGCodeArc, "radius %g mm over %g mm", r, 2*half)
		}
		// The middle lies beside the chord; a negative radius is the long way round.
		off := math.Sqrt(max(0, r*r-half*half)) / (2 * half)
		if clockwise != (r < 0) {
			off = -off
		}
		i, j = dx/2-dy*off, dy/2+dx*off
	} else if !hasI && !hasJ {
		return g.fail(ErrGCodeArc, "neither I, J nor R")
	}
	radius, end := math.Hypot(i, j), math.Hypot(dx-i, dy-j)
	if radius == 0 || math.Abs(radius-end) > 0.05+0.01*radius {
		return g.fail(ErrGCodeArc, "it begins %.3f mm from its middle and ends %.3f mm from it", radius, end)
	}
	from, until := math.Atan2(-j, -i), math.Atan2(dy-j, dx-i)
	angle := until - from
	if clockwise {
		angle = -angle
	}
	if angle <= 1e-9 { // and a full circle when it ends where it began
		angle += 2 * math.Pi
	}
	flat := angle * radius
	dz := to[2] - g.at[2]
	turn := 1.0
	if clockwise {
		turn = -1
	}
	tangent := func(a float64) [3]float64 {
		return [3]float64{-turn * math.Sin(a) * flat, turn * math.Cos(a) * flat, dz}
	}
	d := [4]float64{flat, flat, dz, to[3] - g.at[3]} // either axis may carry all of it
	middle := [2]float64{g.at[0] + i, g.at[1] + j}
	g.step(to, math.Hypot(flat, dz), radius, tangent(from), tangent(until), d)
	if d[3] > 0 {
		g.bulge(middle, radius, from, angle*turn)
	}
	return nil
}

// bulge grows the extruded box by an arc's outermost points.
func (g *gcoder) bulge(middle [2]float64, radius, from, angle float64) {
	for q := range 4 {
		a := float64(q) * math.Pi / 2
		off := math.Mod(a-from, 2*math.Pi)
		if angle < 0 {
			off = -off
		}
		if off < 0 {
			off += 2 * math.Pi
		}
		if off <= math.Abs(angle) {
			x, y := middle[0]+radius*math.Cos(a), middle[1]+radius*math.Sin(a)
			g.low[0], g.high[0] = min(g.low[0], x), max(g.high[0], x)
			g.low[1], g.high[1] = min(g.low[1], y), max(g.high[1], y)
		}
	}
}

// step goes to a place over a length; radius bounds the speed in an arc.
func (g *gcoder) step(to [4]float64, length, radius float64, start, end [3]float64, d [4]float64) {
	fed := to[3] - g.at[3]
	g.fed += fed
	extrudes := fed > 0 && length > 0
	if g.fed > g.drawn {
		g.drawn = g.fed
	}
	if extrudes {
		g.out.PathMM += length
		if math.Abs(d[2]) < 1e-9 {
			g.flat[int64(math.Round(to[2]*1000))] = true
		}
		for _, p := range [2][4]float64{g.at, to} {
			for k := range 3 {
				if !g.extruded {
					g.low[k], g.high[k] = p[k], p[k]
				}
				g.low[k], g.high[k] = min(g.low[k], p[k]), max(g.high[k], p[k])
			}
			g.extruded = true
		}
	} else {
		g.out.TravelMM += length
	}
	g.at = to
	way := length
	if way == 0 {
		way = math.Abs(fed)
	}
	if way == 0 {
		return
	}
	accel, speed := g.machine.AccelMMPerS2, g.feed*g.factor
	if !extrudes && length > 0 {
		accel = g.machine.TravelMMPerS2
	}
	for k, along := range d {
		share := math.Abs(along) / way
		if share < 1e-9 {
			continue
		}
		if g.accel[k] > 0 {
			accel = min(accel, g.accel[k]/share)
		}
		if g.most[k] > 0 {
			speed = min(speed, g.most[k]/share)
		}
	}
	if !math.IsInf(radius, 1) {
		speed = min(speed, math.Sqrt(accel*radius))
	}
	m := motion{length: way, speed: speed, accel: accel}
	if length > 0 {
		m.start, m.end = unit(start), unit(end)
	}
	g.plan.add(m)
}

func unit(v [3]float64) [3]float64 {
	l := math.Sqrt(v[0]*v[0] + v[1]*v[1] + v[2]*v[2])
	return [3]float64{v[0] / l, v[1] / l, v[2] / l}
}
