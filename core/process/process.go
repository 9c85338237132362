// Package process knows resin and filament machines: what a run of them takes in
// hours and grams, and how often it fails. The formulas are those of the trade's
// practice notes; every number in them is an argument that says its unit.
package process

import (
	"cmp"
	"math"

	"sakuji/core/rates"
	"sakuji/core/solid"
)

// The two processes.
const (
	Resin    = "resin"
	Filament = "filament"
)

// Shape is what of a part counts for a machine, at the size it is printed.
type Shape struct {
	VolumeMM3  float64
	AreaMM2    float64
	BentMM     float64 // mean curvature over all of it; 0: not known
	HeightMM   float64
	SupportMM3 float64 // of pillars that hold it
	Held       bool    // they were worked out; else the room under its overhangs tells
	Profile    solid.Profile
	Overhang   solid.Overhang
}

// ResinMachine is one with a screen and a vat.
type ResinMachine struct {
	LayerMM         float64
	ExposureS       float64
	BottomExposureS float64
	BottomLayers    int
	LiftMM          float64
	LiftMMPerS      float64
	RetractMMPerS   float64
	RestS           float64
	PreparationMin  float64
	RaftMM          float64
	StandMM         float64 // how high parts stand over the raft
}

// ResinOf reads a resin machine's figures.
func ResinOf(f rates.Set) ResinMachine {
	return ResinMachine{
		LayerMM: f.V("layer"), ExposureS: f.V("exposure"), BottomExposureS: f.V("bottom_exposure"),
		BottomLayers: int(f.V("bottom_layers")), LiftMM: f.V("lift"), LiftMMPerS: f.V("lift_speed"),
		RetractMMPerS: f.V("retract_speed"), RestS: f.V("rest"), PreparationMin: f.V("preparation"),
		RaftMM: f.V("raft"), StandMM: f.V("stand"),
	}
}

// Layers is how many layers a run of this height has, raft and stand included.
func (r ResinMachine) Layers(partMM float64) int {
	if r.LayerMM <= 0 {
		return 0
	}
	return int(math.Ceil((partMM+r.RaftMM+r.StandMM)/r.LayerMM - 1e-9))
}

// MoveS is the time of one lift and return: there, back and the rests.
func (r ResinMachine) MoveS() float64 {
	s := r.RestS
	if r.LiftMMPerS > 0 {
		s += r.LiftMM / r.LiftMMPerS
	}
	if r.RetractMMPerS > 0 {
		s += r.LiftMM / r.RetractMMPerS
	}
	return s
}

// Minutes is the run time of a plate whose tallest part has this height. How many
// parts lie on it does not matter.
func (r ResinMachine) Minutes(tallestMM float64) float64 {
	n := r.Layers(tallestMM)
	bottom := min(r.BottomLayers, n)
	s := float64(bottom)*(r.BottomExposureS+r.MoveS()) + float64(n-bottom)*(r.ExposureS+r.MoveS())
	return r.PreparationMin + s/60
}

// Working tells how Minutes came about.
func (r ResinMachine) Working(tallestMM float64, f rates.Set) rates.Working {
	n := r.Layers(tallestMM)
	move := rates.Of("move: lift, return, rests", r.MoveS(), "s", rates.Derived)
	return rates.Working{
		Formula: "preparation + bottom layers × (bottom exposure + move) + other layers × (exposure + move)",
		Inputs: []rates.Figure{
			rates.Of("tallest part", tallestMM, "mm", rates.Mesh),
			rates.Of("layers with raft and stand", float64(n), "layers", rates.Derived),
			f["bottom_layers"], f["bottom_exposure"], f["exposure"], move, f["preparation"],
		},
		Result: rates.Of("run", r.Minutes(tallestMM), "min", rates.Derived),
	}
}

