package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

// Shop is what every estimate draws on: the rate book, and what stands in the
// studio.
type Shop struct {
	Studio    Studio
	Book      rates.Book
	Machines  []Machine
	Materials []Material
	History   History
}

// Material returns the material of an id; id 0, or one no longer there, gives the
// first of the process.
func (h Shop) Material(id int64, processName string) (Material, bool) {
	for _, m := range h.Materials {
		if m.ID == id && m.Process == processName {
			return m, true
		}
	}
	for _, m := range h.Materials {
		if m.Process == processName && m.Active {
			return m, true
		}
	}
	return Material{}, false
}

// Machine returns the machine of an id.
func (h Shop) Machine(id int64) (Machine, bool) {
	for _, m := range h.Machines {
		if m.ID == id {
			return m, true
		}
	}
	return Machine{}, false
}

// Bed is the room of a machine.
func (m Machine) Bed() plate.Bed {
	f := m.Figures
	return plate.Bed{WidthMM: f.V("width"), DepthMM: f.V("depth"), HeightMM: f.V("height"), MarginMM: f.V("margin"), KeepOut: m.KeepOut}
}

// OnBed is a copy as it lies on a machine, raft and stand counted: what is laid around its shadow is
// a raft's edge, or a brim.
func (m Machine) OnBed(id string, c Copy) plate.Part {
	part := plate.Part{ID: id, Outline: c.Model.Shape.Plan.Scaled(c.Scale), HeightMM: c.Model.PrintHeightMM() * c.Scale}
	part.HeightMM += m.LiftMM()
	if m.Process == process.Resin {
		part.SkirtMM = m.Figures.V("raft_edge")
	} else {
		part.SkirtMM = c.Profile.BrimMM
	}
	return part
}

// MachineFor picks the machine a part is priced on: of those of its process that
// it fits, the one on which an hour costs least. Without one that fits, the last
// reason is told and the largest machine stands in. One that does not take the material is left out; 0
// is the first material of the process.
func (h Shop) MachineFor(model Model, scale float64, processName string, materialID int64) (m Machine, why string, ok bool) {
	var fits, all []Machine
	for _, m := range h.Machines {
		if m.Process != processName || !m.Active {
			continue
		}
		if !m.Prints(materialID) {
			why = m.Name + " does not take that material"
			continue
		}
		all = append(all, m)
		if reason := m.Fits(model, scale); reason != "" {
			why = m.Name + ": " + reason
		} else {
			fits = append(fits, m)
		}
	}
	hourCost := func(a, b Machine) int {
		ca, _ := a.HourCost(h.Book)
		cb, _ := b.HourCost(h.Book)
		return cmp.Compare(ca, cb)
	}
	room := func(a, b Machine) int {
		return cmp.Compare(a.Bed().WidthMM*a.Bed().DepthMM*a.Bed().HeightMM, b.Bed().WidthMM*b.Bed().DepthMM*b.Bed().HeightMM)
	}
	switch {
	case len(fits) > 0:
		return slices.MinFunc(fits, hourCost), "", true
	case len(all) > 0:
		return slices.MaxFunc(all, room), "fits no machine. " + why, true
	}
	return Machine{}, cmp.Or(why, "no "+processName+" machine in the studio"), false
}

// Print is what one copy takes on a machine.
type Print struct {
	Grams    float64 // part and supports
	Minutes  float64 // of a run with this piece alone
	Inputs   []rates.Figure
	Laid     process.Laid // filament only
	HeightMM float64
}

