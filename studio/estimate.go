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

// ProcessFor is the first process of which a model fits a machine; the first of all where it fits none.
func (h Shop) ProcessFor(model Model) string {
	names := process.Names()
	for _, name := range names {
		if _, why, ok := h.MachineFor(model, 1, name, 0); ok && why == "" {
			return name
		}
	}
	return names[0]
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
	if edge, has := m.Figures["raft_edge"]; has {
		part.SkirtMM = edge.Value
	}
	part.SkirtMM += c.Profile.Of(m.Process).BrimMM
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

// PrintOf works out one copy on a machine.
func (h Shop) PrintOf(c Copy, machine Machine, material Material) process.Print {
	machine = machine.For(material, c.Profile)
	kind := process.Of(machine.Process)
	model, scale := h.held(c.Model, c.Profile.Of(machine.Process), machine.Process), c.Scale
	s := model.Scaled(scale)
	s.SupportMM3, s.Held = model.Shape.PillarMM3[machine.Process] // at the size of the file
	s.SupportMM3 *= scale * scale * scale                         // they stand as far apart whatever the size: more of them, and longer
	job := process.Job{Shape: s, WallMM: c.WallMM, WeightG: c.Profile.WeightG, Machine: machine.Figures, Material: material.Figures}
	if kind.Support != "" {
		job.OfRoom = h.Book.V(kind.Support) / 100
	}
	print := kind.Print(job)
	print.Minutes *= machine.Calibration.Factor()
	return print
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

// LayMin is how long hands set a plate up; after another material the machine is changed over first.
func (h Shop) LayMin(otherMaterial bool) float64 {
	if otherMaterial {
		return h.Book.V("plate.setup") + h.Book.V("plate.material")
	}
	return h.Book.V("plate.setup")
}

// EmptyMin is how long they empty one of so many pieces.
func (h Shop) EmptyMin(pieces int) float64 {
	return h.Book.V("plate.empty") + h.Book.V("plate.piece")*float64(pieces)
}

// ChangeMin is how long hands change a plate, whatever lies on it.
func (h Shop) ChangeMin() float64 { return h.LayMin(false) + h.EmptyMin(0) }

// PlateHandsMin is what one piece takes of setting up and emptying a plate of so many.
func (h Shop) PlateHandsMin(pieces int) float64 {
	n := max(1, pieces)
	return (h.LayMin(false) + h.EmptyMin(n)) / float64(n)
}
