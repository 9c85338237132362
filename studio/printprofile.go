package studio

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

// PrintProfile is how a part is printed where that differs from its machine's figures; what is 0
// is as the machine has it.
type PrintProfile struct {
	LayerMM        float64 `json:"layer_mm,omitempty"`
	SupportDeg     float64 `json:"support_deg,omitempty"`     // from the vertical, beyond which a face is held
	SupportPercent float64 `json:"support_percent,omitempty"` // pillars, of as many as usual

	// Of what is drawn in lines.
	NozzleMM      float64 `json:"nozzle_mm,omitempty"`
	Walls         int     `json:"walls,omitempty"`
	InfillPercent float64 `json:"infill_percent,omitempty"`
	WeightG       float64 `json:"weight_g,omitempty"` // wanted of a copy without its supports: the infill is fitted to it
	BrimMM        float64 `json:"brim_mm,omitempty"`  // laid around its foot
}

// What a profile may say. Sources: layers, nozzles and limits common practice; a layer of at most eight
// tenths of the nozzle, a line 0.05 mm wider than the nozzle, and the rest from memory.
const (
	leastSupportDeg, mostSupportDeg = solid.OverhangDeg, 70.0
	layerOfNozzle                   = 0.8
	lineOverNozzleMM                = 0.05
)

// Check says what is wrong with the profile of a part of a process; at names its fields.
func (p PrintProfile) Check(processName, name string, at func(field string) string) (v rates.Invalid) {
	between := func(field string, value, low, high float64, what, unit string) {
		v.Need(value == 0 || value >= low && value <= high, at(field), "%s of %s: between %s and %s %s, or empty for that of the machine", what, name, rates.Number(low), rates.Number(high), unit)
	}
	kind := process.Of(processName)
	between("layer", p.LayerMM, kind.LayerMM[0], kind.LayerMM[1], "layer", "mm")
	v.Need(!kind.Drawn || p.NozzleMM == 0 || p.LayerMM <= layerOfNozzle*p.NozzleMM+1e-9, at("layer"),
		"layer of %s: at most %s mm with a nozzle of %s mm", name, rates.Number(layerOfNozzle*p.NozzleMM), rates.Number(p.NozzleMM))
	between("support_deg", p.SupportDeg, leastSupportDeg, mostSupportDeg, "support limit", "° from the vertical")
	between("support_percent", p.SupportPercent, 10, 400, "supports", "% of the usual")
	between("nozzle", p.NozzleMM, 0.1, 2, "nozzle", "mm")
	between("walls", float64(p.Walls), 1, 40, "walls", "lines")
	between("infill", p.InfillPercent, 1, 100, "infill", "%")
	between("weight", p.WeightG, 0.1, 100_000, "weight", "g")
	between("brim", p.BrimMM, 0.4, 30, "brim", "mm")
	v.Need(p.InfillPercent == 0 || p.WeightG == 0, at("weight"), "%s: its infill or its weight, not both", name)
	return v
}

// Of is what of the profile a process knows.
func (p PrintProfile) Of(processName string) PrintProfile {
	if !process.Of(processName).Drawn {
		return PrintProfile{LayerMM: p.LayerMM, SupportDeg: p.SupportDeg, SupportPercent: p.SupportPercent}
	}
	return p
}

// Shared is what all parts on a plate have in common.
func (p PrintProfile) Shared() PrintProfile {
	return PrintProfile{LayerMM: p.LayerMM, NozzleMM: p.NozzleMM}
}

// Text says what the profile changes, in a few words; empty: nothing.
func (p PrintProfile) Text() string {
	var out []string
	add := func(value float64, format string) {
		if value != 0 {
			out = append(out, fmt.Sprintf(format, rates.Number(value)))
		}
	}
	add(p.LayerMM, "%s mm layers")
	add(p.NozzleMM, "%s mm nozzle")
	add(float64(p.Walls), "%s walls")
	add(p.InfillPercent, "%s %% infill")
	add(p.WeightG, "to weigh %s g")
	add(p.SupportDeg, "supports beyond %s°")
	add(p.SupportPercent, "supports %s %% as dense")
	add(p.BrimMM, "brim %s mm")
	if len(out) == 0 {
		return ""
	}
	return joinAnd(out)
}