// PrintOf works out one copy on a machine.
func (h Shop) PrintOf(c Copy, machine Machine, material Material) Print {
	machine = machine.For(material, c.Profile)
	model, scale, wallMM := h.held(c.Model, c.Profile.Of(machine.Process), machine.Process), c.Scale, c.WallMM
	s := model.Scaled(scale)
	s.SupportMM3, s.Held = model.Shape.PillarMM3[machine.Process] // at the size of the file
	s.SupportMM3 *= scale * scale * scale                         // they stand as far apart whatever the size: more of them, and longer
	density := material.Figures.V("density")
	volume := rates.Of("volume of the part", s.VolumeMM3/1000, "cm³", rates.Mesh)
	if machine.Process == process.Resin {
		rm := process.ResinOf(machine.Figures)
		part := process.ResinSolidMM3(s, wallMM)
		supports := process.ResinSupportMM3(s, rm, h.Book.V("support.resin")/100)
		in := []rates.Figure{volume}
		if wallMM > 0 {
			in = append(in, rates.Of("hollowed to a wall of", wallMM, "mm", rates.Ours),
				rates.Of("left of it", part/1000, "cm³", rates.Derived))
		}
		in = append(in, rates.Of("supports and raft", supports/1000, "cm³", rates.Derived), material.Figures["density"])
		return Print{Grams: process.Grams(part+supports, density), Minutes: rm.Minutes(s.HeightMM) * machine.Calibration.Factor(), Inputs: in, HeightMM: s.HeightMM}
	}
	fm := process.FilamentOf(machine.Figures, h.Book.V("support.filament")/100)
	laid := fm.Lay(s)
	var fitted []rates.Figure
	if w := c.Profile.WeightG; w > 0 && density > 0 {
		fm.Infill = fm.InfillFor(laid, w/density*1000)
		laid = fm.Lay(s)
		fitted = []rates.Figure{rates.Of("wanted weight of a copy", w, "g", rates.Ours), rates.Of("infill that comes to it", 100*fm.Infill, "%", rates.Derived)}
	}
	return Print{
		Grams: process.Grams(laid.MM3(), density), Minutes: fm.Minutes(laid) * machine.Calibration.Factor(), Laid: laid, HeightMM: s.HeightMM,
		Inputs: append(append([]rates.Figure{volume}, fitted...), rates.Of("walls laid", laid.WallMM3/1000, "cm³", rates.Derived),
			rates.Of("top and bottom", laid.SkinMM3/1000, "cm³", rates.Derived), rates.Of("infill", laid.InfillMM3/1000, "cm³", rates.Derived),
			rates.Of("supports", laid.SupportMM3/1000, "cm³", rates.Derived), material.Figures["density"]),
	}
}

// Detail says in a line what an item is: process, tier, size.
func (h Shop) Detail(it Item) string {
	processes := []string{}
	for _, p := range it.Parts {
		if m, ok := h.Material(p.MaterialID, p.Process); ok && !slices.Contains(processes, m.Name) {
			processes = append(processes, m.Name)
		}
	}
	size := it.Size()
	s := fmt.Sprintf("%s, %.0f × %.0f × %.0f mm", joinAnd(processes), size[0], size[1], size[2])
	if len(it.Parts) > 1 {
		s = fmt.Sprintf("%d parts, %s", len(it.Parts), s)
	}
	return s
}

func joinAnd(words []string) string {
	switch len(words) {
	case 0:
		return "no material yet"
	case 1:
		return words[0]
	}
	out := words[0]
	for _, w := range words[1 : len(words)-1] {
		out += ", " + w
	}
	return out + " and " + words[len(words)-1]
}

// Size is the box of the item's largest part at its scale, in mm.
func (i Item) Size() (size [3]float64) {
	for _, p := range i.Parts {
		for k := range 3 {
			size[k] = max(size[k], p.Model.Measures.SizeMM[k]*i.Scale)
		}
	}
	return size
}

func dist(a, b solid.Point) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }

// EmptyingMinutes are the hands of one piece when a plate of so many is set up and emptied.
func (h Shop) EmptyingMinutes(pieces int) float64 {
	return (h.Book.V("plate.empty")+h.Book.V("plate.setup"))/float64(max(1, pieces)) + h.Book.V("plate.piece")
}