// FilamentMachine is one with a nozzle.
type FilamentMachine struct {
	LayerMM        float64
	LineMM         float64
	Walls          int
	SkinLayers     int
	Infill         float64 // 0..1
	Flow           float64 // what comes out of the nozzle, of what is asked for; 0: as much
	WallMMPerS     float64
	InfillMMPerS   float64
	TravelMMPerS   float64
	MeltMM3PerS    float64
	AccelMMPerS2   float64 // 0: at speed at once
	RetractS       float64 // drawing back and priming at each hop
	LeastLayerS    float64
	PreparationMin float64
	SupportOfRoom  float64 // share of the room under overhangs that supports fill
}

// FilamentOf reads a filament machine's figures.
func FilamentOf(f rates.Set, supportOfRoom float64) FilamentMachine {
	return FilamentMachine{
		LayerMM: f.V("layer"), LineMM: f.V("line"), Walls: int(f.V("walls")), SkinLayers: int(f.V("skin")),
		Infill: f.V("infill") / 100, Flow: f.V("flow") / 100, WallMMPerS: f.V("wall_speed"), InfillMMPerS: f.V("infill_speed"),
		TravelMMPerS: f.V("travel_speed"), MeltMM3PerS: f.V("melt"), AccelMMPerS2: f.V("accel"), RetractS: f.V("retract"), LeastLayerS: f.V("layer_time"),
		PreparationMin: f.V("preparation"), SupportOfRoom: supportOfRoom,
	}
}

// Laid is what a part takes on a filament machine, heating up not included.
type Laid struct {
	WallMM3    float64
	SkinMM3    float64
	InfillMM3  float64
	SupportMM3 float64
	LayerS     []float64 // of each layer, before a machine waits for it to harden
}

// InfillFor is the share of infill by which a part that was laid comes to a volume without its
// supports: none where its walls and skin are more than that, all where it is not enough.
func (m FilamentMachine) InfillFor(l Laid, mm3 float64) float64 {
	if m.Infill <= 0 || l.InfillMM3 <= 0 {
		return m.Infill
	}
	return min(1, max(0, (mm3-l.WallMM3-l.SkinMM3)/l.InfillMM3*m.Infill))
}

// MM3 is all material of the part and its supports.
func (l Laid) MM3() float64 { return l.WallMM3 + l.SkinMM3 + l.InfillMM3 + l.SupportMM3 }

// Lay goes through the part layer by layer: walls along the perimeter, skin where
// the layer lies open above or below, infill in the rest, supports spread
// evenly. Each line is drawn at its speed or as fast as the melt flow allows,
// whichever is slower, speeding up and slowing down at its ends; a loop of wall has
// about wallCorners of them.
func (m FilamentMachine) Lay(s Shape) Laid {
	var out Laid
	if m.LayerMM <= 0 || m.LineMM <= 0 || s.HeightMM <= 0 {
		return out
	}
	layers := int(math.Ceil(s.HeightMM/m.LayerMM - 1e-9))
	out.LayerS = make([]float64, layers)
	flow := cmp.Or(m.Flow, 1)
	bead := m.LineMM * m.LayerMM
	speed := func(mmPerS float64) float64 {
		if m.MeltMM3PerS > 0 {
			return min(mmPerS, m.MeltMM3PerS/(bead*flow))
		}
		return mmPerS
	}
	if out.SupportMM3 = s.SupportMM3; !s.Held {
		out.SupportMM3 = m.SupportOfRoom * s.Overhang.VolumeMM3
	}
	supportMM := out.SupportMM3 / bead / float64(layers)
	open := m.open(s.Profile, layers)
	for i := range layers {
		cut := s.Profile.At((float64(i) + 0.5) * m.LayerMM)
		wallMM := cut.PerimeterMM * float64(m.Walls)
		if wallMM*m.LineMM > cut.AreaMM2 { // thin places: the walls meet
			wallMM = cut.AreaMM2 / m.LineMM
		}
		inner := cut.AreaMM2 - wallMM*m.LineMM
		skin := min(inner, open(i))
		infill := (inner - skin) * m.Infill
		out.WallMM3 += wallMM * bead
		out.SkinMM3 += skin * m.LayerMM
		out.InfillMM3 += infill * m.LayerMM
		across := math.Sqrt(cut.AreaMM2)
		line := max(math.Sqrt(inner), m.LineMM) // of skin and infill
		t := m.lines(wallMM, cut.PerimeterMM/wallCorners, speed(m.WallMMPerS)) +
			m.lines((skin+infill)/m.LineMM, line, speed(m.InfillMMPerS)) +
			m.lines(supportMM, supportLineMM, speed(m.InfillMMPerS))
		if cut.AreaMM2 > 0 { // a hop to the walls, one to what they enclose, one to the supports; walls follow each other
			hops := 1.0
			if skin+infill > 0 {
				hops += 1
			}
			if supportMM > 0 {
				hops += 1
			}
			t += hops*m.RetractS + m.lines(across*hops, across, m.TravelMMPerS)
		}
		out.LayerS[i] = t
	}
	out.WallMM3, out.SkinMM3, out.InfillMM3, out.SupportMM3 = out.WallMM3*flow, out.SkinMM3*flow, out.InfillMM3*flow, out.SupportMM3*flow
	return out
}

