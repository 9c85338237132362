package process

import (
	"math"

	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// Resin is hardened layer by layer in a vat: a run takes as long as its tallest part, however many stand on the plate.
const Resin = "resin"

var resin = Kind{
	Name:        Resin,
	After:       []route.StageKind{route.Wash, route.RemoveSupports, route.Cure}, // supports come off while they are soft
	Wet:         true,
	Hollow:      true,
	TallestSets: true,
	LayerMM:     [2]float64{0.01, 0.2},
	ClearanceMM: [2]float64{0.1, 0.2},
	CutGapMM:    0.15,
	Wishes:      solid.ResinWishes,
	Holding:     solid.ResinHolding,
	Smooth:      "light",
	FirstPaper:  220,
	Bond:        "uv",

	Failure: "failure.resin", Support: "support.resin", LeastWall: "wall.resin", StripArea: "strip.resin", StripTip: "strip.tip",
	Tunable: []rates.FigureKey{"layer", "exposure", "bottom_exposure", "bottom_layers", "lift", "lift_speed", "retract_speed", "rest"},
	Wears:   []Wear{{Film, Plates, "film_plates"}, {Screen, Hours, "screen_hours"}},
	Trial: &Trial{
		Sets: "exposure", Step: 0.05, Piece: solid.ExposurePiece,
		Best: func(_ rates.Set, t Tried) (float64, error) { return BestExposure(t.Exposed) },
	},

	Before:  "Vat strained, film tight, resin shaken, room 20 °C or more, bed clean. Uncured resin: nitrile gloves, eye protection, air.",
	AtPlate: route.Print.Traits().Caution,
	AtStrip: route.RemoveSupports.Traits().Caution,
	Checks: []Check{
		{Key: "bed", Text: "bed clean"},
		{Key: "film", Text: "film tight and clear", Wear: Film},
		{Key: "vat", Text: "vat strained, nothing hard in it", Because: true},
		{Key: "level", Text: "plate level", OnlyAfter: "stuck to the film"},
		{Key: "shaken", Text: "resin shaken"},
		{Key: "enough", Text: "%s g in the vat and bottle"},
		{Key: "warm", Text: "room 20 °C or more, warmed before and not by a heater beside the alcohol", Cold: true},
	},
	Stripped: []string{"no soft or sticky spots"},
	Faults: []Fault{
		{"stuck to the film", "Clear the vat and strain the resin, tighten the film, warm the room, level the plate.",
			[]string{"vat strained, film tightened", "plate levelled", "longer bottom exposure", "room warmed"}, "the plate", Machines},
		{"supports too few", "Hold the island with more supports; the rest of the plate is good.",
			[]string{"more supports", "turned another way", "longer exposure"}, "the part", Files},
		{"half printed", "Turn it so that no layer pulls as hard, or open the cup that sucks; look at the film.",
			[]string{"turned another way", "holes bored", "film changed", "slower lift"}, "some of the plate", Files},
	},

	Print: func(j Job) Print {
		m, s := ResinOf(j.Machine), j.Shape
		part, supports := ResinSolidMM3(s, j.WallMM), ResinSupportMM3(s, m, j.OfRoom)
		in := []rates.Figure{j.volume()}
		if j.WallMM > 0 {
			in = append(in, rates.Of("hollowed to a wall of", j.WallMM, "mm", rates.Ours),
				rates.Of("left of it", part/1000, "cm³", rates.Derived))
		}
		in = append(in, rates.Of("supports and raft", supports/1000, "cm³", rates.Derived), j.Material["density"])
		return Print{Grams: Grams(part+supports, j.Material.V("density")), Minutes: m.Minutes(s.HeightMM), Inputs: in, HeightMM: s.HeightMM}
	},
	Run: func(machine rates.Set) func([]Print) float64 {
		m := ResinOf(machine)
		return func(prints []Print) float64 { return m.Minutes(tallest(prints)) }
	},
	Working: func(machine rates.Set, prints []Print) rates.Working {
		return ResinOf(machine).Working(tallest(prints), machine)
	},
	Layers: func(machine rates.Set, tallestMM float64) int { return ResinOf(machine).Layers(tallestMM) },
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
