package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"sakuji/core/finish"
	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

// House is what every estimate draws on: the rate book, and what stands in the
// studio.
type House struct {
	Studio    Studio
	Book      rates.Book
	Machines  []Machine
	Materials []Material
}

// Material returns the material of an id; id 0, or one no longer there, gives the
// first of the process.
func (h House) Material(id int64, processName string) (Material, bool) {
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
func (h House) Machine(id int64) (Machine, bool) {
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
	return plate.Bed{WidthMM: f.V("width"), DepthMM: f.V("depth"), HeightMM: f.V("height"), MarginMM: f.V("margin")}
}

// OnBed is a scaled model as it lies on a machine, raft and stand counted.
func (m Machine) OnBed(id string, model Model, scale float64) plate.Part {
	stand := 0.0
	if m.Process == process.Resin {
		stand = m.Figures.V("raft") + m.Figures.V("stand")
	}
	return plate.Part{ID: id, Outline: model.Shape.Plan.Scaled(scale), HeightMM: model.PrintHeightMM()*scale + stand}
}

// MachineFor picks the machine a part is priced on: of those of its process that
// it fits, the one on which an hour costs least. Without one that fits, the last
// reason is told and the largest machine stands in.
func (h House) MachineFor(model Model, scale float64, processName string) (m Machine, why string, ok bool) {
	var fits, all []Machine
	for _, m := range h.Machines {
		if m.Process != processName || !m.Active {
			continue
		}
		all = append(all, m)
		if reason := plate.Fits(m.Bed(), m.OnBed("", model, scale)); reason != "" {
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
		return slices.MaxFunc(all, room), "fits no machine as it stands. " + why, true
	}
	return Machine{}, "no " + processName + " machine in the studio", false
}

// Print is what one copy takes on a machine.
type Print struct {
	Grams    float64 // part and supports
	Minutes  float64 // of a run with this piece alone
	Inputs   []rates.Figure
	Laid     process.Laid // filament only
	HeightMM float64
}

// PrintOf works out one copy of a part on a machine.
func (h House) PrintOf(model Model, scale, wallMM float64, machine Machine, material Material) Print {
	s := model.Scaled(scale)
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
		return Print{Grams: process.Grams(part+supports, density), Minutes: rm.Minutes(s.HeightMM) * machine.Learned.Factor(), Inputs: in, HeightMM: s.HeightMM}
	}
	fm := process.FilamentOf(machine.Figures, h.Book.V("support.filament")/100)
	laid := fm.Lay(s)
	return Print{
		Grams: process.Grams(laid.MM3(), density), Minutes: fm.Minutes(laid) * machine.Learned.Factor(), Laid: laid, HeightMM: s.HeightMM,
		Inputs: []rates.Figure{volume, rates.Of("walls laid", laid.WallMM3/1000, "cm³", rates.Derived),
			rates.Of("top and bottom", laid.SkinMM3/1000, "cm³", rates.Derived), rates.Of("infill", laid.InfillMM3/1000, "cm³", rates.Derived),
			rates.Of("supports", laid.SupportMM3/1000, "cm³", rates.Derived), material.Figures["density"]},
	}
}

// Estimated is the price of one item and what stands behind it.
type Estimated struct {
	quote.Item
	Troubles []string // what keeps it from being made as asked
}

// Estimate prices an item.
func (h House) Estimate(it Item) Estimated {
	var parts []quote.Part
	var out Estimated
	for _, p := range it.Parts {
		material, ok := h.Material(p.MaterialID, p.Process)
		if !ok {
			out.Troubles = append(out.Troubles, p.Name+": no "+p.Process+" material in the studio")
		}
		if p.Model.Measures.VolumeMM3 <= 0 {
			out.Troubles = append(out.Troubles, p.Name+" encloses no volume: it cannot be priced from its geometry")
		}
		machine, why, ok := h.MachineFor(p.Model, it.Scale, p.Process)
		if why != "" {
			out.Troubles = append(out.Troubles, p.Name+": "+why)
		}
		if !ok {
			continue
		}
		parts = append(parts, h.costOf(p, it, machine, material))
	}
	out.Item = quote.Build(h.Book, parts, Digits(h.Studio.Currency))
	return out
}

func (h House) costOf(p Part, it Item, machine Machine, material Material) quote.Part {
	print := h.PrintOf(p.Model, it.Scale, p.WallMM, machine, material)
	perHour, rateInputs := machine.HourCost(h.Book)
	minutes, share := print.Minutes, 1.0
	inputs := []rates.Figure{rates.Of("run on "+machine.Name, print.Minutes, "min", rates.Derived)}
	if p.Process == process.Resin {
		share = h.share(p.Model, it.Scale, machine)
		minutes *= share
		inputs = []rates.Figure{rates.Of("run on "+machine.Name, print.Minutes, "min", rates.Derived),
			rates.Of("share of the plate it takes", share*100, "%", rates.Derived), h.Book.Get("bed.use")}
	}
	fp := finishPart(p.Model, p, it)
	return quote.Part{
		Name: p.Name, Copies: p.Copies * it.Copies, Process: p.Process,
		MaterialGrams: print.Grams, LossGrams: machine.Figures.V("loss") * lossShare(share, p.Process),
		PricePerKG: labelled(material.Figures["price"], material.Name), MaterialInputs: print.Inputs,
		MachineMinutes: minutes, RunMinutes: print.Minutes, MachineInputs: inputs,
		MachinePerHour: perHour, RateInputs: rateInputs,
		FailurePerHour: h.Book.Get("failure." + p.Process),
		Work:           finish.Plan(h.Book, fp), Stuff: finish.Consumables(h.Book, fp),
	}
}

// lossShare: a resin part bears its share of what a plate loses, a filament part
// that of a usual plate.
func lossShare(share float64, processName string) float64 {
	if processName == process.Resin {
		return share
	}
	return 1.0 / UsualPlate
}

func labelled(f rates.Figure, label string) rates.Figure {
	f.Label = label
	return f
}

// share is how much of a resin plate one copy takes: its outline with the spacing
// around it, of the part of the bed that is usually covered; all of it at most.
func (h House) share(model Model, scale float64, machine Machine) float64 {
	bed := machine.Bed()
	usable := (bed.WidthMM - 2*bed.MarginMM) * (bed.DepthMM - 2*bed.MarginMM) * h.Book.V("bed.use") / 100
	if usable <= 0 {
		return 1
	}
	o := model.Shape.Plan.Scaled(scale)
	var rim float64
	for _, ring := range o {
		rim += perimeter(ring)
	}
	return min(1, (o.AreaMM2()+rim*h.Book.V("spacing")/2)/usable)
}

func perimeter(ring []solid.Point) (sum float64) {
	for i, p := range ring {
		sum += dist(p, ring[(i+1)%len(ring)])
	}
	return sum
}

// PlateEstimate is what a plate takes as it is laid.
type PlateEstimate struct {
	Minutes        float64
	PhysicsMin     float64 // before what the machine taught
	Grams          float64 // pieces, supports and loss
	Metres         float64 // of filament; 0 for resin
	TallestMM      float64
	TallestID      int64   // piece; 0 for filament, where the sum counts
	WithoutMinutes float64 // of a resin plate without its tallest piece
	WithoutMM      float64
	Covered        float64 // of the bed, 0..1
	FailureChance  float64
	CostMinor      int64
	Working        rates.Working // of Minutes
	CostWorking    rates.Working
	GramsWorking   rates.Working
	CoveredWorking rates.Working
	ChanceWorking  rates.Working
	PieceGrams     map[int64]float64
}

// LaidPiece is a piece on a plate with its model.
type LaidPiece struct {
	Piece Piece
	Model Model
}

// EstimatePlate works out a run of these pieces on a machine.
func (h House) EstimatePlate(machine Machine, material Material, pieces []LaidPiece) PlateEstimate {
	e := PlateEstimate{PieceGrams: map[int64]float64{}}
	var laid []process.Laid
	var second float64
	bed := machine.Bed()
	for _, lp := range pieces {
		pr := h.PrintOf(lp.Model, lp.Piece.Scale, lp.Piece.WallMM, machine, material)
		e.PieceGrams[lp.Piece.ID] = pr.Grams
		e.Grams += pr.Grams
		laid = append(laid, pr.Laid)
		e.Covered += lp.Model.Shape.Plan.Scaled(lp.Piece.Scale).AreaMM2()
		if pr.HeightMM > e.TallestMM {
			e.TallestMM, e.TallestID, second = pr.HeightMM, lp.Piece.ID, e.TallestMM
		} else {
			second = max(second, pr.HeightMM)
		}
	}
	outlines := rates.Of("outlines of the pieces", e.Covered/100, "cm²", rates.Mesh)
	e.Covered = min(1, e.Covered/max(1, bed.WidthMM*bed.DepthMM))
	e.CoveredWorking = rates.Working{Formula: "outlines ÷ (width × depth)", Inputs: []rates.Figure{outlines, machine.Figures["width"], machine.Figures["depth"]},
		Result: rates.Of("bed covered", e.Covered*100, "%", rates.Derived)}
	if len(pieces) == 0 {
		return e
	}
	e.GramsWorking = rates.Working{Formula: "pieces with their supports + loss of a plate", Inputs: []rates.Figure{
		rates.Of("pieces", float64(len(pieces)), "pieces", rates.Derived), rates.Of("all of them", e.Grams, "g", rates.Derived), machine.Figures["loss"]}}
	e.Grams += machine.Figures.V("loss")
	e.Metres = process.FilamentMetres(e.Grams, material.Figures.V("density"), material.Figures.V("diameter"))
	e.GramsWorking.Result = rates.Of("material of the run", e.Grams, "g", rates.Derived)
	if machine.Process == process.Resin {
		rm := process.ResinOf(machine.Figures)
		e.Minutes = rm.Minutes(e.TallestMM)
		e.Working = rm.Working(e.TallestMM, machine.Figures)
		if second > 0 {
			e.WithoutMM, e.WithoutMinutes = second, rm.Minutes(second)
		}
	} else {
		fm := process.FilamentOf(machine.Figures, h.Book.V("support.filament")/100)
		e.Minutes = fm.Minutes(laid...)
		var path float64
		for _, l := range laid {
			path += l.MM3()
		}
		e.Working = rates.Working{
			Formula: "heating + each piece, layer by layer: walls, skin, infill and supports at their speed or at the melt flow",
			Inputs: []rates.Figure{machine.Figures["preparation"], rates.Of("pieces", float64(len(laid)), "pieces", rates.Derived),
				rates.Of("laid down", path/1000, "cm³", rates.Derived), machine.Figures["wall_speed"], machine.Figures["infill_speed"],
				machine.Figures["melt"], machine.Figures["layer_time"]},
			Result: rates.Of("run", e.Minutes, "min", rates.Derived),
		}
	}
	e.PhysicsMin = e.Minutes
	if f := machine.Learned.Factor(); f != 1 {
		e.Minutes, e.WithoutMinutes = e.Minutes*f, e.WithoutMinutes*f
		e.Working.Formula = "(" + e.Working.Formula + ") × what the machine taught"
		e.Working.Inputs = append(e.Working.Inputs, rates.Of(fmt.Sprintf("taught by %d runs and files", machine.Learned.Count), f, "×", rates.Derived))
		e.Working.Result.Value = e.Minutes
	}
	failure := h.Book.Get("failure." + machine.Process)
	e.FailureChance = process.FailureChance(failure.Value, e.Minutes)
	e.ChanceWorking = rates.Working{Formula: "1 − e^(−failures per hour × hours)", Inputs: []rates.Figure{failure, rates.Of("run", e.Minutes/60, "h", rates.Derived)},
		Result: rates.Of("chance the run fails", e.FailureChance*100, "%", rates.Derived)}
	perHour, inputs := machine.HourCost(h.Book)
	cost := e.Grams/1000*material.Figures.V("price") + e.Minutes/60*perHour
	e.CostMinor = quote.Minor(cost, Digits(h.Studio.Currency))
	e.CostWorking = rates.Working{
		Formula: "material × price + hours × machine hour",
		Inputs: append([]rates.Figure{rates.Of("material with loss", e.Grams, "g", rates.Derived),
			labelled(material.Figures["price"], material.Name), rates.Of("run", e.Minutes/60, "h", rates.Derived),
			rates.Of("machine hour", perHour, "¤/h", rates.Derived)}, inputs...),
		Result: rates.Of("cost of the run", cost, "¤", rates.Derived),
	}
	return e
}

// Document is a quote as it was sent, whole.
type Document struct {
	Studio    Studio         `json:"studio"`
	Client    Client         `json:"client"`
	Number    string         `json:"number"`
	Title     string         `json:"title"`
	Wanted    int64          `json:"wanted_ms"`
	Items     []DocumentItem `json:"items"`
	Price     quote.Price    `json:"price"`
	Terms     quote.Terms    `json:"terms"`
	Colours   []string       `json:"colours"`
	Questions []string       `json:"questions"`
	Cautions  []string       `json:"cautions"`
}

// DocumentItem is one line of a sent quote.
type DocumentItem struct {
	Title    string        `json:"title"`
	Detail   string        `json:"detail"`
	Copies   int           `json:"copies"`
	SizeMM   [3]float64    `json:"size_mm"`
	Front    solid.Outline `json:"front"`
	NetMinor int64         `json:"net_minor"`
	Cost     quote.Item    `json:"cost"`
	Spec     Item          `json:"spec"` // as accepted; models left out
}

// Detail says in a line what an item is: process, tier, size.
func (h House) Detail(it Item) string {
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