// open says how much of a layer, within its walls, has no matter right above or below it and
// is laid as skin. A face that leans lies open only as far beside the wall as it is flat: over
// walls of a width it must come down by that width times its slope. Where a profile does not
// say how its surface lies, the layers' areas are compared, which is too little on slopes.
func (m FilamentMachine) open(p solid.Profile, layers int) func(layer int) float64 {
	deep := float64(m.SkinLayers) * m.LayerMM
	if !p.KnowsOpen() {
		return func(i int) float64 {
			z := (float64(i) + 0.5) * m.LayerMM
			return max(0, p.At(z).AreaMM2-min(areaAt(p, z-deep), areaAt(p, z+deep)))
		}
	}
	out := make([]float64, layers)
	walls := float64(m.Walls) * m.LineMM
	slab := p.HeightMM / float64(len(p.Slices))
	add := func(from, to, mm2 float64) { // skin of an area between two heights
		from, to = max(0, from), min(to, p.HeightMM)
		for i := max(0, int(from/m.LayerMM)); i < layers && float64(i)*m.LayerMM < to; i++ {
			low, high := max(from, float64(i)*m.LayerMM), min(to, float64(i+1)*m.LayerMM)
			out[i] += mm2 * max(0, high-low) / m.LayerMM
		}
	}
	for k, s := range p.Slices {
		up, down := (float64(k)+0.5)*slab, (float64(k)+0.5)*slab
		if k == 0 {
			down = 0
		}
		if k == len(p.Slices)-1 {
			up = p.HeightMM
		}
		flatter := 0.0
		for b, steeper := range solid.OpenSlopes {
			thick := deep - walls*(flatter+steeper)/2
			flatter = steeper
			if thick <= 0 {
				break
			}
			if b < len(s.UpMM2) && s.UpMM2[b] > 0 {
				add(up-thick, up, s.UpMM2[b])
			}
			if b < len(s.DownMM2) && s.DownMM2[b] > 0 {
				add(down, down+thick, s.DownMM2[b])
			}
		}
	}
	return func(i int) float64 { return out[i] }
}

const (
	wallCorners   = 12.0 // where a loop of wall slows down. Source: from memory
	supportLineMM = 5.0  // of a support's pattern. Source: from memory
)

// lines is the time of a length drawn in lines of about one length, each from a stand to
// a stand.
func (m FilamentMachine) lines(mm, lineMM, speedMMPerS float64) float64 {
	switch {
	case mm <= 0 || speedMMPerS <= 0:
		return 0
	case m.AccelMMPerS2 <= 0 || lineMM <= 0:
		return mm / speedMMPerS
	}
	return mm / lineMM * trapezoid(lineMM, 0, speedMMPerS, 0, m.AccelMMPerS2)
}

