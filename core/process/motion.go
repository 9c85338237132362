package process

import "math"

// motion is one move: how long, how fast at most, how hard it may speed up, and the
// directions it begins and ends in, which are 0 for filament alone.
type motion struct {
	length, speed, accel float64 // mm, mm/s, mm/s²
	start, end           [3]float64
	entry                float64 // the speed at its beginning
}

// planner adds up the time of moves that follow each other without a stop. A corner
// that turns by more than gentleTurn is taken at the machine's corner speed, which may
// be none; a gentler one is a piece of a curve, taken as fast as its sideways
// acceleration allows.
type planner struct {
	corner  float64 // mm/s of change that a corner may bring
	moves   []motion
	seconds float64
}

const (
	gentleTurnDeg = 20.0 // Source: from memory; a circle of 18 sides still counts as round
	plannedMoves  = 20_000
)

func newPlanner(corner float64) *planner { return &planner{corner: corner} }

func (p *planner) add(m motion) {
	if n := len(p.moves); n > 0 {
		m.entry = p.junction(&p.moves[n-1], &m)
		if m.entry == 0 || n >= plannedMoves {
			p.stop()
			m.entry = 0
		}
	}
	p.moves = append(p.moves, m)
}

// junction is the speed at which the corner between two moves may be passed.
func (p *planner) junction(a, b *motion) float64 {
	cos := a.end[0]*b.start[0] + a.end[1]*b.start[1] + a.end[2]*b.start[2]
	if a.end == [3]float64{} || b.start == [3]float64{} {
		return 0
	}
	most := min(a.speed, b.speed)
	if cos > 1-1e-12 {
		return most
	}
	turn := math.Acos(max(-1, cos))
	v := p.corner / (2 * math.Sin(turn/2))
	if turn <= gentleTurnDeg*math.Pi/180 {
		radius := min(a.length, b.length) / (2 * math.Tan(turn/2))
		v = max(v, math.Sqrt(min(a.accel, b.accel)*radius))
	}
	return min(most, v)
}

// stop brings what is planned to a stand and adds its time.
func (p *planner) stop() {
	next := 0.0
	for k := len(p.moves) - 1; k >= 0; k-- { // no faster in than it can slow down from
		m := &p.moves[k]
		m.entry = min(m.entry, math.Sqrt(next*next+2*m.accel*m.length))
		next = m.entry
	}
	for k := range p.moves { // nor faster out than it can speed up to
		m := &p.moves[k]
		exit := 0.0
		if k+1 < len(p.moves) {
			n := &p.moves[k+1]
			n.entry = min(n.entry, math.Sqrt(m.entry*m.entry+2*m.accel*m.length))
			exit = n.entry
		}
		p.seconds += trapezoid(m.length, m.entry, m.speed, exit, m.accel)
	}
	p.moves = p.moves[:0]
}

func (p *planner) finish() float64 {
	p.stop()
	return p.seconds
}

// trapezoid is the time over a length that begins and ends at given speeds, with a
// constant acceleration and a greatest speed [published: any text on kinematics; v² =
// v0² + 2as]. Where the greatest speed is not reached the trapezoid is a triangle.
func trapezoid(length, entry, speed, exit, accel float64) float64 {
	if accel <= 0 || speed <= 0 {
		return 0
	}
	peak := math.Sqrt((2*accel*length + entry*entry + exit*exit) / 2)
	if peak <= speed {
		return (2*peak - entry - exit) / accel
	}
	ramps := (2*speed*speed - entry*entry - exit*exit) / (2 * accel)
	return (2*speed-entry-exit)/accel + (length-ramps)/speed
}
