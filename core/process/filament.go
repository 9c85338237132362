package process

import (
	"cmp"
	"math"

	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// Filament is melted and drawn in lines: the hours of what lies on a plate add up.
const Filament = "filament"

var filament = Kind{
	Name:        Filament,
	After:       []route.StageKind{route.RemoveSupports},
	Drawn:       true,
	LayersPart:  true,
	LayerMM:     [2]float64{0.04, 1.2},
	ClearanceMM: [2]float64{0.2, 0.4},
	CutGapMM:    0.3,
	Wishes:      solid.FilamentWishes,
	Holding:     solid.FilamentHolding,
	Smooth:      "putty",
	FirstPaper:  120,
	Bond:        "weld",

	Failure: "failure.filament", Support: "support.filament", LeastWall: "wall.filament", StripArea: "strip.filament",
	MostHours: "plate.hours",
	Tunable: []rates.FigureKey{"layer", "walls", "skin", "infill", "flow", "wall_speed", "infill_speed", "melt", "layer_time",
		"retract", "preparation"},
	Wears: []Wear{{Nozzle, Kilograms, "nozzle_kg"}},
	Trial: &Trial{
		Sets: "flow", Step: 0.5, Piece: solid.FlowPiece, Walls: 1, InfillPercent: 1,
		Best: func(now rates.Set, t Tried) (float64, error) {
			return BestFlow(cmp.Or(now.V("flow"), 100), now.V("line"), t.WallMM)
		},
	},

	Before:  "Bed clean and level, filament dry, enough on the spool, nothing in the way of the head. Hot end and bed burn.",
	AtPlate: "Hot end and bed burn. Let the bed cool and flex the plate off the machine before you pull; no levering. Edges cut: gloves.",
	AtStrip: "Cut away from yourself and clamp small pieces. Edges and blades cut: gloves, eye protection." + route.Sheet,
	Checks: []Check{
		{Key: "bed", Text: "bed clean"},
		{Key: "dry", Text: "filament dry"},
		{Key: "spool", Text: "%s g on the spool"},
		{Key: "free", Text: "nothing in the way of the head"},
		{Key: "nozzle", Text: "nozzle clean", Wear: Nozzle, OnlyAfter: "clogged nozzle"},
	},
	Stripped: []string{"no gap between walls, no string inside"},
	Faults: []Fault{
		{"came off the bed", "Clean the bed; a brim holds more. Look at the hot end: a blob around it may have spoilt it.",
			[]string{"bed cleaned", "brim added", "bed hotter"}, "the plate, perhaps a nozzle", Machines},
		{"clogged nozzle", "Clean or replace it.", []string{"nozzle cleaned", "nozzle replaced", "filament dried"}, "the plate", Machines},
		{"layers shifted", "Tighten the belts, look for what the head ran into; keep the halves for scrap parts.",
			[]string{"belt tightened", "slower travel", "turned another way"}, "the part", Machines},
	},

	Print: func(j Job) Print {
		m, density := FilamentOf(j.Machine, j.OfRoom), j.Material.V("density")
		laid := m.Lay(j.Shape)
		in := []rates.Figure{j.volume()}
		if j.WeightG > 0 && density > 0 {
			m.Infill = m.InfillFor(laid, j.WeightG/density*1000)
			laid = m.Lay(j.Shape)
			in = append(in, rates.Of("wanted weight of a copy", j.WeightG, "g", rates.Ours),
				rates.Of("infill that comes to it", 100*m.Infill, "%", rates.Derived))
		}
		return Print{
			Grams: Grams(laid.MM3(), density), Minutes: m.Minutes(laid), Laid: laid, HeightMM: j.Shape.HeightMM,
			Inputs: append(in, rates.Of("walls laid", laid.WallMM3/1000, "cm³", rates.Derived),
				rates.Of("top and bottom", laid.SkinMM3/1000, "cm³", rates.Derived),
				rates.Of("infill", laid.InfillMM3/1000, "cm³", rates.Derived),
				rates.Of("supports", laid.SupportMM3/1000, "cm³", rates.Derived), j.Material["density"]),
		}
	},
	Run: func(machine rates.Set) func([]Print) float64 {
		m := FilamentOf(machine, 0)
		return func(prints []Print) float64 { return m.Minutes(laidOf(prints)...) }
	},
	Working: func(machine rates.Set, prints []Print) rates.Working {
		laid, mm3 := laidOf(prints), 0.0
		for _, l := range laid {
			mm3 += l.MM3()
		}
		return rates.Working{
			Formula: "heating + each piece, layer by layer: walls, skin, infill and supports at their speed or at the melt flow",
			Inputs: []rates.Figure{
				machine["preparation"], rates.Of("pieces", float64(len(laid)), "pieces", rates.Derived),
				rates.Of("laid down", mm3/1000, "cm³", rates.Derived),
				machine["wall_speed"], machine["infill_speed"], machine["melt"], machine["layer_time"],
			},
			Result: rates.Of("run", FilamentOf(machine, 0).Minutes(laid...), "min", rates.Derived),
		}
	},
	Each: func(machine rates.Set, p Print, n float64) (float64, []rates.Figure) {
		return FilamentOf(machine, 0).EachMinutes(p.Laid, n), []rates.Figure{machine["preparation"], machine["layer_time"]}
	},
	Layers: func(machine rates.Set, tallestMM float64) int {
		if layer := machine.V("layer"); layer > 0 {
			return int(math.Ceil(tallestMM / layer))
		}
		return 0
	},
}

func laidOf(prints []Print) []Laid {
	laid := make([]Laid, len(prints))
	for i, p := range prints {
		laid[i] = p.Laid
	}
	return laid
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
		TravelMMPerS: f.V("travel_speed"), MeltMM3PerS: f.V("melt"), AccelMMPerS2: f.V("accel"), RetractS: f.V("retract"),
		LeastLayerS:    f.V("layer_time"),
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