// areaAt is the area of a cut, nothing above and below the part.
func areaAt(p solid.Profile, zMM float64) float64 {
	if zMM < 0 || zMM > p.HeightMM {
		return 0
	}
	return p.At(zMM).AreaMM2
}

// Minutes is the run time of parts on one plate, heating up once. A layer takes the machine's
// least time at least, all parts on the plate together.
func (m FilamentMachine) Minutes(parts ...Laid) float64 {
	if len(parts) == 0 {
		return 0
	}
	n := 0
	for _, p := range parts {
		n = max(n, len(p.LayerS))
	}
	var s float64
	for i := range n {
		var layer float64
		for _, p := range parts {
			if i < len(p.LayerS) {
				layer += p.LayerS[i]
			}
		}
		s += max(layer, m.LeastLayerS)
	}
	return m.PreparationMin + s/60
}

// EachMinutes is what one of n equal parts takes of a run of them all.
func (m FilamentMachine) EachMinutes(l Laid, n float64) float64 {
	var s float64
	for _, layer := range l.LayerS {
		s += max(layer, m.LeastLayerS/max(1, n))
	}
	return m.PreparationMin/max(1, n) + s/60
}

// FilamentMetres is the length of filament of a mass: m/(ρ·πd²/4).
func FilamentMetres(grams, densityGPerCM3, diameterMM float64) float64 {
	if densityGPerCM3 <= 0 || diameterMM <= 0 {
		return 0
	}
	return grams / densityGPerCM3 * 1000 / (math.Pi * diameterMM * diameterMM / 4) / 1000
}

// Grams is the mass of a volume.
func Grams(mm3, densityGPerCM3 float64) float64 { return mm3 / 1000 * densityGPerCM3 }

// ResinSolidMM3 is the resin in a part: all of it, or its skin when it is hollowed
// to a wall. A wall laid inward of a curved surface is less than area × wall, by the
// mean curvature × wall² [published: Steiner's formula for parallel bodies]; at least
// half of it, for on what is finely worked the formula goes too far, and never more
// than the solid part.
func ResinSolidMM3(s Shape, wallMM float64) float64 {
	if wallMM <= 0 {
		return s.VolumeMM3
	}
	flat := s.AreaMM2 * wallMM
	return min(s.VolumeMM3, max(flat/2, flat-s.BentMM*wallMM*wallMM))
}

// ResinSupportMM3 is the resin in supports and raft: a share of the room under
// overhangs with the stand below it, and the raft under the part's shadow.
func ResinSupportMM3(s Shape, m ResinMachine, ofRoom float64) float64 {
	hanging := s.Overhang.AreaMM2 + s.Overhang.FootprintMM2
	pillars := s.SupportMM3
	if !s.Held {
		pillars = ofRoom * (s.Overhang.VolumeMM3 + hanging*m.StandMM)
	}
	return pillars + hanging*m.RaftMM*0.5
}

// FailureChance is the chance that a run of these minutes fails at a constant
// rate per hour: 1 − e^(−λT).
func FailureChance(perHour, minutes float64) float64 { return 1 - math.Exp(-perHour*minutes/60) }

// ExtraRuns is how many further runs are expected for one that succeeds, when a
// failure is noticed only at the end: e^(λT) − 1 [published: mean of the geometric
// distribution, e.g. Ross, Introduction to Probability Models]. Past e^20, some five
// hundred million runs, it stays there: nothing of it would ever come out.
func ExtraRuns(perHour, minutes float64) float64 { return math.Exp(min(20, perHour*minutes/60)) - 1 }

// ColdC is the room temperature below which resin runs fail and paint cures late.
// Source: common practice.
const ColdC = 20.0