// For is the machine as it prints a part in a material: with the figures that were found for the
// material on it, and those of the part's profile.
func (m Machine) For(material Material, p PrintProfile) Machine {
	tuned := m.Tuned[material.ID]
	p = p.Of(m.Process)
	if len(tuned) == 0 && p == (PrintProfile{}) {
		return m
	}
	m.Figures = maps.Clone(m.Figures)
	maps.Copy(m.Figures, tuned)
	set := func(key rates.FigureKey, value float64) {
		if f, ok := m.Figures[key]; ok && value > 0 {
			f.Value, f.Source = value, rates.Ours
			m.Figures[key] = f
		}
	}
	set("layer", p.LayerMM)
	set("walls", float64(p.Walls))
	set("infill", p.InfillPercent)
	if p.NozzleMM > 0 {
		set("line", p.NozzleMM+lineOverNozzleMM)
	}
	return m
}

// SameRun reports whether parts of two profiles may share a run on the machine: their layers and
// nozzles are the same.
func (m Machine) SameRun(material Material, a, b PrintProfile) bool {
	if a.Shared() == b.Shared() {
		return true
	}
	fa, fb := m.For(material, a.Shared()).Figures, m.For(material, b.Shared()).Figures
	return fa.V("layer") == fb.V("layer") && fa.V("line") == fb.V("line")
}

// supportDeg is the limit beyond which a profile has faces held.
func (h Shop) supportDeg(p PrintProfile) float64 {
	return cmp.Or(p.SupportDeg, h.Book.V("support.limit"))
}

// held is a model with the supports that a profile leaves it.
func (h Shop) held(m Model, p PrintProfile, processName string) Model {
	deg, dense := h.supportDeg(p), cmp.Or(p.SupportPercent, 100)/100
	if deg <= solid.OverhangDeg && dense == 1 {
		return m
	}
	lax := m.Shape.Overhang.LaxAt(deg)
	m.Shape.Overhang.VolumeMM3 *= lax.Room * dense
	m.Shape.Overhang.AreaMM2 *= lax.Area
	share := dense
	if by, known := m.Shape.LaxPillars[processName]; known {
		share *= solid.LaxOf(by, deg)
	} else {
		share *= lax.Room
	}
	m.Tips = int(math.Round(float64(m.Tips) * share))
	scaled := func(all map[string]float64) map[string]float64 {
		all = maps.Clone(all)
		if mm3, known := all[processName]; known {
			all[processName] = mm3 * share
		}
		return all
	}
	m.Shape.PillarMM3, m.Shape.LeastMM3 = scaled(m.Shape.PillarMM3), scaled(m.Shape.LeastMM3)
	return m
}

// holding says how a part is held by a profile.
func (h Shop) holding(processName string, p PrintProfile) solid.Holding {
	out := process.Of(processName).Holding
	out.LimitDeg = max(out.LimitDeg, h.supportDeg(p))
	out.SpacingMM /= math.Sqrt(cmp.Or(p.SupportPercent, 100) / 100)
	return out
}

// standing is how parts stand on the machine: over a raft, or on the bed.
func (m Machine) standing() (on solid.Standing) {
	if stand, has := m.Figures["stand"]; has {
		on = solid.Standing{LiftMM: stand.Value, RaftMM: m.Figures.V("raft")}
	}
	return on
}

// LiftMM is how far a part hangs over the plate on its supports.
func (m Machine) LiftMM() float64 {
	on := m.standing()
	return on.RaftMM + on.LiftMM
}

// Props are the supports of a part as it stands, as bodies; nil where nothing holds it.
func (h Shop) Props(s *mesh.Soup, m Machine, p PrintProfile) *mesh.Soup {
	holding := h.holding(m.Process, p)
	part := solid.Whole(s.Weld())
	return solid.Props(part, solid.Contacts(part, holding), holding, m.standing())
}

// Copy is one print to be made: a model at a size, hollowed to a wall or not, by its profile.
type Copy struct {
	Model         Model
	Scale, WallMM float64
	Profile       PrintProfile
}

// Copy is the piece as a print of its model.
func (p Piece) Copy(m Model) Copy { return Copy{m, p.Scale, p.WallMM, p.Profile} }

// CopyAt is a print of the part at a size, in its best orientation until one is chosen.
func (p Part) CopyAt(scale float64) Copy {
	return Copy{p.Model.AtBest(), scale, p.WallMM, p.Profile}
}

// Profiles are the profiles of pieces, as far as a plate must be of one, each once.
func Profiles(pieces []Piece) (out []PrintProfile) {
	for _, p := range pieces {
		if s := p.Profile.Shared(); !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}
